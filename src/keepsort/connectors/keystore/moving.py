"""Moves a branch of keys: everything is put at its new place, then taken away from the old one."""

from collections.abc import Iterator

from keepsort.connectors.base import (
    Seen,
)
from keepsort.connectors.errors import Changed, Conflict
from keepsort.connectors.keystore.client import Client, KeyValue, Range
from keepsort.connectors.keystore.names import Names
from keepsort.connectors.keystore.reading import Reading, shown
from keepsort.connectors.keystore.requests import (
    absent,
    delete,
    put,
    unchanged,
    wire,
)
from keepsort.core.model import Path
from keepsort.core.plan import Step

_Key = tuple[Path, KeyValue]
#: What an operation takes beside its key and its value.
OVERHEAD = 64


class Moving:
    """Moves within one store, in as many transactions as its limits make it."""

    def __init__(
        self, client: Client, names: Names, reading: Reading, limit: int, most_bytes: int
    ) -> None:
        self._client = client
        self._names = names
        self._reading = reading
        self._limit = limit
        self._bytes = most_bytes

    def move(self, step: Step, seen: Seen) -> None:
        """Put everything at its new place, then take it away from the old one."""
        assert step.to is not None
        moving = list(self._branch(step.path))
        own = next((kv.mod_revision for path, kv in moving if path == step.path), "0")
        if own != seen.version:
            raise Changed(f"{shown(self._names.key(step.path))} was changed at this very moment.")
        targets = {
            kv.key: self._names.key((*step.to, *path[len(step.path) :])) for path, kv in moving
        }
        standing = {kv.key: kv.value for _, kv in self._branch(step.to)}
        for _, kv in moving:
            # what stands there with the same value was put there before an interruption
            if standing.get(targets[kv.key], kv.value) != kv.value:
                raise self._in_the_way(step.to)
        if standing.keys() - set(targets.values()):
            raise self._in_the_way(step.to)
        puts = [kv for _, kv in moving if targets[kv.key] not in standing]
        shares = self._shares(moving)
        if len(shares) <= 1:
            self._swap(puts, [kv for _, kv in moving], targets)
        else:
            for share in self._shares([(path, kv) for path, kv in moving if kv in puts]):
                self._swap(share, [], targets)
            for share in self._shares(list(reversed(moving))):  # leaves first
                self._swap([], share, targets)

    def _shares(self, keys: list[_Key]) -> list[list[KeyValue]]:
        """Divide keys so that each share can be put and deleted in one transaction."""
        shares: list[list[KeyValue]] = []
        room = 0
        for _, kv in keys:
            size = 2 * (2 * len(kv.key) + len(kv.value) + OVERHEAD)
            if not shares or size > room or len(shares[-1]) >= max(self._limit // 2, 1):
                shares.append([])
                room = self._bytes
            shares[-1].append(kv)
            room -= size
        return shares

    def _swap(
        self, puts: list[KeyValue], deletes: list[KeyValue], targets: dict[bytes, bytes]
    ) -> None:
        touched = {kv.key: kv for kv in (*puts, *deletes)}.values()
        compare = [unchanged(wire(kv.key), kv.mod_revision) for kv in touched]
        compare += [absent(wire(targets[kv.key])) for kv in puts]
        success = [put(wire(targets[kv.key]), wire(kv.value), lease=kv.lease) for kv in puts]
        success += [delete(wire(kv.key)) for kv in deletes]
        if success and not self._client.transaction(compare, success).succeeded:
            raise Changed("One of the keys was changed by somebody at this very moment.")

    def _branch(self, path: Path) -> Iterator[_Key]:
        own = self._client.range(self._names.key(path)) if path else Range()
        yield from ((path, kv) for kv in own.kvs)
        for page in self._reading.pages(*self._names.span(path)):
            yield from ((self._names.path(kv.key), kv) for kv in page.kvs)

    def _in_the_way(self, path: Path) -> Conflict:
        key = shown(self._names.key(path))
        return Conflict(f"{key} exists, and would be overwritten.", self._reading.read_one(path))
