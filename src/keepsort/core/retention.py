"""Which backups stay and which go: a policy, applied to what is kept.

Backups of different branches, or that take different things, never stand for each other: each
series is judged alone. Good ones and those with problems are counted apart, so that many bad states
never wash away a good one.
"""

from collections.abc import Callable, Iterable, Sequence
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import msgspec

#: What a series is called by: the branch, and what its backups take.
Series = tuple[str, ...]


class Policy(msgspec.Struct, frozen=True, omit_defaults=True):
    """How long backups are kept. Where nothing is set, all are.

    good, problems: how many of the newest good ones, and of those with problems, stay.
    daily, weekly, monthly, yearly: for so many days, weeks, months or years, the newest good one of
        each stays.
    zone: where days begin (IANA time zone).

    As soon as one of the others is set, good ones that none of them keeps go; those with problems
    go only where `problems` is set.
    """

    good: int | None = None
    problems: int | None = None
    daily: int | None = None
    weekly: int | None = None
    monthly: int | None = None
    yearly: int | None = None
    zone: str = "UTC"

    @property
    def limits_good(self) -> bool:
        """Tell whether good backups go at all."""
        return any(n is not None for n in (self.good, *(get(self) for _, get, *_ in _SPANS)))


class Held(msgspec.Struct, frozen=True):
    """A backup that is kept.

    needed: why it may not go, whatever the policy says, in words.
    """

    number: int
    at: datetime
    series: Series = ()
    good: bool = True
    needed: tuple[str, ...] = ()


class Verdict(msgspec.Struct, frozen=True):
    """Whether a backup stays. why: what keeps it, in words; where nothing does, it goes."""

    held: Held
    why: tuple[str, ...] = ()


def judge(policy: Policy, backups: Iterable[Held], now: datetime) -> list[Verdict]:
    """Judge all backups of one system, newest first.

    now: aware; days, weeks, months and years are counted back from it.
    """
    ordered = sorted(backups, key=lambda one: (one.at, one.number), reverse=True)
    why: dict[int, list[str]] = {one.number: list(one.needed) for one in ordered}
    series: dict[tuple[Series, bool], list[Held]] = {}
    for one in ordered:
        series.setdefault((one.series, one.good), []).append(one)
    for (_, good), some in series.items():
        if good:
            _judge_good(policy, some, why, now)
        else:
            _newest(some, policy.problems, "with problems", why)
    return [Verdict(one, tuple(why[one.number])) for one in ordered]


def _newest(some: Sequence[Held], count: int | None, what: str, why: dict[int, list[str]]) -> None:
    for one in some if count is None else some[:count]:
        told = "no rule says how long" if count is None else f"of the last {count} {what}"
        why[one.number].append(told)


def _judge_good(
    policy: Policy, some: Sequence[Held], why: dict[int, list[str]], now: datetime
) -> None:
    if not policy.limits_good:
        _newest(some, None, "good", why)
        return
    why[some[0].number].append("the newest good one")
    _newest(some, policy.good or 0, "good", why)
    zone = ZoneInfo(policy.zone)
    today = now.astimezone(zone)
    for name, wanted, span_of, number_of in _SPANS:
        count = wanted(policy)
        if not count:
            continue
        seen: set[int] = set()
        for one in some:  # newest first: the first of each span is its newest
            local = one.at.astimezone(zone)
            span = number_of(local)
            if number_of(today) - span < count and span not in seen:
                seen.add(span)
                why[one.number].append(f"newest of {name} {span_of(local)}")


def _week(at: datetime) -> int:
    return (at.date() - timedelta(days=at.weekday())).toordinal() // 7


#: Each rule by time: what its span is called, the rule, how a span is written, and its number.
_SPANS: tuple[
    tuple[
        str, Callable[[Policy], int | None], Callable[[datetime], str], Callable[[datetime], int]
    ],
    ...,
] = (
    ("day", lambda p: p.daily, lambda at: f"{at:%Y-%m-%d}", lambda at: at.toordinal()),
    ("week", lambda p: p.weekly, lambda at: f"{at:%G-W%V}", _week),
    (
        "month", lambda p: p.monthly, lambda at: f"{at:%Y-%m}",
        lambda at: at.year * 12 + at.month,
    ),
    ("year", lambda p: p.yearly, lambda at: f"{at:%Y}", lambda at: at.year),
)  # fmt: skip


def next_to_go(
    policy: Policy,
    backups: Sequence[Held],
    now: datetime,
    coming: Iterable[tuple[datetime, Series | None]],
) -> tuple[datetime, list[int]] | None:
    """Tell which backups go next and when, if all that is scheduled is made and turns out good.

    coming: the times at which backups are expected or days begin, in order, each with the series
        that gets a new one, if any does. Returns None where none goes within these.
    """
    expected = list(backups)
    kept = {v.held.number for v in judge(policy, backups, now) if v.why}
    for number, (at, series) in enumerate(coming, 1):
        if series is not None:
            expected.append(Held(-number, at, series))
        gone = [
            v.held.number
            for v in judge(policy, expected, at)
            if not v.why and v.held.number in kept
        ]
        if gone:
            return at, gone
    return None
