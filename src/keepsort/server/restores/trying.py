"""Seeing that what was restored works, where somebody asks for it."""

from keepsort.connectors.base import Trying
from keepsort.server.accounts.models import User
from keepsort.server.events.notify import tell
from keepsort.server.logs import log
from keepsort.server.problems import Problem
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.restores.previewing import open_plan
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.systems.services import opened


def try_out(run: Run, number: int, by: User | None) -> str:
    """Use once what a step has written, note in the run's report what came of it, and return it.

    Raises `Problem` or a `ConnectorError`.
    """
    step = next((one for one in open_plan(run.plan).steps if one.number == number), None)
    line = run.steps.filter(number=number, state=RunStep.State.DONE).first()
    if step is None or line is None or step.after is None or run.state != Run.State.FINISHED:
        raise Problem("There is nothing of that step to try out.", "Choose a step that is done.")
    schema = open_snapshot(run.plan.look).schema
    kind = schema.kinds.get(step.kind)
    if kind is None or not kind.trial:
        raise Problem(f"A {schema.label(step.kind)} cannot be tried out from here.")
    with opened(run.system) as connector:
        if not isinstance(connector, Trying):
            raise Problem(f"Nothing of {run.system} can be tried out from here.")
        told = connector.try_out(step.final_path, step.kind)
    who = by.shown_name if by is not None else "The command line"
    said = f"{step.final_path[-1]}: {told} Asked for by {who}."
    log.info("tried out", run=run.pk, step=number)
    run.report = [*run.report, said]
    run.save(update_fields=["report"])
    tell("run", run.pk, run.system_id)
    return said
