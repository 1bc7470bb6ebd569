"""Walks two snapshots together and finds what differs. Equal branches are never loaded."""

from collections.abc import Mapping

from keepsort.core.compare.pages import _NOTHING, decoded, differing_entries, held
from keepsort.core.model import Path
from keepsort.core.snapshot import Entry, Node, Snapshot
from keepsort.core.snapshot.encoding import decode_facts_index, decode_index
from keepsort.core.snapshot.reader import Pages, read_pages

#: Pages of both sides held in memory at a time; a level of the tree may have more.
_PAGES_AT_ONCE = 2048


class Walk:
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
        lefts, rights, shifted = differing_entries(left, right)
        # where one side has nothing left to tell, nothing of the other's can be the same
        shifted = shifted and any(map(len, lefts)) and any(map(len, rights))
        in_left = held(left, lefts) if shifted else _NOTHING
        in_right = held(right, rights) if shifted else _NOTHING
        return (
            decoded(a.path, left, lefts, in_right),
            decoded(b.path, right, rights, in_left),
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


def _preload(side: Snapshot, nodes: list[Node]) -> None:
    indexes = [n.entry.children.index for n in nodes if n.entry.children and n.entry.children.index]
    if indexes:
        side.cache.load_many(indexes, decode_index)
    entries = [side.fact_entry(n) for n in nodes]
    more = [e.children.index for e in entries if e and e.children and e.children.index]
    if more:
        side.cache.load_many(more, decode_facts_index)
