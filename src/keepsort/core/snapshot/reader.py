"""Reads a snapshot, loading only the pages that are asked for."""

from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
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
)
from keepsort.core.snapshot.store import ChunkStore

_T = TypeVar("_T")


class Node(msgspec.Struct, frozen=True):
    """An entry in its place: where it stands and where its facts lie."""

    path: Path
    entry: Entry
    facts_page: bytes | None = None
    position: int = 0


class PageCache:
    """Decoded chunks, the latest used ones kept. Several snapshots may share one."""

    def __init__(self, store: ChunkStore, size: int = 4096) -> None:
        self.store = store
        self._size = size
        self._kept: OrderedDict[bytes, Any] = OrderedDict()

    def load(self, address: bytes, decode: Callable[[bytes], _T]) -> _T:
        """Return the decoded chunk at `address`. Raises `ChunkMissing`."""
        return self.load_many([address], decode)[0]

    def load_many(self, addresses: Sequence[bytes], decode: Callable[[bytes], _T]) -> list[_T]:
        """Return decoded chunks in the order of `addresses`, read in one call to the store."""
        found: dict[bytes, _T] = {}
        wanted = []
        for address in addresses:
            if address in self._kept:
                self._kept.move_to_end(address)
                found[address] = self._kept[address]
            else:
                wanted.append(address)
        if wanted:
            for address, data in self.store.get_many(list(dict.fromkeys(wanted))).items():
                found[address] = self._kept[address] = decode(data)
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
        """List the pages of children."""
        if children is None:
            return []
        if children.index is not None:
            return self.cache.load(children.index, decode_index)
        return children.pages or []

    def fact_refs(self, children: FactChildren | None) -> list[bytes | None]:
        """List the addresses of facts pages, in step with `page_refs`; empty where no facts."""
        if children is None:
            return []
        if children.index is not None:
            return self.cache.load(children.index, decode_facts_index)
        return children.pages or []

    def fact_entry(self, node: Node) -> FactEntry | None:
        """Return what the facts tree holds for a node."""
        if node.facts_page is None:
            return None
        return self.cache.load(node.facts_page, decode_facts_page)[node.position]

    def children(self, node: Node, start: int = 0, limit: int | None = None) -> list[Node]:
        """Return children in order of their keys, from number `start` on."""
        refs = self.page_refs(node.entry.children)
        own = self.fact_entry(node)
        fact_pages = self.fact_refs(own.children if own else None)
        stop = start + limit if limit is not None else None
        chosen: list[tuple[PageRef, bytes | None, int]] = []
        passed = 0
        for number, ref in enumerate(refs):
            if stop is not None and passed >= stop:
                break
            if passed + ref.count > start:
                chosen.append((ref, fact_pages[number] if fact_pages else None, passed))
            passed += ref.count
        pages = self.cache.load_many([ref.address for ref, _, _ in chosen], decode_page)
        found = []
        for (_, facts, first), page in zip(chosen, pages, strict=True):
            for position, entry in enumerate(page):
                if first + position >= start and (stop is None or first + position < stop):
                    found.append(Node((*node.path, entry.name), entry, facts, position))
        return found

    def child(self, node: Node, name: str) -> Node | None:
        """Return the child that bears `name`, however it is written."""
        key = self.schema.names.key(name)
        refs = self.page_refs(node.entry.children)
        number = bisect_right(refs, key, key=lambda ref: ref.first) - 1
        if number < 0:
            return None
        page = self.cache.load(refs[number].address, decode_page)
        position = bisect_right(page, key, key=lambda e: e.sort_key) - 1
        if position < 0 or page[position].sort_key != key:
            return None
        own = self.fact_entry(node)
        facts = self.fact_refs(own.children if own else None)
        return Node(
            (*node.path, page[position].name),
            page[position],
            facts[number] if facts else None,
            position,
        )

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

    def object(self, node: Node) -> ConfigObject:
        """Return the whole object at a node, facts and long values included."""
        entry = node.entry
        facts = self.fact_entry(node)
        attributes = self.attributes(entry)
        return ConfigObject(
            name=entry.name,
            kind=entry.kind,
            identity=entry.identity,
            attributes={n: self.resolve(v) for n, v in attributes.items()},
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

    def branch(self, path: Path) -> "Snapshot | None":
        """Return the snapshot of one branch of this one; None where there is no such branch.

        The branch's topmost page is made anew, so it costs one small chunk in the store.
        """
        from keepsort.core.snapshot.draft import Draft

        node = self.find(path)
        return None if node is None else Draft(self).branch_of(node)
