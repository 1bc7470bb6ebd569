"""Builds a snapshot from a stream of objects."""

from bisect import bisect_right
from collections.abc import Callable
from operator import attrgetter
from typing import Any

import msgspec

from keepsort.core.model.canonical import canonical_value
from keepsort.core.model.kinds import AttributeSpec, Schema
from keepsort.core.model.objects import Attributes, ConfigObject, Path
from keepsort.core.snapshot.encoding import (
    BLOB_OVER,
    NO_FACTS,
    Children,
    Entry,
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
    """An object whose children may still be coming.

    attributes: as they are, until they are encoded with the whole entry; encoded where the
        object is to be held for long. nested: children by key; None for those that are written.
    """

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

    def __init__(self, key: str, obj: ConfigObject, attributes: Attributes | msgspec.Raw) -> None:
        self.key = key
        self.name = obj.name
        self.kind = obj.kind
        self.identity = obj.identity
        self.unreadable = obj.unreadable
        self.attributes = attributes
        self.facts = encode(obj.facts) if obj.facts else None
        self.nested: dict[str, _Open | None] | None = None
        self.items: list[Item] | None = None


class _Forms(dict[str, AttributeSpec | None]):
    """For each attribute of one kind its spec, where values have more than one form; else None.

    few: all attributes with a spec like that, where they are few enough to look for each.
    """

    def __init__(self, schema: Schema, kind: str) -> None:
        super().__init__()
        self._schema, self._kind = schema, kind
        known = schema.kinds.get(kind)
        names = schema.attributes.keys() | (known.attributes.keys() if known else set())
        special = [(name, spec) for name in sorted(names) if (spec := self[name]) is not None]
        self.few = special if len(special) <= _FEW else None

    def __missing__(self, name: str) -> AttributeSpec | None:
        spec = self._schema.spec(self._kind, name)
        found = self[name] = spec if spec.number or spec.shape == "set" else None
        return found


_FEW = 8


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
        self._forms: dict[str, _Forms] = {}
        self._top: _Open | None = None
        #: the object added last and those above it, with its path and the path of its parent
        self._stack: list[_Open] = []
        self._stack_path: Path = ()
        self._above: Path | None = None
        self.count = 0

    @property
    def stored_bytes(self) -> int:
        """Bytes that were new to the store."""
        return self._writer.stored_bytes

    def add(self, path: Path, obj: ConfigObject) -> None:
        """Add the object at `path`. Raises `StreamError`."""
        attributes = self._canonical(obj)
        held = attributes if self._depth_first else msgspec.Raw(self._encoded(attributes))
        opened = _Open(self._key(obj.name), obj, held)
        self.count += 1
        if self._top is None:
            if path != self._at:
                raise StreamError(f"the stream begins with {path}, not with its top, {self._at}")
            self._top = opened
            self._stack, self._stack_path = [opened], path
            return
        above = path[:-1]
        if above == self._above:  # a sibling of the one before
            self._leave()
        elif above != self._stack_path:
            self._go_to(path)
        parent = self._stack[-1]
        if parent.nested is None:
            parent.nested = {}
        if opened.key in parent.nested:
            raise StreamError(f"{path} came twice")
        parent.nested[opened.key] = opened
        self._stack.append(opened)
        self._stack_path, self._above = path, above

    def _canonical(self, obj: ConfigObject) -> Attributes:
        attributes = obj.attributes
        forms = self._forms.get(obj.kind)
        if forms is None:
            forms = self._forms[obj.kind] = _Forms(self._schema, obj.kind)
        if forms.few is not None:
            for name, spec in forms.few:
                if name in obj.attributes:
                    value = obj.attributes[name]
                    canonical = canonical_value(spec, value)
                    if canonical is not value:
                        attributes = {**attributes, name: canonical}
            return attributes
        for name, value in obj.attributes.items():
            shape = type(value)
            if shape is str or (shape is list and len(value) == 1 and type(value[0]) is str):
                continue  # it has one form, whatever the spec says
            special = forms[name]
            if special is not None:
                canonical = canonical_value(special, value)
                if canonical is not value:
                    attributes = {**attributes, name: canonical}
        return attributes

    def _encoded(self, attributes: Attributes) -> bytes:
        raw = encode(attributes)
        return raw if len(raw) <= BLOB_OVER else encode(self._writer.without_blobs(attributes))

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

    def _leave(self) -> None:
        """Step up from the object added last; if its branch is complete, write it."""
        done = self._stack.pop()
        if self._depth_first:
            parent = self._stack[-1]
            item = self._leaf(done) if done.nested is None else self._close(done, self._keys(done))
            if parent.items is None:
                parent.items = []
            parent.items.append(item)
            # the name stays known, so that a second one of it is noticed
            assert parent.nested is not None
            parent.nested[done.key] = None

    def _go_to(self, path: Path) -> None:
        """Step up, and down again, to the parent of `path`. Raises `StreamError`."""
        above = path[:-1]
        base = len(self._at)
        shared = base
        most = min(len(self._stack_path), len(above))
        while shared < most and self._stack_path[shared] == above[shared]:
            shared += 1
        while len(self._stack) > shared - base + 1:
            self._leave()
        node = self._stack[-1]
        for depth in range(shared, len(above)):
            inner = node.nested.get(self._key(above[depth])) if node.nested else None
            if inner is None:
                raise StreamError(f"{path} came before its parent, or after its branch was left")
            node = inner
            self._stack.append(node)

    def _keys(self, opened: _Open) -> Path:
        """Return the path, in the form that compares, of an object whose parents are the stack."""
        above = tuple(o.key for o in self._stack[1:])
        return (*self._schema.names.keys(self._at), *above, opened.key)

    def _close(self, opened: _Open, path: Path) -> Item:
        """Encode an object with everything beneath it."""
        if not opened.nested:
            return self._leaf(opened)
        items = opened.items or []
        for key, inner in opened.nested.items():
            if inner is not None:
                items.append(self._close(inner, (*path, key)))
        items.sort(key=attrgetter("key"))
        children, facts = write_children(self._writer, items, self._likeness.pages(path))
        opened.nested = opened.items = None
        raw = None
        if opened.facts is not None or facts is not None:
            own = msgspec.Raw(opened.facts) if opened.facts else NO_FACTS
            raw = encode(FactEntry(own, facts))
        total = 1 + (children.total if children else 0)
        return Item(opened.key, self._entry(opened, children), total, raw)

    def _leaf(self, opened: _Open) -> Item:
        facts = None
        if opened.facts is not None:
            facts = encode(FactEntry(msgspec.Raw(opened.facts)))
        return Item(opened.key, self._entry(opened, None), 1, facts)

    def _entry(self, opened: _Open, children: Children | None) -> bytes:
        """Encode an entry, with its attributes in one go where they are not encoded yet."""
        key = opened.key
        attributes: Any = opened.attributes
        entry = Entry(
            opened.name, None if key == opened.name else key, opened.kind, opened.identity,
            attributes, children, opened.unreadable,
        )  # fmt: skip
        raw = encode(entry)
        if len(raw) > BLOB_OVER and not isinstance(attributes, msgspec.Raw):
            encoded = msgspec.Raw(self._encoded(attributes))
            raw = encode(msgspec.structs.replace(entry, attributes=encoded))
        return raw


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
