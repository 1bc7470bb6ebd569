"""What of a file cannot be put back: told by name and number, and the rest goes on."""

from collections.abc import Sequence

import msgspec

from keepsort.core.model import Path, is_beneath
from keepsort.core.plan import Finding, LeftOut, Pick, Plan
from keepsort.server.files.standing import standing
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.sorting.comparing import Terms

#: Findings that stop a plan for the sake of one object that the system does not take.
_OF_ONE_OBJECT = frozenset(
    {
        "contents-not-kept", "no-such-field", "not-allowed", "not-allowed-by-schema",
        "not-in-limits", "outside", "read-only", "secret-unknown", "structural-class",
        "unknown-class",
    }
)  # fmt: skip
_NAMED = 200


def with_aside(
    backup: Record, look: Record, plan: Plan, picks: Sequence[Pick], terms: Terms
) -> Plan:
    """Add to a plan which objects of a file, within picked branches, have no place there."""
    if backup.kind != Record.Kind.FILE:
        return plan
    placed = standing(backup, look, terms.hangs)
    branches = [pick.path for pick in picks if pick.scope == "branch"]
    aside = [
        one
        for one in placed.aside
        if one.place is not None and any(is_beneath(one.place, branch) for branch in branches)
    ]
    if not aside:
        return plan
    write = open_snapshot(look).schema.notation.write
    found = [
        Finding(
            "note",
            "no-place",
            f"{write(one.place or ())} is not put there: {one.why}.",
            one.place or (),
        )
        for one in aside[:_NAMED]
    ]
    count = sum(one.count for one in aside)
    text = f"{count} objects of the file have no place here and are not written; each is named."
    return Plan(plan.steps, (*plan.findings, Finding("confirm", "left-aside", text), *found))


def without_refused(
    backup: Record, plan: Plan, picks: Sequence[Pick]
) -> tuple[list[Pick], tuple[Finding, ...]] | None:
    """Return the picks without what the system refuses of a file, and what to tell of it.

    None where nothing is refused, or nothing else is picked.
    """
    if backup.kind != Record.Kind.FILE:
        return None
    refused: dict[Path, str] = {}
    for finding in plan.findings:
        if finding.level == "stop" and finding.code in _OF_ONE_OBJECT and finding.path:
            refused.setdefault(finding.path, finding.text)
    written = {step.final_path for step in plan.steps}
    if not refused or written <= refused.keys():
        return None
    kept = []
    for pick in picks:
        out = tuple(LeftOut(path, alone=False) for path in refused if is_beneath(path, pick.path))
        if pick.scope == "branch" and pick.path not in refused:
            kept.append(msgspec.structs.replace(pick, without=(*pick.without, *out)))
        elif pick.path not in refused:
            kept.append(pick)
    if not kept:
        return None
    count, left = len(written), len(written & refused.keys())
    text = f"{count - left} of {count} objects can be written; {left} cannot, each named with why."
    return kept, (
        Finding("confirm", "left-aside", text),
        *(Finding("note", "not-written", f"It is not written: {why}", path)
          for path, why in list(refused.items())[:_NAMED]),
    )  # fmt: skip
