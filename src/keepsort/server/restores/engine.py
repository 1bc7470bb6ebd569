"""Carries plans out, step by step, with a journal that survives a crash.

A step is written down as in doubt before the system is called. What is found in doubt later is
simply applied again: the connector reads the live object first, and tells what is already done
from what is still to do and from what somebody else has changed.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from types import MappingProxyType

from django.db import connection, transaction
from django.utils import timezone

from keepsort.connectors.base import Connector, Grouping, Outcome, Preparing, Waiting
from keepsort.connectors.errors import Conflict, ConnectorError
from keepsort.core.compare.values import differing_names
from keepsort.core.model import ConfigObject, Schema
from keepsort.core.plan import Step, is_implied, taken_place
from keepsort.core.plan.rehearsal import is_done
from keepsort.server.accounts.models import User
from keepsort.server.events.notify import tell
from keepsort.server.problems import Problem
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import encode_object, open_plan
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.models import System
from keepsort.server.systems.services import opened, remember_successor
from keepsort.server.systems.vault import Vault

_LOCK_SPACE = 0x4B53
_NOTHINGS_TOLD = 20
_State = RunStep.State
_NO_ANSWERS: Mapping[str, str] = MappingProxyType({})


def start(
    record: PlanRecord,
    confirmed: list[str],
    by: User | None,
    on_failure: str = Run.OnFailure.STOP,
    answers: Mapping[str, str] = _NO_ANSWERS,
) -> Run:
    """Write a run down, ready to be carried out. Raises `Problem` if the plan must not run.

    answers: secrets that findings ask for, by the names of the findings.
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
        for finding in asked:
            Vault(record.system).keep(finding.digest, answers[finding.name].encode())
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
        if isinstance(connector, Waiting):
            connector.tell = self._waits

    def go(self) -> None:
        """Carry out the steps in order, the system made ready before and put back afterwards."""
        steps = open_plan(self.run.plan).steps
        self._begin(steps)
        stopped = ""
        for group in self._groups(steps):
            waiting = [
                step
                for step in group
                if self.lines[step.number].state in (_State.WAITING, _State.IN_DOUBT)
            ]
            self.run.refresh_from_db(fields=["cancel_asked"])
            if self.run.cancel_asked:
                stopped = "The run was cancelled before this step."
            ready = [step for step in waiting if not self._skipped(step, group, stopped)]
            self._carry_out(ready)
            # what was written and reads back differently keeps only what needs it from being done
            well = (_State.DONE, _State.DIFFERS)
            failed = [s for s in ready if self.lines[s.number].state not in well]
            if failed and self.run.on_failure == Run.OnFailure.STOP:
                stopped = stopped or f"The run stopped when step {failed[0].number} was not done."
        end(self.run, self.connector)
        self._look_at_implied(steps)

    def _begin(self, steps: Sequence[Step]) -> None:
        if not isinstance(self.connector, Preparing):
            return
        if self.run.standing is None:
            self.run.standing = self.connector.standing(steps)
            self.run.save(update_fields=["standing"])
        self.connector.begin(self.run.standing)

    def _groups(self, steps: Sequence[Step]) -> list[list[Step]]:
        if isinstance(self.connector, Grouping):
            return self.connector.groups(steps)
        return [[step] for step in steps]

    def _skipped(self, step: Step, group: list[Step], stopped: str) -> bool:
        own = {s.number for s in group}
        lacking = [n for n in step.needs if n not in own and self.lines[n].state != _State.DONE]
        if not stopped and not lacking:
            return False
        needed = f"It needs step {lacking[0]}, which was not done." if lacking else ""
        reason = stopped if self.run.cancel_asked else needed or stopped
        self._write(_State.SKIPPED, self.lines[step.number], message=reason)
        return True

    def _carry_out(self, steps: list[Step]) -> None:
        """Carry out steps that happen together; those that only imply others are done as such."""
        implied = [step for step in steps if is_implied(self.schema, step)]
        self._write(_State.DONE, *(self.lines[step.number] for step in implied))
        steps = [s for s in steps if s not in implied]
        if not steps:
            return
        lines = [self.lines[step.number] for step in steps]
        # what was begun before a crash and is found done was done by this run, and its to undo
        begun = {line.number for line in lines if line.state == _State.IN_DOUBT}
        for line in lines:
            line.wrote = True
        self._write(_State.IN_DOUBT, *lines)
        try:
            for line, outcome in zip(lines, self._applied(steps), strict=True):
                line.already = outcome.already and line.number not in begun
                line.wrote = not line.already
                line.report = outcome.report
            self._verify(steps)
        except ConnectorError as error:
            self._settle(steps, error, begun)

    def _look_at_implied(self, steps: Sequence[Step]) -> None:
        """Tell those steps as skipped that were to come with others which were not done."""
        implied = [s for s in steps if is_implied(self.schema, s)]
        if not implied or all(line.state == _State.DONE for line in self.lines.values()):
            return
        lines = [self.lines[step.number] for step in implied]
        found = self.connector.read([step.path for step in implied])
        for step, line, now in zip(implied, lines, found, strict=True):
            if line.state == _State.DONE and (now is None) != (step.after is None):
                self._write(
                    _State.SKIPPED, line, message="What it would have come with was not done."
                )

    def _applied(self, steps: list[Step]) -> list[Outcome]:
        if isinstance(self.connector, Grouping):
            return self.connector.apply_group(steps)
        return [self.connector.apply(step) for step in steps]

    def _verify(self, steps: list[Step]) -> None:
        """Read back what was written."""
        read = self.connector.read([step.final_path for step in steps])
        done = []
        for step, found in zip(steps, read, strict=True):
            if is_done(self.schema, step, found):
                was = step.identity if step.action == "create" else step.stands_for
                if was and found is not None and found.identity:
                    remember_successor(self.run.system, was, found.identity)
                done.append(self.lines[step.number])
            else:
                self._differs(step, found)
        self._write(_State.DONE, *done)

    def _settle(self, steps: list[Step], error: ConnectorError, begun: set[int]) -> None:
        """A call failed: only live tells what became of each step.

        In a conflict the system was asked for nothing, unless the step had been begun before.
        """
        state = _State.CONFLICT if isinstance(error, Conflict) else _State.FAILED
        try:
            with opened(self.run.system) as again:
                here = again.read([step.path for step in steps])
                there = again.read([step.final_path for step in steps])
        except ConnectorError:
            text = f"{error} Whether this step was done is not known; undo and preview look first."
            self._write(state, *(self.lines[step.number] for step in steps), message=text)
            return
        for step, one, other in zip(steps, here, there, strict=True):
            line = self.lines[step.number]
            took = taken_place(self.schema, step, one, other)
            asked = state != _State.CONFLICT or step.action == "move" or step.number in begun
            if is_done(self.schema, step, other):
                line.already, line.wrote = not asked, asked
                self._write(_State.DONE, line)
            elif took and state != _State.CONFLICT:
                self._differs(step, other, str(error))
            else:
                line.wrote = asked and bool(took)
                self._write(state, line, message=str(error))

    def _differs(self, step: Step, found: ConfigObject | None, why: str = "") -> None:
        """Note that live is neither as before the step nor as after it, and how."""
        line = self.lines[step.number]
        line.found = encode_object(found)
        text = "It was written, but reads back differently"
        if found is None:
            text += ": there is nothing in its place."
        elif step.after is not None:
            names = differing_names(self.schema, found.kind, step.after, found.attributes)
            kind = ["kind"] if found.kind != step.kind else []
            text += f" in {', '.join([*kind, *names])}." if kind or names else "."
        self._write(_State.DIFFERS, line, message=f"{why} {text}".strip())

    def _waits(self, text: str) -> None:
        self.run.message = text
        self.run.save(update_fields=["message"])
        tell("run", self.run.pk, self.run.system_id)

    def _write(self, state: RunStep.State, *lines: RunStep, message: str = "") -> None:
        """Write lines of the journal; those that say the same, as nearly all do, in one go."""
        if not lines:
            return
        finished = None if state == _State.IN_DOUBT else timezone.now()
        alike: dict[tuple[bool, bool, bytes | None, str], list[int]] = {}
        for line in lines:
            line.state, line.message, line.finished_at = state, message, finished
            found = bytes(line.found) if line.found is not None else None
            alike.setdefault((line.already, line.wrote, found, line.report), []).append(line.pk)
        with transaction.atomic():
            for (already, wrote, found, report), keys in alike.items():
                RunStep.objects.filter(pk__in=keys).update(
                    state=state, already=already, wrote=wrote, found=found, report=report,
                    message=message, finished_at=finished,
                )  # fmt: skip
        tell("run", self.run.pk, self.run.system_id)


def end(run: Run, connector: Connector) -> None:
    """Put back what a run has altered in its system for its own sake, if that is still to do."""
    if run.standing is None or not isinstance(connector, Preparing):
        return
    done = set(run.steps.filter(wrote=True).values_list("number", flat=True))
    steps = [step for step in open_plan(run.plan).steps if step.number in done]
    ending = connector.end(run.standing, steps)
    run.report = [*run.report, *ending.report]
    run.message = ending.failed
    run.standing = None
    run.save(update_fields=["report", "message", "standing"])


def put_back(run: Run) -> None:
    """Put back what a finished run could not, as its system was not there any more."""
    with _alone_on(run.system_id) as held:
        if held:
            with opened(run.system) as connector:
                end(run, connector)


def _finish(run: Run) -> None:
    """Sum a run up, and look at what live is now."""
    states = list(run.steps.values_list("state", flat=True))
    done = states.count(_State.DONE) + states.count(_State.DIFFERS)
    if states.count(_State.DONE) == len(states):
        wrote = run.steps.filter(wrote=True).exists()
        run.outcome = "partial" if run.message else "verified" if wrote else "unchanged"
    elif run.cancel_asked:
        run.outcome = "cancelled"
    else:
        run.outcome = "partial" if done else "failed"
    if not run.message:
        trouble = [_State.FAILED, _State.CONFLICT, _State.DIFFERS]
        first = run.steps.filter(state__in=trouble).first()
        run.message = first.message if first else ""
    run.report = [*run.report, *_came_to_nothing(run)]
    try:
        run.after = take(run.system, Record.Kind.LOOK, by=run.by)
    except ConnectorError as error:
        run.message = run.message or str(error)
    run.state = Run.State.FINISHED
    run.finished_at = timezone.now()
    run.save()
    tell("run", run.pk, run.system_id)


def _came_to_nothing(run: Run) -> list[str]:
    """Return what was picked and needed no writing, each with the reason."""
    write = open_snapshot(run.plan.look).schema.notation.write
    codes = ("nothing-to-do", "same", "nothing-extra", "kept")
    found = [f for f in open_plan(run.plan).findings if f.code in codes]
    told = [f"{write(f.path)}: {f.text}" for f in found[:_NOTHINGS_TOLD]]
    if len(found) > _NOTHINGS_TOLD:
        told.append(f"The same goes for {len(found) - _NOTHINGS_TOLD} more that were picked.")
    return told
