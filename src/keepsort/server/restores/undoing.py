"""The way back from a run, or from chosen steps of it."""

from collections.abc import Collection, Sequence

from keepsort.core.model import ConfigObject, Schema
from keepsort.core.plan import Finding, Plan, Step, in_sequence, is_implied, plan_undo, taken_place
from keepsort.core.plan.rehearsal import same_content
from keepsort.core.plan.threads import threaded
from keepsort.core.snapshot import Snapshot
from keepsort.server.accounts.models import User
from keepsort.server.problems import Problem
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import (
    asked_of,
    compare_to_backup,
    decode_object,
    encode_plan,
    open_plan,
    summary,
)
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.services import composer_of, opened


def preview_undo(
    run: Run, by: User | None = None, chosen: Collection[int] | None = None
) -> PlanRecord:
    """Make the plan of the way back from a run. Raises `Problem` or a `ConnectorError`.

    chosen: numbers of its steps that are to be taken back, with those that cannot stay without
        them; all that are left where None.
    """
    back = taken_back(run)
    written = set(run.steps.filter(wrote=True).values_list("number", flat=True))
    left = written - back.keys()
    if written and not left:
        newest = max(back.values())
        raise Problem(
            f"Run {newest} has taken this run back already.",
            f"To have it again, undo run {newest}.",
            409,
        )
    if not left:
        raise Problem("This run has written nothing, so there is nothing to undo.")
    look = take(run.system, Record.Kind.LOOK, by=by)
    live, before = open_snapshot(look), open_snapshot(run.plan.look)
    steps_done = open_plan(run.plan).steps
    if chosen is not None:
        if not chosen or not set(chosen) <= left:
            raise Problem(
                "A chosen step has not written anything, or is taken back already.",
                "Choose among the steps that have written.",
            )
        left &= along(live.schema, steps_done, chosen)
    lines = {line.number: line for line in run.steps.filter(number__in=left)}
    findings: list[Finding] = []
    wrote = [
        _became(step, lines[step.number], live, findings)
        for step in steps_done
        if step.number in lines and not is_implied(live.schema, step)
    ]
    steps = plan_undo(in_sequence(wrote), before, live)
    if not steps:
        raise Problem("Live is as it was before this run, so there is nothing to undo.")
    with opened(run.system) as connector:
        plan = Plan(steps, tuple(findings))
        asked = asked_of(connector, live, plan, composer_of(run.system), before)
    undo, rendered, predicted = asked
    tally: dict[str, int] = {}
    if predicted is not None and run.plan.backup is not None:
        tally = compare_to_backup(run.plan.backup, predicted)
    return PlanRecord.objects.create(
        system=run.system, backup=run.plan.backup, look=look, by=by, undoes=run,
        takes_back=sorted(left) if chosen is not None or back else None,
        content=encode_plan(undo), rendered=rendered, summary=summary(undo, tally),
    )  # fmt: skip


def taken_back(run: Run) -> dict[int, int]:
    """Return which steps of a run were taken back, each with the number of the run that did so."""
    found: dict[int, int] = {}
    for undo in Run.objects.filter(plan__undoes=run, outcome="verified").order_by("pk"):
        steps = undo.plan.takes_back
        if steps is None:
            steps = run.steps.filter(wrote=True).values_list("number", flat=True)
        found |= dict.fromkeys(steps, undo.pk)
    return found


def along(schema: Schema, steps: Sequence[Step], chosen: Collection[int]) -> set[int]:
    """Return chosen steps with all that cannot stay when they are taken back.

    These are steps that needed them, and what was done later to the same objects.
    """
    found = set(chosen)
    threads = [[steps[place].number for place in t.places] for t in threaded(schema, steps)]
    while True:
        more = {step.number for step in steps if found.intersection(step.needs)}
        for thread in threads:
            first = next((at for at, number in enumerate(thread) if number in found), None)
            more.update(thread[first:] if first is not None else ())
        if more <= found:
            return found
        found |= more


def _became(step: Step, line: RunStep, live: Snapshot, findings: list[Finding]) -> tuple[Step, ...]:
    """Return what a step has done, as live shows it where it was not read back as planned."""
    if line.state == RunStep.State.DONE:
        return (step,)
    here, there = live.get(step.path), live.get(step.final_path)
    found = taken_place(live.schema, step, here, there)
    if not found or found == (step,):
        return found
    known = decode_object(bytes(line.found)) if line.found is not None else None
    if known is None or not _same(live.schema, known, there):
        text = (
            "Whether the run has written this is not certain: it is neither as it was before nor "
            "as it was to become. Undo makes it what it was before the run."
        )
        findings.append(Finding("confirm", "unknown-outcome", text, step.final_path))
    return found


def _same(schema: Schema, one: ConfigObject, other: ConfigObject | None) -> bool:
    return (
        other is not None
        and one.kind == other.kind
        and same_content(schema, one.kind, one.attributes, other.attributes)
    )
