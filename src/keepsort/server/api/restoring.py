"""From plans and runs to the shapes of the API."""

import msgspec

from keepsort.core.compare import compare_attributes
from keepsort.core.model import Schema
from keepsort.core.plan import Finding, Plan, Step, changed_names
from keepsort.server.api import writing
from keepsort.server.api.running import run_brief
from keepsort.server.api.shapes.restoring import (
    FindingAnswer,
    JournalAnswer,
    PlanAnswer,
    RightsAnswer,
    RunAnswer,
    RunStepAnswer,
    StepAnswer,
    SummaryAnswer,
)
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import open_plan, sources
from keepsort.server.restores.promised import CHECK_THEN_WRITE
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.sorting.showing import Showing


def finding(schema: Schema, found: Finding) -> FindingAnswer:
    """Write a finding."""
    return FindingAnswer(
        name=found.name,
        level=found.level,
        code=found.code,
        text=found.text,
        path=found.path,
        written=schema.notation.write(found.path) if found.path else "",
        attribute=found.attribute,
        kind=found.kind,
        choices=list(found.choices),
        effect=found.effect,
        budget=found.budget,
    )


def step(showing: Showing, found: Step, rendered: str = "") -> StepAnswer:
    """Write a step with its attributes before and after."""
    schema = showing.schema
    name = found.final_path[-1] if found.final_path else schema.notation.write(())
    attributes = compare_attributes(schema, found.kind, found.before or {}, found.after or {})
    return StepAnswer(
        number=found.number,
        action=found.action,
        path=found.path,
        to=found.to,
        name=name,
        written=schema.notation.write(found.path),
        to_written=schema.notation.write(found.to) if found.to is not None else None,
        kind_label=schema.label(found.kind),
        trial=schema.kinds[found.kind].trial if found.kind in schema.kinds else "",
        reason=found.reason,
        needs=list(found.needs),
        changed=changed_names(schema, found),
        attributes=[showing.attribute(found.kind, one, None, found.path) for one in attributes],
        rendered=rendered,
    )


def plan(found: PlanRecord) -> PlanAnswer:
    """Write a preview."""
    content = open_plan(found)
    live = open_snapshot(found.look)
    showing = Showing(live, live)
    run = found.runs.first()
    texts = found.rendered or [""] * len(content.steps)
    return PlanAnswer(
        id=found.pk,
        system=found.system_id,
        system_name=found.system.name,
        backup=found.backup_id,
        sources=[writing.brief(record) for record in sources(found)],
        look=writing.record(found.look),
        undoes=found.undoes_id,
        takes_back=found.takes_back,
        run=run.pk if run else None,
        policy=found.policy,
        compare_and_set=not any(f.code == CHECK_THEN_WRITE for f in content.findings),
        summary=msgspec.convert(found.summary, SummaryAnswer),
        steps=[step(showing, s, t) for s, t in zip(content.steps, texts, strict=True)],
        findings=[finding(live.schema, f) for f in content.findings],
        rights=_rights(content),
    )


def _rights(content: Plan) -> RightsAnswer | None:
    if content.rights is None:
        return None
    may = {right.step for right in content.rights if right.may}
    return RightsAnswer(may=len(may), not_told=list(content.not_told))


def run(found: Run) -> RunAnswer:
    """Write a run with its journal and its plan."""
    return RunAnswer(**vars(journal(found)), content=plan(found.plan))


def journal(found: Run, after: int | None = None) -> JournalAnswer:
    """Write a run with the lines of its journal, or those that changed since another answer.

    after: `entries` of that answer. The run is read before its lines are, so that no line is
    missed that changes meanwhile.
    """
    changed = found.steps.all() if after is None else found.steps.filter(entry__gt=after)
    lines = [
        RunStepAnswer(
            number=line.number,
            state=RunStep.State(line.state),
            already=line.already,
            wrote=line.wrote,
            message=line.message,
            report=line.report,
            finished_at=line.finished_at,
        )
        for line in changed
    ]
    left = found.after.changes if found.after else {}
    return JournalAnswer(
        **vars(run_brief(found)), lines=lines, left_now=left, looked=found.after_id is not None,
        entries=found.entries, report=found.report,
    )  # fmt: skip
