"""Builds a snapshot from a stream of objects."""

from bisect import bisect_right
from collections.abc import Callable
from operator import attrgetter

import msgspec

from keepsort.core.model.canonical import canonical_value
from keepsort.core.model.kinds import Schema
from keepsort.core.model.objects import ConfigObject, Path
from keepsort.core.snapshot.encoding import (
    BLOB_OVER,
    NO_FACTS,
    Children,
    Entry,
    FactChildren,
    FactEntry,
    Item,
    Root,
    encode,
    pack_array,
)
from keepsort.core.snapshot.reader import Snapshot
from keepsort.core.snapshot.store import ChunkStore
from keepsort.core.snapshot.writer import ChunkWriter, write_children


class StreamError(ValueError):
    """The stream of objects makes no tree: a parent came too late, or a name came twice."""


class _Open:
    """An object whose children may still be coming."""

    __slots__ = (
        "attributes",
        "facts",
        "identity",
        "items",
        "key",
        "kind",
        "name",
        "nested",
        "unreadable",
    )

    def __init__(self, key: str, obj: ConfigObject, attributes: bytes, facts: bytes | None) -> None:
        self.key = key
        self.name = obj.name
        self.kind = obj.kind
        self.identity = obj.identity
        self.unreadable = obj.unreadable
        self.attributes = attributes
        self.facts = facts
        self.nested: dict[str, _Open] | None = None
        self.items: list[Item] | None = None


class SnapshotBuilder:
    """Takes objects parents first and writes them as a snapshot.

    depth_first: the stream promises that a branch is complete when the next one begins, which
        lets it be written at once and keeps memory small. Without it, everything is held, encoded,
        until the end.
    previous: an older snapshot of the same system, to store only what is new against it.
    at: where the topmost object stands in the system (its parents' names and its own).
    """

    def __init__(
        self,
        store: ChunkStore,
        schema: Schema,
        *,
        depth_first: bool = False,
        previous: Snapshot | None = None,
        at: Path = (),
    ) -> None:
        self._writer = ChunkWriter(store)
        self._store = store
        self._schema = schema
        self._key = schema.names.key
        self._depth_first = depth_first
        self._likeness = Likeness(previous)
        self._at = at
        self._top: _Open | None = None
        self._stack: list[_Open] = []
        self._stack_path: Path = ()
        self.count = 0

    @property
    def stored_bytes(self) -> int:
        """Bytes that were new to the store."""
        return self._writer.stored_bytes

    def add(self, path: Path, obj: ConfigObject) -> None:
        """Add the object at `path`. Raises `StreamError`."""
        attributes = obj.attributes
        for name, value in obj.attributes.items():
            shape = type(value)
            if shape is float or (shape is list and (len(value) != 1 or type(value[0]) is not str)):
                canonical = canonical_value(self._schema.spec(obj.kind, name), value)
                if canonical is not value:
                    attributes = {**attributes, name: canonical}
        raw = encode(attributes)
        if len(raw) > BLOB_OVER:
            raw = encode(self._writer.without_blobs(attributes))
        opened = _Open(self._key(obj.name), obj, raw, encode(obj.facts) if obj.facts else None)
        self.count += 1
        if self._top is None:
            if path != self._at:
                raise StreamError(f"the stream begins with {path}, not with its top, {self._at}")
            self._top = opened
            self._stack, self._stack_path = [opened], path
            return
        parent = self._parent_of(path)
        if parent.nested is None:
            parent.nested = {}
        if opened.key in parent.nested:
            raise StreamError(f"{path} came twice")
        parent.nested[opened.key] = opened
        self._stack.append(opened)
        self._stack_path = path

    def finish(self) -> Snapshot:
        """Write what is still held and return the snapshot. Raises `StreamError` if empty."""
        if self._top is None:
            raise StreamError("the stream held no object")
        at_keys = self._schema.names.keys(self._at)
        item = self._close(self._top, at_keys)
        like = self._likeness
        root = Root(
            significant=self._writer.put(pack_array([item.entry]), lambda: like.root(False)),
            facts=self._writer.put(pack_array([item.facts]), lambda: like.root(True))
            if item.facts
            else None,
            total=item.total,
            at=self._at,
        )
        self._writer.flush()
        return Snapshot(self._store, root, self._schema)

    def _parent_of(self, path: Path) -> _Open:
        above = path[:-1]
        base = len(self._at)
        shared = base
        stack_path = self._stack_path
        most = min(len(stack_path), len(above))
        while shared < most and stack_path[shared] == above[shared]:
            shared += 1
        keep = shared - base + 1
        if self._depth_first:
            self._write_done(keep)
        del self._stack[keep:]
        self._stack_path = stack_path[:shared]
        node = self._stack[-1]
        for depth in range(shared, len(above)):
            inner = node.nested.get(self._key(above[depth])) if node.nested else None
            if inner is None:
                raise StreamError(f"{path} came before its parent")
            node = inner
            self._stack.append(node)
            self._stack_path = above[: depth + 1]
        return node

    def _write_done(self, keep: int) -> None:
        """Write the branches on the stack that the stream has left."""
        for depth in range(len(self._stack) - 1, keep - 1, -1):
            done = self._stack[depth]
            parent = self._stack[depth - 1]
            path = tuple(o.key for o in self._stack[1 : depth + 1])
            at = (*self._schema.names.keys(self._at), *path)
            item = self._close(done, at)
            assert parent.nested is not None
            if parent.items is None:
                parent.items = []
            parent.items.append(item)
            # the name stays known, so that a second one of it is noticed
            parent.nested[done.key] = _WRITTEN

    def _close(self, opened: _Open, path: Path) -> Item:
        """Encode an object with everything beneath it."""
        items = opened.items or []
        if opened.nested:
            for key, inner in opened.nested.items():
                if inner is not _WRITTEN:
                    items.append(self._close(inner, (*path, key)))
        items.sort(key=attrgetter("key"))
        children, facts_children = write_children(
            self._writer, items, self._likeness.pages(path) if items else None
        )
        opened.nested = opened.items = None
        return _item(opened, children, facts_children)


_WRITTEN = _Open("", ConfigObject(name="", kind=""), b"", None)


def _item(opened: _Open, children: Children | None, facts: FactChildren | None) -> Item:
    key = opened.key
    entry = Entry(
        opened.name,
        None if key == opened.name else key,
        opened.kind,
        opened.identity,
        msgspec.Raw(opened.attributes),
        children,
        opened.unreadable,
    )
    facts_raw = None
    if opened.facts is not None or facts is not None:
        facts_raw = encode(
            FactEntry(msgspec.Raw(opened.facts) if opened.facts else NO_FACTS, facts)
        )
    return Item(key, encode(entry), entry.total, facts_raw)


class Likeness:
    """Finds, in an older snapshot, the page that a new one most likely resembles."""

    def __init__(self, previous: Snapshot | None) -> None:
        self._previous = previous

    def root(self, facts: bool) -> bytes | None:
        """Return the address of the topmost page."""
        if self._previous is None:
            return None
        return self._previous.root.facts if facts else self._previous.root.significant

    def pages(self, path: Path) -> Callable[[str, bool], bytes | None] | None:
        """Return what finds pages of the container at `path`; None where nothing is older."""
        previous = self._previous
        if previous is None:
            return None

        def find(first: str, facts: bool) -> bytes | None:
            node = previous.find(path)
            if node is None or node.entry.children is None:
                return None
            own = previous.fact_entry(node) if facts else None
            fact_children = own.children if own else None
            if not first:
                return (
                    fact_children.index
                    if fact_children
                    else (None if facts else node.entry.children.index)
                )
            refs = previous.page_refs(node.entry.children)
            number = max(0, bisect_right(refs, first, key=lambda ref: ref.first) - 1)
            if facts:
                pages = previous.fact_refs(fact_children)
                return pages[number] if pages else None
            return refs[number].address

        return find
