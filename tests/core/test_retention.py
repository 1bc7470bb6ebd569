"""Retention, judged by a naive reading of each rule, one backup at a time."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.retention import Held, Policy, judge, next_to_go

NOW = datetime(2026, 11, 26, 18, 30, tzinfo=UTC)
counts = st.none() | st.integers(0, 6)
policies = st.builds(
    Policy, good=counts, problems=counts, daily=counts, weekly=counts, monthly=counts,
    yearly=counts, zone=st.sampled_from(["UTC", "Europe/Oslo", "Pacific/Chatham"]),
)  # fmt: skip
moments = st.one_of(
    st.integers(0, 60 * 24 * 3), st.integers(0, 60 * 24 * 90), st.integers(0, 60 * 24 * 1500)
).map(lambda minutes: NOW - timedelta(minutes=minutes))


@st.composite
def kept(draw: st.DrawFn) -> list[Held]:
    times = draw(st.lists(moments, max_size=25))
    return [
        Held(
            number, at, draw(st.sampled_from([(), ("ou=divers",)])), draw(st.booleans()),
            draw(st.sampled_from([(), (), (), ("pinned",)])),
        )
        for number, at in enumerate(times)
    ]  # fmt: skip


def stays(policy: Policy, one: Held, backups: list[Held], now: datetime = NOW) -> bool:
    """The naive version, from the words of the policy."""
    newer = [
        other
        for other in backups
        if (other.series, other.good) == (one.series, one.good)
        and (other.at, other.number) > (one.at, one.number)
    ]
    if one.needed:
        return True
    if not one.good:
        return policy.problems is None or len(newer) < policy.problems
    rules = (policy.good, policy.daily, policy.weekly, policy.monthly, policy.yearly)
    if all(rule is None for rule in rules):
        return True
    if not newer or len(newer) < (policy.good or 0):
        return True
    zone = ZoneInfo(policy.zone)

    def local(at: datetime) -> datetime:
        return at.astimezone(zone)

    spans = (
        (policy.daily, lambda at: at.strftime("%Y-%m-%d"), 1),
        (policy.weekly, lambda at: at.strftime("%G-%V"), 7),
        (policy.monthly, lambda at: at.strftime("%Y-%m"), 28),
        (policy.yearly, lambda at: at.strftime("%Y"), 365),
    )
    for count, name, _ in spans:
        if not count:
            continue
        # the names of the last spans, by going back day by day from today
        day, names = local(now), []
        while len(names) < count:
            if name(day) not in names:
                names.append(name(day))
            day -= timedelta(days=1)
        mine = name(local(one.at))
        if mine in names and all(name(local(other.at)) != mine for other in newer):
            return True
    return False


@given(policies, kept())
def test_each_backup_stays_if_a_rule_says_so(policy: Policy, backups: list[Held]) -> None:
    for verdict in judge(policy, backups, NOW):
        assert bool(verdict.why) == stays(policy, verdict.held, backups), verdict


@given(policies, kept())
def test_what_was_judged_once_stays_judged_so(policy: Policy, backups: list[Held]) -> None:
    left = [v.held for v in judge(policy, backups, NOW) if v.why]
    assert all(v.why for v in judge(policy, left, NOW))
    for series in {b.series for b in backups if b.good}:
        good = [b for b in backups if b.series == series and b.good]
        assert max(good, key=lambda b: (b.at, b.number)) in left
    assert {b.number for b in backups if b.needed} <= {b.number for b in left}


@given(policies, kept(), st.integers(1, 50))
def test_what_goes_next_goes_then_and_not_before(
    policy: Policy, backups: list[Held], hours: int
) -> None:
    coming = [(NOW + timedelta(hours=hours * n), ()) for n in range(1, 12)]
    left = [v.held for v in judge(policy, backups, NOW) if v.why]
    found = next_to_go(policy, left, NOW, coming)
    made: list[Held] = []
    for number, (at, series) in enumerate(coming):
        made.append(Held(1000 + number, at, series))
        gone = [b.number for b in left if not stays(policy, b, [*left, *made], at)]
        if gone:
            assert found is not None
            assert found[0] == at
            assert sorted(found[1]) == sorted(gone)
            return
    assert found is None
