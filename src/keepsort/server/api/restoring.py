"""From plans and runs to the shapes of the API."""

from typing import Any

import msgspec

from keepsort.core.compare import compare_attributes
from keepsort.core.model import Schema
from keepsort.core.plan import Finding, Step, changed_names
from keepsort.server.api import writing
from keepsort.server.api.running import run_brief
from keepsort.server.restores.models import PlanRecord, Run
from keepsort.server.restores.previewing import open_plan, sources
from keepsort.server.restores.promised import CHECK_THEN_WRITE
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.sorting.showing import Showing


def finding(schema: Schema, found: Finding) -> dict[str, Any]:
    """Write a finding."""
    return {
        "name": found.name,
        "level": found.level,
        "code": found.code,
        "text": found.text,
        "path": list(found.path),
        "written": schema.notation.write(found.path) if found.path else "",
        "attribute": found.attribute,
        "kind": found.kind,
        "choices": list(found.choices),
    }


def step(showing: Showing, found: Step, rendered: str = "") -> dict[str, Any]:
    """Write a step with its attributes before and after."""
    schema = showing.schema
    name = found.final_path[-1] if found.final_path else schema.notation.write(())
    attributes = compare_attributes(schema, found.kind, found.before or {}, found.after or {})
    return {
        "number": found.number,
        "action": found.action,
        "path": list(found.path),
        "to": list(found.to) if found.to is not None else None,
        "name": name,
        "written": schema.notation.write(found.path),
        "to_written": schema.notation.write(found.to) if found.to is not None else None,
        "kind_label": schema.label(found.kind),
        "trial": schema.kinds[found.kind].trial if found.kind in schema.kinds else "",
        "reason": found.reason,
        "needs": list(found.needs),
        "changed": changed_names(schema, found),
        "attributes": [
            msgspec.to_builtins(showing.attribute(found.kind, a, None, found.path))
            for a in attributes
        ],
        "rendered": rendered,
    }


def plan(found: PlanRecord) -> dict[str, Any]:
    """Write a preview."""
    content = open_plan(found)
    live = open_snapshot(found.look)
    showing = Showing(live, live)
    run = found.runs.first()
    texts = found.rendered or [""] * len(content.steps)
    return {
        "id": found.pk,
        "system": found.system_id,
        "system_name": found.system.name,
        "backup": found.backup_id,
        "sources": [writing.brief(record) for record in sources(found)],
        "look": writing.record(found.look),
        "undoes": found.undoes_id,
        "takes_back": found.takes_back,
        "run": run.pk if run else None,
        "policy": found.policy,
        "compare_and_set": not any(f.code == CHECK_THEN_WRITE for f in content.findings),
        "summary": found.summary,
        "steps": [step(showing, s, t) for s, t in zip(content.steps, texts, strict=True)],
        "findings": [finding(live.schema, f) for f in content.findings],
    }


def run(found: Run) -> dict[str, Any]:
    """Write a run with its journal and its plan."""
    return journal(found) | {"content": plan(found.plan)}


def journal(found: Run, after: int | None = None) -> dict[str, Any]:
    """Write a run with the lines of its journal, or those that changed since another answer.

    after: `entries` of that answer. The run is read before its lines are, so that no line is
    missed that changes meanwhile.
    """
    changed = found.steps.all() if after is None else found.steps.filter(entry__gt=after)
    lines = [
        {
            "number": line.number,
            "state": line.state,
            "already": line.already,
            "wrote": line.wrote,
            "message": line.message,
            "report": line.report,
            "finished_at": line.finished_at,
        }
        for line in changed
    ]
    left = found.after.changes if found.after else {}
    return (
        run_brief(found)
        | {"lines": lines, "left_now": left}
        | {"looked": found.after_id is not None, "entries": found.entries}
        | {"report": found.report}
    )
