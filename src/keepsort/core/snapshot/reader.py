"""Reads a snapshot, loading only the pages that are asked for."""

from bisect import bisect_left, bisect_right
from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import accumulate
from threading import Lock
from typing import Any, TypeVar

import msgspec

from keepsort.core.model.kinds import Schema
from keepsort.core.model.objects import Attributes, ConfigObject, Path, Value
from keepsort.core.snapshot.encoding import (
    Blob,
    Children,
    Entry,
    FactChildren,
    FactEntry,
    PageRef,
    Root,
    decode_attributes,
    decode_facts_index,
    decode_facts_page,
    decode_index,
    decode_page,
    decode_raw_page,
)
from keepsort.core.snapshot.store import ChunkStore

_T = TypeVar("_T")


class Node(msgspec.Struct, frozen=True):
    """An entry in its place.

    facts: what the facts tree holds for it, or the address of the page that does; `position` is
        where on that page.
    """

    path: Path
    entry: Entry
    facts: FactEntry | bytes | None = None
    position: int = 0


#: A page of encoded entries, and its facts: themselves, or the address of the page they lie on.
RawPage = tuple[list[FactEntry] | bytes | None, list[msgspec.Raw]]
#: Encoded entries of pages, by the pages' addresses.
Pages = Mapping[bytes, list[msgspec.Raw]]


def read_pages(
    one: "Snapshot", ones: set[bytes], two: "Snapshot", twos: set[bytes]
) -> dict[bytes, list[msgspec.Raw]]:
    """Read pages of two snapshots as encoded entries, by the pages' addresses.

    Where both have one store that is a single call: pages of one are what those of the other are
    stored against.
    """
    if one.store is two.store:
        read = dict(one.store.get_many(list(ones | twos)))
    else:
        read = {**one.store.get_many(list(ones)), **two.store.get_many(list(twos))}
    return {address: decode_raw_page(data) for address, data in read.items()}


def _starts_of(refs: Sequence[PageRef]) -> list[int]:
    return list(accumulate((ref.count for ref in refs), initial=0))


def _decode_starts(raw: bytes) -> list[int]:
    return _starts_of(decode_index(raw))


class PageCache:
    """Decoded chunks, the latest used ones kept. Several snapshots and threads may share one."""

    def __init__(self, store: ChunkStore, size: int = 4096) -> None:
        self.store = store
        self._size = size
        self._kept: OrderedDict[tuple[bytes, Any], Any] = OrderedDict()
        self._lock = Lock()

    def load(self, address: bytes, decode: Callable[[bytes], _T]) -> _T:
        """Return the decoded chunk at `address`. Raises `ChunkMissing`."""
        return self.load_many([address], decode)[0]

    def load_many(self, addresses: Sequence[bytes], decode: Callable[[bytes], _T]) -> list[_T]:
        """Return decoded chunks in the order of `addresses`, read in one call to the store."""
        found: dict[bytes, _T] = {}
        with self._lock:
            for address in addresses:
                key = (address, decode)
                if key in self._kept:
                    self._kept.move_to_end(key)
                    found[address] = self._kept[key]
        wanted = [address for address in dict.fromkeys(addresses) if address not in found]
        if wanted:
            read = {a: decode(data) for a, data in self.store.get_many(wanted).items()}
            found |= read
            with self._lock:
                self._kept.update({(address, decode): page for address, page in read.items()})
                while len(self._kept) > self._size:
                    self._kept.popitem(last=False)
        return [found[a] for a in addresses]


class Snapshot:
    """A tree of objects as it was at one moment.

    All paths are those of the system, also where the snapshot holds only one branch of it.
    """

    def __init__(
        self, store: ChunkStore, root: Root, schema: Schema, cache: PageCache | None = None
    ) -> None:
        self.store = store
        self.root = root
        self.schema = schema
        self.cache = cache or PageCache(store)

    @property
    def at(self) -> Path:
        """Where the topmost object stands in the system."""
        return self.root.at

    def top(self) -> Node:
        """Return the topmost object."""
        entry = self.cache.load(self.root.significant, decode_page)[0]
        return Node(self.root.at, entry, self.root.facts, 0)

    def page_refs(self, children: Children | None) -> list[PageRef]:
        """List the pages of children; none where they lie with their parent."""
        if children is None:
            return []
        if children.index is not None:
            return self.cache.load(children.index, decode_index)
        return children.pages or []

    def _starts(self, children: Children | None) -> list[int]:
        """List how many children come before each page, and at last how many there are."""
        if children is not None and children.index is not None:
            return self.cache.load(children.index, _decode_starts)
        return _starts_of(self.page_refs(children))

    def fact_refs(self, children: FactChildren | None) -> list[bytes | None]:
        """List the addresses of facts pages, in step with `page_refs`; empty where no facts."""
        if children is None:
            return []
        if children.index is not None:
            return self.cache.load(children.index, decode_facts_index)
        return children.pages or []

    def fact_entry(self, node: Node) -> FactEntry | None:
        """Return what the facts tree holds for a node."""
        if isinstance(node.facts, bytes):
            return self.cache.load(node.facts, decode_facts_page)[node.position]
        return node.facts

    def inline(self, node: Node) -> list[Node]:
        """Return the children that lie with their parent; none where they lie on pages."""
        children = node.entry.children
        if children is None or children.inline is None:
            return []
        own = self.fact_entry(node)
        raw = own.children.inline if own and own.children else None
        facts = decode_facts_page(raw) if raw is not None else None
        return [
            Node((*node.path, entry.name), entry, facts[number] if facts else None, number)
            for number, entry in enumerate(decode_page(children.inline))
        ]

    def _on_pages(self, node: Node, first: int, stop: int) -> list[Node]:
        """Return the children on some of the pages, all read in one call to the store."""
        own = self.fact_entry(node)
        facts = self.fact_refs(own.children if own else None)[first:stop]
        refs = self.page_refs(node.entry.children)[first:stop]
        pages = self.cache.load_many([ref.address for ref in refs], decode_page)
        return [
            Node((*node.path, entry.name), entry, facts[number] if facts else None, position)
            for number, page in enumerate(pages)
            for position, entry in enumerate(page)
        ]

    def raw_pages(self, node: Node, pages: Pages) -> list[RawPage]:
        """Return children as encoded entries, a page at a time, with where its facts lie.

        pages: those that were read; only they are returned, and what lies with its parent.
        """
        own = self.fact_entry(node)
        children = node.entry.children
        if children is not None and children.inline is not None:
            raw = own.children.inline if own and own.children else None
            facts = decode_facts_page(raw) if raw is not None else None
            return [(facts, decode_raw_page(children.inline))]
        refs = self.page_refs(children)
        if own is None or own.children is None:
            return [(None, pages[ref.address]) for ref in refs if ref.address in pages]
        return [
            (place, pages[ref.address])
            for ref, place in zip(refs, self.fact_refs(own.children), strict=True)
            if ref.address in pages
        ]

    def children(self, node: Node, start: int = 0, limit: int | None = None) -> list[Node]:
        """Return children in order of their keys, from number `start` on."""
        stop = start + limit if limit is not None else None
        inline = self.inline(node)
        if inline:
            return inline[start:stop]
        starts = self._starts(node.entry.children)
        first = bisect_right(starts, start) - 1
        last = len(starts) - 1 if stop is None else bisect_left(starts, stop)
        found = self._on_pages(node, first, last)
        return found[start - starts[first] :][:limit]

    def rank(self, node: Node, key: str) -> int:
        """Return how many children come before a name in the form that compares."""
        inline = self.inline(node)
        if inline:
            return bisect_left(inline, key, key=lambda n: n.entry.sort_key)
        refs = self.page_refs(node.entry.children)
        page = bisect_right(refs, key, key=lambda ref: ref.first) - 1
        if page < 0:
            return 0
        entries = self.cache.load(refs[page].address, decode_page)
        before = self._starts(node.entry.children)[page]
        return before + bisect_left(entries, key, key=lambda e: e.sort_key)

    def child(self, node: Node, name: str) -> Node | None:
        """Return the child that bears `name`, however it is written."""
        key = self.schema.names.key(name)
        found = self.inline(node)
        if not found:
            refs = self.page_refs(node.entry.children)
            page = bisect_right(refs, key, key=lambda ref: ref.first) - 1
            found = self._on_pages(node, page, page + 1) if page >= 0 else []
        position = bisect_right(found, key, key=lambda n: n.entry.sort_key) - 1
        if position < 0 or found[position].entry.sort_key != key:
            return None
        return found[position]

    def find(self, path: Path) -> Node | None:
        """Return the node at `path`; None where there is none, or it lies outside this branch."""
        depth = len(self.at)
        keys = self.schema.names.keys
        if keys(path[:depth]) != keys(self.at):
            return None
        node: Node | None = self.top()
        for name in path[depth:]:
            if node is None:
                return None
            node = self.child(node, name)
        return node

    def attributes(self, entry: Entry) -> Attributes:
        """Decode the attributes of an entry; long values stay `Blob`s."""
        return decode_attributes(entry.attributes)

    def resolve(self, value: Value) -> Value:
        """Return the value with every `Blob` in it read from the store."""
        if isinstance(value, Blob):
            data = self.store.get_many([value.address])[value.address]
            return data.decode("utf-8", "surrogatepass") if value.text else data
        if isinstance(value, list):
            return [self.resolve(v) for v in value]
        return value

    def whole_attributes(self, entry: Entry) -> Attributes:
        """Decode the attributes of an entry, with long values read from the store."""
        return {name: self.resolve(value) for name, value in self.attributes(entry).items()}

    def references_of(self, entry: Entry) -> Attributes:
        """Decode those attributes of an entry that may name other objects, long ones read too."""
        found = self.attributes(entry)
        return {n: self.resolve(found[n]) for n in found.keys() & self.schema.references}

    def object(self, node: Node) -> ConfigObject:
        """Return the whole object at a node, facts and long values included."""
        entry = node.entry
        facts = self.fact_entry(node)
        return ConfigObject(
            name=entry.name,
            kind=entry.kind,
            identity=entry.identity,
            attributes=self.whole_attributes(entry),
            facts=decode_attributes(facts.facts) if facts else {},
            unreadable=entry.unreadable,
        )

    def get(self, path: Path) -> ConfigObject | None:
        """Return the object at `path`, or None."""
        node = self.find(path)
        return self.object(node) if node else None

    def walk(self, node: Node | None = None) -> Iterator[Node]:
        """Yield a node and all beneath it, parents first and siblings in order."""
        stack = [node or self.top()]
        while stack:
            current = stack.pop()
            yield current
            if current.entry.children:
                stack.extend(reversed(self.children(current)))
