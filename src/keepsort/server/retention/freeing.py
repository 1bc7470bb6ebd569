"""How much space goes with backups: only what nothing else stands on."""

from collections.abc import Sequence

from keepsort.core.snapshot import ChunkMissing, Root, links
from keepsort.server import cycle_collector
from keepsort.server.history.roots import kept_roots
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import root_of
from keepsort.server.store.postgres import PostgresStore, packed_against, sizes


def frees(going: Sequence[Record]) -> dict[int, int] | None:
    """Return the bytes that are freed when backups go in this order, by their numbers.

    What several of them share counts for the last. None where it cannot be told, since something
    that is kept is damaged.
    """
    staying, schemas = kept_roots({record.pk for record in going})
    try:
        with cycle_collector.paused():
            return _frees(going, staying, schemas)
    except ChunkMissing:
        return None


def _frees(going: Sequence[Record], staying: list[Root], schemas: set[bytes]) -> dict[int, int]:
    store = PostgresStore()
    own = [(root_of(record), bytes(record.schema)) for record in going]
    # what those that go stand on is little of it all, mostly: it is read first, and what else
    # stands on it is only followed where the two meet
    named = links(store, [root for root, _ in own])
    kept = _reached(store, staying, named) | schemas
    owner: dict[bytes, int] = {}
    for record, (root, schema) in reversed(list(zip(going, own, strict=True))):
        waiting = [schema, root.significant, *([root.facts] if root.facts is not None else [])]
        while waiting:
            address = waiting.pop()
            if address in kept or address in owner:
                continue
            owner[address] = record.pk
            waiting += named.get(address, ())
    size_of = sizes(owner)
    _leave_bases(owner, size_of)
    found = {record.pk: 0 for record in going}
    for address, number in owner.items():
        found[number] += size_of.get(address, 0)
    return found


def _reached(
    store: PostgresStore, roots: list[Root], named: dict[bytes, list[bytes]]
) -> set[bytes]:
    """Return which of some chunks others stand on, and with each of them all that it names."""
    # what is named by one of these need not be read again
    others = links(store, roots, known=named.keys())
    met: set[bytes] = set()
    for root in roots:
        met |= {root.significant, root.facts or b""} & named.keys()
    for names in others.values():
        met.update(name for name in names if name in named)
    waiting, found = list(met), set()
    while waiting:
        address = waiting.pop()
        if address not in found:
            found.add(address)
            waiting += named.get(address, ())
    return found


def _leave_bases(owner: dict[bytes, int], size_of: dict[bytes, int]) -> None:
    """Count nothing for chunks that others which stay are packed against: they stay too."""
    bases = {base for base, address in packed_against(owner) if address not in owner}
    while bases:
        for base in bases:
            size_of[base] = 0
        # what these are packed against stays with them
        held = packed_against(owner.keys() - bases)
        more = {base for base, address in held if size_of.get(address) == 0}
        bases = {base for base in more if size_of.get(base)}
