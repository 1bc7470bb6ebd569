"""Times of schedules, judged by looking at every minute of a year on the clocks of a zone."""

from datetime import UTC, datetime, timedelta
from itertools import islice, pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.server.problems import Problem
from keepsort.server.schedules.times import (
    Timing,
    checked,
    coming,
    daily,
    every,
    in_words,
    times,
    weekly,
)

ZONES = ["UTC", "Europe/Oslo", "America/New_York", "Australia/Lord_Howe", "Asia/Kolkata",
         "Pacific/Chatham", "America/Santiago", "Africa/Casablanca"]  # fmt: skip


def by_every_minute(
    minute: str, hour: str, weekday: str, zone: ZoneInfo, after: datetime, span: timedelta
) -> list[datetime]:
    """The naive version: for each minute that passes, what the clocks of the zone show."""

    def fits(field: str, value: int) -> bool:
        if field.startswith("*/"):
            return value % int(field[2:]) == 0
        return field == "*" or value in [int(one) for one in field.split(",")]

    def shows(wall: datetime) -> bool:
        day = (wall.weekday() + 1) % 7
        return fits(minute, wall.minute) and fits(hour, wall.hour) and fits(weekday, day)

    found: list[datetime] = []
    seen: set[datetime] = set()
    now = after.replace(second=0, microsecond=0) - timedelta(days=1)
    before = now.astimezone(zone).replace(tzinfo=None)
    hourly = hour.startswith("*")
    while now <= after + span:
        wall = now.astimezone(zone).replace(tzinfo=None)
        shown = [wall]
        if not hourly and wall - before > timedelta(minutes=1):  # clocks were put forward
            gap = wall - before - timedelta(minutes=1)
            for n in range(int(gap.total_seconds()) // 60):
                lost = before + timedelta(minutes=1 + n)
                if shows(lost):
                    found.append(now + timedelta(minutes=n))
        for one in shown:
            if shows(one) and (hourly or one not in seen):
                seen.add(one)
                found.append(now)
        before = wall
        now += timedelta(minutes=1)
    return [one for one in sorted(set(found)) if one > after]


fields = st.tuples(
    st.sampled_from(["0", "15", "30", "59", "*/10", "*/7", "5,35"]),
    st.sampled_from(["0", "1", "2", "3", "*", "*/2", "1,2,3", "23"]),
    st.sampled_from(["*", "0", "3"]),
)


@settings(max_examples=60, deadline=None)
@given(
    fields,
    st.sampled_from(ZONES),
    st.integers(0, 60 * 24 * 365),
)
def test_as_the_clocks_show_it(parts: tuple[str, str, str], name: str, start: int) -> None:
    minute, hour, weekday = parts
    zone = ZoneInfo(name)
    after = datetime(2026, 1, 1, tzinfo=UTC) + timedelta(minutes=start)
    # the nights in which clocks are changed are few: begin shortly before the next of them
    offset = after.astimezone(zone).utcoffset()
    for day in range(366):
        later = after + timedelta(days=day)
        if later.astimezone(zone).utcoffset() != offset:
            after = later - timedelta(days=2)
            break
    span = timedelta(days=4)
    expected = by_every_minute(minute, hour, weekday, zone, after, span)
    timing = checked(Timing(cron=f"{minute} {hour} * * {weekday}", zone=name))
    found: list[datetime] = []
    for one in times(timing, after):
        if one > after + span:
            break
        found.append(one)
    assert found == expected


def test_a_nightly_time_runs_once_whatever_the_clocks_do() -> None:
    oslo = ZoneInfo("Europe/Oslo")
    timing = daily("02:30", "Europe/Oslo")
    spring = coming(timing, datetime(2026, 3, 28, 12, tzinfo=UTC), 2)
    assert [f"{one.astimezone(oslo):%d %H:%M}" for one in spring] == ["29 03:30", "30 02:30"]
    autumn = coming(timing, datetime(2026, 10, 24, 12, tzinfo=UTC), 2)
    assert [f"{one:%d %H:%M}" for one in autumn] == ["25 00:30", "26 01:30"]
    quarter = Timing(cron="*/15 * * * *", zone="Europe/Oslo")
    through = list(islice(times(quarter, datetime(2026, 10, 24, 23, 59, tzinfo=UTC)), 12))
    assert {b - a for a, b in pairwise(through)} == {timedelta(minutes=15)}


@given(st.integers(1, 10080), st.integers(0, 10**9))
def test_every_so_many_minutes(minutes: int, start: int) -> None:
    after = datetime.fromtimestamp(start, UTC)
    found = coming(Timing(minutes=minutes), after)
    assert after < found[0] <= after + timedelta(minutes=minutes)
    assert found[1] - found[0] == found[2] - found[1] == timedelta(minutes=minutes)
    assert all(one.timestamp() % (minutes * 60) == 0 for one in found)


def test_what_is_no_time_is_refused_and_what_is_one_is_said() -> None:
    for bad in ("", "* * * *", "* * * * * *", "61 * * * *", "R R * * *", "h h * * *", "0 0 31 2 *",
                "@daily", "0 0 * * 8", "a b c d e", "*/0 * * * *"):  # fmt: skip
        with pytest.raises(Problem):
            checked(Timing(cron=bad))
    for zone in ("Mars/Base", "", "../etc"):
        with pytest.raises(Problem, match="no time zone"):
            daily("02:15", zone)
    for bad in ("10x", "0m", "99999d", "ten"):
        with pytest.raises(Problem):
            every(bad)
    with pytest.raises(Problem, match="no time of day"):
        daily("25:00", "UTC")
    assert in_words(every("10m")) == "every 10 minutes"
    assert in_words(every("1d")) == "every day"
    assert in_words(daily("2:15", "Europe/Oslo")) == "daily at 02:15 (Europe/Oslo)"
    assert in_words(weekly("Monday", "06:00", "UTC")) == "every Mon at 06:00"
    assert in_words(Timing(cron="0 3 1 * *")) == "monthly on day 1 at 03:00"
    assert in_words(Timing(cron="5 * * * *")) == "every hour at :05"
    assert in_words(Timing(cron="1 2 3 4 *")) == "cron 1 2 3 4 *"
