"""Verifying backups: all that they stand on is read again and hashed.

What is found broken counts as not there from then on, so that the next backup which holds the same
content stores it anew; then the backups that were damaged are whole again.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta

from django.utils import timezone

from keepsort.core.snapshot import ChunkMissing, Snapshot, links, reachable
from keepsort.core.snapshot.damage import damaged_places
from keepsort.server import cycle_collector
from keepsort.server.events.notify import tell
from keepsort.server.logs import log
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import Progress, open_snapshot, root_of
from keepsort.server.store.checking import CheckingStore
from keepsort.server.store.postgres import mark_broken
from keepsort.server.systems.models import System

_PLACES_TOLD = 1000


@dataclass
class Damage:
    """What of one backup cannot be read: places, each with what of it.

    schema: the kinds themselves cannot be read, so nothing of the backup can.
    """

    record: Record
    places: list[tuple[str, str]] = field(default_factory=list)
    more: int = 0
    schema: bool = False

    @property
    def count(self) -> int:
        """How many places there are."""
        return 1 if self.schema else len(self.places) + self.more


@dataclass
class Verified:
    """How many chunks were read and hashed, and which backups are damaged.

    bad: addresses of what cannot be read.
    """

    checked: int
    damaged: list[Damage]
    bad: frozenset[bytes] = frozenset()


def verify(records: Sequence[Record], progress: Progress | None = None) -> Verified:
    """Read and hash all that some backups stand on; what several share is read once."""
    store = CheckingStore()
    seen: set[bytes] = set()
    with cycle_collector.paused():
        for record in records:
            _check(store, record, seen, progress)
        damaged = [found for record in records if (found := _damage(store, record)) is not None]
    return Verified(store.checked, damaged, frozenset(store.bad))


def verify_and_mark(records: Sequence[Record], progress: Progress | None = None) -> Verified:
    """Verify backups and keep what was found, of all backups that share what is broken too."""
    found = verify(records, progress)
    now = timezone.now()
    if found.bad:
        log.error("what backups stand on is damaged", chunks=len(found.bad))
        mark_broken(found.bad)
        known = {record.pk for record in records}
        others = Record.objects.filter(kind=Record.Kind.BACKUP).exclude(pk__in=known)
        store = CheckingStore()
        sharing = _sharing(store, found.bad, list(others.select_related("system")))
        store.bad |= found.bad
        with cycle_collector.paused():
            found.damaged += [d for one in sharing if (d := _damage(store, one)) is not None]
    damaged = {one.record.pk: one for one in found.damaged}
    for record in records:
        record.verified_at = now
        _keep(record, damaged.pop(record.pk, None))
    for rest in damaged.values():
        _keep(rest.record, rest)
    return found


def _keep(record: Record, damage: Damage | None) -> None:
    places = damage.places if damage is not None else []
    if damage is not None and damage.schema:
        places = [("/", "its kinds, and with them all of it")]
    record.damage = [{"path": path, "text": text} for path, text in places]
    record.damage_count = damage.count if damage is not None else 0
    record.save(update_fields=["verified_at", "damage", "damage_count"])
    tell("record", record.pk, record.system_id)


def _sharing(store: CheckingStore, bad: Iterable[bytes], records: list[Record]) -> list[Record]:
    """Return those backups that stand on something bad."""
    roots = [root_of(record) for record in records]
    named_by: dict[bytes, list[bytes]] = {}
    for address, names in links(store, roots).items():
        for name in names:
            named_by.setdefault(name, []).append(address)
    reached = set(bad) | store.bad
    waiting = list(reached)
    while waiting:
        for address in named_by.get(waiting.pop(), ()):
            if address not in reached:
                reached.add(address)
                waiting.append(address)
    return [
        record
        for record, root in zip(records, roots, strict=True)
        if not reached.isdisjoint({root.significant, root.facts, bytes(record.schema)})
    ]


def verify_system(
    system: System, of: Record | None, progress: Progress | None = None
) -> tuple[str, int]:
    """Verify one backup of a system, or all; return what was found in words, and chunks read."""
    kept = [of] if of is not None else list(_backups(system))
    found = verify_and_mark(kept, progress)
    count = len(found.damaged)
    if not count:
        return f"{len(kept)} read and hashed: all is as it was kept.", found.checked
    return f"{count} {'is' if count == 1 else 'are'} damaged; each says where.", found.checked


def is_verify_due(system: System) -> bool:
    """Tell whether backups of a system were not read for as long as it says, nor asked to be."""
    ago = timezone.now() - timedelta(days=system.verify_days)
    kept = system.records.filter(kind=Record.Kind.BACKUP)
    due = kept.filter(verified_at__lt=ago) | kept.filter(verified_at=None, taken_at__lt=ago)
    tried = system.work.filter(kind=Work.Kind.VERIFY, asked_at__gt=ago)
    return bool(system.verify_days) and due.exists() and not tried.exists()


def _backups(system: System) -> Iterable[Record]:
    return system.records.filter(kind=Record.Kind.BACKUP).select_related("system")


def mend(record: Record) -> None:
    """After a backup: see which damaged ones are whole again, now that its content is stored."""
    hurt = Record.objects.filter(kind=Record.Kind.BACKUP).exclude(damage_count=0)
    damaged = list(hurt.exclude(pk=record.pk).select_related("system"))
    if damaged:
        verify_and_mark(damaged)


def _check(
    store: CheckingStore, record: Record, seen: set[bytes], progress: Progress | None
) -> None:
    schema = bytes(record.schema)
    if schema not in seen:
        seen.add(schema)
        store.get_many([schema])
    read = _Held(store)
    for some in reachable(read, [root_of(record)], seen):
        read.hold(some)
        if progress is not None:
            progress(store.checked)


class _Held:
    """Reads chunks as soon as they are named, and lets `reachable` have those that are good."""

    def __init__(self, store: CheckingStore) -> None:
        self._store = store
        self._held: Mapping[bytes, bytes] = {}
        self.has_many, self.put_many = store.has_many, store.put_many

    def hold(self, addresses: set[bytes]) -> None:
        """Read chunks; those of the time before are let go."""
        self._held = self._store.get_many(list(addresses))

    def get_many(self, addresses: Sequence[bytes]) -> Mapping[bytes, bytes]:
        """Return those that were read last."""
        return {address: self._held[address] for address in addresses if address in self._held}


def _damage(store: CheckingStore, record: Record) -> Damage | None:
    """Tell which objects of a backup stand on what is bad."""
    if not store.bad:
        return None
    if bytes(record.schema) in store.bad:
        return Damage(record, schema=True)
    try:
        tree = open_snapshot(record)
        fresh = Snapshot(store, tree.root, tree.schema)
        found = Damage(record)
        for path, what in damaged_places(fresh, store.bad):
            if len(found.places) < _PLACES_TOLD:
                found.places.append((fresh.schema.notation.write(path), what))
            else:
                found.more += 1
    except (ChunkMissing, KeyError):
        return Damage(record, [("/", "its tree")])
    return found if found.places else None
