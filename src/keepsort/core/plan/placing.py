"""Putting what a file tells into a system's tree, so that it can be compared and picked from.

A file rarely tells all: one that holds whole branches stands for them; any other says nothing of
what it does not mention, so that stays as the system has it.
"""

from collections.abc import Callable, Iterator
from functools import partial

import msgspec

from keepsort.core.compare.gaps import NOTHING, Nothing
from keepsort.core.model import Attributes, ConfigObject, Notation, Path, Schema, Value
from keepsort.core.model.notation import DistinguishedNames
from keepsort.core.model.references import renamed
from keepsort.core.plan.elsewhere import carried_over
from keepsort.core.snapshot import Draft, Node, Snapshot, SnapshotBuilder

#: The kind of what a file does not mention, but that holds something it does.
PLACE = "$place"

#: Makes a value of what the file tells: kind, attribute, what is told, what the system has, if any.
Understand = Callable[[str, str, Value, "Value | Nothing"], Value]

#: Tells of what kind an object is by its attributes, where the file does not say; empty if unknown.
KindOf = Callable[[Attributes], str]


class Aside(msgspec.Struct, frozen=True):
    """An object that a file tells of and that has no place in the system's tree.

    path: where the file has it. place: where it would stand in the tree; None where there is no
        such place. count: it, and what stands beneath it. why: in plain words.
    """

    path: Path
    place: Path | None
    count: int
    why: str


class Placed(msgspec.Struct, frozen=True):
    """The system's tree with what the file tells in it, and what found no place there.

    mentioned: places of the objects that the file tells of, as they stand in the tree; None where
        it holds the whole tree.
    """

    tree: Snapshot
    aside: tuple[Aside, ...] = ()
    mentioned: frozenset[Path] | None = None


def topmost(source: Snapshot) -> Path:
    """Return the place that all which a file mentions lies at or beneath."""
    node = source.top()
    while node.entry.kind == PLACE:
        children = source.children(node, limit=2)
        if len(children) != 1:
            break
        node = children[0]
    return node.path


def place_whole(source: Snapshot, target: Snapshot, understand: Understand) -> Placed:
    """Return a branch that a file holds all of, as the target's tree would hold it.

    Raises KeyError if the target has nothing that could hold the branch.
    """
    placing = _Placing(source, target, None, understand, lambda _: "")
    builder = SnapshotBuilder(
        source.store, target.schema, depth_first=True, previous=target, at=source.at
    )
    for _, path, obj in placing.objects(merging=False):
        builder.add(path, obj)
    if not builder.count:
        raise KeyError(source.at)
    return Placed(builder.finish(), tuple(placing.aside))


def place_parts(
    source: Snapshot, target: Snapshot, at: Path | None, understand: Understand, kind_of: KindOf
) -> Placed:
    """Return the target's tree with what a file mentions put into it.

    at: what is to hold the file's topmost object; where the file has it if None.
    """
    placing = _Placing(source, target, at, understand, kind_of)
    draft = Draft(target)
    mentioned = set()
    for node, path, obj in placing.objects(merging=True):
        live = target.find(path)
        moved = placing.moved_from(node, path) if live is None else None
        if moved is not None:
            draft.move(moved, path)
        try:
            if live is None or _differs(target.object(live), obj):
                draft.put(path, obj)
        except KeyError:
            placing.leave(node, "nothing is there to hold it")
            continue
        mentioned.add(target.schema.names.keys(path))
    return Placed(draft.finish(), tuple(placing.aside), frozenset(mentioned))


def _differs(one: ConfigObject, other: ConfigObject) -> bool:
    return (one.kind, one.attributes) != (other.kind, other.attributes)


class _Placing:
    """Walks a file's tree and makes of each object what the target would hold."""

    def __init__(
        self, source: Snapshot, target: Snapshot, at: Path | None, understand: Understand,
        kind_of: KindOf,
    ) -> None:  # fmt: skip
        self._source, self._target, self._at = source, target, at
        self._understand, self._kind_of = understand, kind_of
        self._top = topmost(source)
        self._schema = target.schema
        self._by_dn = _full_names(source.schema) and not _full_names(target.schema)
        self._live_ids = _ids(source, target)
        self.aside: list[Aside] = []

    def objects(self, merging: bool) -> Iterator[tuple[Node, Path, ConfigObject]]:
        """Yield what has a place: the file's node, its path in the target, and the object there.

        merging: what is not told of an object stays as the target has it.
        """
        waiting = [self._source.top()]
        while waiting:
            node = waiting.pop()
            below = list(reversed(self._source.children(node)))
            if node.entry.kind == PLACE:
                waiting += below
                continue
            path = self.place(node.path)
            if path is None:
                self.leave(node, "this system has no such place; choose where the file hangs")
                continue
            live = self._target.find(path)
            now = self._target.object(live) if live is not None else None
            obj = self._source.object(node)
            kind = obj.kind or (now.kind if now else self._kind_of(obj.attributes))
            why = self._unfit(obj, kind, now)
            if why and not (merging is False and obj.unreadable):
                self.leave(node, why)
                continue
            waiting += below
            if path == () and self._at is not None:
                continue
            yield node, path, self._made(node, path, obj, kind, now, merging)

    def leave(self, node: Node, why: str) -> None:
        """Note that an object, with what is beneath it, has no place."""
        if not any(node.path[: len(one.path)] == one.path for one in self.aside[-1:]):
            self.aside.append(Aside(node.path, self.place(node.path), node.entry.total, why))

    def _unfit(self, obj: ConfigObject, kind: str, now: ConfigObject | None) -> str:
        if obj.unreadable is not None:
            return f"it could not be read when the file was made: {obj.unreadable}"
        if not kind:
            return "the file does not say of what kind it is, and there is none here yet"
        if self._schema.kinds and kind not in self._schema.kinds:
            return f"this system knows no {self._source.schema.label(kind)}"
        if now is not None and now.unreadable is not None:
            return f"it cannot be read here: {now.unreadable}"
        return ""

    def place(self, path: Path) -> Path | None:
        """Return where in the target an object of the file goes."""
        if self._at is not None:
            top = self._top
            above = len(top) - (1 if top and self._is_mentioned(top) else 0)
            return (*self._at, *path[above:]) if len(path) > above else self._at
        if self._by_dn:
            return self._schema.notation.read(self._source.schema.notation.write(path))
        return path

    def _is_mentioned(self, path: Path) -> bool:
        node = self._source.find(path)
        return node is not None and node.entry.kind != PLACE

    def moved_from(self, node: Node, path: Path) -> Path | None:
        """Return where the target has an object now that the file has in another place."""
        identity = node.entry.identity
        live = self._live_ids.get(identity) if identity else None
        if live is None or self._source.find(live) is not None:
            return None
        inside = path[: len(live)] == live
        return None if inside or self._target.find(path[:-1]) is None else live

    def _made(
        self, node: Node, path: Path, obj: ConfigObject, kind: str, now: ConfigObject | None,
        merging: bool,
    ) -> ConfigObject:  # fmt: skip
        told, _ = carried_over(self._source.schema, self._schema, kind, obj.attributes)
        known = now.attributes if now is not None and now.kind == kind else {}
        attributes: Attributes = dict(known) if merging else {}
        for name, value in told.items():
            attributes[name] = self._understand(kind, name, value, known.get(name, NOTHING))
        if self._at is not None:
            attributes = self._redirected(kind, attributes, told)
        # ids of another system mean nothing here
        identity = obj.identity if self._live_ids else None
        if now is not None and (merging or identity is None):
            identity = now.identity
        return ConfigObject(
            name=path[-1] if path else "", kind=kind, identity=identity, attributes=attributes,
            facts=obj.facts, unreadable=obj.unreadable,
        )  # fmt: skip

    def _redirected(self, kind: str, attributes: Attributes, told: Attributes) -> Attributes:
        """Let references to what the file holds follow it to where it hangs."""

        def elsewhere(was: Notation, notation: Notation, text: str) -> str:
            path = was.read(text)
            if path is None or self._source.find(path) is None:
                return text
            place = self.place(path)
            return notation.write(place) if place is not None else text

        found = dict(attributes)
        for name in told.keys() & self._schema.references:
            spec = self._schema.spec(kind, name)
            if spec.refers and name in found:
                was = self._source.schema.notation_of(self._source.schema.spec(kind, name))
                now = self._schema.notation_of(spec)
                found[name] = renamed(spec, found[name], partial(elsewhere, was, now))
        return found


def _full_names(schema: Schema) -> bool:
    return isinstance(schema.notation, DistinguishedNames) and not schema.notation.base


def _ids(source: Snapshot, target: Snapshot) -> dict[str, Path]:
    """Return where the target has the objects that the file tells of, by their ids.

    Empty where the file is of another system, whose ids mean nothing here: ids that only count up
    are the same in many. It is of this one if most objects with the same id have the same name.
    """
    wanted = {node.entry.identity: node for node in source.walk() if node.entry.identity}
    if not wanted:
        return {}
    found = {
        node.entry.identity: node
        for node in target.walk()
        if node.entry.identity and node.entry.identity in wanted
    }
    key = target.schema.names.key
    agreeing = sum(
        node.entry.kind == wanted[identity].entry.kind
        and key(node.entry.name) == key(wanted[identity].entry.name)
        for identity, node in found.items()
    )
    if 2 * agreeing < len(found):
        return {}
    return {identity: node.path for identity, node in found.items()}
