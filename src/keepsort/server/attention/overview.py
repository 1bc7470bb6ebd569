"""What is asked of every system alike, asked of all at once: hundreds cost what one costs."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol

from django.db.models import Max, Q

from keepsort.server.restores.models import Run
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.sorting.models import Spotted, Tallied
from keepsort.server.sorting.tallying import Tally, key_of, read_tally, tallied
from keepsort.server.systems.models import Successor, System


class Tallying(Protocol):
    """Tells how two records differ, as `tallied` does."""

    def __call__(self, left: Record, right: Record, *, with_things: bool = False) -> Tally:
        """Return the tally of the two."""


@dataclass(frozen=True)
class Overview:
    """What is known of one system.

    backup, look, baseline: the newest of the whole, and the good one that it is measured by.
    tally: tells how two of these differ; what was worked out before is not asked for again.
    ran: whether a run has ended since the newest backup. wants: whether a run may want somebody.
    failed: work that failed and was not done since. damaged: whether a backup cannot be read.
    since: since when things that differ were seen to stand as they do.
    """

    backup: Record | None
    look: Record | None
    baseline: Record | None
    tally: Tallying
    ran: bool
    wants: bool
    failed: list[Work]
    damaged: bool
    since: Mapping[str, datetime]


def overviews(systems: Sequence[System]) -> dict[int, Overview]:
    """Return what is known of some systems, by their numbers."""
    numbers = [system.pk for system in systems]
    whole = Record.objects.filter(system__in=numbers, at=[], narrowed=False)
    backups = _newest(whole.filter(kind=Record.Kind.BACKUP))
    looks = _newest(whole.filter(kind=Record.Kind.LOOK))
    baselines = _newest(Record.objects.filter(system__in=numbers, baseline=True))
    damaged = Record.objects.filter(system__in=numbers, kind=Record.Kind.BACKUP)
    broken = set(damaged.exclude(damage_count=0).values_list("system", flat=True))
    runs = Run.objects.filter(system__in=numbers)
    restless = runs.filter(~Q(state=Run.State.FINISHED) | Q(outcome__in=["partial", "unknown"]))
    wanting = set(restless.values_list("system", flat=True))
    last_run = dict(
        runs.filter(after__isnull=False)
        .values_list("system")
        .annotate(Max("started_at"))
        .order_by()
    )
    tally = _tallies(systems, backups, looks, baselines)
    failed = _failed(numbers)
    since: dict[int, dict[str, datetime]] = {}
    for system, stands, at in Spotted.objects.filter(system__in=numbers).values_list(
        "system", "stands", "since"
    ):
        since.setdefault(system, {})[stands] = at
    return {
        number: Overview(
            backup=backups.get(number),
            look=looks.get(number),
            baseline=baselines.get(number),
            tally=tally,
            ran=number in last_run
            and number in backups
            and last_run[number] > backups[number].taken_at,
            wants=number in wanting,
            failed=failed.get(number, []),
            damaged=number in broken,
            since=since.get(number, {}),
        )
        for number in numbers
    }


def _newest(records: "Iterable[Record]") -> dict[int, Record]:
    """Return the newest of some records of each system."""
    ordered = records.order_by("system_id", "-taken_at", "-id")  # type: ignore[attr-defined]
    found = ordered.distinct("system_id").select_related("system", "schedule", "by")
    return {one.system_id: one for one in found}


def _failed(numbers: Sequence[int]) -> dict[int, list[Work]]:
    """Return the work of each system that failed and was not done since, one of each sort."""
    done = Work.objects.filter(system__in=numbers).exclude(state=Work.State.CANCELLED)
    newest = done.order_by("system_id", "kind", "schedule_id", "-pk")
    found: dict[int, list[Work]] = {}
    for work in newest.distinct("system_id", "kind", "schedule_id"):
        if work.state == Work.State.FAILED:
            found.setdefault(work.system_id, []).append(work)
    return found


def _tallies(
    systems: Sequence[System], backups: dict[int, Record], looks: dict[int, Record],
    baselines: dict[int, Record],
) -> Tallying:  # fmt: skip
    """Return what tells how two records differ: by the rows that are there, else worked out."""
    rows = Successor.objects.filter(system__in=[one.pk for one in systems]).order_by()
    successors = dict(rows.values_list("system").annotate(Max("pk")))
    keys: dict[tuple[int, int], str] = {}
    for number, look in looks.items():
        for one in (backups.get(number), baselines.get(number)):
            if one is not None:
                keys[one.pk, look.pk] = key_of(one, look, successors.get(number, 0))
    kept = {row.key: row for row in Tallied.objects.filter(key__in=set(keys.values()))}

    def tally(left: Record, right: Record, *, with_things: bool = False) -> Tally:
        row = kept.get(keys.get((left.pk, right.pk), ""))
        if row is not None and (row.things or not with_things):
            return read_tally(row)
        return tallied(left, right, with_things=with_things)

    return tally
