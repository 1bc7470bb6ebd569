"""The end of a run: what it comes to, and what is left to do for its system."""

from django.utils import timezone

from keepsort.connectors.base import Connector, Finishing, Preparing
from keepsort.connectors.errors import ConnectorError
from keepsort.server.events.notify import tell
from keepsort.server.logs import log
from keepsort.server.problems import Problem
from keepsort.server.restores.journal import Journal, State, Superseded
from keepsort.server.restores.models import Run
from keepsort.server.restores.previewing import open_plan
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.sorting.tallying import tally_ahead

_NOTHINGS_TOLD = 20
_SAVED = (
    "outcome", "message", "report", "state", "finished_at", "waits", "waits_since",
    "retry_at", "attempts",
)  # fmt: skip


def put_in_order(run: Run, connector: Connector) -> None:
    """Do what is to be done once for all steps of a run, and put back what it has altered in its
    system for its own sake, if that is still to do.

    Raises a `ConnectorError`; it is still to do then.
    """
    if run.standing is None:
        return
    done = set(run.steps.filter(wrote=True).values_list("number", flat=True))
    steps = [step for step in open_plan(run.plan).steps if step.number in done]
    endings = [connector.finish(steps)] if isinstance(connector, Finishing) else []
    if isinstance(connector, Preparing):
        endings.append(connector.put_back(run.standing))
    for ending in endings:
        run.report = [*run.report, *ending.report]
        if ending.failed:
            run.message = f"{run.message} {ending.failed}".strip()
    run.standing = None
    run.save(update_fields=["report", "message", "standing"])


def skip_rest(journal: Journal, reason: str) -> None:
    """Begin no more steps: tell those that wait as skipped."""
    journal.write(
        [
            journal.note(line, State.SKIPPED, reason)
            for line in journal.lines.values()
            if line.state == State.WAITING
        ]
    )


def finish(run: Run) -> None:
    """Sum a run up. Raises `Superseded` if somebody else carries it out by now."""
    run.outcome = outcome_of(run)
    if not run.message:
        trouble = [State.IN_DOUBT, State.FAILED, State.CONFLICT, State.DIFFERS]
        first = run.steps.filter(state__in=trouble).first()
        run.message = first.message if first else ""
    run.report = [*run.report, *_came_to_nothing(run)]
    run.state = Run.State.FINISHED
    run.finished_at = timezone.now()
    run.waits, run.waits_since, run.retry_at = "", None, None
    fields = {name: getattr(run, name) for name in _SAVED}
    if not Run.objects.filter(pk=run.pk, lease=run.lease).update(**fields):
        raise Superseded
    log.info("run ended", run=run.pk, outcome=run.outcome)
    tell("run", run.pk, run.system_id)


def look_at_live(run: Run) -> None:
    """Keep what live is after the run; where it cannot be looked at, the message says so."""
    try:
        run.after = take(run.system, Record.Kind.LOOK, by=run.by)
    except (ConnectorError, Problem) as error:
        run.message = run.message or str(error)
    run.save(update_fields=["after", "message"])
    tell("run", run.pk, run.system_id)
    tally_ahead(run.system)


def outcome_of(run: Run) -> str:
    """Return what a run comes to, by its journal."""
    lines = list(run.steps.values_list("state", "wrote"))
    states = [state for state, _ in lines]
    if State.IN_DOUBT in states:
        return "unknown"
    if states.count(State.DONE) == len(states):
        failed = bool(run.message)
        return "partial" if failed else "verified" if any(w for _, w in lines) else "unchanged"
    if run.cancel_asked:
        return "cancelled"
    done = states.count(State.DONE) + states.count(State.DIFFERS)
    return "partial" if done else "failed"


def _came_to_nothing(run: Run) -> list[str]:
    """Return what was picked and needed no writing, each with the reason."""
    write = open_snapshot(run.plan.look).schema.notation.write
    codes = ("nothing-to-do", "same", "nothing-extra", "kept")
    found = [f for f in open_plan(run.plan).findings if f.code in codes]
    told = [f"{write(f.path)}: {f.text}" for f in found[:_NOTHINGS_TOLD]]
    if len(found) > _NOTHINGS_TOLD:
        told.append(f"The same goes for {len(found) - _NOTHINGS_TOLD} more that were picked.")
    return told
