"""What wants somebody's attention, told in one place for screens, commands and messages.

What is not known is an answer of its own: a system that nobody has looked at is not well.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from hashlib import blake2b
from typing import Literal

from django.utils import timezone

from keepsort.core.compare.comparison import STATES
from keepsort.server.attention.models import Aside
from keepsort.server.attention.ours import is_explained
from keepsort.server.attention.overview import Overview, overviews
from keepsort.server.files.copying import failed_copy
from keepsort.server.heartbeats import has_worker
from keepsort.server.logs import log
from keepsort.server.messages.models import Message
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.restores.engine import is_interrupted
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.schedules.services import overdue_by, passed_over
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, written_branch
from keepsort.server.store.space import free_bytes
from keepsort.server.systems.models import System

Level = Literal["stop", "unknown", "confirm", "note"]
LEVELS: tuple[Level, ...] = ("stop", "unknown", "confirm", "note")
#: A look that is older tells what live was, and no more.
_LOOK_HOLDS = timedelta(days=1)
_RUNS = 3
_PATHS = 5
#: With less room than this where PostgreSQL keeps its data, backups may soon fail.
SPACE_LOW = 1 << 30


@dataclass(frozen=True)
class PutAside:
    """Who has put a thing aside, why, and until when; None where until it changes.

    accepted: not for a time, but since how it stands is right.
    """

    number: int
    by: str
    why: str
    accepted: bool
    at: datetime
    until: datetime | None


@dataclass(frozen=True)
class Item:
    """One thing that wants attention.

    level: stop where something failed or stands still, unknown where it cannot be told whether all
        is well, confirm where somebody should look, note else.
    code: a stable word for scripts. place: the address of the screen that shows more.
    stands: tells how it stands from how it stood: as long as that is equal, it is the same thing.
    paths: the first of the objects it is about, as they are written.
    system, system_name: the system it is about; none where it is about Keep Sort itself.
    aside: who has put it aside; None where nobody has.
    """

    level: Level
    code: str
    title: str
    text: str
    place: str
    stands: str = ""
    paths: list[str] = field(default_factory=list)
    system: int | None = None
    system_name: str = ""
    aside: PutAside | None = None


def all_systems() -> list[System]:
    """Return all systems, with what is asked of each of them."""
    return list(System.objects.prefetch_related("schedules", "copy_places"))


def items() -> list[Item]:
    """Return what wants attention, the most urgent first, and what was put aside after it."""
    systems = all_systems()
    return items_of(systems, overviews(systems))


def items_of(systems: Sequence[System], known: Mapping[int, Overview]) -> list[Item]:
    """Return what wants attention of some systems, and of Keep Sort itself."""
    now = timezone.now()
    found = [*_itself()]
    for system in systems:
        try:
            found += list(_of(system, known[system.pk], now))
        except DATABASE_AWAY:
            raise
        except Exception as error:
            log.error("attention cannot be worked out", system=system.pk, error=error)
            text = f"What is kept of it cannot be told ({type(error).__name__}); see the log."
            found.append(_item(system, "unknown", "cannot-be-told", "nothing can be told", text))
    found = with_aside(found)
    return sorted(found, key=lambda item: (item.aside is not None, LEVELS.index(item.level)))


def wanting() -> list[Item]:
    """Return what wants attention and was not put aside."""
    return [item for item in items() if item.aside is None]


def with_aside(found: list[Item]) -> list[Item]:
    """Return things with who has put them aside, of those that somebody has."""
    now = timezone.now()
    aside: dict[tuple[int | None, str, str], Aside] = {}
    for one in Aside.objects.select_related("by"):
        if one.until is None or one.until > now:
            aside.setdefault((one.system_id, one.code, one.stands), one)
    told = []
    for item in found:
        put = aside.get((item.system, item.code, item.stands))
        if put is not None:
            by = put.by.shown_name if put.by else ""
            item = replace(
                item, aside=PutAside(put.pk, by, put.why, put.accepted, put.at, put.until)
            )
        told.append(item)
    return told


def _itself() -> Iterator[Item]:
    if not has_worker():
        text = "Backups, looks and restores wait until one is; who keeps Keep Sort can start it."
        yield Item("stop", "no-worker", "No worker is running", text, "/")
    free = free_bytes()
    if free is not None and free < SPACE_LOW:
        text = f"{free >> 20} MB are free; backups that need more are refused."
        title = "Room is low where PostgreSQL keeps its data"
        yield Item("stop", "space-low", title, text, "/", str(free >> 28))
    failed = Message.objects.filter(state=Message.State.FAILED).select_related("receiver").first()
    if failed is not None and not failed.receiver.messages.filter(
        state=Message.State.SENT, sent_at__gt=failed.made_at
    ):
        text = f"{failed.receiver.address}: {failed.error}"
        title = "Somebody could not be told"
        yield Item("confirm", "message-failed", title, text, "/messages", str(failed.pk))


def _of(system: System, known: Overview, now: datetime) -> Iterator[Item]:
    if known.wants:
        yield from _runs(system)
    for work in known.failed:
        what = {"backup": "backup", "look": "look", "verify": "reading of the backups"}[work.kind]
        code, sort = f"{work.kind}-failed", "last"
        if work.schedule_id is not None:
            code, sort = f"{code}-{work.schedule_id}", "last scheduled"
            what = f"{what} of {written_branch(system, work.at)}" if work.at else what
        title = f"the {sort} {what} failed"
        # the same failure again is no other thing
        yield _item(system, "stop", code, title, work.message, "backups", work.message)
    yield from _kept(system, known, now)
    yield from _copies(system)
    yield from _live(system, known, now)


def _kept(system: System, known: Overview, now: datetime) -> Iterator[Item]:
    backup = known.backup
    if backup is None:
        yield _item(
            system, "stop", "never-backed-up", "never backed up as a whole",
            "Nothing of it could be restored, but for branches.", "backups",
        )  # fmt: skip
    yield from _overdue(system, backup, now)
    if backup is not None and backup.problem_count:
        text = backup.problems[0]["text"] if backup.problems else ""
        write = open_snapshot(backup).schema.notation.write
        paths = [write(tuple(problem["path"])) for problem in backup.problems[:_PATHS]]
        title = "the newest backup has problems"
        yield _item(
            system, "confirm", "unsound", title, text, "backups", str(backup.pk), paths=paths
        )
    if known.damaged:
        backups = system.records.filter(kind=Record.Kind.BACKUP)
        damaged = list(backups.exclude(damage_count=0))
        paths = [one["path"] for one in damaged[0].damage[:_PATHS]]
        title = f"{_count(len(damaged), 'backup')} cannot be read as kept"
        text = "The next backup that holds the same mends it; so back up now, if live still does."
        stands = " ".join(str(one.pk) for one in damaged)
        yield _item(system, "stop", "damaged", title, text, "backups", stands, paths=paths)


def _overdue(system: System, backup: Record | None, now: datetime) -> Iterator[Item]:
    schedules = list(system.schedules.all())
    for schedule in schedules:
        missing = overdue_by(schedule, now)
        what = f"of {written_branch(system, schedule.at)} " if schedule.at else ""
        if missing is not None:
            title = f"the scheduled backup {what}is overdue"
            text = f"It was due {_ago(now - missing)} ago, and is not made."
            stands = f"{schedule.pk} {missing:%s}"
            yield _item(system, "stop", f"overdue-{schedule.pk}", title, text, "backups", stands)
        elif (passed := passed_over(schedule)) is not None:
            title = f"a scheduled backup {what}was passed over"
            text = "The one before was still being made when its time came."
            code, stands = f"passed-over-{schedule.pk}", f"{passed:%s}"
            yield _item(system, "note", code, title, text, "backups", stands)
    if any(not one.at and not one.paused for one in schedules) or backup is None:
        return
    if now - backup.taken_at > timedelta(days=system.remind_days):
        text = f"The newest is {_ago(now - backup.taken_at)} old, and no schedule makes others."
        title = "no backup for days"
        yield _item(system, "confirm", "overdue", title, text, "backups", str(backup.pk))


def _copies(system: System) -> Iterator[Item]:
    for place in system.copy_places.all():
        if place.lost:
            text = f"What {place.address} is reached with was lost with the key; add it anew."
            yield _item(system, "stop", "copies-lost", "copies cannot be made", text, "setup")
        failed = failed_copy(place)
        if failed is not None:
            title = "a backup could not be copied off the machine"
            text = f"{failed.message} Tried {failed.failures} times; it is tried again."
            stands = str(failed.pk)
            yield _item(system, "stop", "copy-failed", title, text, "backups", stands)


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
            yield _item(system, "stop", code, title, text, f"runs/{run.pk}", f"{run.pk} {done}")


def _live(system: System, known: Overview, now: datetime) -> Iterator[Item]:
    backup, look = known.backup, known.look
    if look is None:
        yield _item(
            system, "unknown", "never-looked-at", "whether live differs is not known",
            "It has not been looked at.",
        )  # fmt: skip
        return
    if now - look.taken_at > _LOOK_HOLDS:
        text = f"It was last looked at {_ago(now - look.taken_at)} ago."
        title = "whether live differs is not known"
        yield _item(system, "unknown", "look-too-old", title, text, stands=str(look.pk))
    state = bytes(look.significant).hex()
    if backup is not None:
        found = known.tally(backup, look)
        if found.counts:
            paths = [one.written for one in found.first[:_PATHS]]
            text = _in_words(found.counts)
            if known.ran and is_explained(system, backup, look):
                title = "live is as our runs left it since the newest backup"
                text = f"{text} Back it up, if it is to stay so."
                yield _item(system, "note", "ours", title, text, stands=state, paths=paths)
            else:
                title = "live differs from the newest backup"
                yield _item(system, "confirm", "differs", title, text, stands=state, paths=paths)
    baseline = known.baseline
    if baseline is not None and (backup is None or baseline.pk != backup.pk):
        tally = known.tally(baseline, look).counts
        if tally:
            place = f"sort/{system.pk}?left={baseline.pk}"
            title = "live differs from the baseline"
            stands = f"{baseline.pk} {state}"
            yield _item(system, "note", "off-baseline", title, _in_words(tally), place, stands[:64])


def _in_words(tally: dict[str, int]) -> str:
    return ", ".join(f"{tally[state]} {state}" for state in STATES if tally.get(state)) + "."


def _item(
    system: System,
    level: Level,
    code: str,
    title: str,
    text: str,
    place: str = "sort",
    stands: str = "",
    *,
    paths: list[str] | None = None,
) -> Item:
    address = f"/{place}" if "/" in place else f"/{place}/{system.pk}"
    if len(stands) > 60:
        stands = blake2b(stands.encode(), digest_size=24).hexdigest()
    return Item(
        level, code, f"{system.name}: {title}", text, address, stands, paths or [],
        system.pk, system.name,
    )  # fmt: skip


def _count(count: int, what: str) -> str:
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def _ago(span: timedelta) -> str:
    if span.days > 1:
        return f"{span.days} days"
    minutes = int(span.total_seconds() // 60)
    return f"{minutes // 60} hours" if minutes >= 120 else f"{minutes} minutes"
