"""Schedules, and carrying out what is due."""

import sys
from typing import TYPE_CHECKING, Any

import click

from keepsort.cli.asking import as_json_option
from keepsort.cli.output import Output

if TYPE_CHECKING:
    from keepsort.server.schedules.models import Schedule
    from keepsort.server.snapshots.models import Work

_number = click.argument("number", metavar="SCHEDULE", type=int)


@click.group("schedule")
def schedule_app() -> None:
    """When backups are made by themselves."""


@schedule_app.command("add")
@click.argument("system")
@click.option("--every", help="Every so often: 10m, 2h, 1d.")
@click.option("--daily", help="A time of day: 02:15.")
@click.option("--weekly", help="A day and a time: sun 03:00.")
@click.option("--cron", help="A cron expression of five fields.")
@click.option("--zone", default="UTC", show_default=True, help="The time zone of the clock.")
@click.option("--branch", default="/", help="Only this branch.")
@click.option("--note", default="", help="What its backups are remembered by.")
@as_json_option
def add(
    system: str,
    every: str | None,
    daily: str | None,
    weekly: str | None,
    cron: str | None,
    zone: str,
    branch: str,
    note: str,
    as_json: bool,
) -> None:
    """Let backups of a system, or of one branch, be made by themselves."""
    from keepsort.server.restores.records import branch_path
    from keepsort.server.schedules import times
    from keepsort.server.schedules.services import add_schedule
    from keepsort.server.systems.services import find_system

    if sum(one is not None for one in (every, daily, weekly, cron)) != 1:
        raise click.UsageError("Say one of --every, --daily, --weekly and --cron.")
    if every is not None:
        timing = times.every(every)
    elif daily is not None:
        timing = times.daily(daily, zone)
    elif weekly is not None:
        day, _, clock = weekly.strip().partition(" ")
        timing = times.weekly(day, clock, zone)
    else:
        timing = times.Timing(cron=cron or "", zone=zone)
    found = find_system(system)
    made = add_schedule(found, timing, branch_path(found, branch), note=note)
    row = _row(made)
    Output(as_json).one(row, f"schedule {made.pk}: {row['when']}, next at {row['next'][0]}")


def _row(schedule: "Schedule") -> dict[str, Any]:
    from django.utils import timezone

    from keepsort.server.schedules.services import last_made, overdue_by, timing_of
    from keepsort.server.schedules.times import coming, in_words

    now = timezone.now()
    last = last_made(schedule)
    missing = overdue_by(schedule, now)
    next_times = [] if schedule.paused else coming(timing_of(schedule), now)
    return {
        "schedule": schedule.pk,
        "system": schedule.system.name,
        "branch": schedule.at,
        "when": in_words(timing_of(schedule)),
        "paused": schedule.paused,
        "next": [at.isoformat(timespec="seconds") for at in next_times],
        "last": last.pk if last else None,
        "overdue_since": missing.isoformat(timespec="seconds") if missing else None,
        "note": schedule.note,
    }


@schedule_app.command("list")
@click.argument("system", required=False)
@as_json_option
def list_schedules(system: str | None, as_json: bool) -> None:
    """List the schedules; exit status 1 where one is overdue."""
    from keepsort.server.schedules.models import Schedule
    from keepsort.server.systems.services import find_system

    found = Schedule.objects.select_related("system")
    if system is not None:
        found = found.filter(system=find_system(system))
    rows = [_row(one) for one in found]
    Output(as_json).many("schedules", rows, ["schedule", "system", "when", "next", "last"])
    if any(row["overdue_since"] for row in rows):
        sys.exit(1)


@schedule_app.command("pause")
@_number
@click.option("--off", is_flag=True, help="Go on.")
@as_json_option
def pause_schedule(number: int, off: bool, as_json: bool) -> None:
    """Let a schedule rest; what it misses meanwhile is not made up for."""
    from keepsort.server.schedules.services import find_schedule, pause

    found = find_schedule(number)
    pause(found, not off)
    told = "goes on" if off else "rests"
    Output(as_json).one({"schedule": number, "paused": not off}, f"schedule {number} {told}")


@schedule_app.command("remove")
@_number
@as_json_option
def remove(number: int, as_json: bool) -> None:
    """Remove a schedule; the backups it has made stay."""
    from keepsort.server.schedules.services import find_schedule

    find_schedule(number).delete()
    Output(as_json).one({"removed": number}, f"schedule {number} is removed")


@schedule_app.command("run")
@_number
@as_json_option
def run(number: int, as_json: bool) -> None:
    """Make the backup of a schedule now, besides its times."""
    from keepsort.server.schedules.services import find_schedule, run_now

    _carry_out([run_now(find_schedule(number))], as_json)


@schedule_app.command("due")
@as_json_option
def due(as_json: bool) -> None:
    """Carry out what is due now, and exit: for machines without a worker.

    Afterwards backups that the policies drop go. Exit status 1 where a backup failed.
    """
    from keepsort.server.schedules.services import take_due

    _carry_out(take_due(), as_json)


def _carry_out(asked: "list[Work]", as_json: bool) -> None:
    from keepsort.server.retention.services import apply
    from keepsort.server.snapshots import working
    from keepsort.server.snapshots.models import Work

    rows = []
    for one in asked:
        work = working.do(one.pk) or Work.objects.get(pk=one.pk)
        rows.append(
            {
                "system": work.system.name,
                "schedule": work.schedule_id,
                "backup": work.result_id,
                "failed": work.message if work.state == Work.State.FAILED else "",
            }
        )
    for system in {one.system for one in asked}:
        apply(system)
    Output(as_json).many("backups", rows, ["system", "schedule", "backup", "failed"])
    if any(row["failed"] for row in rows):
        sys.exit(1)
