"""The merged tree of a comparison, a level at a time.

A row stands for an object of the backup, or for one that only live has. Nothing is made for rows
that are not asked for: where all objects are shown, only those pages of a level are read that the
rows lie on.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import NamedTuple
from weakref import WeakKeyDictionary

from keepsort.core.compare import Comparison, Difference
from keepsort.core.model import Path
from keepsort.core.snapshot import Node
from keepsort.server.sorting.brief import brief
from keepsort.server.sorting.showing import RowState

#: So many rows are told at once.
PAGE_ROWS = 200


@dataclass
class Row:
    """One row of the merged tree.

    tally: differences at and beneath it, by state. children: rows right beneath it.
    similarity: of a missing or extra object, how alike the one is that it may be; of a move that
        was accepted, how alike the two places are.
    brief: where one short value became another, both.
    """

    path: Path
    name: str
    depth: int
    kind: str
    kind_label: str
    icon: str
    state: RowState
    attributes: list[str]
    live_path: Path | None
    tally: dict[str, int]
    children: int
    similarity: float | None = None
    brief: list[str] | None = None
    opened: bool = False


@dataclass
class Level:
    """Some rows of one level, from number `start` on, or of several opened at once.

    page: how many rows are told at once; pages begin at its multiples.
    """

    total: int
    start: int = 0
    rows: list[Row] = field(default_factory=list)
    page: int = PAGE_ROWS


class _Place(NamedTuple):
    """A row before it is written: where its differences lie in the list, and which is its own."""

    first: int
    last: int
    own: int | None
    beneath: bool


def outline(comparison: Comparison, budget: int) -> Level:
    """Return the tree folded down to the differences, opened as far as `budget` rows go."""
    top = _top_row(comparison)
    rows = [top]
    waiting = [0]
    while waiting:
        number = waiting.pop(0)
        row = rows[number]
        places = _places(comparison, row.path)
        if not places or len(rows) + len(places) > budget:
            continue
        row.opened = True
        inner = [_differing_row(comparison, row.path, place) for place in places]
        rows[number + 1 : number + 1] = inner
        waiting = [n + len(inner) if n > number else n for n in waiting]
        waiting += [number + 1 + n for n, r in enumerate(inner) if r.children]
    return Level(1, 0, rows)


def level(
    comparison: Comparison,
    path: Path,
    *,
    only_differences: bool,
    start: int,
    limit: int,
    around: str | None = None,
) -> Level:
    """Return rows `start` to `start + limit` right beneath `path`.

    around: a name; the page of `limit` rows that holds it is returned instead.
    """
    if only_differences:
        places = _places(comparison, path)
        if around is not None:
            start = _place_rank(comparison, path, places, around) // limit * limit
        rows = [_differing_row(comparison, path, p) for p in places[start : start + limit]]
        return Level(len(places), start, rows)
    merged = _Merged(comparison, path)
    if around is not None:
        start = merged.rank(comparison.names.key(around)) // limit * limit
    return Level(merged.total, start, list(merged.rows(start, limit)))


def neighbours(comparison: Comparison, path: Path, forward: bool, count: int) -> list[Path]:
    """Return where the next differences from `path` are, or those before it, nearest first."""
    key = comparison.names.keys(path)
    keys = comparison.keys
    found: list[Path] = []
    while len(found) < count:
        at = bisect_right(keys, key) if forward else bisect_left(keys, key) - 1
        if not 0 <= at < len(keys):
            break
        found.append(comparison.differences[at].path)
        key = keys[at]
    return found


#: Rows of levels that were worked out; a comparison never changes.
_kept: WeakKeyDictionary[Comparison, dict[Path, list[_Place]]] = WeakKeyDictionary()


def _places(comparison: Comparison, path: Path) -> list[_Place]:
    """List the rows right beneath `path` that have differences, without a look at the rest."""
    key = comparison.names.keys(path)
    kept = _kept.setdefault(comparison, {})
    if key in kept:
        return kept[key]
    keys = comparison.keys
    depth = len(key) + 1
    at, stop = comparison.range(key)
    while at < stop and len(keys[at]) < depth:
        at += 1
    found: list[_Place] = []
    while at < stop:
        child = keys[at][:depth]
        last = at + 1
        if last < stop and keys[last][:depth] == child:
            last = comparison.after(child)
        own = at
        while own < last and len(keys[own]) == depth:
            own += 1
        # an object of the backup and one that took its place are two rows, the backup's first
        here = sorted(range(at, own), key=lambda n: comparison.differences[n].left is None)
        found += [_Place(at, last, n, n == here[0]) for n in here]
        if own == at:
            found.append(_Place(at, last, None, True))
        at = last
    kept[key] = found
    return found


def _place_rank(comparison: Comparison, path: Path, places: list[_Place], name: str) -> int:
    child = (*comparison.names.keys(path), comparison.names.key(name))
    return bisect_left(places, child, key=lambda p: comparison.keys[p.first][: len(child)])


def _differing_row(comparison: Comparison, path: Path, place: _Place) -> Row:
    own = comparison.differences[place.own] if place.own is not None else None
    here = comparison.differences[place.first].path[: len(path) + 1]
    node = own.node if own else comparison.left.find(here) or comparison.right.find(here)
    tally = comparison.tally_of(place.first, place.last) if place.beneath else {}
    below = sum(tally.values()) - _at_same_place(comparison, place)
    return _row(comparison, here, node, own, tally, below)


def _at_same_place(comparison: Comparison, place: _Place) -> int:
    if place.own is None or not place.beneath:
        return 0
    key = comparison.keys[place.first]
    number = place.first
    while number < place.last and comparison.keys[number] == key:
        number += 1
    return number - place.first


def _top_row(comparison: Comparison) -> Row:
    path = comparison.top
    here = comparison.at(path)
    node = here[0].node if here else comparison.left.find(path)
    tally = comparison.tally_of(0, len(comparison.differences))
    return _row(
        comparison, path, node, here[0] if here else None, tally, sum(tally.values()) - len(here)
    )


class _Merged:
    """All rows of one level: the children that the backup has, and among them what is extra."""

    def __init__(self, comparison: Comparison, path: Path) -> None:
        self._comparison = comparison
        self._path = path
        self._node = comparison.left.find(path)
        children = self._node.entry.children if self._node else None
        self._count = children.count if children else 0
        self._extra = [p for p in _places(comparison, path) if self._is_extra(p)]
        self._extra_keys = [comparison.keys[p.first][len(path)] for p in self._extra]

    def _is_extra(self, place: _Place) -> bool:
        """Tell whether a row stands for something that the backup does not have here."""
        if place.own is not None:
            return self._comparison.differences[place.own].left is None
        here = self._comparison.differences[place.first].path[: len(self._path) + 1]
        return self._comparison.left.find(here) is None

    @property
    def total(self) -> int:
        return self._count + len(self._extra)

    def rank(self, key: str) -> int:
        """Return the number of the row whose name has this form, or of the one after it."""
        before = bisect_left(self._extra_keys, key)
        if self._node is None or not self._count:
            return before
        return before + self._comparison.left.rank(self._node, key)

    def rows(self, start: int, limit: int) -> Iterator[Row]:
        """Yield rows from number `start` on; of equal names, the backup's comes first."""
        at = self._first_child(start)
        extra = start - at
        nodes = self._comparison.left.children(self._node, at, limit) if self._node else []
        number = 0
        for _ in range(min(limit, self.total - start)):
            key = nodes[number].entry.sort_key if number < len(nodes) else None
            if key is not None and (extra >= len(self._extra) or key <= self._extra_keys[extra]):
                yield self._child_row(nodes[number])
                number += 1
            else:
                yield _differing_row(self._comparison, self._path, self._extra[extra])
                extra += 1

    def _first_child(self, start: int) -> int:
        """Return how many of the backup's children stand before row `start`."""
        if self._node is None or not self._extra:
            return min(start, self._count)
        low, high = max(0, start - len(self._extra)), min(start, self._count)
        while low < high:
            middle = (low + high) // 2
            child = self._comparison.left.children(self._node, middle, 1)[0]
            # the row number of this child: those before it, and the extra ones before it
            row = middle + bisect_left(self._extra_keys, child.entry.sort_key)
            if row < start:
                low = middle + 1
            else:
                high = middle
        return low

    def _child_row(self, node: Node) -> Row:
        comparison = self._comparison
        here = [d for d in comparison.at(node.path) if d.left is not None]
        tally = comparison.tally_beneath(node.path)
        below = sum(tally.values()) - len(comparison.at(node.path))
        children = node.entry.children.count if node.entry.children else 0
        own = here[0] if here else None
        return _row(comparison, node.path, node, own, tally, max(below, children))


def _row(
    comparison: Comparison,
    path: Path,
    node: Node | None,
    own: Difference | None,
    tally: dict[str, int],
    children: int,
) -> Row:
    schema = comparison.left.schema
    kind = node.entry.kind if node else ""
    return Row(
        path=path,
        name=node.entry.name if node else (path[-1] if path else ""),
        depth=len(path) - len(comparison.top),
        kind=kind,
        kind_label=schema.label(kind),
        icon=schema.kinds[kind].icon if kind in schema.kinds else "box",
        state=own.state if own else state_without_difference(comparison, path),
        attributes=list(own.attributes) if own else [],
        live_path=own.live_path if own else comparison.live_path(path),
        tally=tally,
        children=children,
        similarity=_similarity(comparison, own),
        brief=brief(comparison, own) if own else None,
    )


def state_without_difference(comparison: Comparison, path: Path) -> RowState:
    """Tell of what does not differ whether it is the same, or outside of what is compared."""
    return "same" if comparison.is_covered(path) else "outside"


def _similarity(comparison: Comparison, own: Difference | None) -> float | None:
    if own is None or own.similarity is not None:
        return own.similarity if own else None
    found = comparison.suggestion(own.path, live=own.state == "extra")
    return found.similarity if found and own.state in ("missing", "extra") else None
