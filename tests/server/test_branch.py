"""A branch as one table: all that differs beneath it is told, each thing once."""

from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare import Rules, compare
from keepsort.core.compare.importance import Importance
from keepsort.core.model import ConfigObject, Path
from keepsort.core.snapshot import MemoryStore
from keepsort.server.snapshots.models import Record
from keepsort.server.sorting.branch import BranchRow, branch_table
from keepsort.server.sorting.comparing import Terms
from keepsort.server.sorting.in_common import common_paths, in_common
from keepsort.server.sorting.levels import level
from keepsort.server.sorting.things import things
from keepsort.server.sorting.viewing import Seen
from tests.core.trees import Tree, snapshot, trees


def seen(left: Tree, right: Tree) -> Seen:
    store = MemoryStore()
    found = compare(snapshot(left, store), snapshot(right, store), likeness=None)
    return Seen(Record(), Record(), Rules(), Terms(), found, found, found.tally)


def table(view: Seen, path: Path) -> tuple[list[BranchRow], int]:
    rows: list[BranchRow] = []
    while True:
        page = branch_table(view, path, len(rows), 3)
        rows += page.rows
        if len(rows) >= page.total:
            assert len(rows) == page.total
            return rows, page.grouped


@settings(max_examples=200)
@given(trees(), trees(), st.data())
def test_all_that_differs_is_told_once(left: Tree, right: Tree, data: st.DataObject) -> None:
    view = seen(left, right)
    at = data.draw(st.sampled_from(sorted({p[:n] for p in [*left, *right] for n in range(3)})))
    rows, grouped = table(view, at)
    beneath = [d for d in view.all.differences if d.path[: len(at)] == at and d.path != at]
    assert sum(1 + row.holds for row in rows) + grouped == len(beneath)

    # what groups tell and what rows tell is, together, all that differs of objects on both sides
    told: list[tuple[Path, str]] = []
    for group in in_common(view, at, beneath=True).groups:
        places = common_paths(view, group.number, at)
        told += [(place, group.attribute.name) for place in places if place != at]
    shown = {(row.path, row.state): row for row in rows}
    assert len(shown) == len(rows)
    for row in rows:
        assert all(attribute.state != "same" for attribute in row.attributes)
        if row.state not in ("missing", "extra"):
            told += [(row.path, attribute.name) for attribute in row.attributes]
    both = [d for d in beneath if d.left is not None and d.right is not None]
    # that an object became one of another kind is no attribute of it
    differing = [(d.path, name) for d in both for name in d.attributes if name != "kind"]
    assert sorted(told) == sorted(differing)

    # a whole branch on one side is one row, which says how much is in it
    for row in rows:
        if row.holds:
            inside = [d for d in beneath if d.path[: len(row.path)] == row.path]
            assert row.holds <= sum(d.state == row.state for d in inside) - 1


def test_a_folder_that_is_gone_tells_what_it_held() -> None:
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    for path in [("pump",), ("pump", "a"), ("pump", "a", "x"), ("pump", "b")]:
        tree[path] = ConfigObject(name=path[-1], kind="group", attributes={"speed": len(path)})
    view = seen(tree, {(): ConfigObject(name="", kind="group")})
    assert [(row.name, row.holds) for row in table(view, ())[0]] == [("pump", 3)]
    inside = table(view, ("pump",))[0]
    assert [(row.name, row.holds) for row in inside] == [("a", 1), ("b", 0)]
    assert [attribute.left[0].text for attribute in inside[1].attributes] == ["2"]


def test_an_object_that_became_another_kind_is_told_without_its_values() -> None:
    tree: Tree = {
        (): ConfigObject(name="", kind="group"),
        ("a",): ConfigObject(name="a", kind="keeper", identity="1"),
    }
    other = {**tree, ("a",): ConfigObject(name="a", kind="group", identity="1")}
    view = seen(tree, other)
    [row] = table(view, ())[0]
    assert (row.differing, row.attributes) == (["kind"], [])
    [shown] = level(view.shown, (), only_differences=True, start=0, limit=9).rows
    assert (shown.attributes, shown.brief) == (["kind"], None)
    [thing] = things(view.all, Importance()).first
    assert (thing.state, thing.attribute, thing.was) == ("changed", "kind", None)
