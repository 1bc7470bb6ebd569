"""Backups and looks that a person asked for, as workers make them.

A worker holds the lock of the work while it is at it; work whose worker has died is begun again, a
few times, and then failed with a word.
"""

from time import monotonic

from django.utils import timezone
from structlog.contextvars import bound_contextvars

from keepsort.connectors.errors import ConnectorError
from keepsort.server.events.notify import tell
from keepsort.server.locks import Space, alone, unheld
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Work
from keepsort.server.snapshots.services import take

_ATTEMPTS = 3
_TOLD_EVERY = 0.2
_OPEN = (Work.State.WAITING, Work.State.RUNNING)


def do(number: int) -> Work | None:
    """Make a backup or a look; return None where another worker is at it, or it is done."""
    with bound_contextvars(work=number), alone(Space.WORK, number) as held:
        work = Work.objects.select_related("system", "by").filter(pk=number).first()
        if not held or work is None or work.state not in _OPEN:
            return None
        if work.attempts >= _ATTEMPTS:
            text = f"What was at it has ended {_ATTEMPTS} times in the middle of it."
            _end(work, Work.State.FAILED, f"{text} Nothing was kept.")
            return work
        work.state, work.attempts = Work.State.RUNNING, work.attempts + 1
        work.alive_at, work.objects_seen = timezone.now(), 0
        work.save(update_fields=["state", "attempts", "alive_at", "objects_seen"])
        tell("work", work.pk, work.system_id)
        _make(work)
        return work


def _make(work: Work) -> None:
    told = monotonic()

    def progress(count: int) -> None:
        nonlocal told
        if monotonic() - told > _TOLD_EVERY:
            told = monotonic()
            Work.objects.filter(pk=work.pk).update(objects_seen=count, alive_at=timezone.now())
            tell("work", work.pk, work.system_id)

    try:
        work.result = take(
            work.system, work.kind, branch=tuple(work.at), by=work.by, note=work.note,
            progress=progress,
        )  # fmt: skip
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
        work.objects_seen = work.result.objects_count
        _end(work, Work.State.DONE, "")


def _end(work: Work, state: Work.State, message: str) -> None:
    work.state, work.message = state, message
    work.save(update_fields=["state", "message", "objects_seen", "result"])
    tell("work", work.pk, work.system_id)


def unattended() -> list[Work]:
    """Return work that nobody is at, and that somebody should begin now."""
    return unheld(Space.WORK, Work.objects.filter(state__in=_OPEN), lambda work: work.pk)
