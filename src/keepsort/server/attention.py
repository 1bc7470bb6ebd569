"""What wants somebody's attention, told in one place for screens, commands and messages.

What is not known is an answer of its own: a system that nobody has looked at is not well.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.utils import timezone

from keepsort.core.compare.comparison import STATES
from keepsort.server import tasks
from keepsort.server.files.copying import failed_copy
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.restores.engine import is_interrupted
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import newest
from keepsort.server.sorting.comparing import compared
from keepsort.server.systems.models import System

LEVELS = ("stop", "unknown", "confirm", "note")
#: A look that is older tells what live was, and no more.
_LOOK_HOLDS = timedelta(days=1)
_BACKUP_HOLDS = timedelta(days=2)
_RUNS = 3


@dataclass(frozen=True)
class Item:
    """One thing that wants attention.

    level: stop where something failed or stands still, unknown where it cannot be told whether all
        is well, confirm where somebody should look, note else.
    code: a stable word for scripts. place: the address of the screen that shows more.
    system, system_name: the system it is about; none where it is about Keep Sort itself.
    """

    level: str
    code: str
    title: str
    text: str
    place: str
    system: int | None = None
    system_name: str = ""


def items() -> list[Item]:
    """Return what wants attention, the most urgent first."""
    now = timezone.now()
    found = []
    if not tasks.has_worker():
        text = "Backups, looks and restores wait until one is; who keeps Keep Sort can start it."
        found.append(Item("stop", "no-worker", "No worker is running", text, "/"))
    for system in System.objects.all():
        try:
            found += list(_of(system, now))
        except DATABASE_AWAY:
            raise
        except Exception as error:
            log.error("attention cannot be worked out", system=system.pk, error=error)
            text = f"What is kept of it cannot be told ({type(error).__name__}); see the log."
            found.append(_item(system, "unknown", "cannot-be-told", "nothing can be told", text))
    return sorted(found, key=lambda item: LEVELS.index(item.level))


def _of(system: System, now: datetime) -> Iterator[Item]:
    yield from _runs(system)
    last = system.work.order_by("-pk").first()
    if last is not None and last.state == Work.State.FAILED:
        what = "backup" if last.kind == Record.Kind.BACKUP else "look"
        title = f"the last {what} failed"
        yield _item(system, "stop", f"{what}-failed", title, last.message, "backups")
    backup, look = newest(system, Record.Kind.BACKUP), newest(system, Record.Kind.LOOK)
    if backup is None:
        yield _item(
            system, "stop", "never-backed-up", "never backed up as a whole",
            "Nothing of it could be restored, but for branches.", "backups",
        )  # fmt: skip
    elif now - backup.taken_at > _BACKUP_HOLDS:
        text = f"The newest is {_ago(now - backup.taken_at)} old."
        yield _item(system, "confirm", "overdue", "no backup for days", text, "backups")
    if backup is not None and backup.problem_count:
        text = backup.problems[0]["text"] if backup.problems else ""
        yield _item(system, "confirm", "unsound", "the newest backup has problems", text, "backups")
    yield from _copies(system)
    yield from _live(system, backup, look, now)


def _copies(system: System) -> Iterator[Item]:
    for place in system.copy_places.all():
        if place.lost:
            text = f"What {place.address} is reached with was lost with the key; add it anew."
            yield _item(system, "stop", "copies-lost", "copies cannot be made", text, "setup")
        failed = failed_copy(place)
        if failed is not None:
            title = "a backup could not be copied off the machine"
            text = f"{failed.message} Tried {failed.failures} times; it is tried again."
            yield _item(system, "stop", "copy-failed", title, text, "backups")


def _runs(system: System) -> Iterator[Item]:
    for run in Run.objects.filter(system=system).order_by("-pk")[:_RUNS]:
        title = ""
        if run.waits_since is not None and run.state != Run.State.FINISHED:
            code, title = "run-waits", "a run waits for it"
        elif run.outcome == "unknown":
            code, title = "run-unknown", "what a run has written is not known"
        elif run.outcome == "partial" or is_interrupted(run):
            code, title = "run-stopped", "a run stopped half-way"
        if title:
            done = run.steps.filter(state=RunStep.State.DONE).count()
            text = f"{done} of {run.steps.count()} steps done. {run.waits or run.message}".strip()
            yield _item(system, "stop", code, title, text, f"runs/{run.pk}")


def _live(
    system: System, backup: Record | None, look: Record | None, now: datetime
) -> Iterator[Item]:
    if look is None:
        yield _item(
            system, "unknown", "never-looked-at", "whether live differs is not known",
            "It has not been looked at.",
        )  # fmt: skip
        return
    if now - look.taken_at > _LOOK_HOLDS:
        text = f"It was last looked at {_ago(now - look.taken_at)} ago."
        title = "whether live differs is not known"
        yield _item(system, "unknown", "look-too-old", title, text)
    if backup is None:
        return
    changes = compared(backup, look).tally
    if changes:
        text = (
            ", ".join(f"{changes[state]} {state}" for state in STATES if changes.get(state)) + "."
        )
        yield _item(system, "confirm", "differs", "live differs from the newest backup", text)


def _item(
    system: System, level: str, code: str, title: str, text: str, place: str = "sort"
) -> Item:
    address = f"/{place}" if place.startswith("runs/") else f"/{place}/{system.pk}"
    return Item(level, code, f"{system.name}: {title}", text, address, system.pk, system.name)


def _ago(span: timedelta) -> str:
    return f"{span.days} days" if span.days > 1 else f"{int(span.total_seconds() // 3600)} hours"
