"""Which chunks snapshots stand on."""

from collections.abc import Callable, Iterator, Sequence, Set

from keepsort.core.snapshot.encoding import (
    BLOB_HEAD,
    Blob,
    Children,
    FactChildren,
    Root,
    decode_attributes,
    decode_facts_index,
    decode_facts_page,
    decode_index,
    decode_page,
)
from keepsort.core.snapshot.store import ChunkStore

#: Finds the chunks that a chunk's bytes name, each with what finds those that it names itself.
_Reader = Callable[[bytes], Iterator[tuple[bytes, "_Reader | None"]]]
_BATCH = 256
#: Where only what is new is read, little is held of each chunk, so more are asked for at once.
_LINKS_AT_ONCE = 2048


def reachable(
    store: ChunkStore, roots: Sequence[Root], seen: set[bytes] | None = None
) -> Iterator[set[bytes]]:
    """Yield the addresses of all chunks that trees stand on, some at a time, each once.

    seen: addresses that were yielded for other trees; what they name is not read again.
    Raises `ChunkMissing` if one of them is not in the store.
    """
    seen = seen if seen is not None else set()
    waiting: list[tuple[bytes, _Reader | None]] = []
    for root in roots:
        waiting.append((root.significant, _page))
        if root.facts is not None:
            waiting.append((root.facts, _facts_page))
    while waiting:
        some = {address: read for address, read in waiting[-_BATCH:] if address not in seen}
        del waiting[-_BATCH:]
        if not some:
            continue
        seen.update(some)
        yield set(some)
        to_read = {address: read for address, read in some.items() if read is not None}
        for address, data in store.get_many(list(to_read)).items():
            read = to_read[address]
            waiting += [(found, how) for found, how in read(data) if found not in seen]


def links(
    store: ChunkStore, roots: Sequence[Root], known: Set[bytes] = frozenset()
) -> dict[bytes, list[bytes]]:
    """Return for each chunk that trees stand on which chunks it names, each read once.

    known: addresses that are not read; they stand in lists, and not for themselves.
    What the store does not give stands for itself with nothing.
    """
    found: dict[bytes, list[bytes]] = {}
    waiting: list[tuple[bytes, _Reader | None]] = []
    for root in roots:
        waiting.append((root.significant, _page))
        if root.facts is not None:
            waiting.append((root.facts, _facts_page))
    while waiting:
        some = {
            address: read
            for address, read in waiting[-_LINKS_AT_ONCE:]
            if address not in found and address not in known
        }
        del waiting[-_LINKS_AT_ONCE:]
        found |= {address: [] for address in some}
        to_read = {address: read for address, read in some.items() if read is not None}
        if not to_read:
            continue
        for address, data in store.get_many(list(to_read)).items():
            named = list(to_read[address](data))
            found[address] = [one for one, _ in named]
            waiting += [(one, how) for one, how in named if one not in found and one not in known]
    return found


def _page(data: bytes) -> Iterator[tuple[bytes, _Reader | None]]:
    # most pages hold no long value, and most objects no others: that is told once a page
    apart = BLOB_HEAD in data
    for entry in decode_page(data):
        if apart and BLOB_HEAD in (raw := bytes(entry.attributes)):
            yield from _blobs(decode_attributes(raw))
        if entry.children is not None:
            yield from _children(entry.children)


def _children(children: Children) -> Iterator[tuple[bytes, _Reader | None]]:
    if children.index is not None:
        yield children.index, _index
    for ref in children.pages or ():
        yield ref.address, _page
    if children.inline is not None:
        yield from _page(children.inline)


def _index(data: bytes) -> Iterator[tuple[bytes, _Reader | None]]:
    for ref in decode_index(data):
        yield ref.address, _page


def _facts_page(data: bytes) -> Iterator[tuple[bytes, _Reader | None]]:
    apart = BLOB_HEAD in data
    for entry in decode_facts_page(data):
        if apart and BLOB_HEAD in (raw := bytes(entry.facts)):
            yield from _blobs(decode_attributes(raw))
        if entry.children is not None:
            yield from _fact_children(entry.children)


def _fact_children(children: FactChildren) -> Iterator[tuple[bytes, _Reader | None]]:
    if children.index is not None:
        yield children.index, _facts_index
    for address in children.pages or ():
        if address is not None:
            yield address, _facts_page
    if children.inline is not None:
        yield from _facts_page(children.inline)


def _facts_index(data: bytes) -> Iterator[tuple[bytes, _Reader | None]]:
    for address in decode_facts_index(data):
        if address is not None:
            yield address, _facts_page


def _blobs(value: object) -> Iterator[tuple[bytes, _Reader | None]]:
    if isinstance(value, Blob):
        yield value.address, None
    elif isinstance(value, list):
        for one in value:
            yield from _blobs(one)
    elif isinstance(value, dict):
        for one in value.values():
            yield from _blobs(one)
