"""Carries out the steps of a run through a connector, window by window.

A window is some steps of which none needs another, unless they happen together. All of it is
written down as in doubt before the system is called; then each group is asked for, all are read
back at once, and the outcomes written. It grows while it takes no time worth mentioning, so that
after a crash there is never more in doubt than can be settled quickly.
"""

from collections.abc import Iterator, Sequence
from time import monotonic

from keepsort.connectors.applying import carry_out, grouped, look_ahead, read
from keepsort.connectors.base import Connector, Finishing, Preparing, Waiting
from keepsort.connectors.errors import Conflict, ConnectorError, Unreachable
from keepsort.core.compare.values import differing_names
from keepsort.core.model import ConfigObject, Path, Schema
from keepsort.core.plan import Step, taken_place, threaded
from keepsort.core.plan.rehearsal import holds, is_done
from keepsort.server.logs import log
from keepsort.server.restores.journal import Journal, State
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.restores.previewing import encode_object, open_plan
from keepsort.server.systems.services import opened, remember_successor

_QUICK_SECONDS = 0.25
_LONGEST_SECONDS = 1.0
_LARGEST = 128
#: What is read at once to settle steps.
_READ = 200
#: How often a step is begun that nobody comes back from.
_TRIES = 3


class Away(Exception):
    """The system does not let itself be asked now, so what became of steps cannot be known."""

    def __init__(self, error: ConnectorError) -> None:
        super().__init__(str(error))


class Carrier:
    """Takes a run from where its journal stands to its last step."""

    def __init__(self, journal: Journal, connector: Connector) -> None:
        self.run = journal.run
        self.journal = journal
        self.connector = connector
        self.described = connector.describe()
        self.schema: Schema = self.described.schema
        self.steps = open_plan(self.run.plan).steps
        self._size = 1
        if isinstance(connector, Waiting):
            connector.tell = self._waits

    def settle(self) -> None:
        """Look what became of the steps in doubt: done, to be done again, or neither."""
        self._settled([s for s in self.steps if self._line(s).state == State.IN_DOUBT])

    def go(self) -> None:
        """Carry out what is still to do. Steps in doubt must have been settled."""
        self._begin()
        groups = grouped(self.connector, self.steps)
        at = 0
        while at < len(groups):
            start = at
            window, at = self._window(groups, at)
            if window:
                began = monotonic()
                if not self._carry_out(window):
                    at = start  # some of it was not begun
                quick = monotonic() - began < _QUICK_SECONDS
                self._size = min(self._size * 2, _LARGEST) if quick else max(self._size // 2, 1)

    def _line(self, step: Step) -> RunStep:
        return self.journal.lines[step.number]

    def _begin(self) -> None:
        preparing = self.connector if isinstance(self.connector, Preparing) else None
        if preparing is None and not isinstance(self.connector, Finishing):
            return
        if self.run.standing is None:
            if not any(line.state == State.WAITING for line in self.journal.lines.values()):
                return
            self.run.standing = preparing.standing(self.steps) if preparing is not None else {}
            self.run.save(update_fields=["standing"])
        if preparing is not None:
            preparing.begin(self.run.standing)

    def _window(self, groups: list[list[Step]], at: int) -> tuple[list[list[Step]], int]:
        """Return the next groups to carry out, and where those after them begin."""
        stopped = self.journal.stopped()
        window: list[list[Step]] = []
        numbers: set[int] = set()
        places: set[Path] = set()
        skipped: list[RunStep] = []
        while at < len(groups) and len(window) < self._size:
            todo = [step for step in groups[at] if self._line(step).state == State.WAITING]
            touched = {place for step in todo for place in self._places(step)}
            needed = {need for step in todo for need in step.needs}
            if window and (needed & numbers or touched & places):
                break
            at += 1
            ready = []
            for step in todo:
                reason = self._reason_to_skip(step, groups[at - 1], stopped)
                if reason:
                    skipped.append(self.journal.note(self._line(step), State.SKIPPED, reason))
                else:
                    ready.append(step)
            if ready:
                window.append(ready)
                numbers |= {step.number for step in ready}
                places |= touched
            if any(step.action == "move" for step in ready):
                break  # all beneath it has other places afterwards
        if skipped:
            self.journal.write(skipped)
        return window, at

    def _places(self, step: Step) -> Iterator[Path]:
        keys = self.schema.names.keys
        yield keys(step.path)
        if step.to is not None:
            yield keys(step.to)

    def _reason_to_skip(self, step: Step, group: Sequence[Step], stopped: str) -> str:
        own = {s.number for s in group}
        lines = self.journal.lines
        lacking = [n for n in step.needs if n not in own and lines[n].state != State.DONE]
        if lacking and not self.journal.cancelled:
            return f"It needs step {lacking[0]}, which was not done."
        return stopped

    def _carry_out(self, window: list[list[Step]]) -> bool:
        """Carry out groups of steps, each of which happens together; tell whether all were begun.

        Raises `Away` if the system goes away meanwhile.
        """
        steps = [step for group in window for step in group]
        for step in steps:
            line = self.journal.note(self._line(step), State.IN_DOUBT)
            line.wrote = True
            line.tries += 1
        self.journal.write(self._line(step) for step in steps)
        until = monotonic() + _LONGEST_SECONDS
        asked: list[Step] = []
        failed: list[tuple[list[Step], ConnectorError]] = []
        gone: Unreachable | None = None
        begun = 0
        sight = look_ahead(self.connector, self.described, steps)
        for group in window:
            late = monotonic() > until
            if begun and (late or (failed and self.run.on_failure == Run.OnFailure.STOP)):
                break
            begun += 1
            try:
                outcomes = carry_out(self.connector, self.described, group, sight)
                for step, outcome in zip(group, outcomes, strict=True):
                    line = self._line(step)
                    line.already, line.wrote = outcome.already, not outcome.already
                    line.report = outcome.report
                asked += group
            except Unreachable as error:
                gone = error
                break
            except ConnectorError as error:
                failed.append((group, error))
        told = [self._line(step) for group in window[begun:] for step in group]
        for line in told:  # the system was not asked for these yet
            self.journal.note(line, State.WAITING).wrote = False
            line.tries -= 1
        if gone is None:
            try:
                told += self._verified(asked)
            except Unreachable as error:
                gone = error
            except ConnectorError as error:
                failed.append((asked, error))
        self.journal.write(told)
        for group, why in failed:
            self._settled(group, why)
        if gone is not None:
            raise Away(gone)
        return begun == len(window)

    def _verified(self, steps: list[Step]) -> list[RunStep]:
        """Read back what was written; return the lines that say what came of it."""
        threads = threaded(self.schema, steps)
        wholes = [thread.whole for thread in threads]
        found_there = read(self.connector, [one.final_path for one in wholes]) if steps else []
        told = []
        for thread, found in zip(threads, found_there, strict=True):
            done = is_done(self.schema, thread.whole, found)
            for step in (steps[at] for at in thread.places):
                line = self._line(step)
                if done:
                    told.append(self._done(step, found))
                elif line.already:
                    told.append(self.journal.note(line, State.CONFLICT, _CHANGED_AGAIN))
                else:
                    told.append(self._differs(line, thread.whole, found))
        return told

    def _done(self, step: Step, found: ConfigObject | None) -> RunStep:
        was = step.identity if step.action == "create" else step.stands_for
        if was and found is not None and found.identity:
            remember_successor(self.run.system, was, found.identity)
        return self.journal.note(self._line(step), State.DONE)

    def _settled(self, steps: list[Step], error: ConnectorError | None = None) -> None:
        """Look at live to tell what became of steps that are in doubt.

        error: what the call that was to carry them out met with; None where nobody knows. In a
            conflict the system was asked for nothing, or, in a move, perhaps for a part.
        Raises `Away` if live cannot be looked at; the steps stay in doubt.
        """
        if not steps:
            return
        told: list[RunStep] = []
        try:
            with opened(self.run.system, self.run.plan.chosen) as again:
                threads = threaded(self.schema, steps)
                for start in range(0, len(threads), _READ):
                    some = threads[start : start + _READ]
                    here = read(again, [thread.whole.path for thread in some])
                    there = read(again, [thread.whole.final_path for thread in some])
                    for thread, one, other in zip(some, here, there, strict=True):
                        for step in (steps[at] for at in thread.places):
                            told.append(self._outcome(step, thread.whole, one, other, error))
        except ConnectorError as gone:
            for step in steps:
                if isinstance(error, Conflict) and step.action != "move":
                    line = self.journal.note(self._line(step), State.CONFLICT, str(error))
                    line.wrote = False
                    told.append(line)
            self.journal.write(told)
            if any(self._line(step).state == State.IN_DOUBT for step in steps):
                raise Away(gone) from gone
            return
        self.journal.write(told)
        for line in told:
            if line.state not in (State.DONE, State.WAITING):
                log.warning("step not done", step=line.number, state=str(line.state))

    def _outcome(
        self,
        step: Step,
        whole: Step,
        here: ConfigObject | None,
        there: ConfigObject | None,
        error: ConnectorError | None,
    ) -> RunStep:
        """Tell what became of a step by what stands where it began and where it ends.

        whole: what all steps of the object that happen together make of it; mostly the step.
        """
        line = self._line(step)
        conflict = isinstance(error, Conflict)
        asked = not conflict or step.action == "move"
        took = taken_place(self.schema, whole, here, there)
        if is_done(self.schema, whole, there):
            line.already, line.wrote = not asked, asked
            return self._done(step, there)
        if error is None:
            if not took and holds(self.schema, whole, here):
                line.wrote = False
                if line.tries >= _TRIES:
                    return self.journal.note(line, State.FAILED, _BROKE_OFF)
                return self.journal.note(line, State.WAITING)
            line.found, line.wrote = encode_object(there), bool(took)
            return self.journal.note(line, State.CONFLICT, _NOT_KNOWN)
        if took and not conflict:
            return self._differs(line, whole, there, str(error))
        line.wrote = asked and bool(took)
        return self.journal.note(line, State.CONFLICT if conflict else State.FAILED, str(error))

    def _differs(
        self, line: RunStep, step: Step, found: ConfigObject | None, why: str = ""
    ) -> RunStep:
        """Note that live is neither as before the step nor as after it, and how."""
        line.found = encode_object(found)
        text = "It was written, but reads back differently"
        if found is None:
            text += ": there is nothing in its place."
        elif step.after is not None:
            names = differing_names(self.schema, found.kind, step.after, found.attributes)
            kind = ["kind"] if found.kind != step.kind else []
            text += f" in {', '.join([*kind, *names])}." if kind or names else "."
        return self.journal.note(line, State.DIFFERS, f"{why} {text}".strip())

    def _waits(self, text: str) -> None:
        self.run.waits = text
        self.run.save(update_fields=["waits"])
        self.journal.write()


_BROKE_OFF = (
    f"It was tried {_TRIES} times, and each time the connection, or what carried the step out, "
    "ended in it. It was not written."
)
_CHANGED_AGAIN = "It was found done, and somebody has changed it right afterwards."
_NOT_KNOWN = (
    "The run was interrupted in this step. Live is neither as before it nor as after it, so "
    "whether the step was written is not known."
)
