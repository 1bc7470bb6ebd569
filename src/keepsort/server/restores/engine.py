"""Carries plans out, step by step, with a journal that survives a crash.

A step is written down as in doubt before the system is called. What is found in doubt later is
simply applied again: the connector reads the live object first, and tells what is already done
from what is still to do and from what somebody else has changed.
"""

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection, transaction
from django.utils import timezone

from keepsort.connectors.base import Connector
from keepsort.connectors.errors import Conflict, ConnectorError, Unreachable
from keepsort.core.model import Schema
from keepsort.core.plan import Step
from keepsort.core.plan.rehearsal import is_done
from keepsort.server.accounts.models import User
from keepsort.server.events.notify import tell
from keepsort.server.problems import Problem
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import open_plan
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.systems.models import System
from keepsort.server.systems.services import opened, remember_successor

_LOCK_SPACE = 0x4B53
_State = RunStep.State


def start(
    record: PlanRecord, confirmed: list[str], by: User | None, on_failure: str = Run.OnFailure.STOP
) -> Run:
    """Write a run down, ready to be carried out. Raises `Problem` if the plan must not run."""
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
    if not plan.steps:
        raise Problem("The plan has no steps: live is already as picked.", "", 409)
    with transaction.atomic():
        System.objects.select_for_update().get(pk=record.system_id)
        other = Run.objects.filter(system=record.system).exclude(state=Run.State.FINISHED).first()
        if other is not None:
            raise Problem(
                f"Run {other.pk} on {record.system} has not finished.",
                "Wait for it, cancel it, or, if it was interrupted, resume it.", 409,
            )  # fmt: skip
        if record.runs.exists():
            raise Problem("This plan has been run already.", "Preview again.", 409)
        run = Run.objects.create(
            system=record.system, plan=record, by=by, confirmed=confirmed, on_failure=on_failure
        )
        RunStep.objects.bulk_create(RunStep(run=run, number=s.number) for s in plan.steps)
    tell("run", run.pk, run.system_id)
    return run


@contextmanager
def _alone_on(system_id: int) -> Iterator[bool]:
    """Hold the lock of a system; it is let go when this process ends, however it ends."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_lock(%s, %s)", [_LOCK_SPACE, system_id])
        row = cursor.fetchone()
    held = bool(row and row[0])
    try:
        yield held
    finally:
        if held:
            with connection.cursor() as cursor:
                cursor.execute("select pg_advisory_unlock(%s, %s)", [_LOCK_SPACE, system_id])


def is_interrupted(run: Run) -> bool:
    """Tell whether a run was begun and nobody is carrying it out any more."""
    if run.state != Run.State.RUNNING:
        return False
    with _alone_on(run.system_id) as held:
        return held


def carry_out(run_id: int) -> Run:
    """Carry out a run, or go on with one that was interrupted.

    Raises `Problem` if another process is at it.
    """
    run = Run.objects.select_related("system", "plan").get(pk=run_id)
    with _alone_on(run.system_id) as held:
        if not held:
            raise Problem(
                f"A run on {run.system} is being carried out right now.", "Wait for it.", 409
            )
        run.refresh_from_db()
        if run.state == Run.State.FINISHED:
            return run
        run.state = Run.State.RUNNING
        run.save(update_fields=["state"])
        tell("run", run.pk, run.system_id)
        try:
            with opened(run.system) as connector:
                _Carrier(run, connector).go()
        except ConnectorError as error:
            run.message = str(error)
            run.steps.filter(state__in=[_State.WAITING]).update(
                state=_State.SKIPPED, message="The system could not be reached."
            )
        _finish(run)
    return run


class _Carrier:
    def __init__(self, run: Run, connector: Connector) -> None:
        self.run = run
        self.connector = connector
        self.schema: Schema = connector.describe().schema
        self.lines = {line.number: line for line in run.steps.all()}

    def go(self) -> None:
        """Carry out the steps in order."""
        stopped = ""
        for step in open_plan(self.run.plan).steps:
            line = self.lines[step.number]
            if line.state not in (_State.WAITING, _State.IN_DOUBT):
                continue
            self.run.refresh_from_db(fields=["cancel_asked"])
            if self.run.cancel_asked:
                stopped = "The run was cancelled before this step."
            lacking = [n for n in step.needs if self.lines[n].state != _State.DONE]
            if stopped or lacking:
                needed = f"It needs step {lacking[0]}, which was not done." if lacking else ""
                reason = stopped if self.run.cancel_asked else needed or stopped
                self._write(line, _State.SKIPPED, reason)
                continue
            self._step(step, line)
            if line.state != _State.DONE and self.run.on_failure == Run.OnFailure.STOP:
                stopped = f"The run stopped when step {step.number} was not done."

    def _step(self, step: Step, line: RunStep) -> None:
        self._write(line, _State.IN_DOUBT)
        try:
            line.already = self.connector.apply(step) == "already"
            self._verify(step, line)
        except Conflict as conflict:
            self._write(line, _State.CONFLICT, str(conflict))
        except Unreachable as gone:
            self._settle(step, line, gone)
        except ConnectorError as error:
            self._write(line, _State.FAILED, str(error))

    def _verify(self, step: Step, line: RunStep) -> None:
        """Read back what was written."""
        found = self.connector.read([step.final_path])[0]
        if is_done(self.schema, step, found):
            was = step.identity if step.action == "create" else step.stands_for
            if was and found is not None and found.identity:
                remember_successor(self.run.system, was, found.identity)
            self._write(line, _State.DONE)
        else:
            text = "It was written, but reads back differently. Look again to see how."
            self._write(line, _State.FAILED, text)

    def _settle(self, step: Step, line: RunStep, gone: Unreachable) -> None:
        """The system went away in the middle of a step: ask once more what became of it."""
        try:
            with opened(self.run.system) as again:
                self.connector = again
                found = again.read([step.final_path])[0]
        except ConnectorError:
            text = f"{gone} Whether this step was done is not known; undo and preview look first."
            self._write(line, _State.FAILED, text)
            return
        if is_done(self.schema, step, found):
            self._write(line, _State.DONE)
        else:
            self._write(line, _State.FAILED, str(gone))

    def _write(self, line: RunStep, state: RunStep.State, message: str = "") -> None:
        line.state = state
        line.message = message
        line.finished_at = None if state == _State.IN_DOUBT else timezone.now()
        line.save(update_fields=["state", "already", "message", "finished_at"])
        tell("run", self.run.pk, self.run.system_id)


def _finish(run: Run) -> None:
    """Sum a run up, and look at what live is now."""
    states = list(run.steps.values_list("state", flat=True))
    done = states.count(_State.DONE)
    if done == len(states):
        run.outcome = "verified"
    elif run.cancel_asked:
        run.outcome = "cancelled"
    else:
        run.outcome = "partial" if done else "failed"
    if not run.message:
        first = run.steps.filter(state__in=[_State.FAILED, _State.CONFLICT]).first()
        run.message = first.message if first else ""
    try:
        run.after = take(run.system, Record.Kind.LOOK, by=run.by)
    except ConnectorError as error:
        run.message = run.message or str(error)
    run.state = Run.State.FINISHED
    run.finished_at = timezone.now()
    run.save()
    tell("run", run.pk, run.system_id)
