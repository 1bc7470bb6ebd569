"""The times of a schedule: every so many minutes, or by a cron expression in a time zone.

Where clocks are changed, a time of day that does not exist that night is made up for right after
the gap, and one that exists twice counts once, the first time. Only what is asked for in every hour
goes by the hours that really pass.
"""

import re
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from itertools import islice
from zoneinfo import ZoneInfo, available_timezones

import msgspec
from croniter import CroniterError, croniter

from keepsort.server.problems import Problem

MOST_MINUTES = 7 * 24 * 60
_FIELD = re.compile(r"[0-9a-zA-Z*,/\-#]+")
_NUMBERS = re.compile(r"[0-9*,/\-]+")
_EVERY = re.compile(r"(\d{1,5})\s*(m|min|h|d)")
_CLOCK = re.compile(r"([01]?\d|2[0-3]):([0-5]\d)")
_MINUTES = {"m": 1, "min": 1, "h": 60, "d": 24 * 60}
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
#: No clock is changed by more.
_MOST_CHANGE = timedelta(hours=3)


class Timing(msgspec.Struct, frozen=True):
    """When something is done: every so many `minutes`, or else when a `cron` expression says."""

    minutes: int | None = None
    cron: str = ""
    zone: str = "UTC"


def every(text: str) -> Timing:
    """Read ``10m``, ``2h`` or ``1d``. Raises `Problem`."""
    found = _EVERY.fullmatch(text.strip().lower())
    if found is None:
        raise Problem(f"{text!r} is no span of time.", "Write for example 10m, 2h or 1d.")
    return checked(Timing(minutes=int(found[1]) * _MINUTES[found[2]]))


def daily(text: str, zone: str) -> Timing:
    """Read a time of day, as ``02:15``. Raises `Problem`."""
    hour, minute = _clock(text)
    return checked(Timing(cron=f"{minute} {hour} * * *", zone=zone))


def weekly(day: str, text: str, zone: str) -> Timing:
    """Read a day of the week, as ``mon``, and a time of day. Raises `Problem`."""
    if day.lower()[:3] not in DAYS:
        raise Problem(f"{day!r} is no day of the week.", "Write mon, tue, wed, thu, fri, sat, sun.")
    hour, minute = _clock(text)
    return checked(Timing(cron=f"{minute} {hour} * * {day.lower()[:3]}", zone=zone))


def _clock(text: str) -> tuple[int, int]:
    found = _CLOCK.fullmatch(text.strip())
    if found is None:
        raise Problem(f"{text!r} is no time of day.", "Write hours and minutes, as 02:15.")
    return int(found[1]), int(found[2])


def checked(timing: Timing) -> Timing:
    """Return a timing that can be gone by. Raises `Problem`."""
    checked_zone(timing.zone)
    if timing.minutes is not None:
        if timing.cron or not 1 <= timing.minutes <= MOST_MINUTES:
            raise Problem("Every how many minutes is between 1 and 10080 (a week).")
        return timing
    fields = timing.cron.split()
    numbers = all(map(_NUMBERS.fullmatch, fields[:2]))
    if len(fields) != 5 or not numbers or not all(map(_FIELD.fullmatch, fields)):
        raise Problem(
            f"{timing.cron!r} is no cron expression of five fields.",
            "Minute, hour, day of month, month, day of week: 15 2 * * * is 02:15 each day.",
        )
    try:
        first = next(times(timing, datetime.now(UTC)), None)
    except (CroniterError, ValueError) as error:
        raise Problem(f"{timing.cron!r} is no cron expression: {error}.") from None
    if first is None:
        raise Problem(f"{timing.cron!r} names no time that ever comes.")
    return msgspec.structs.replace(timing, cron=" ".join(fields))


def checked_zone(zone: str) -> str:
    """Return the name of a time zone that there is. Raises `Problem`."""
    if zone not in _zones():
        raise Problem(
            f"{zone!r} is no time zone.", "Write it as in the IANA list: Europe/Oslo, UTC."
        )
    return zone


@lru_cache(maxsize=1)
def _zones() -> frozenset[str]:
    return frozenset(available_timezones())


def times(timing: Timing, after: datetime) -> Iterator[datetime]:
    """Yield the times after a moment, in order, in UTC.

    after: aware. Every so many minutes is counted from the beginning of 1970 in UTC, so that it
    does not depend on when it was asked for.
    """
    if timing.minutes is not None:
        span = timing.minutes * 60
        number = int(after.timestamp()) // span
        while True:
            number += 1
            yield datetime.fromtimestamp(number * span, UTC)
    zone = ZoneInfo(timing.zone)
    waiting: list[datetime] = []
    last = after.astimezone(UTC)
    for wall in _wall_times(timing.cron, (after.astimezone(zone)).replace(tzinfo=None)):
        # nothing that comes later on the wall can come before these
        sure = wall.replace(tzinfo=zone).astimezone(UTC) - _MOST_CHANGE
        while waiting and waiting[0] < sure:
            found = waiting.pop(0)
            if found > last:
                last = found
                yield found
        waiting = sorted({*waiting, *_instants(wall, zone, timing.cron)})
    for found in waiting:
        if found > last:
            last = found
            yield found


def _wall_times(cron: str, after: datetime) -> Iterator[datetime]:
    found = croniter(cron, after - _MOST_CHANGE)
    while True:
        try:
            yield found.get_next(datetime)
        except CroniterError:  # none within the years it looks ahead
            return


def _instants(wall: datetime, zone: ZoneInfo, cron: str) -> list[datetime]:
    """Return when it is so late on the clocks of a zone: once, or never, or twice."""
    first, second = (wall.replace(tzinfo=zone, fold=fold).astimezone(UTC) for fold in (0, 1))
    hourly = cron.split()[1].startswith("*")
    exists = first.astimezone(zone).replace(tzinfo=None) == wall
    if not exists:
        return [] if hourly else [first]
    return sorted({first, second}) if hourly else [first]


def coming(timing: Timing, after: datetime, count: int = 3) -> list[datetime]:
    """Return the next times, in UTC."""
    return list(islice(times(timing, after), count))


def in_words(timing: Timing) -> str:
    """Say when it is, for people."""
    if timing.minutes is not None:
        for size, name in ((24 * 60, "day"), (60, "hour"), (1, "minute")):
            count, rest = divmod(timing.minutes, size)
            if rest == 0:
                return f"every {name}" if count == 1 else f"every {count} {name}s"
    zone = "" if timing.zone == "UTC" else f" ({timing.zone})"
    minute, hour, day, month, weekday = timing.cron.split()
    if minute.isdigit() and month == "*":
        clock = f"{int(hour):02}:{int(minute):02}" if hour.isdigit() else ""
        if hour == "*" and day == weekday == "*":
            return f"every hour at :{int(minute):02}"
        if clock and day == weekday == "*":
            return f"daily at {clock}{zone}"
        if clock and day == "*" and weekday.lower() in DAYS:
            return f"every {weekday.capitalize()} at {clock}{zone}"
        if clock and day.isdigit() and weekday == "*":
            return f"monthly on day {day} at {clock}{zone}"
    return f"cron {timing.cron}{zone}"
