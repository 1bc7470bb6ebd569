"""What needs a backup, so that it may not go."""

from collections.abc import Iterable
from datetime import datetime, timedelta

from django.utils import timezone

from keepsort.server.restores.models import PlanRecord, Run
from keepsort.server.snapshots.models import Construction, Record
from keepsort.server.systems.models import System

#: For so long after somebody has asked what picks would do, the backups they are of are needed.
TRAY_FOR = timedelta(hours=12)
#: For so long a preview can be carried out; see `housekeeping`.
PLANS_FOR = timedelta(days=1)


def needs_of(system: System, now: datetime | None = None) -> dict[int, list[str]]:
    """Return for each backup of a system that something needs what that is, in words."""
    now = now or timezone.now()
    found: dict[int, list[str]] = {}

    def add(numbers: Iterable[int | None], why: str) -> None:
        for number in numbers:
            if number is not None and why not in found.setdefault(number, []):
                found[number].append(why)

    kept = system.records.filter(kind=Record.Kind.BACKUP)
    add(kept.filter(pinned=True).values_list("pk", flat=True), "pinned")
    add(kept.filter(baseline=True).values_list("pk", flat=True), "the baseline")
    picked = kept.filter(needed_until__gt=now)
    add(picked.values_list("pk", flat=True), "somebody has picks of it in the tray")
    for plan in PlanRecord.objects.filter(runs=None, made_at__gt=now - PLANS_FOR):
        what = "undo of a run" if plan.undoes_id is not None else "preview"
        add(_sources(plan), f"{what} (plan {plan.pk}) can still be carried out")
    for run in Run.objects.exclude(state=Run.State.FINISHED).select_related("plan"):
        add(_sources(run.plan), f"run {run.pk} is under way")
    built_on = Construction.objects.exclude(previous=None).values_list("previous", flat=True)
    add(built_on, "a backup or a look is being built on it")
    return found


def _sources(plan: PlanRecord) -> list[int | None]:
    return [plan.backup_id, *(pick.get("backup") for pick in plan.picks)]


def note_picked(records: Iterable[Record]) -> None:
    """Note that somebody has picks of backups."""
    now = timezone.now()
    fresh = [record.pk for record in records if _is_stale(record, now)]
    if fresh:
        Record.objects.filter(pk__in=fresh).update(needed_until=now + TRAY_FOR)


def _is_stale(record: Record, now: datetime) -> bool:
    return record.needed_until is None or record.needed_until < now + TRAY_FOR - timedelta(hours=1)
