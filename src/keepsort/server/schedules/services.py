"""Making schedules, and taking up what is due."""

from datetime import datetime, timedelta
from typing import Any

import msgspec
from django.db import transaction
from django.utils import timezone

from keepsort.core.model import Path
from keepsort.core.snapshot import Choice
from keepsort.server.accounts.models import User
from keepsort.server.events.notify import tell
from keepsort.server.problems import NotFound, Problem
from keepsort.server.schedules.models import Schedule
from keepsort.server.schedules.times import Timing, checked, coming
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.working import OPEN
from keepsort.server.systems.models import System

_MOST = 50
_LATE = timedelta(days=1)


def timing_of(schedule: Schedule) -> Timing:
    """Return when a schedule is due."""
    return Timing(minutes=schedule.minutes, cron=schedule.cron, zone=schedule.zone)


def add_schedule(
    system: System,
    timing: Timing,
    branch: Path = (),
    *,
    note: str = "",
    choice: Choice | None = None,
    by: User | None = None,
) -> Schedule:
    """Let backups of a system, or of a branch, be made by themselves. Raises `Problem`."""
    if system.schedules.count() >= _MOST:
        raise Problem(f"{system} has {_MOST} schedules already.", "Remove one of them.")
    made = Schedule(system=system, by=by)
    return change_schedule(made, timing=timing, branch=branch, note=note, choice=choice)


def change_schedule(
    schedule: Schedule,
    *,
    timing: Timing,
    branch: Path,
    note: str,
    choice: Choice | None,
) -> Schedule:
    """Let a schedule be due at other times, or keep something else. Raises `Problem`."""
    timing = checked(timing)
    schedule.minutes, schedule.cron, schedule.zone = timing.minutes, timing.cron, timing.zone
    schedule.at, schedule.note = list(branch), note
    schedule.choice = None if choice is None else msgspec.to_builtins(choice)
    _count_from_now(schedule)
    schedule.save()
    tell("record", 0, schedule.system_id)
    return schedule


def _count_from_now(schedule: Schedule) -> None:
    now = schedule.counts_from = timezone.now()
    schedule.next_at = None if schedule.paused else coming(timing_of(schedule), now, 1)[0]


def find_schedule(number: int) -> Schedule:
    """Return a schedule by its number. Raises `NotFound`."""
    found = Schedule.objects.select_related("system", "by").filter(pk=number).first()
    if found is None:
        raise NotFound(f"There is no schedule {number}.", "See: keepsort schedule list.")
    return found


def pause(schedule: Schedule, paused: bool) -> None:
    """Let a schedule rest, or go on from now; what was missed meanwhile is not made up for."""
    schedule.paused = paused
    _count_from_now(schedule)
    schedule.save(update_fields=["paused", "counts_from", "next_at"])
    tell("record", 0, schedule.system_id)


def run_now(schedule: Schedule, by: User | None = None) -> Work:
    """Ask for a schedule's backup now, besides its times. Raises `Problem` if it is being made."""
    with transaction.atomic():
        held = Schedule.objects.select_for_update().get(pk=schedule.pk)
        if is_running(held):
            raise Problem("Its backup is being made right now.", "Wait for it, or cancel it.", 409)
        return _work(held, by)


def is_running(schedule: Schedule) -> bool:
    """Tell whether a backup of a schedule is waiting or being made."""
    return bool(schedule.work.filter(state__in=OPEN).exists())


def take_due(now: datetime | None = None) -> list[Work]:
    """Take up every schedule that is due, each once whoever else does, and return the new work.

    However many times were missed, it is one backup. One whose backup before is still being made
    is passed over, which is noted.
    """
    now = now or timezone.now()
    found: list[Work] = []
    while True:
        with transaction.atomic():
            due = Schedule.objects.select_for_update(skip_locked=True).filter(next_at__lte=now)
            schedule = due.order_by("next_at", "pk").first()
            if schedule is None:
                return found
            schedule.next_at = coming(timing_of(schedule), max(now, timezone.now()), 1)[0]
            if is_running(schedule):
                schedule.passed_over_at = now
            else:
                found.append(_work(schedule, schedule.by))
            schedule.save(update_fields=["next_at", "passed_over_at"])


def _work(schedule: Schedule, by: User | None) -> Work:
    work = Work.objects.create(
        system=schedule.system, kind=Work.Kind.BACKUP, at=schedule.at, by=by, note=schedule.note,
        schedule=schedule, choice=schedule.choice, narrowed=own_choice(schedule) is not None,
    )  # fmt: skip
    tell("work", work.pk, work.system_id)
    return work


def own_choice(schedule: Schedule) -> Any:
    """Return what backups of a schedule take where others of its system do not; else None."""
    return schedule.choice if schedule.choice != schedule.system.choice else None


def last_made(schedule: Schedule) -> Record | None:
    """Return the newest backup that a schedule has made."""
    return schedule.records.first()


def passed_over(schedule: Schedule) -> datetime | None:
    """Return when a schedule was passed over last; None where it made a backup since."""
    last, passed = last_made(schedule), schedule.passed_over_at
    return passed if passed is not None and (last is None or last.taken_at <= passed) else None


def overdue_by(schedule: Schedule, now: datetime) -> datetime | None:
    """Return since when a backup of a schedule is missing; None where none is overdue.

    It is overdue once its next time has come too, or a day has passed; one that is being made, or
    a schedule that was paused until now, is not.
    """
    if schedule.paused or is_running(schedule):
        return None
    last = last_made(schedule)
    since = max(schedule.counts_from, last.taken_at) if last is not None else schedule.counts_from
    due, following = coming(timing_of(schedule), since, 2)
    return due if now > min(following, due + _LATE) else None
