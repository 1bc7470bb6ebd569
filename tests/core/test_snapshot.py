"""Snapshots: equal content gives equal digests, only what changed is stored, drafts are trees."""

import random
from bisect import bisect_left

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare import compare
from keepsort.core.model import ConfigObject
from keepsort.core.snapshot import ChunkMissing, Draft, MemoryStore, SnapshotBuilder
from keepsort.core.snapshot import branch as branch_of
from keepsort.core.snapshot.builder import StreamError
from tests.core.trees import SCHEMA, Tree, as_tree, content, snapshot, trees, values_apart


def flat(count: int, changed: frozenset[int] = frozenset()) -> Tree:
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    for n in range(count):
        title = "Vet" if n in changed else "Keeper"
        tree[(f"keeper {n:05}",)] = ConfigObject(
            name=f"keeper {n:05}",
            kind="keeper",
            attributes={"title": title, "phone": [f"{n:05}"]},
            facts={"seen": n},
        )
    return tree


@settings(max_examples=150, deadline=None)
@given(trees(), st.randoms(use_true_random=False))
def test_digests_do_not_depend_on_the_order_of_feeding(tree: Tree, rng: random.Random) -> None:
    shuffled = sorted(tree, key=lambda p: (len(p), rng.random()))
    mixed: Tree = {}
    for path in shuffled:
        obj = tree[path]
        names = list(obj.attributes)
        rng.shuffle(names)
        values = {n: obj.attributes[n] for n in names}
        for name in ("phone", "member", "seen"):
            if name in values:
                values[name] = rng.sample(values[name], len(values[name]))
        mixed[path] = ConfigObject(
            name=obj.name, kind=obj.kind, identity=obj.identity, attributes=values
        )
    depth_first = dict(sorted(tree.items()))
    one = snapshot(tree)
    assert snapshot(mixed).root.significant == one.root.significant
    assert snapshot(depth_first, depth_first=True).root == one.root
    assert content(as_tree(one)) == content(tree)


def test_facts_lie_apart_from_what_is_significant() -> None:
    store = MemoryStore()
    before = snapshot(flat(2000), store)
    tree = flat(2000)
    tree[("keeper 01000",)].facts["seen"] = -1
    after = snapshot(tree, store, large=False, previous=before)
    assert after.root.significant == before.root.significant
    assert after.root.facts != before.root.facts
    found = after.get(("keeper 01000",))
    assert found is not None
    assert found.facts == {"seen": -1}


def test_a_change_rewrites_one_page_and_an_equal_tree_is_not_read() -> None:
    store = MemoryStore()
    before = snapshot(flat(20_000), store)
    chunks = len(store.chunks)
    after = snapshot(flat(20_000, frozenset([777])), store, previous=before)
    assert len(store.chunks) - chunks <= 3
    store.reads = 0
    found = compare(before, after)
    assert [d.path for d in found.differences] == [("keeper 00777",)]
    assert store.reads <= 8
    store.reads = 0
    assert not compare(before, snapshot(flat(20_000), store)).differences
    assert store.reads == 0


def test_an_added_name_moves_no_other_boundary() -> None:
    store = MemoryStore()
    before = snapshot(flat(5000), store, large=False)
    chunks = len(store.chunks)
    tree = flat(5000)
    tree[("keeper 02500b",)] = ConfigObject(name="keeper 02500b", kind="keeper")
    snapshot(tree, store, large=False, previous=before)
    # a page and its facts, the two lists of pages, and the topmost object with its facts
    assert len(store.chunks) - chunks <= 8


@settings(max_examples=150, deadline=None)
@given(trees(), trees(), st.data())
def test_a_draft_ends_as_a_tree_built_anew(tree: Tree, other: Tree, data: st.DataObject) -> None:
    with values_apart():
        draft = Draft(snapshot(tree, large=False))
        plain = dict(tree)
        for path in data.draw(st.lists(st.sampled_from(list(other)), max_size=4)):
            if path and path[:-1] in plain:
                draft.put(path, other[path])
                plain[path] = other[path]
        for path in data.draw(st.lists(st.sampled_from(list(plain)), max_size=2)):
            if path in plain and path:
                draft.remove(path)
                plain = {p: o for p, o in plain.items() if p[: len(path)] != path}
        built = draft.finish()
    assert built.root.significant == snapshot(plain, large=False).root.significant
    assert built.root.total == len(plain)


def test_one_branch_stands_alone() -> None:
    tree = flat(300)
    tree[("keeper 00007", "diary")] = ConfigObject(name="diary", kind="group")
    branch = branch_of(snapshot(tree), ("keeper 00007",))
    assert branch is not None
    assert branch.at == ("keeper 00007",)
    assert [n.path for n in branch.walk()] == [("keeper 00007",), ("keeper 00007", "diary")]
    assert branch.find(("keeper 00008",)) is None
    found = branch.get(("keeper 00007",))
    assert found is not None
    assert found.facts == {"seen": 7}


def test_long_values_lie_apart_and_come_back() -> None:
    text, photo = "reef\n" * 3000, bytes(range(256)) * 40
    tree: Tree = {
        (): ConfigObject(name="", kind="group", attributes={"notes": text, "photo": [photo, b"x"]})
    }
    found = snapshot(tree).get(())
    assert found is not None
    assert found.attributes == {"notes": text, "photo": [photo, b"x"]}


@settings(max_examples=60, deadline=None)
@given(
    st.one_of(st.integers(0, 12), st.integers(13, 900)),
    st.booleans(),
    st.lists(st.tuples(st.integers(0, 950), st.none() | st.integers(0, 400)), max_size=8),
    st.lists(st.integers(-1, 1900), max_size=8),
)
def test_any_part_of_a_level_is_read_by_number_and_by_name(
    count: int, large: bool, parts: list[tuple[int, int | None]], places: list[int]
) -> None:
    # every other number is a name, so that the odd ones lie between two
    names = [f"keeper {number * 2:05}" for number in range(count)]
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    tree |= {(name,): ConfigObject(name=name, kind="keeper") for name in names}
    side = snapshot(tree, large=large)
    top = side.top()
    assert [node.entry.name for node in side.children(top)] == names
    for start, limit in parts:
        wanted = names[start:] if limit is None else names[start : start + limit]
        found = side.children(top, start, limit)
        assert [node.entry.name for node in found] == wanted
        assert [node.path for node in found] == [(name,) for name in wanted]
    for place in places:
        name = f"keeper {place:05}"
        assert side.rank(top, side.schema.names.key(name)) == bisect_left(names, name)
        child = side.child(top, name)
        assert (child.path if child else None) == ((name,) if name in names else None)


def test_a_stream_that_makes_no_tree_is_refused() -> None:
    builder = SnapshotBuilder(MemoryStore(), SCHEMA)
    with pytest.raises(StreamError, match="no object"):
        builder.finish()
    builder.add((), ConfigObject(name="", kind="group"))
    with pytest.raises(StreamError, match="before its parent"):
        builder.add(("a", "b"), ConfigObject(name="b", kind="group"))


@pytest.mark.parametrize("depth_first", [True, False])
def test_one_object_that_cannot_be_kept_is_told_and_the_rest_is_kept(depth_first: bool) -> None:
    nested: list[object] = []
    for _ in range(5000):
        nested = [nested]
    bad: list[dict[str, object]] = [{"phone": [1 << 70]}, {"notes": "\ud800"}, {"notes": nested}]
    builder = SnapshotBuilder(MemoryStore(), SCHEMA, depth_first=depth_first)
    builder.add((), ConfigObject(name="", kind="group"))
    for number, attributes in enumerate(bad):
        name = f"bad-{number}"
        builder.add((name,), ConfigObject(name=name, kind="keeper", attributes=attributes))
    for name in ("a", "a", "odd-\udcff"):
        builder.add((name,), ConfigObject(name=name, kind="keeper", attributes={"title": name}))
    builder.add(("facts",), ConfigObject(name="facts", kind="keeper", facts={"n": 1 << 70}))
    tree = builder.finish()
    reasons = {n.entry.name: n.entry.unreadable for n in tree.children(tree.top())}
    assert {name for name, why in reasons.items() if why is None} == {"a", "facts"}
    assert set(reasons) == {"a", "a (2)", "bad-0", "bad-1", "bad-2", "facts", "odd-\\udcff"}
    found = tree.get(("a",))
    assert found is not None
    assert found.attributes == {"title": "a"}


def test_a_missing_chunk_is_named() -> None:
    store = MemoryStore()
    side = snapshot(flat(10), store)
    store.chunks.clear()
    with pytest.raises(ChunkMissing):
        side.top()
