"""The journal of a run, as the one writes it who carries the run out.

Everything that decides about steps is read from here. Only the newest holder of a run may write:
one that was frozen while somebody else took the run up finds that it has been superseded.
"""

from collections.abc import Iterable
from time import monotonic

from django.db import transaction
from django.utils import timezone

from keepsort.server.events.notify import tell
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.statements import beat, update_rows

State = RunStep.State
_TOLD_EVERY = 0.2
#: A step that is in one of these will not change any more.
SETTLED = (State.DONE, State.DIFFERS, State.FAILED, State.CONFLICT, State.SKIPPED)
_FIELDS = {
    "state": "text", "already": "boolean", "wrote": "boolean", "found": "bytea",
    "message": "text", "report": "text", "finished_at": "timestamptz", "tries": "int",
    "entry": "bigint",
}  # fmt: skip


class Superseded(Exception):
    """Somebody else carries the run out by now."""


class Journal:
    """The lines of one run.

    cancelled: whether a person has asked for the end of the run, as of the last write.
    """

    def __init__(self, run: Run) -> None:
        self.run = run
        self.lines = {line.number: line for line in run.steps.all()}
        self.cancelled = run.cancel_asked
        self._told = 0.0

    def note(self, line: RunStep, state: State, message: str = "") -> RunStep:
        """Change a line, without writing it yet."""
        line.state, line.message = state, message
        line.finished_at = timezone.now() if state in SETTLED else None
        return line

    def write(self, lines: Iterable[RunStep] = ()) -> None:
        """Write lines in one statement, and hear whether the run was cancelled.

        Raises `Superseded`, and writes nothing then.
        """
        lines = list(lines)
        with transaction.atomic():
            told = beat(Run, self.run.pk, self.run.lease)
            if told is None:
                raise Superseded
            self.cancelled = self.run.cancel_asked = told[0]
            if lines:
                for line in lines:
                    line.entry = told[1]
                update_rows(RunStep, _FIELDS, lines)
        if monotonic() - self._told > _TOLD_EVERY:
            self._told = monotonic()
            tell("journal", self.run.pk, self.run.system_id)

    def stopped(self) -> str:
        """Return why no more steps are to be begun; empty where they are."""
        if self.cancelled:
            return "The run was cancelled before this step."
        if self.run.on_failure == Run.OnFailure.STOP:
            for number, line in self.lines.items():
                if line.state in (State.FAILED, State.CONFLICT):
                    return f"The run stopped when step {number} was not done."
        return ""

    def doubtful(self) -> list[RunStep]:
        """Return the lines whose steps may have been written, or not."""
        return [line for line in self.lines.values() if line.state == State.IN_DOUBT]
