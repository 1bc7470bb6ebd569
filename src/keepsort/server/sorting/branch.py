"""A branch of a comparison as one table: all that differs beneath it, attribute by attribute."""

from dataclasses import dataclass
from functools import partial
from typing import NamedTuple
from weakref import WeakKeyDictionary

from keepsort.core.compare import Comparison, compare_attributes
from keepsort.core.compare.folding import Folded, folded
from keepsort.core.model import Path
from keepsort.core.snapshot import Node, Snapshot
from keepsort.server.sorting.in_common import GROUPS_SHOWN, groups_within
from keepsort.server.sorting.showing import RowState, Showing, ShownAttribute
from keepsort.server.sorting.viewing import Seen

#: Of an object that is on one side only, so many attributes say which one it is.
_TELLING = 3
_BRANCHES_KEPT = 8


@dataclass
class BranchRow:
    """One object that differs.

    attributes: what differs of it and is in no group of equal changes; of an object on one side
        only, its first attributes. more: how many attributes are not among them for being many.
    differing: names of all that differ and can be put back, those in groups as well.
    holds: how many objects beneath it are missing, or extra, along with it.
    """

    path: Path
    written: str
    name: str
    kind_label: str
    state: RowState
    live_path: Path | None
    attributes: list[ShownAttribute]
    more: int
    differing: list[str]
    holds: int


@dataclass
class BranchTable:
    """Some rows of the table, from number `start` on.

    grouped: how many objects are in no row, since all that differs of them is in groups.
    """

    total: int
    start: int
    grouped: int
    rows: list[BranchRow]


class _Table(NamedTuple):
    rows: list[Folded]
    in_groups: frozenset[tuple[Path, str]]
    grouped: int


_kept: WeakKeyDictionary[Comparison, dict[Path, _Table]] = WeakKeyDictionary()


def branch_table(seen: Seen, path: Path, start: int, limit: int) -> BranchTable:
    """Return rows `start` to `start + limit` of all that differs beneath `path`.

    What several objects have in common is not told again of each: `in_common` tells it at once.
    """
    kept = _kept.setdefault(seen.shown, {})
    key = seen.all.names.keys(path)
    if key not in kept:
        if len(kept) >= _BRANCHES_KEPT:
            kept.clear()
        kept[key] = _table(seen, path)
    table = kept[key]
    rows = [_row(seen, one, table) for one in table.rows[start : start + limit]]
    return BranchTable(len(table.rows), start, table.grouped, rows)


def _table(seen: Seen, path: Path) -> _Table:
    keys = seen.all.names.keys
    top = keys(path)
    in_groups = frozenset(
        (keys(place), group.first.name)
        for _, group, places in groups_within(seen, path)[:GROUPS_SHOWN]
        for place in places
    )
    rows: list[Folded] = []
    grouped = 0
    beneath = (one for one in seen.shown.beneath(path) if keys(one.path) != top)
    for row in folded(seen.all.names, beneath):
        one = row.difference
        if (
            one.state == "changed"
            and one.attributes
            and all((keys(one.path), name) in in_groups for name in one.attributes)
        ):
            grouped += 1
        else:
            rows.append(row)
    return _Table(rows, in_groups, grouped)


def _row(seen: Seen, row: Folded, table: _Table) -> BranchRow:
    one = row.difference
    comparison = seen.all
    schema = comparison.left.schema
    keys = schema.names.keys(one.path)
    show = Showing(comparison.left, comparison.right, seen.rules)
    node = one.node
    kind = node.entry.kind
    values = partial(_attributes, names=set(one.attributes) if one.left and one.right else None)
    found = compare_attributes(
        schema, kind, values(comparison.left, one.left), values(comparison.right, one.right)
    )
    more = 0
    if one.left is None or one.right is None:
        found = [a for a in found if not schema.spec(kind, a.name).read_only] or found
        more = max(len(found) - _TELLING, 0)
        found = found[:_TELLING]
    alone = [a for a in found if (keys, a.name) not in table.in_groups]
    return BranchRow(
        path=one.path,
        written=schema.notation.write(one.path),
        name=node.entry.name or schema.notation.write(one.path),
        kind_label=schema.label(kind),
        state=one.state,
        live_path=one.live_path,
        attributes=[show.attribute(kind, a, None, one.path) for a in alone],
        more=more,
        differing=[*(["place"] if one.state == "moved" else []), *one.attributes],
        holds=row.holds,
    )


def _attributes(tree: Snapshot, node: Node | None, names: set[str] | None) -> dict[str, object]:
    if node is None:
        return {}
    found = tree.whole_attributes(node.entry)
    return {k: v for k, v in found.items() if names is None or k in names}
