"""Writes pages of entries to a store, and tells the store what they resemble."""

from collections.abc import Callable

from keepsort.core.model.canonical import digest
from keepsort.core.model.objects import Attributes, Value
from keepsort.core.snapshot.encoding import (
    BLOB_OVER,
    INLINE_BYTES,
    NO_FACTS,
    PAGES_INLINE,
    Blob,
    Children,
    FactChildren,
    FactEntry,
    Item,
    PageRef,
    cut_pages,
    encode,
    pack_array,
)
from keepsort.core.snapshot.store import Chunk, ChunkStore

_BATCH_CHUNKS = 512
_BATCH_BYTES = 8 << 20
#: A page of at least so many bytes may serve as the pattern for others.
_PATTERN_BYTES = 4096
_EMPTY_FACTS = encode(FactEntry(NO_FACTS))

#: Finds the address of an older chunk that a new one resembles; asked only for new chunks.
Resemblance = Callable[[], bytes | None]


class ChunkWriter:
    """Collects chunks and hands new ones to the store in batches."""

    def __init__(self, store: ChunkStore) -> None:
        self._store = store
        self._pending: dict[bytes, tuple[bytes, Resemblance | None]] = {}
        self._bytes = 0
        self._pattern: bytes | None = None
        self.stored_bytes = 0

    def put(self, data: bytes, like: Resemblance | None = None) -> bytes:
        """Keep `data`, now or with a later batch, and return its address."""
        address = digest(data)
        if address not in self._pending:
            self._pending[address] = (data, like)
            self._bytes += len(data)
            if len(self._pending) >= _BATCH_CHUNKS or self._bytes >= _BATCH_BYTES:
                self.flush()
        return address

    def flush(self) -> None:
        """Hand everything collected to the store."""
        if not self._pending:
            return
        kept = self._store.has_many(list(self._pending))
        new = [
            Chunk(address, data, (like() if like else None) or self._pattern)
            for address, (data, like) in self._pending.items()
            if address not in kept
        ]
        if self._pattern is None:
            # pages without an older like resemble each other: they have the same names in them
            self._pattern = next((c.address for c in new if len(c.data) >= _PATTERN_BYTES), None)
        if new:
            self.stored_bytes += self._store.put_many(new)
        self._pending.clear()
        self._bytes = 0

    def without_blobs(self, attributes: Attributes) -> Attributes:
        """Return the attributes with long values put into chunks of their own."""
        if any(_is_long(v) for v in attributes.values()):
            return {name: self._blob(value) for name, value in attributes.items()}
        return attributes

    def _blob(self, value: Value) -> Value:
        if isinstance(value, list):
            return [self._blob(v) for v in value]
        if isinstance(value, str | bytes) and len(value) > BLOB_OVER:
            data = value.encode("utf-8", "surrogatepass") if isinstance(value, str) else value
            return Blob(self.put(data), len(data), isinstance(value, str))
        return value


def _is_long(value: Value) -> bool:
    if isinstance(value, str | bytes):
        return len(value) > BLOB_OVER
    return isinstance(value, list) and any(_is_long(v) for v in value)


def write_children(
    writer: ChunkWriter,
    items: list[Item],
    size: int,
    like_page: Callable[[str, bool], bytes | None] | None = None,
) -> tuple[Children | None, FactChildren | None]:
    """Write sorted items as pages, with their facts beside them.

    size: bytes of all entries together.
    like_page: given the first key of a page and whether facts are meant, finds the older page
        that it resembles.
    """
    if not items:
        return None, None
    if size <= INLINE_BYTES:
        return _inline(items)
    pages: list[PageRef] = []
    facts: list[bytes | None] = []
    has_facts = any(item.facts is not None for item in items)
    for page in cut_pages(items):
        first = page[0].key
        total = sum([item.total for item in page])
        address = writer.put(
            pack_array([i.entry for i in page]), _resembling(like_page, first, False)
        )
        pages.append(PageRef(address, first, len(page), total))
        if has_facts:
            facts.append(_write_facts(writer, page, _resembling(like_page, first, True)))
    count, total = len(items), sum(p.total for p in pages)
    kept_facts = facts if has_facts else None
    if len(pages) <= PAGES_INLINE:
        return (
            Children(count, total, pages),
            FactChildren(kept_facts) if kept_facts else None,
        )
    index = writer.put(encode(pages), _resembling(like_page, "", False))
    facts_index = (
        writer.put(encode(kept_facts), _resembling(like_page, "", True)) if kept_facts else None
    )
    return (
        Children(count, total, None, index),
        FactChildren(None, facts_index) if facts_index else None,
    )


def _inline(items: list[Item]) -> tuple[Children, FactChildren | None]:
    total = sum(item.total for item in items)
    page = pack_array([item.entry for item in items])
    facts = None
    if any(item.facts is not None for item in items):
        packed = pack_array([item.facts or _EMPTY_FACTS for item in items])
        facts = FactChildren(inline=packed)
    return Children(len(items), total, inline=page), facts


def _resembling(
    like_page: Callable[[str, bool], bytes | None] | None, first: str, facts: bool
) -> Resemblance | None:
    return None if like_page is None else lambda: like_page(first, facts)


def _write_facts(writer: ChunkWriter, page: list[Item], like: Resemblance | None) -> bytes | None:
    if all(item.facts is None for item in page):
        return None
    return writer.put(pack_array([item.facts or _EMPTY_FACTS for item in page]), like)
