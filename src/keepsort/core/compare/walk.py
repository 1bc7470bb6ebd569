"""Walks two snapshots together and tells what differs. Equal branches are never loaded."""

from collections.abc import Iterator, Mapping, Sequence, Set
from operator import ne
from types import MappingProxyType

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
from keepsort.core.model import Attributes, Path, Schema, Value
from keepsort.core.model.canonical import canonical_value
from keepsort.core.model.references import renamed
from keepsort.core.snapshot import Entry, Node, Snapshot
from keepsort.core.snapshot.encoding import (
    BLOB_HEAD,
    decode_entry,
    decode_facts_index,
    decode_index,
)
from keepsort.core.snapshot.reader import Pages, RawPage, read_pages

#: An object on both sides; for a pair that a person accepted, how alike the two are.
_Pair = tuple[Node, Node, float | None]
#: Pages of both sides held in memory at a time; a level of the tree may have more.
_PAGES_AT_ONCE = 2048
_NO_RULES = Rules()
_NO_SUCCESSORS: Mapping[str, str] = MappingProxyType({})
#: Where an object is in the backup, and where the one stands live that it is taken for.
Accepted = frozenset[tuple[Path, Path]]


def compare(
    left: Snapshot,
    right: Snapshot,
    rules: Rules = _NO_RULES,
    *,
    likeness: float | None = None,
    accepted: Accepted = frozenset(),
    successors: Mapping[str, str] = _NO_SUCCESSORS,
) -> Comparison:
    """Compare two snapshots of the same place.

    rules: what does not count.
    likeness: of a missing and an extra object that are at least this similar (0 to 1) and have no
        ids that differ, the comparison suggests that one is the other; None suggests nothing.
    accepted: suggestions that a person has accepted; these alone are taken as moves.
    successors: identities that objects had, each with the one that its restored object has; both
        are taken as the same object.

    Raises ValueError if the snapshots hold different branches.
    """
    names = left.schema.names
    if names.keys(left.at) != names.keys(right.at):
        raise ValueError("the two snapshots hold different branches")
    if left.root.significant == right.root.significant:
        return Comparison(left, right, [])
    walk = _Walk(left, right, successors)
    walk.run()
    pairs: list[_Pair] = [(a, b, None) for a, b in walk.pair_up()]
    unknown = walk.set_unknown_aside()
    suggestions: list[Suggestion] = []
    if likeness is not None and walk.only_left and walk.only_right:
        # NumPy takes a while to load, and only this needs it
        from keepsort.core.compare.likeness import alike

        wanted = frozenset((names.keys(path), names.keys(place)) for path, place in accepted)
        for a, b, similarity in alike(
            left, right, walk.only_left, walk.only_right, likeness, wanted
        ):
            pair = names.keys(a.path), names.keys(b.path)
            if pair in wanted:
                del walk.only_left[pair[0]], walk.only_right[pair[1]]
                pairs.append((a, b, similarity))
            else:
                suggestions.append(Suggestion(a.path, b.path, similarity))
    found = _Telling(left, right, walk, pairs)
    return found.comparison(rules, suggestions, unknown)


class _Walk:
    """Finds pairs of objects at the same place that differ, and those on one side only."""

    def __init__(self, left: Snapshot, right: Snapshot, successors: Mapping[str, str]) -> None:
        self.left = left
        self.right = right
        self._successors = successors
        self.changed: list[tuple[Node, Node]] = []
        self.only_left: dict[Path, Node] = {}
        self.only_right: dict[Path, Node] = {}
        self._keys = left.schema.names.keys
        #: objects beneath one that the other side may not read, so that nobody knows of them there
        self._unknown_left: list[Node] = []
        self._unknown_right: list[Node] = []

    def run(self) -> None:
        """Walk level by level, so that each level costs two reads of the store."""
        level: list[tuple[Node, Node]] = []
        self._meet(self.left.top(), self.right.top(), level)
        while level:
            level = self._next(level)

    def _meet(self, a: Node, b: Node, level: list[tuple[Node, Node]]) -> None:
        one, two = a.entry, b.entry
        if one.identity and two.identity and self._now(one) != self._now(two):
            # another object in the same place: its branches have nothing to do with each other
            self._alone(self.left, a, self.only_left)
            self._alone(self.right, b, self.only_right)
            return
        if one.unreadable is not None or two.unreadable is not None:
            if one.unreadable != two.unreadable:
                self.changed.append((a, b))
            # what can be read beneath it is compared all the same
            if one.children != two.children:
                level.append((a, b))
            return
        if one.kind != two.kind or one.attributes != two.attributes:
            self.changed.append((a, b))
        if one.children != two.children:
            level.append((a, b))

    def _alone(self, side: Snapshot, node: Node, into: dict[Path, Node]) -> None:
        for inner in side.walk(node):
            into[self._keys(inner.path)] = inner

    def _next(self, level: list[tuple[Node, Node]]) -> list[tuple[Node, Node]]:
        _preload(self.left, [a for a, _ in level])
        _preload(self.right, [b for _, b in level])
        found: list[tuple[Node, Node]] = []
        waiting: list[tuple[Node, Node]] = []
        ones: set[bytes] = set()
        twos: set[bytes] = set()
        for a, b in level:
            left = {ref.address for ref in self.left.page_refs(a.entry.children)}
            right = {ref.address for ref in self.right.page_refs(b.entry.children)}
            ones |= left - right
            twos |= right - left
            waiting.append((a, b))
            if len(ones) + len(twos) > _PAGES_AT_ONCE:
                self._compare(waiting, read_pages(self.left, ones, self.right, twos), found)
                waiting, ones, twos = [], set(), set()
        self._compare(waiting, read_pages(self.left, ones, self.right, twos), found)
        return found

    def _compare(
        self, pairs: list[tuple[Node, Node]], pages: Pages, found: list[tuple[Node, Node]]
    ) -> None:
        """Compare what pairs hold; pages: those of it that one side has and the other has not."""
        for a, b in pairs:
            in_left, in_right = self._entries(a, b, pages)
            for key, inner in in_left.items():
                other = in_right.pop(key, None)
                if other is None:
                    self._alone(self.left, inner, self.only_left)
                    if b.entry.unreadable is not None:
                        self._unknown_left.append(inner)
                else:
                    self._meet(inner, other, found)
            for inner in in_right.values():
                self._alone(self.right, inner, self.only_right)
                if a.entry.unreadable is not None:
                    self._unknown_right.append(inner)

    def _entries(self, a: Node, b: Node, pages: Pages) -> tuple[dict[str, Node], dict[str, Node]]:
        """Return the children of both sides by their keys, without those that are equal.

        Equal entries are told by their bytes, and never decoded.
        """
        left = self.left.raw_pages(a, pages)
        right = self.right.raw_pages(b, pages)
        lefts, rights, shifted = _differing_entries(left, right)
        # where one side has nothing left to tell, nothing of the other's can be the same
        shifted = shifted and any(map(len, lefts)) and any(map(len, rights))
        in_left = _held(left, lefts) if shifted else _NOTHING
        in_right = _held(right, rights) if shifted else _NOTHING
        return (
            _decoded(a.path, left, lefts, in_right),
            _decoded(b.path, right, rights, in_left),
        )

    def _now(self, entry: Entry) -> str | None:
        """Return the identity that the object has now, if it was restored since."""
        identity = entry.identity
        for _ in range(len(self._successors)):
            if identity is None or identity not in self._successors:
                break
            identity = self._successors[identity]
        return identity

    def pair_up(self) -> list[tuple[Node, Node]]:
        """Pair objects found on one side only by identity, and take them from those lists."""
        by_identity = {
            self._now(n.entry): k for k, n in self.only_right.items() if n.entry.identity
        }
        pairs = []
        for key, node in list(self.only_left.items()):
            other = by_identity.get(self._now(node.entry)) if node.entry.identity else None
            if other is not None:
                pairs.append((node, self.only_right.pop(other)))
                del self.only_left[key]
        return pairs

    def set_unknown_aside(self) -> int:
        """Take what may stand on the other side unseen from the lists; count that of the left."""
        self._set_aside(self.right, self._unknown_right, self.only_right)
        return self._set_aside(self.left, self._unknown_left, self.only_left)

    def _set_aside(self, side: Snapshot, nodes: list[Node], alone: dict[Path, Node]) -> int:
        gone = 0
        for node in nodes:
            for inner in side.walk(node):
                gone += alone.pop(self._keys(inner.path), None) is not None
        return gone


#: For each page the numbers of some of its entries.
_Numbers = list[Sequence[int]]
_NOTHING: frozenset[bytes] = frozenset()


def _differing_entries(
    left: list[RawPage], right: list[RawPage]
) -> tuple[_Numbers, _Numbers, bool]:
    """Return the entries beside which all is equal, where pages stand side by side.

    The last value tells whether entries may stand on both sides, only in other places.
    """
    if len(left) != len(right):
        return [range(len(page)) for _, page in left], [range(len(page)) for _, page in right], True
    lefts: _Numbers = []
    rights: _Numbers = []
    shifted = False
    for (_, ones), (_, twos) in zip(left, right, strict=True):
        differ = list(map(ne, ones, twos))
        if len(ones) == len(twos):
            numbers = [number for number, differs in enumerate(differ) if differs]
            lefts.append(numbers)
            rights.append(numbers)
            continue
        shifted = True
        start = differ.index(True) if True in differ else len(differ)
        end = 0
        while end < len(differ) - start and ones[-1 - end] == twos[-1 - end]:
            end += 1
        lefts.append(range(start, len(ones) - end))
        rights.append(range(start, len(twos) - end))
    return lefts, rights, shifted


def _held(pages: list[RawPage], chosen: _Numbers) -> set[bytes]:
    return {
        bytes(page[number])
        for (_, page), numbers in zip(pages, chosen, strict=True)
        for number in numbers
    }


def _decoded(
    path: Path, pages: list[RawPage], chosen: _Numbers, others: Set[bytes]
) -> dict[str, Node]:
    """Decode those of the entries that the other side does not have, by their keys."""
    found = {}
    for (facts, entries), numbers in zip(pages, chosen, strict=True):
        for number in numbers:
            raw = bytes(entries[number])  # a copy, so as not to hold on to the whole page
            if raw in others:
                continue
            entry = decode_entry(raw)
            own = facts[number] if isinstance(facts, list) else facts
            found[entry.sort_key] = Node((*path, entry.name), entry, own, number)
    return found


def _preload(side: Snapshot, nodes: list[Node]) -> None:
    indexes = [n.entry.children.index for n in nodes if n.entry.children and n.entry.children.index]
    if indexes:
        side.cache.load_many(indexes, decode_index)
    entries = [side.fact_entry(n) for n in nodes]
    more = [e.children.index for e in entries if e and e.children and e.children.index]
    if more:
        side.cache.load_many(more, decode_facts_index)


class _Telling:
    """Turns what the walk found into differences."""

    def __init__(
        self,
        left: Snapshot,
        right: Snapshot,
        walk: _Walk,
        pairs: list[_Pair],
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
        self.moves: list[_Pair] = []
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

        Elements of lists may stand in another order, and letter case may not count.
        """
        for name in left.keys() & right.keys():
            one, two = left[name], right[name]
            listed = isinstance(one, list) or isinstance(two, list)
            if listed or (one != two and self.schema.spec(kind, name).fold):
                left[name], right[name] = self.left.resolve(one), self.right.resolve(two)

    def _follows_move(
        self, kind: str, name: str, left: Attributes, right: Attributes
    ) -> Path | None:
        """Return the move (its path in the backup) that alone makes a reference differ."""
        spec = self.schema.spec(kind, name)
        if not spec.refers or name not in left or name not in right:
            return None
        moved: list[Path] = []

        def as_before(text: str) -> Value:
            path = self.schema.notation.read(text)
            if path is None:
                return text
            back = translate(self.moved, self.names, path)
            if back is not path:
                moved.append(back)
            return self.names.keys(back)

        def as_keys(text: str) -> Value:
            path = self.schema.notation.read(text)
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
