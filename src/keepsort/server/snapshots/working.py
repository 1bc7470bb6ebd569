"""Backups, looks and reading again that somebody asked for, as workers do them.

A worker holds the lock of the work while it is at it; work whose worker has died is begun again, a
few times, and then failed with a word.
"""

from collections.abc import Callable
from time import monotonic
from typing import TypedDict

import msgspec
from django.utils import timezone
from structlog.contextvars import bound_contextvars

from keepsort.connectors.errors import ConnectorError
from keepsort.core.snapshot import Choice
from keepsort.server.accounts.models import User
from keepsort.server.events.notify import tell
from keepsort.server.locks import Space, alone, unheld
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.problems import Problem
from keepsort.server.snapshots.backing_up import back_up
from keepsort.server.snapshots.expecting import expected
from keepsort.server.snapshots.models import Work
from keepsort.server.snapshots.services import Progress, Taken, take, usual_choice
from keepsort.server.snapshots.verifying import verify_system
from keepsort.server.sorting.tallying import tally_ahead

_ATTEMPTS = 3
_TOLD_EVERY = 0.2
OPEN = (Work.State.WAITING, Work.State.RUNNING)


class Cancelled(Exception):
    """A person has ended it."""


def cancel(work: Work) -> None:
    """End work: at once where nobody is at it yet, else as soon as whoever is at it asks."""
    waiting = Work.objects.filter(pk=work.pk, state=Work.State.WAITING)
    if not waiting.update(state=Work.State.CANCELLED, message=_CANCELLED):
        Work.objects.filter(pk=work.pk, state=Work.State.RUNNING).update(cancel_asked=True)
    tell("work", work.pk, work.system_id)


_CANCELLED = "It was cancelled. Nothing was kept."


def do(number: int) -> Work | None:
    """Make a backup or a look; return None where another worker is at it, or it is done."""
    with bound_contextvars(work=number), alone(Space.WORK, number) as held:
        work = Work.objects.select_related("system", "by").filter(pk=number).first()
        if not held or work is None or work.state not in OPEN:
            return None
        if work.attempts >= _ATTEMPTS:
            text = f"What was at it has ended {_ATTEMPTS} times in the middle of it."
            _end(work, Work.State.FAILED, f"{text} Nothing was kept.")
            return work
        work.state, work.attempts = Work.State.RUNNING, work.attempts + 1
        work.alive_at = work.started_at = timezone.now()
        work.objects_seen = 0
        if work.kind != Work.Kind.VERIFY:
            work.expected = expected(work.system, tuple(work.at), _choice(work)).objects
        work.save(
            update_fields=[
                "state", "attempts", "alive_at", "started_at", "objects_seen", "expected",
            ]
        )  # fmt: skip
        tell("work", work.pk, work.system_id)
        _make(work)
        return work


def _choice(work: Work) -> Choice:
    """Return what a backup or a look takes."""
    if work.choice is None:
        return usual_choice(work.system, work.kind)
    return msgspec.convert(work.choice, Choice)


class _Telling:
    """Tells how far work is, and ends it where somebody has asked for that."""

    def __init__(self, work: Work) -> None:
        self._work = work
        self._told = monotonic()

    def progress(self, count: int) -> None:
        """Tell how much was seen, now and then. Raises `Cancelled`."""
        if monotonic() - self._told > _TOLD_EVERY:
            self._tell(objects_seen=count, waits="")

    def waits(self, text: str) -> None:
        """Tell what is waited for. Raises `Cancelled`."""
        self._tell(waits=text)

    def _tell(self, **fields: object) -> None:
        self._told = monotonic()
        mine = Work.objects.filter(pk=self._work.pk)
        mine.update(alive_at=timezone.now(), **fields)
        tell("work", self._work.pk, self._work.system_id)
        if mine.filter(cancel_asked=True).exists():
            raise Cancelled


class Seen(TypedDict):
    """How work is told of while it is done, and who asked for it."""

    progress: Progress
    waits: Callable[[str], None]
    by: User | None


def _do(work: Work) -> None:
    telling = _Telling(work)
    if work.kind == Work.Kind.VERIFY:
        work.message, work.objects_seen = verify_system(work.system, work.of, telling.progress)
        return
    seen: Seen = {"progress": telling.progress, "waits": telling.waits, "by": work.by}
    branch, choice = tuple(work.at), _choice(work)
    if work.kind == Work.Kind.LOOK:
        work.result = take(work.system, work.kind, branch=branch, **seen)
    else:
        taking = Taken(choice, work.narrowed, work.schedule, work.pinned)
        work.result = back_up(work.system, branch, note=work.note, taking=taking, **seen)
    work.objects_seen = work.result.objects_count
    tally_ahead(work.system)


def _make(work: Work) -> None:
    try:
        _do(work)
    except Cancelled:
        _end(work, Work.State.CANCELLED, _CANCELLED)
    except (ConnectorError, Problem) as error:
        _end(work, Work.State.FAILED, str(error))
    except DATABASE_AWAY:
        raise  # the database is away; whoever finds the work begins it again
    except Exception as error:
        log.error("work failed in a way nobody foresaw", error=error)
        kind = type(error).__name__
        text = f"It failed in a way nobody foresaw ({kind}); the log tells where, by the number"
        _end(work, Work.State.FAILED, f"{text} {work.pk} of the work.")
    else:
        _end(work, Work.State.DONE, work.message)


def _end(work: Work, state: Work.State, message: str) -> None:
    work.state, work.message, work.waits = state, message, ""
    work.save(update_fields=["state", "message", "waits", "objects_seen", "result"])
    tell("work", work.pk, work.system_id)


def unattended() -> list[Work]:
    """Return work that nobody is at, and that somebody should begin now."""
    return unheld(Space.WORK, Work.objects.filter(state__in=OPEN), lambda work: work.pk)
