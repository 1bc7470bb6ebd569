"""Runs: started, carried out by whoever takes them up, cancelled, and looked after when finished.

A run is carried out by one process at a time, which holds the lock of the run's system. What it
does stands in the journal before it does it, so that another process can go on at any moment.
"""

from collections.abc import Mapping
from datetime import timedelta
from time import sleep
from types import MappingProxyType

from django.db import IntegrityError, transaction
from django.db.models import Q, QuerySet
from django.utils import timezone
from structlog.contextvars import bound_contextvars

from keepsort.connectors.errors import ConnectorError, Unreachable
from keepsort.server.accounts.models import User
from keepsort.server.events.notify import tell
from keepsort.server.locks import Space, alone, holders, unheld
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.problems import Problem
from keepsort.server.restores import ending
from keepsort.server.restores.carrying import Away, Carrier
from keepsort.server.restores.journal import Journal, State, Superseded
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import open_plan
from keepsort.server.systems.models import System
from keepsort.server.systems.services import opened
from keepsort.server.systems.vault import Vault

#: How often a run is taken up again whose process ended in the middle of it.
_ATTEMPTS = 5
_FIRST_DELAY, _LONGEST_DELAY = 3.0, 60.0
_NO_ANSWERS: Mapping[str, str] = MappingProxyType({})


class Busy(Problem):
    """Another process has something to do on the system right now."""

    def __init__(self, system: System) -> None:
        super().__init__(f"A run on {system} is being carried out right now.", "Wait for it.", 409)


def start(
    record: PlanRecord,
    confirmed: list[str],
    by: User | None,
    on_failure: str = Run.OnFailure.STOP,
    answers: Mapping[str, str] = _NO_ANSWERS,
    wait_minutes: int = 10,
) -> Run:
    """Write a run down, ready to be carried out. Raises `Problem` if the plan must not run.

    answers: secrets that findings ask for, by the names of the findings.
    wait_minutes: how long the run waits for its system, where that does not answer.
    """
    plan = open_plan(record)
    stops = [f for f in plan.findings if f.level == "stop"]
    if stops:
        raise Problem(
            f"The plan cannot run: {stops[0].text}",
            "Change what is picked, and preview again.", 409,
        )  # fmt: skip
    wanting = [f for f in plan.findings if f.level == "confirm" and f.name not in confirmed]
    if wanting:
        names = ", ".join(f.name for f in wanting)
        raise Problem(f"To be confirmed first: {wanting[0].text}", f"Confirm: {names}.", 409)
    asked = [f for f in plan.findings if f.level == "ask"]
    unanswered = [f for f in asked if not answers.get(f.name)]
    if unanswered:
        names = ", ".join(f.name for f in unanswered)
        raise Problem(f"To be given first: {unanswered[0].text}", f"Answer: {names}.", 409)
    if not plan.steps:
        raise Problem("The plan has no steps: live is already as picked.", "", 409)
    try:
        with transaction.atomic():
            PlanRecord.objects.select_for_update(of=("self",)).get(pk=record.pk)
            if record.runs.filter(state=Run.State.FINISHED).exists():
                raise Problem("This plan has been run already.", "Preview again.", 409)
            run = Run.objects.create(
                system=record.system, plan=record, by=by, confirmed=confirmed,
                on_failure=on_failure, wait_minutes=wait_minutes,
            )  # fmt: skip
            for finding in asked:
                Vault(record.system).keep(finding.digest, answers[finding.name].encode())
            RunStep.objects.bulk_create(RunStep(run=run, number=s.number) for s in plan.steps)
    except IntegrityError:
        other = Run.objects.filter(system=record.system).exclude(state=Run.State.FINISHED).first()
        number = other.pk if other else "another"
        raise Problem(
            f"Run {number} on {record.system} has not finished.",
            "Wait for it, cancel it, or, if it was interrupted, resume it.", 409,
        ) from None  # fmt: skip
    log.info("run started", run=run.pk, system=run.system_id, steps=len(plan.steps))
    tell("run", run.pk, run.system_id)
    return run


def is_interrupted(run: Run) -> bool:
    """Tell whether a run was begun, and nobody carries it out any more or waits to do so."""
    if run.state != Run.State.RUNNING or run.retry_at is not None:
        return False
    return run.system_id not in holders(Space.RUNS_ON_SYSTEM)


def unattended() -> list[Run]:
    """Return runs that somebody should take up now.

    That is runs that nobody carries out, and finished ones of which something is left to do.
    Whoever carries one out and was not heard of for the time of a lease is parted from it.
    """
    due = _to_do().filter(Q(retry_at=None) | Q(retry_at__lte=timezone.now()))
    return unheld(Space.RUNS_ON_SYSTEM, due, lambda run: run.system_id)


def _to_do() -> QuerySet[Run]:
    left = Q(standing__isnull=False) | Q(steps__state=State.IN_DOUBT)
    return Run.objects.filter(~Q(state=Run.State.FINISHED) | left).distinct()


def carry_out(run_id: int) -> Run:
    """Carry out a run, or go on with one that was interrupted, or do what is left of it.

    A run that waits for its system is given back unfinished; `retry_at` says when to try again.
    Raises `Busy` if another process is at it.
    """
    run = Run.objects.select_related("system", "plan", "plan__look").get(pk=run_id)
    with bound_contextvars(run=run.pk), alone(Space.RUNS_ON_SYSTEM, run.system_id) as held:
        if not held:
            raise Busy(run.system)
        run.refresh_from_db(from_queryset=Run.objects.select_related("plan", "system"))
        if run.state == Run.State.FINISHED:
            _look_after(run)
            return run
        _take_up(run)
        ended = False
        try:
            ended = _carry_out(run)
        except Superseded:
            log.warning("run is carried out by another process by now")
            run.refresh_from_db()
        except DATABASE_AWAY:
            raise  # the database is away; whoever finds the run takes it up
        except Exception as error:
            log.error("run failed in a way nobody foresaw", error=error)
            _end_unforeseen(run, error)
    if ended:  # what became of it is known by now, and the next run may begin
        ending.look_at_live(run)
    return run


def carry_through(run_id: int) -> Run:
    """Carry out a run to its end, waiting for its system as long as the run does.

    Raises `Busy` if another process is at it.
    """
    while True:
        run = carry_out(run_id)
        if run.state == Run.State.FINISHED:
            return run
        wait = (run.retry_at - timezone.now()).total_seconds() if run.retry_at else 0.0
        sleep(max(wait, 0.1))


def _take_up(run: Run) -> None:
    """Note that this process carries the run out from now on."""
    run.state = Run.State.RUNNING
    run.retry_at, run.alive_at = None, timezone.now()
    run.lease, run.attempts = run.lease + 1, run.attempts + 1
    run.save(update_fields=["state", "retry_at", "alive_at", "lease", "attempts"])
    tell("run", run.pk, run.system_id)


def _carry_out(run: Run) -> bool:
    """Take a run as far as it goes now; tell whether that was to its end, step by step."""
    journal = Journal(run)
    if run.attempts > _ATTEMPTS:
        text = f"What carries it out has ended {_ATTEMPTS} times in the middle of it."
        _give_up(run, journal, text)
        return False
    done, tried_again = _done_count(journal), False
    while True:
        try:
            with opened(run.system, run.plan.chosen) as connector:
                carrier = Carrier(journal, connector)
                carrier.settle()
                _awake(run)
                carrier.go()
                run.waits_since = None
                try:
                    ending.put_in_order(run, connector)
                except ConnectorError as error:
                    run.message = str(error)
            break
        except Away as away:
            now = _done_count(journal)
            if now > done:
                Run.objects.filter(pk=run.pk).update(waits_since=None)
            elif tried_again:
                _wait(run, journal, str(away))
                return False
            done, tried_again = now, True  # a connection broke: a new one may do
        except ConnectorError as error:
            begun = any(line.tries for line in journal.lines.values()) or run.standing is not None
            if begun or isinstance(error, Unreachable):
                _wait(run, journal, str(error))
            else:
                run.message = str(error)
                ending.skip_rest(journal, "The system could not be reached.")
                ending.finish(run)
            return False
    run.attempts = 0
    ending.finish(run)
    return True


def _done_count(journal: Journal) -> int:
    return sum(line.state == State.DONE for line in journal.lines.values())


def _awake(run: Run) -> None:
    if run.waits:
        run.waits = ""
        run.save(update_fields=["waits"])
        tell("run", run.pk, run.system_id)


def _wait(run: Run, journal: Journal, why: str) -> None:
    """Give a run back until its system answers, or end it where it has waited long enough."""
    now = timezone.now()
    run.refresh_from_db(fields=["cancel_asked", "wait_minutes", "waits_since"])
    since = run.waits_since or now
    until = since + timedelta(minutes=run.wait_minutes)
    over = now >= until
    if over or (run.cancel_asked and not journal.doubtful()):
        _give_up(run, journal, why)
        return
    delay = min(_FIRST_DELAY + (now - since).total_seconds() / 2, _LONGEST_DELAY)
    run.retry_at = min(now + timedelta(seconds=delay), until)
    run.waits, run.waits_since, run.attempts = why, since, 0
    run.save(update_fields=["retry_at", "waits", "waits_since", "attempts"])
    log.info("run waits for its system", until=until.isoformat())
    tell("run", run.pk, run.system_id)


def _give_up(run: Run, journal: Journal, why: str) -> None:
    """End a run without asking its system any more; what is not known of it is told as such."""
    run.message = why
    skipped = "The run was cancelled before this step." if run.cancel_asked else why
    ending.skip_rest(journal, skipped)
    journal.write(journal.note(line, State.IN_DOUBT, _DOUBT) for line in journal.doubtful())
    ending.finish(run)


_DOUBT = (
    "Whether this step was done is not known: the system did not answer any more. It is looked at "
    "as soon as the system answers; undo and preview look first too."
)


def _end_unforeseen(run: Run, error: Exception) -> None:
    """End a run that met with an error nobody reckoned with."""
    journal = Journal(run)
    try:
        with opened(run.system, run.plan.chosen) as connector:
            Carrier(journal, connector).settle()
            ending.put_in_order(run, connector)
    except DATABASE_AWAY:
        raise
    except Exception as again:  # the same error, most likely; what is in doubt stays so
        log.error("what became of its steps could not be seen", error=again)
    where = f"the log tells where, by the number {run.pk} of the run"
    run.message = f"It ended with an error that nobody foresaw ({type(error).__name__}); {where}."
    ending.skip_rest(journal, "The run ended with an error before this step.")
    run.attempts = 0
    ending.finish(run)


def _look_after(run: Run) -> None:
    """Do what is left of a finished run: see what became of its steps, put its system in order."""
    journal = Journal(run)
    doubtful = journal.doubtful()
    if run.standing is None and not doubtful:
        return
    try:
        with opened(run.system, run.plan.chosen) as connector:
            if doubtful:
                Carrier(journal, connector).settle()
                again = [line for line in journal.lines.values() if line.state == State.WAITING]
                text = "It was not written: the system had gone away before."
                journal.write(journal.note(line, State.FAILED, text) for line in again)
                run.outcome = ending.outcome_of(run)
            ending.put_in_order(run, connector)
            run.retry_at = None
            ending.look_at_live(run)
    except (ConnectorError, Away, Superseded):
        run.retry_at = timezone.now() + timedelta(seconds=_LONGEST_DELAY / 4)
    except DATABASE_AWAY:
        raise
    except Exception as error:
        log.error("what is left of a run could not be done", error=error)
        run.retry_at = timezone.now() + timedelta(minutes=10)
    run.save(update_fields=["outcome", "retry_at"])
    tell("run", run.pk, run.system_id)


def cancel(run: Run) -> Run:
    """Ask for the end of a run before its next step; one that nobody has taken up ends at once.

    What was begun is looked at first, so that nothing is told as skipped that was written.
    """
    with transaction.atomic():
        found = Run.objects.select_for_update(of=("self",)).get(pk=run.pk)
        if found.state == Run.State.FINISHED:
            return found
        found.cancel_asked = True
        found.retry_at = None
        found.save(update_fields=["cancel_asked", "retry_at"])
        if found.state == Run.State.WAITING:
            ending.skip_rest(Journal(found), "The run was cancelled before this step.")
            ending.finish(found)
    tell("run", found.pk, found.system_id)
    return found


def change_wait(run: Run, minutes: int) -> Run:
    """Change how long a run waits for its system, counted from when it began to wait."""
    Run.objects.filter(pk=run.pk).exclude(state=Run.State.FINISHED).update(
        wait_minutes=minutes, retry_at=None
    )
    run.refresh_from_db()
    tell("run", run.pk, run.system_id)
    return run
