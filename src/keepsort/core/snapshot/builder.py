"""Builds a snapshot from a stream of objects."""

from bisect import bisect_right
from collections.abc import Callable, Container
from operator import attrgetter
from typing import Any

import msgspec

from keepsort.core.model.canonical import Form, canonical_form
from keepsort.core.model.kinds import Schema
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
    """The stream of objects makes no tree that can be kept.

    A parent came too late, a name came twice, or a value is `unsound`.
    """


class _Forms(dict[str, Form | None]):
    """For each attribute of one kind what gives its values their one form; None where they have it.

    few: all attributes with a form like that, where they are few enough to look for each.
    """

    def __init__(self, schema: Schema, kind: str) -> None:
        super().__init__()
        self._schema, self._kind = schema, kind
        known = schema.kinds.get(kind)
        names = schema.attributes.keys() | (known.attributes.keys() if known else set())
        special: list[tuple[str, Form | None]] = [(n, self[n]) for n in sorted(names) if self[n]]
        self.few = special if len(special) <= _FEW else None

    def __missing__(self, name: str) -> Form | None:
        found = self[name] = canonical_form(self._schema.spec(self._kind, name))
        return found


_FEW = 8


class _Open:
    """An object that has children, or may still get some.

    attributes: as they are, or encoded already. children: those held until the end, by key.
    items: those that are encoded, with the bytes of their entries in all. names: their keys.
    """

    __slots__ = ("attributes", "children", "items", "key", "names", "obj", "size")

    def __init__(self, key: str, obj: ConfigObject, attributes: Attributes | msgspec.Raw) -> None:
        self.key = key
        self.obj = obj
        self.attributes = attributes
        self.children: dict[str, _Open] = {}
        self.items: list[Item] = []
        self.names: set[str] = set()
        self.size = 0


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
        #: objects with children from the top down to the parent of the one added last; this one
        #: itself waits beside them until it is known whether it has children too
        self._stack: list[_Open] = []
        self._last: tuple[str, ConfigObject, Attributes] | None = None
        self._last_path: Path = ()
        self._above: Path | None = None
        self.count = 0

    @property
    def stored_bytes(self) -> int:
        """Bytes that were new to the store."""
        return self._writer.stored_bytes

    def add(self, path: Path, obj: ConfigObject) -> None:
        """Add the object at `path`. Raises `StreamError`.

        One that cannot be kept is there all the same, as one that could not be read, with the
        reason.
        """
        if not obj.name.isascii() and (name := _kept_name(obj.name)) != obj.name:
            path = (*path[:-1], name) if path else path
            obj = _not_kept(name, obj.kind, "its name is no text")
        try:
            attributes = self._canonical(obj)
        except _UNFIT as error:
            obj, attributes = _not_kept(obj.name, obj.kind, str(error)), {}
        key = self._key(obj.name)
        self.count += 1
        if self._top is None:
            if path != self._at:
                raise StreamError(f"the stream begins with {path}, not with its top, {self._at}")
            self._top = _Open(key, obj, attributes)
            self._stack, self._last_path = [self._top], path
            return
        above = path[:-1]
        if above == self._above:  # a sibling of the one before
            if self._last is not None:
                self._write_leaf()
        elif self._last is not None and above == self._last_path:
            self._stack.append(self._opened())
        elif above != self._last_path or self._above is not None:
            self._go_to(path)
        parent = self._stack[-1]
        if key in parent.names:
            name = _another_name(obj.name, parent.names, self._key)
            obj = _not_kept(name, obj.kind, "an object beside it has the same name")
            path, key, attributes = (*above, name), self._key(name), {}
        parent.names.add(key)
        if self._depth_first:
            self._last = key, obj, attributes
        else:
            # held until the end, its attributes take less room encoded
            slim = msgspec.structs.replace(obj, attributes={})
            try:
                encoded = msgspec.Raw(self._encoded(attributes))
            except _UNFIT as error:
                slim = _not_kept(obj.name, obj.kind, str(error))
                encoded = msgspec.Raw(encode({}))
            held = _Open(key, slim, encoded)
            parent.children[key] = held
        self._last_path, self._above = path, above

    def finish(self) -> Snapshot:
        """Write what is still held and return the snapshot. Raises `StreamError` if empty."""
        if self._top is None:
            raise StreamError("the stream held no object")
        if self._last is not None:
            self._write_leaf()
        while len(self._stack) > 1:
            self._leave()
        item = self._close(self._top, self._schema.names.keys(self._at))
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

    def _canonical(self, obj: ConfigObject) -> Attributes:
        forms = self._forms.get(obj.kind)
        if forms is None:
            forms = self._forms[obj.kind] = _Forms(self._schema, obj.kind)
        attributes = canonical = obj.attributes
        few = forms.few
        if few is None:
            # a value that is one string has one form, whatever the spec says
            few = [(n, forms[n]) for n, v in attributes.items() if type(v) is not str]
        for name, form in few:
            if form is None or name not in attributes:
                continue
            before = attributes[name]
            value = form(before)
            if value is not before:
                if canonical is attributes:
                    canonical = dict(attributes)
                canonical[name] = value
        return canonical

    def _encoded(self, attributes: Attributes) -> bytes:
        raw = encode(attributes)
        return raw if len(raw) <= BLOB_OVER else encode(self._writer.without_blobs(attributes))

    # A stream that is depth first is written as it comes

    def _opened(self) -> _Open:
        """Return the object added last, which turns out to have children."""
        assert self._last is not None
        key, obj, attributes = self._last
        self._last = None
        return _Open(key, obj, attributes)

    def _write_leaf(self) -> None:
        """Encode the object added last, which turns out to have no children."""
        assert self._last is not None
        key, obj, attributes = self._last
        self._last = None
        parent = self._stack[-1]
        entry = self._entry(key, obj, attributes, None)
        facts = encode(FactEntry(_facts(obj))) if obj.facts else None
        parent.items.append(Item(key, entry, 1, facts))
        parent.size += len(entry)

    def _leave(self) -> None:
        """Step up from an object whose branch the stream has left, and write it."""
        done = self._stack.pop()
        if self._depth_first:
            parent = self._stack[-1]
            above = tuple(o.key for o in self._stack[1:])
            item = self._close(done, (*self._schema.names.keys(self._at), *above, done.key))
            parent.items.append(item)
            parent.size += len(item.entry)

    def _go_to(self, path: Path) -> None:
        """Step up, and down again, to the parent of `path`. Raises `StreamError`."""
        above = path[:-1]
        base = len(self._at)
        standing = self._above if self._above is not None else self._at
        if self._last is not None:
            self._write_leaf()
        shared = base
        most = min(len(standing), len(above))
        while shared < most and standing[shared] == above[shared]:
            shared += 1
        while len(self._stack) > shared - base + 1:
            self._leave()
        for depth in range(shared, len(above)):
            inner = self._stack[-1].children.get(self._key(above[depth]))
            if inner is None:
                raise StreamError(f"{path} came before its parent, or after its branch was left")
            self._stack.append(inner)

    # Encoding

    def _close(self, opened: _Open, path: Path) -> Item:
        """Encode an object with everything beneath it."""
        items = opened.items
        for key, inner in opened.children.items():
            item = self._close(inner, (*path, key))
            items.append(item)
            opened.size += len(item.entry)
        children, facts = None, None
        if items:
            items.sort(key=attrgetter("key"))
            likeness = self._likeness.pages(path)
            children, facts = write_children(self._writer, items, opened.size, likeness)
        obj = opened.obj
        raw = None
        if obj.facts or facts is not None:
            raw = encode(FactEntry(_facts(obj), facts))
        total = 1 + (children.total if children else 0)
        entry = self._entry(opened.key, obj, opened.attributes, children)
        opened.children, opened.items = {}, []
        return Item(opened.key, entry, total, raw)

    def _entry(
        self, key: str, obj: ConfigObject, attributes: Any, children: Children | None
    ) -> bytes:
        """Encode an entry, with its attributes in one go where they are not encoded yet."""
        name = obj.name
        entry = Entry(
            name, None if key == name else key, obj.kind, obj.identity, attributes, children,
            obj.unreadable,
        )  # fmt: skip
        try:
            raw = encode(entry)
        except _UNFIT as error:
            return encode(
                msgspec.structs.replace(
                    entry, attributes=msgspec.Raw(encode({})), unreadable=_reason(str(error))
                )
            )
        if len(raw) > BLOB_OVER and type(attributes) is dict:
            encoded = msgspec.Raw(self._encoded(attributes))
            raw = encode(msgspec.structs.replace(entry, attributes=encoded))
        return raw


#: What is raised where values cannot be kept: half of a letter, a number too large, nesting.
_UNFIT = (OverflowError, UnicodeEncodeError, RecursionError, TypeError, ValueError)


def _reason(why: str) -> str:
    return f"it cannot be kept: {why.encode('utf-8', 'backslashreplace').decode()}"


def _not_kept(name: str, kind: str, why: str) -> ConfigObject:
    return ConfigObject(name=name, kind=kind, unreadable=_reason(why))


def _kept_name(name: str) -> str:
    return name.encode("utf-8", "backslashreplace").decode()


def _another_name(name: str, taken: Container[str], key: Callable[[str], str]) -> str:
    number = 2
    while key(f"{name} ({number})") in taken:
        number += 1
    return f"{name} ({number})"


def _facts(obj: ConfigObject) -> msgspec.Raw:
    """Encode facts; those that cannot be kept are left out, for they are only shown."""
    try:
        return msgspec.Raw(encode(obj.facts)) if obj.facts else NO_FACTS
    except _UNFIT:
        return NO_FACTS


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
            if not refs:
                return None
            number = max(0, bisect_right(refs, first, key=lambda ref: ref.first) - 1)
            if facts:
                pages = previous.fact_refs(fact_children)
                return pages[number] if pages else None
            return refs[number].address

        return find
