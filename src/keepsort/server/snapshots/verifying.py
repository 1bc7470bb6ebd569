"""Verifying backups: all that they stand on is read again and hashed."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from keepsort.core.snapshot import ChunkMissing, Root, Snapshot, reachable
from keepsort.core.snapshot.damage import damaged_places
from keepsort.server import collecting
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.store.checking import CheckingStore

Progress = Callable[[int], None]
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


@dataclass
class Verified:
    """How many chunks were read and hashed, and which backups are damaged."""

    checked: int
    damaged: list[Damage]


def verify(records: Sequence[Record], progress: Progress | None = None) -> Verified:
    """Read and hash all that some backups stand on; what several share is read once."""
    store = CheckingStore()
    seen: set[bytes] = set()
    with collecting.paused():
        for record in records:
            _check(store, record, seen, progress)
        damaged = [found for record in records if (found := _damage(store, record)) is not None]
    return Verified(store.checked, damaged)


def _check(
    store: CheckingStore, record: Record, seen: set[bytes], progress: Progress | None
) -> None:
    schema = bytes(record.schema)
    if schema not in seen:
        seen.add(schema)
        store.get_many([schema])
    root = Root(
        bytes(record.significant), bytes(record.facts) if record.facts is not None else None,
        record.objects_count, tuple(record.at),
    )  # fmt: skip
    read = _Held(store)
    for some in reachable(read, [root], seen):
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
