"""Letting backups go: by the policy of their system, or by hand."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from heapq import merge
from itertools import islice
from operator import itemgetter

import msgspec
from django.db import transaction
from django.db.models import ProtectedError
from django.utils import timezone

from keepsort.core.retention import Held, Policy, Series, judge, next_to_go
from keepsort.server.events.notify import tell
from keepsort.server.history.forgetting import forget
from keepsort.server.locks import Space, alone
from keepsort.server.logs import log
from keepsort.server.problems import Problem
from keepsort.server.retention.freeing import frees
from keepsort.server.retention.needs import needs_of
from keepsort.server.schedules.models import Schedule
from keepsort.server.schedules.services import own_choice, timing_of
from keepsort.server.schedules.times import checked_zone, times
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import newest
from keepsort.server.systems.models import System

_AHEAD, _AHEAD_FOR = 150, timedelta(days=60)


@dataclass(frozen=True)
class Planned:
    """What a policy does with the backups of a system.

    goes: those that go, oldest first, each with the bytes that are freed; None where that cannot be
    told. keeps: the others, newest first, each with why.
    """

    policy: Policy
    goes: list[tuple[Record, int | None]]
    keeps: list[tuple[Record, tuple[str, ...]]]

    @property
    def freed(self) -> int | None:
        """All the bytes that are freed."""
        sizes = [size for _, size in self.goes]
        return None if None in sizes else sum(size for size in sizes if size is not None)


def policy_of(system: System) -> Policy:
    """Return how long backups of a system are kept."""
    return msgspec.convert(system.retention, Policy)


def checked(policy: Policy) -> Policy:
    """Return a policy that can be gone by. Raises `Problem`."""
    numbers = (
        policy.good, policy.problems, policy.daily, policy.weekly, policy.monthly, policy.yearly,
    )  # fmt: skip
    if any(n is not None and not 0 <= n <= 100_000 for n in numbers):
        raise Problem("How many are kept is a number from 0 to 100000.")
    checked_zone(policy.zone)
    return policy


def held(system: System, now: datetime) -> dict[int, tuple[Record, Held]]:
    """Return the backups of a system as a policy judges them."""
    needs = needs_of(system, now)
    kept = system.records.filter(kind=Record.Kind.BACKUP)
    records = list(kept.defer("problems", "damage", "gaps", "kinds"))
    return {r.pk: (r, _held(r, needs.get(r.pk, ()))) for r in records}


def _held(record: Record, needed: Iterable[str]) -> Held:
    return Held(
        record.pk, record.taken_at, _series(record.at, record.choice if record.narrowed else None),
        not record.problem_count and not record.damage_count, tuple(needed),
    )  # fmt: skip


def _series(at: list[str], choice: object) -> Series:
    return (*at, msgspec.json.encode(choice, order="deterministic").decode())


def plan(system: System, policy: Policy | None = None, now: datetime | None = None) -> Planned:
    """Tell what a policy would do: the system's own one where None. Nothing is changed."""
    now = now or timezone.now()
    policy = policy if policy is not None else policy_of(system)
    found = held(system, now)
    verdicts = judge(policy, [one for _, one in found.values()], now)
    going = [found[v.held.number][0] for v in reversed(verdicts) if not v.why]
    sizes = frees(going) if going else {}
    return Planned(
        policy,
        [(record, sizes[record.pk] if sizes is not None else None) for record in going],
        [(found[v.held.number][0], v.why) for v in verdicts if v.why],
    )


def ahead(system: System, now: datetime) -> tuple[datetime, list[int]] | None:
    """Tell which backups go next and when, if all is made that is scheduled."""
    policy = policy_of(system)
    if policy == Policy():
        return None
    found = [one for _, one in held(system, now).values()]
    return next_to_go(policy, found, now, islice(_coming(system, now), _AHEAD))


def _coming(system: System, now: datetime) -> Iterator[tuple[datetime, Series | None]]:
    until = now + _AHEAD_FOR
    schedules = system.schedules.filter(paused=False).select_related("system")
    streams: list[Iterator[tuple[datetime, Series | None]]] = [_expected(s, now) for s in schedules]
    # a day that begins takes others out of what is counted back; no backup is made by it
    streams.append((now + timedelta(days=n), None) for n in range(1, _AHEAD_FOR.days))
    for at, series in merge(*streams, key=itemgetter(0)):
        if at > until:
            return
        yield at, series


def _expected(schedule: Schedule, now: datetime) -> Iterator[tuple[datetime, Series | None]]:
    series = _series(schedule.at, own_choice(schedule))
    return ((at, series) for at in times(timing_of(schedule), now))


def save_policy(system: System, policy: Policy) -> None:
    """Keep backups of a system by another policy from now on; what it drops goes within the hour.

    Raises `Problem`.
    """
    system.retention = msgspec.to_builtins(checked(policy))
    system.save(update_fields=["retention"])
    tell("record", 0, system.pk)


def apply(system: System) -> list[int]:
    """Let go what the policy of a system drops; return the numbers of these backups."""
    policy = policy_of(system)
    if policy == Policy():
        return []
    with alone(Space.RETENTION, system.pk) as alone_here:
        if not alone_here:
            return []
        now = timezone.now()
        judged = judge(policy, [one for _, one in held(system, now).values()], now)
        dropped = [v.held.number for v in judged if not v.why and _drop(system, v.held.number)]
        if dropped:
            forget(system)
            log.info("backups dropped by policy", system=system.pk, backups=dropped)
            tell("record", 0, system.pk)
        return dropped


def _drop(system: System, number: int) -> bool:
    """Let one backup go, unless something has come to need it since it was judged."""
    with transaction.atomic():
        record = Record.objects.select_for_update().filter(pk=number).first()
        if record is None or number in needs_of(system):
            return False
        try:
            record.delete()
        except ProtectedError:  # somebody has just begun to build on it, or to preview
            return False
    return True


def why_needed(record: Record) -> list[str]:
    """Return what needs a backup, in words; where nothing does, it may be deleted."""
    return needs_of(record.system).get(record.pk, [])


def what_is_lost(record: Record) -> list[str]:
    """Return what goes with a backup that nothing else has, in words."""
    others = record.system.records.filter(kind=Record.Kind.BACKUP, at=record.at)
    others = others.exclude(pk=record.pk)
    told = []
    if not others.exists():
        told.append("It is the only backup of its place.")
    elif not record.problem_count and not others.filter(problem_count=0).exists():
        told.append("It is the only good one of its place.")
    if record.at == [] and not record.narrowed and record == newest(record.system, record.kind):
        told.append("It is the newest: what differs live is told from the one before then.")
    if record.copies.filter(dropped=False).exclude(name="").exists():
        told.append("A copy of it off this machine stays.")
    return told


def delete(record: Record) -> int | None:
    """Delete a backup; return the bytes that are freed, None where that cannot be told.

    The space is given back by the collector. Raises `Problem` where something needs it.
    """
    why = why_needed(record)
    number, system = record.pk, record.system
    sizes = frees([record]) if not why else None
    if why or not _drop(system, number):
        reason = "; ".join(why) or "a look or a preview has just begun to use it"
        raise Problem(
            f"Backup {number} is needed: {reason}.", "Let go of that first, then delete it.", 409
        )
    forget(system)
    log.info("backup deleted", system=system.pk, backup=number)
    tell("record", 0, system.pk)
    return sizes[number] if sizes is not None else None
