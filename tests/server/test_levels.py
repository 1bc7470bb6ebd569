"""The merged tree: a page at a time it shows all that is there, each once."""

from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare import Comparison, Rules, compare
from keepsort.core.model import ConfigObject, Path
from keepsort.core.snapshot import MemoryStore
from keepsort.core.snapshot import branch as branch_of
from keepsort.server.sorting.comparing import Terms, compare_trees
from keepsort.server.sorting.levels import Row, level, neighbours, outline
from tests.core.trees import Tree, snapshot, trees

likeness = st.sampled_from([None, 0.6])


def compared(left: Tree, right: Tree, alike: float | None) -> Comparison:
    store = MemoryStore()
    return compare(snapshot(left, store), snapshot(right, store), likeness=alike)


def pages(found: Comparison, path: Path, only: bool) -> list[Row]:
    rows: list[Row] = []
    while True:
        page = level(found, path, only_differences=only, start=len(rows), limit=3)
        rows += page.rows
        if len(rows) >= page.total:
            assert len(rows) == page.total
            return rows


def everything(found: Comparison, path: Path, only: bool) -> list[Row]:
    rows = []
    for row in pages(found, path, only):
        rows.append(row)
        if row.children:
            rows += everything(found, row.path, only)
    return rows


@settings(max_examples=150, deadline=None)
@given(trees(), trees(), likeness)
def test_every_difference_has_its_row(left: Tree, right: Tree, alike: float | None) -> None:
    found = compared(left, right, alike)
    for only in (True, False):
        rows = everything(found, (), only)
        told = [(r.path, r.state) for r in rows if r.state != "same"]
        expected = [(d.path, d.state) for d in found.differences if d.path]
        assert sorted(told) == sorted(expected)
        if not only:
            places = {r.path for r in rows}
            assert set(left) - {()} <= places
    for row in everything(found, (), True):
        assert row.state != "same" or row.tally, "what is the same is shown only for what is in it"


@settings(max_examples=150, deadline=None)
@given(trees(), trees(), likeness, st.booleans())
def test_rows_are_in_order_and_counted(
    left: Tree, right: Tree, alike: float | None, only: bool
) -> None:
    found = compared(left, right, alike)
    for row in [None, *everything(found, (), only)]:
        path = row.path if row else ()
        inner = pages(found, path, only)
        assert [r.name for r in inner] == sorted(r.name for r in inner)
        if row is not None and row.children:
            assert row.children >= len({r.path for r in inner if only})
        for number, one in enumerate(inner):
            page = level(found, path, only_differences=only, start=0, limit=2, around=one.name)
            assert page.start % 2 == 0
            assert one.path in {r.path for r in page.rows}, number


@settings(max_examples=150, deadline=None)
@given(trees(), trees(), st.data())
def test_a_branch_counts_and_shows_nothing_but_itself(
    left: Tree, right: Tree, data: st.DataObject
) -> None:
    store = MemoryStore()
    at = data.draw(st.sampled_from(sorted(p for p in left if p[:-1] in right)) | st.just(()))
    branch = branch_of(snapshot(left, store), at)
    assert branch is not None
    found = compare_trees(branch, snapshot(right, store), Terms(rules=Rules()), {})
    beneath = {path for path in left if path[: len(at)] == at}
    differing = sum(d.left is not None for d in found.differences)
    assert found.same + found.unknown + differing == len(beneath)
    rows = [*outline(found, 1).rows, *everything(found, found.top, False)]
    assert rows[0].depth == 0
    assert beneath <= {row.path for row in rows}
    assert {d.path for d in found.differences} <= {row.path for row in rows}
    if all(d.path[: len(at)] == at for d in found.differences):
        assert rows[0].path == at
    assert all(row.state != "same" for row in rows if row.path[: len(at)] != at)


@settings(max_examples=100, deadline=None)
@given(trees(), trees(), st.integers(1, 30))
def test_the_outline_opens_as_far_as_it_may(left: Tree, right: Tree, budget: int) -> None:
    found = compared(left, right, None)
    rows = outline(found, budget).rows
    assert len(rows) <= max(1, budget)
    for at, row in enumerate(rows):
        inner = [r for r in rows[at + 1 :] if r.path[:-1] == row.path and r.path]
        if row.opened:
            assert [r.path for r in inner][: len(pages(found, row.path, True))]


@settings(max_examples=100, deadline=None)
@given(trees(), trees())
def test_going_from_difference_to_difference_meets_all(left: Tree, right: Tree) -> None:
    found = compared(left, right, 0.6)
    for forward in (True, False):
        start: Path = () if forward else ("\U0010ffff",)
        expected = list(dict.fromkeys(d.path for d in found.differences if d.path or not forward))
        if not forward:
            expected.reverse()
        assert neighbours(found, start, forward, 1000) == expected
        for number, path in enumerate(expected):
            assert neighbours(found, path, forward, 3) == expected[number + 1 :][:3]


def test_a_branch_that_went_elsewhere_with_all_in_it() -> None:
    def group(name: str, identity: str) -> ConfigObject:
        return ConfigObject(name=name, kind="group", identity=identity)

    store, top = MemoryStore(), ConfigObject(name="", kind="group", identity="top")
    kept = {
        (): top, ("divers",): group("divers", "d"), ("divers", "night"): group("night", "n"),
        ("divers", "night", "leads"): group("leads", "l"),
    }  # fmt: skip
    now = {
        (): top, ("night",): group("night", "n"), ("night", "leads"): group("leads", "l"),
        ("divers",): group("divers", "d"),
    }  # fmt: skip
    branch = branch_of(snapshot(kept, store), ("divers", "night"))
    assert branch is not None
    found = compare_trees(branch, snapshot(now, store), Terms(rules=Rules()), {})
    assert [(d.path, d.state, d.live_path) for d in found.differences] == [
        (("divers", "night"), "moved", ("night",))
    ]
    assert found.same == 1
