"""A snapshot that can be changed: edits are made on a copy, and only what changed is written."""

from operator import attrgetter
from typing import Any

import msgspec

from keepsort.core.model.canonical import canonical_attributes
from keepsort.core.model.objects import ConfigObject, Path
from keepsort.core.snapshot.builder import Likeness
from keepsort.core.snapshot.encoding import (
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
from keepsort.core.snapshot.reader import Node, Snapshot
from keepsort.core.snapshot.writer import ChunkWriter, write_children


class _Leaf:
    """An entry of the draft; its children are loaded when first needed."""

    __slots__ = ("children", "entry", "facts", "origin")

    def __init__(self, entry: Entry, facts: FactEntry | None, origin: Node | None) -> None:
        self.entry = entry
        self.facts = facts
        self.origin = origin
        self.children: dict[str, _Leaf] | None = None


class Draft:
    """Edits to a snapshot. The snapshot itself stays as it is."""

    def __init__(self, base: Snapshot) -> None:
        self._base = base
        self.schema = base.schema
        self._writer = ChunkWriter(base.store)
        self._likeness = Likeness(base)
        top = base.top()
        self._top: _Leaf | None = _Leaf(top.entry, base.fact_entry(top), top)

    @property
    def stored_bytes(self) -> int:
        """Bytes that were new to the store."""
        return self._writer.stored_bytes

    @property
    def at(self) -> Path:
        """Where the topmost object stands in the system."""
        return self._base.at

    def put(self, path: Path, obj: ConfigObject) -> None:
        """Set the object at `path`, keeping children that are there. Raises `KeyError`."""
        key = self.schema.names.key(obj.name)
        attributes = canonical_attributes(self.schema, obj.kind, obj.attributes)
        old = self._find(path)
        entry = Entry(
            obj.name,
            None if key == obj.name else key,
            obj.kind,
            obj.identity,
            msgspec.Raw(encode(self._writer.without_blobs(attributes))),
            old.entry.children if old else None,
            obj.unreadable,
        )
        facts = FactEntry(msgspec.Raw(encode(obj.facts)) if obj.facts else NO_FACTS)
        if old is not None:
            if old.facts is not None:
                facts = FactEntry(facts.facts, old.facts.children)
            self._load(old)
            old.entry, old.facts = entry, facts
            return
        self._children(path[:-1])[key] = _Leaf(entry, facts, None)

    def remove(self, path: Path) -> None:
        """Take away the object at `path` and all beneath it. Raises `KeyError`."""
        siblings = self._children(path[:-1])
        del siblings[self.schema.names.key(path[-1])]

    def move(self, path: Path, to: Path) -> None:
        """Move an object with all beneath it. Raises `KeyError` if the place is taken."""
        siblings = self._children(path[:-1])
        leaf = siblings[self.schema.names.key(path[-1])]
        key = self.schema.names.key(to[-1])
        target = self._children(to[:-1])
        if key in target and target[key] is not leaf:
            raise KeyError(to)
        del siblings[self.schema.names.key(path[-1])]
        self._load(leaf)
        leaf.entry = msgspec.structs.replace(
            leaf.entry, name=to[-1], key=None if key == to[-1] else key
        )
        target[key] = leaf

    def graft(self, path: Path, node: Node, side: Snapshot) -> None:
        """Put a whole branch of another snapshot in the same store at `path`.

        Raises `KeyError` if nothing is there to hold it.
        """
        leaf = _Leaf(node.entry, side.fact_entry(node), node)
        if len(path) == len(self._base.at):
            self._top = leaf
        else:
            self._children(path[:-1])[node.entry.sort_key] = leaf

    def has(self, path: Path) -> bool:
        """Tell whether there is an object at `path`."""
        return self._find(path) is not None

    def is_bare(self, path: Path) -> bool:
        """Tell whether nothing stands beneath `path`."""
        leaf = self._find(path)
        if leaf is None or leaf.children is None:
            return leaf is None or leaf.entry.children is None
        return not leaf.children

    def kind(self, path: Path) -> str:
        """Return the kind of the object at `path`; empty where there is none."""
        leaf = self._find(path)
        return leaf.entry.kind if leaf else ""

    def get(self, path: Path) -> ConfigObject | None:
        """Return the object as the draft has it, without its facts."""
        leaf = self._find(path)
        if leaf is None:
            return None
        entry = leaf.entry
        self._writer.flush()
        return ConfigObject(
            name=entry.name,
            kind=entry.kind,
            identity=entry.identity,
            attributes=self._base.whole_attributes(entry),
            unreadable=entry.unreadable,
        )

    def names(self, path: Path) -> list[str]:
        """List the names of the children of `path`."""
        leaf = self._find(path)
        if leaf is None:
            return []
        return [c.entry.name for c in self._load(leaf).values()]

    def finish(self) -> Snapshot:
        """Write the draft and return it as a snapshot."""
        assert self._top is not None
        item = self._close(self._top, self.schema.names.keys(self._base.at))
        return self._as_snapshot(item, self._base.at)

    def branch_of(self, node: Node) -> Snapshot:
        """Return the branch at a node of the base as a snapshot of its own."""
        facts = self._base.fact_entry(node)
        item = Item("", encode(node.entry), node.entry.total, encode(facts) if facts else None)
        return self._as_snapshot(item, node.path)

    def _as_snapshot(self, item: Item, at: Path) -> Snapshot:
        root = Root(
            significant=self._writer.put(pack_array([item.entry])),
            facts=self._writer.put(pack_array([item.facts])) if item.facts else None,
            total=item.total,
            at=at,
        )
        self._writer.flush()
        return Snapshot(self._base.store, root, self.schema)

    def _find(self, path: Path) -> _Leaf | None:
        leaf = self._top
        for name in path[len(self._base.at) :]:
            leaf = self._load(leaf).get(self.schema.names.key(name)) if leaf else None
        return leaf

    def _children(self, path: Path) -> dict[str, _Leaf]:
        leaf = self._find(path)
        if leaf is None:
            raise KeyError(path)
        return self._load(leaf)

    def _load(self, leaf: _Leaf) -> dict[str, _Leaf]:
        if leaf.children is None:
            leaf.children = {}
            if leaf.origin is not None and leaf.origin.entry.children is not None:
                for node in self._base.children(leaf.origin):
                    facts = self._base.fact_entry(node)
                    leaf.children[node.entry.sort_key] = _Leaf(node.entry, facts, node)
        return leaf.children

    def _close(self, leaf: _Leaf, path: Path) -> Item:
        entry, facts = leaf.entry, leaf.facts
        if leaf.children is not None:
            items = [self._close(c, (*path, key)) for key, c in leaf.children.items()]
            items.sort(key=attrgetter("key"))
            written: tuple[Children | None, FactChildren | None] = write_children(
                self._writer, items, sum(len(i.entry) for i in items), self._likeness.pages(path)
            )
            changes: dict[str, Any] = {"children": written[0]}
            entry = msgspec.structs.replace(entry, **changes)
            if facts is not None or written[1] is not None:
                facts = FactEntry(facts.facts if facts else NO_FACTS, written[1])
        has_facts = facts is not None and (facts.children or bytes(facts.facts) != bytes(NO_FACTS))
        return Item(
            entry.sort_key,
            encode(entry),
            entry.total,
            encode(facts) if facts and has_facts else None,
        )


def branch(tree: Snapshot, path: Path) -> Snapshot | None:
    """Return the snapshot of one branch of another; None where there is no such branch.

    The branch's topmost page is made anew, so it costs one small chunk in the store.
    """
    node = tree.find(path)
    return None if node is None else Draft(tree).branch_of(node)
