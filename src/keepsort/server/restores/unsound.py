"""Findings about the backup itself: its problems among what is picked, and what it left out."""

from collections.abc import Sequence

from keepsort.core.model import Path
from keepsort.core.plan import Finding, Plan
from keepsort.core.snapshot import Snapshot
from keepsort.server.snapshots.models import Record

_TOLD = 20


def with_problems(plan: Plan, sources: Sequence[Record], left: Snapshot) -> Plan:
    """Return a plan that names what is unsound, in its backups, among what it writes."""
    keys = left.schema.names.keys
    written = {keys(step.final_path) for step in plan.steps if step.action != "delete"}
    texts: dict[Path, list[str]] = {}
    for record in sources:
        for problem in record.problems:
            path = tuple(problem["path"])
            if keys(path) in written:
                texts.setdefault(path, []).append(problem["text"])
    findings = [
        Finding("confirm", "unsound", f"It has a problem in the backup: {' '.join(told)}", path)
        for path, told in texts.items()
    ]
    if len(findings) > _TOLD:
        rest = len(findings) - _TOLD
        text = f"{rest} more of what is written has problems in the backup; see its list."
        findings = [*findings[:_TOLD], Finding("confirm", "unsound-more", text)]
    for record in sources:
        unlisted = record.problem_count - len(record.problems)
        if written and unlisted > 0:
            text = (
                f"The backup has {record.problem_count} problems, and only the first "
                f"{len(record.problems)} are known by their places: among what is written there "
                "may be others."
            )
            findings.append(Finding("confirm", "unsound-unlisted", text))
        if record.damage_count:
            text = "Some of this backup cannot be read any more; what is written here could be."
            findings.append(Finding("note", "damaged", text))
        if record.choice and record.kind == Record.Kind.BACKUP:
            text = "The backup left out some kinds or places by choice; these stay as they are."
            findings.append(Finding("note", "not-kept", text))
    return Plan(plan.steps, (*plan.findings, *findings))
