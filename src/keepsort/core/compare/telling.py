"""Turns what a walk found into differences."""

from collections.abc import Iterator

import msgspec

from keepsort.core.compare.comparison import (
    Comparison,
    Consequence,
    Difference,
    State,
    Suggestion,
    translate,
)
from keepsort.core.compare.rules import Rules
from keepsort.core.compare.values import differing_names, equal_values
from keepsort.core.compare.walk import Walk
from keepsort.core.model import Attributes, Path, Schema, Value
from keepsort.core.model.canonical import canonical_value
from keepsort.core.model.references import renamed
from keepsort.core.snapshot import Node, Snapshot
from keepsort.core.snapshot.encoding import BLOB_HEAD

#: An object on both sides; for a pair that a person accepted, how alike the two are.
Pair = tuple[Node, Node, float | None]


class Telling:
    """Turns what the walk found into differences."""

    def __init__(
        self,
        left: Snapshot,
        right: Snapshot,
        walk: Walk,
        pairs: list[Pair],
    ) -> None:
        self.left, self.right = left, right
        self.walk = walk
        self.pairs = pairs
        self.names = left.schema.names
        self.schema: Schema = left.schema
        keys = self.names.keys
        #: live place of every paired object by its place in the backup, and the other way round
        self.live_of = {keys(pair[0].path): pair[1].path for pair in pairs}
        self.backup_of = {keys(pair[1].path): pair[0].path for pair in pairs}
        #: backup place of every moved object, by its place live
        self.moved: dict[Path, Path] = {}
        self.moves: list[Pair] = []
        for pair in sorted(pairs, key=lambda p: len(p[0].path)):
            a, b = pair[0], pair[1]
            if not a.path or not self._came_along(a.path, b.path):
                self.moves.append(pair)
                self.moved[keys(b.path)] = a.path

    def _came_along(self, path: Path, live: Path) -> bool:
        """Tell whether an object stands in the same place of the same parent on both sides."""
        keys = self.names.keys
        there = (*translate(self.live_of, self.names, path[:-1]), path[-1])
        back = (*translate(self.backup_of, self.names, live[:-1]), live[-1])
        return keys(there) == keys(live) and keys(back) == keys(path)

    def comparison(self, rules: Rules, suggestions: list[Suggestion], unknown: int) -> Comparison:
        """Return everything as one comparison, with what the rules hide set aside."""
        self.consequences: list[Consequence] = []
        shown: list[Difference] = []
        hidden: list[Difference] = []
        for difference in self._all():
            left = self._filtered(difference, rules) if rules else difference
            if left is None:
                hidden.append(difference)
            else:
                shown.append(left)
                if left is not difference:
                    hidden.append(difference)
        return Comparison(
            self.left, self.right, shown, self.consequences, hidden, suggestions, unknown
        )

    def _all(self) -> Iterator[Difference]:
        told = set()
        for a, b, similarity in self.moves:
            told.add(a.path)
            attributes = self._names_that_differ(a, b)
            yield Difference(
                path=a.path, live_path=b.path, state="moved", kind=a.entry.kind,
                attributes=attributes, left=a, right=b, similarity=similarity,
            )  # fmt: skip
        came_along = [(p[0], p[1]) for p in self.pairs if p[0].path not in told]
        for a, b in self.walk.changed + came_along:
            yield from self._pair(a, b, "changed")
        only_right = dict(self.walk.only_right)
        for a in self.walk.only_left.values():
            place = translate(self.live_of, self.names, a.path)
            there = only_right.get(self.names.keys(place))
            if there is not None and (not a.path or self._came_along(a.path, there.path)):
                del only_right[self.names.keys(place)]
                both = a.entry.identity and there.entry.identity
                yield from self._pair(a, there, "recreated" if both else "changed")
            else:
                state: State = "unreadable" if a.entry.unreadable is not None else "missing"
                yield Difference(
                    path=a.path, live_path=None, state=state, kind=a.entry.kind, left=a
                )
        for b in only_right.values():
            yield Difference(
                path=b.path, live_path=b.path,
                state="unreadable" if b.entry.unreadable is not None else "extra",
                kind=b.entry.kind, right=b,
            )  # fmt: skip

    def _pair(self, a: Node, b: Node, state: State) -> Iterator[Difference]:
        unreadable = a.entry.unreadable is not None or b.entry.unreadable is not None
        attributes = () if unreadable else self._names_that_differ(a, b)
        if unreadable or attributes or state == "recreated":
            yield Difference(
                path=a.path, live_path=b.path,
                state="unreadable" if unreadable else state,
                kind=a.entry.kind, attributes=attributes, left=a, right=b,
            )  # fmt: skip

    def _names_that_differ(self, a: Node, b: Node) -> tuple[str, ...]:
        left, right = self.left.attributes(a.entry), self.right.attributes(b.entry)
        if BLOB_HEAD in bytes(a.entry.attributes) or BLOB_HEAD in bytes(b.entry.attributes):
            self._resolve_where_it_matters(a.entry.kind, left, right)
        found = differing_names(self.schema, a.entry.kind, left, right)
        if a.entry.kind != b.entry.kind:
            found.insert(0, "kind")
        if not self.moved:
            return tuple(found)
        kept = []
        for name in found:
            moved = self._follows_move(a.entry.kind, name, left, right)
            if moved is None:
                kept.append(name)
            else:
                self.consequences.append(Consequence(a.path, name, moved))
        return tuple(kept)

    def _resolve_where_it_matters(self, kind: str, left: Attributes, right: Attributes) -> None:
        """Read long values that lie apart, where they are not different just because they are two.

        Elements of lists may stand in another order, and texts may mean the same.
        """
        for name in left.keys() & right.keys():
            one, two = left[name], right[name]
            listed = isinstance(one, list) or isinstance(two, list)
            if listed or (one != two and self.schema.spec(kind, name).means != "literal"):
                left[name], right[name] = self.left.resolve(one), self.right.resolve(two)

    def _follows_move(
        self, kind: str, name: str, left: Attributes, right: Attributes
    ) -> Path | None:
        """Return the move (its path in the backup) that alone makes a reference differ."""
        spec = self.schema.spec(kind, name)
        if not spec.refers or name not in left or name not in right:
            return None
        moved: list[Path] = []
        read = self.schema.notation_of(spec).read

        def as_before(text: str) -> Value:
            path = read(text)
            if path is None:
                return text
            back = translate(self.moved, self.names, path)
            if back is not path:
                moved.append(back)
            return self.names.keys(back)

        def as_keys(text: str) -> Value:
            path = read(text)
            return text if path is None else self.names.keys(path)

        before, now = renamed(spec, left[name], as_keys), renamed(spec, right[name], as_before)
        if canonical_value(spec, before) == canonical_value(spec, now) and moved:
            return moved[0]
        return None

    def _filtered(self, difference: Difference, rules: Rules) -> Difference | None:
        if rules.hides_path(difference.path):
            return None
        if difference.state not in ("changed", "moved", "recreated"):
            return difference
        assert difference.left is not None
        assert difference.right is not None
        left = self.left.attributes(difference.left.entry)
        right = self.right.attributes(difference.right.entry)
        kept = []
        for name in difference.attributes:
            if rules.hides_attribute(difference.kind, name):
                continue
            spec = self.schema.spec(difference.kind, name)
            if rules.reduces and name in left and name in right:
                a = rules.reduced(difference.kind, spec, self.left.resolve(left[name]))
                b = rules.reduced(difference.kind, spec, self.right.resolve(right[name]))
                if equal_values(spec, a, b):
                    continue
            kept.append(name)
        if not kept and difference.state == "changed":
            return None
        if len(kept) == len(difference.attributes):
            return difference
        return msgspec.structs.replace(difference, attributes=tuple(kept))
