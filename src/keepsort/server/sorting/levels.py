"""The merged tree of a comparison, a level at a time."""

from bisect import bisect_left
from collections.abc import Iterator
from dataclasses import dataclass, field

from keepsort.core.compare import Comparison, Difference
from keepsort.core.model import Path
from keepsort.core.snapshot import Node


@dataclass
class Row:
    """One row of the merged tree.

    tally: differences at and beneath it, by state. children: rows right beneath it.
    """

    path: Path
    name: str
    depth: int
    kind: str
    kind_label: str
    icon: str
    state: str
    attributes: list[str]
    live_path: Path | None
    tally: dict[str, int]
    children: int
    opened: bool = False


@dataclass
class Level:
    """Some rows of one level, or of several where they were opened at once."""

    total: int
    rows: list[Row] = field(default_factory=list)


def outline(comparison: Comparison, states: frozenset[str], budget: int) -> Level:
    """Return the tree folded down to the differences, opened as far as `budget` rows go."""
    top = _row(comparison, comparison.left.at, None, states, only_differences=True)
    level = Level(1, [top])
    waiting = [0]
    while waiting:
        number = waiting.pop(0)
        row = level.rows[number]
        inner = list(_differing_children(comparison, row.path, states, budget + 1))
        if not inner or len(level.rows) + len(inner) > budget:
            continue
        row.opened = True
        level.rows[number + 1 : number + 1] = inner
        waiting = [n + len(inner) if n > number else n for n in waiting]
        waiting += [number + 1 + n for n, r in enumerate(inner) if r.children]
    return level


def level(
    comparison: Comparison,
    path: Path,
    states: frozenset[str],
    *,
    only_differences: bool,
    start: int,
    limit: int,
) -> Level:
    """Return rows `start` to `start + limit` right beneath `path`."""
    if only_differences:
        rows = list(_differing_children(comparison, path, states, None))
        return Level(len(rows), rows[start : start + limit])
    names = _all_names(comparison, path)
    chosen = names[start : start + limit]
    return Level(len(names), [r for n in chosen for r in _rows(comparison, (*path, n), states)])


def _differing_children(
    comparison: Comparison, path: Path, states: frozenset[str], limit: int | None
) -> Iterator[Row]:
    """Yield a row for every child with differences at or beneath it, without a look at the rest."""
    inside = comparison.beneath(path)
    keys = [comparison.names.keys(d.path) for d in inside]
    depth = len(path)
    number = bisect_left(keys, comparison.names.keys(path))
    while number < len(inside) and len(keys[number]) <= depth:
        number += 1
    count = 0
    while number < len(inside) and (limit is None or count < limit):
        child = keys[number][: depth + 1]
        after = bisect_left(keys, (*child[:-1], child[-1] + "\0"))
        own = inside[number:after]
        if not states or any(d.state in states for d in own):
            for row in _rows(comparison, own[0].path[: depth + 1], states, only_differences=True):
                yield row
                count += 1
        number = after


def _all_names(comparison: Comparison, path: Path) -> list[str]:
    left = comparison.left.find(path)
    right = comparison.right.find(comparison.live_path(path))
    names: dict[str, str] = {}
    for side, node in ((comparison.right, right), (comparison.left, left)):
        if node is not None:
            for inner in side.children(node):
                names[inner.entry.sort_key] = inner.entry.name
    return [names[key] for key in sorted(names)]


def _rows(
    comparison: Comparison, path: Path, states: frozenset[str], *, only_differences: bool = False
) -> Iterator[Row]:
    """Yield the row at `path`; two where one object has taken another's place."""
    here = [d for d in comparison.at(path) if not states or d.state in states]
    for number, difference in enumerate(here or [None]):
        yield _row(
            comparison, path, difference, states,
            only_differences=only_differences, beneath=number == 0,
        )  # fmt: skip


def _row(
    comparison: Comparison,
    path: Path,
    difference: Difference | None,
    states: frozenset[str],
    *,
    only_differences: bool,
    beneath: bool = True,
) -> Row:
    if difference is None:
        at = [d for d in comparison.at(path) if not states or d.state in states]
        difference = at[0] if at else None
    node = difference.node if difference else _node(comparison, path)
    schema = comparison.left.schema
    kind = node.entry.kind if node else ""
    tally = comparison.tally_beneath(path) if beneath else {}
    tally = {s: n for s, n in tally.items() if not states or s in states}
    below = sum(tally.values()) - (
        sum(1 for d in comparison.at(path) if not states or d.state in states) if beneath else 0
    )
    children = below
    if not only_differences and node is not None:
        children = max(below, node.entry.children.count if node.entry.children else 0)
    return Row(
        path=path,
        name=node.entry.name if node else path[-1],
        depth=len(path) - len(comparison.left.at),
        kind=kind,
        kind_label=schema.label(kind),
        icon=schema.kinds[kind].icon if kind in schema.kinds else "box",
        state=difference.state if difference else "same",
        attributes=list(difference.attributes) if difference else [],
        live_path=difference.live_path if difference else comparison.live_path(path),
        tally=tally,
        children=children,
    )


def _node(comparison: Comparison, path: Path) -> Node | None:
    return comparison.left.find(path) or comparison.right.find(path)


def neighbour(
    comparison: Comparison, path: Path, forward: bool, states: frozenset[str]
) -> Difference | None:
    """Return the next or the previous difference from `path`."""
    key = comparison.names.keys(path)
    found = None
    for difference in comparison.differences:
        if states and difference.state not in states:
            continue
        own = comparison.names.keys(difference.path)
        if forward and own > key:
            return difference
        if not forward:
            if own >= key:
                break
            found = difference
    return found
