"""What cannot be read, what is large, and names that are the same in other letters."""

from collections import Counter

import msgspec
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from keepsort.core.compare import Comparison, Rules, compare
from keepsort.core.compare.anchors import part_numbers
from keepsort.core.compare.values import compare_attributes
from keepsort.core.model import ConfigObject, NameRule, Path, is_beneath
from keepsort.core.plan import (
    AttributePick,
    Mismatch,
    Pick,
    Step,
    in_sequence,
    plan_restore,
    plan_undo,
    rehearse,
    taken_place,
)
from keepsort.core.plan.rehearsal import holds, is_done
from keepsort.core.snapshot import MemoryStore, SnapshotBuilder
from tests.core.test_compare import grown, states, thing, told, unit
from tests.core.trees import SCHEMA, Tree, as_tree, content, snapshot, trees

EVERYTHING = [Pick((), "branch"), Pick((), "remove")]
WHY = "the account may not read this"


def hidden(tree: Tree, paths: list[Path], bare: bool) -> Tree:
    """The tree as an account sees it that may not read some objects, nor, where bare, what is in them."""
    found: Tree = {}
    for path, obj in tree.items():
        if any(p != path and is_beneath(path, p) for p in paths) and bare:
            continue
        found[path] = (
            ConfigObject(name=obj.name, kind="keeper", unreadable=WHY) if path in paths else obj
        )
    return found


@settings(max_examples=300, deadline=None, suppress_health_check=[HealthCheck.filter_too_much])
@given(trees(identities=False), trees(identities=False), st.data())
def test_nothing_is_told_or_written_where_one_side_may_not_look(
    backup: Tree, live: Tree, data: st.DataObject
) -> None:
    both = [p for p in live if p and p in backup]
    assume(both)
    paths = data.draw(st.lists(st.sampled_from(both), min_size=1, max_size=2, unique=True))
    bare = data.draw(st.booleans())
    seen = hidden(live, paths, bare)
    on_left = data.draw(st.booleans())
    found = told(seen, live) if on_left else told(backup, seen)
    blind = [p for p in paths if p in seen]
    for difference in found.differences:
        if difference.path in blind:
            assert difference.state == "unreadable"
        inside = difference.path[:-1] in blind
        # what only the side that may look has is no proof of anything
        assert not (inside and difference.state == ("extra" if on_left else "missing"))
    if bare and not on_left:
        assert found.unknown == sum(any(is_beneath(p, b) and p != b for b in blind) for p in backup)
    plan = plan_restore(found, EVERYTHING)
    touched = {s.path for s in plan.steps}
    assert not touched & set(blind)
    readable = {p for p in seen if p not in blind}
    same = told(seen, seen)
    assert not same.differences
    assert same.same == len(seen)
    assert readable or blind


def test_children_that_can_be_read_are_compared_beneath_one_that_cannot() -> None:
    shut = (("vets",), ConfigObject(name="vets", kind="unreadable", unreadable=WHY))
    left = grown(unit("vets"), (("vets", "a"), thing("a", title="x")), (("vets", "b"), thing("b")))
    right = grown(shut, (("vets", "a"), thing("a", title="y")), (("vets", "c"), thing("c")))
    found = told(left, right)
    assert states(found) == {
        ("vets",): "unreadable", ("vets", "a"): "changed", ("vets", "c"): "extra",
    }, "b may be there unseen; c is there, and the backup saw all"  # fmt: skip
    assert (found.unknown, found.same) == (1, 1)
    plan = plan_restore(found, [Pick(("vets", "a"))])
    assert [(s.action, s.path) for s in plan.steps] == [("update", ("vets", "a"))]
    assert {f.level for f in plan_restore(found, [Pick(("vets",))]).findings} == {"stop"}


def step(action: str, path: Path, before: object, after: object, **more: object) -> Step:
    return Step(
        number=1, action=action, path=path, kind="keeper", before=before, after=after, **more
    )  # type: ignore[arg-type]


def test_a_step_holds_only_for_what_it_expects() -> None:
    seen = thing("a", title="x")
    shut = ConfigObject(name="a", kind="keeper", attributes={"title": "x"}, unreadable=WHY)
    update = step("update", ("a",), {"title": "x"}, {"title": "y"})
    assert holds(SCHEMA, update, seen)
    assert not holds(SCHEMA, update, shut), "what may not be read is never as expected"
    assert not holds(SCHEMA, update, None)
    assert not holds(SCHEMA, update, msgspec.structs.replace(seen, kind="group"))
    assert not is_done(SCHEMA, update, seen)
    assert is_done(SCHEMA, update, thing("a", title="y"))
    assert not is_done(
        SCHEMA,
        update,
        ConfigObject(name="a", kind="keeper", attributes={"title": "y"}, unreadable=WHY),
    )
    live = snapshot(grown((("a",), seen), (("b",), thing("b"))))
    for wrong in (
        step("update", ("a",), {"title": "z"}, {}),
        step("create", ("a",), None, {}),
        step("delete", ("zzz",), {}, None),
        step("move", ("a",), {"title": "x"}, {"title": "x"}, to=("b",)),
    ):
        with pytest.raises(Mismatch):
            rehearse(live, (wrong,))


@given(trees(), trees(), st.data())
@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.filter_too_much])
def test_what_has_become_of_steps_can_be_taken_back(
    backup: Tree, live: Tree, data: st.DataObject
) -> None:
    """One step leaves something of its own behind; those that need it are not done."""
    for tree in (backup, live):  # the order of children is another story
        for obj in tree.values():
            obj.attributes.pop("order", None)
    store = MemoryStore()
    left, right = snapshot(backup, store), snapshot(live, store)
    plan = plan_restore(compare(left, right), EVERYTHING)
    assume(plan.steps)
    odd = data.draw(st.sampled_from(plan.steps))
    assume(odd.after is not None)
    needing = {odd.number}
    for one in plan.steps:
        if needing & set(one.needs):
            needing.add(one.number)
    done = [s for s in plan.steps if s.number not in needing]
    strange = {**(odd.after or {}), "title": "nobody's"}
    crooked = msgspec.structs.replace(odd, after=strange)
    now = rehearse(right, tuple(sorted([*done, crooked], key=lambda s: s.number)))
    took = taken_place(SCHEMA, odd, now.get(odd.path), now.get(odd.final_path))
    groups = [took if s.number == odd.number else (s,) for s in plan.steps if s in done or s == odd]
    back = rehearse(now, plan_undo(in_sequence(groups), right, now))
    assert content(as_tree(back)) == content(live)


large = st.sampled_from(["pump = on\n" * 900, "limit = 4\n" * 700 + "seal", "x" * 9000])


@given(large, large, st.integers(0, 3), st.integers(1, 255).map(lambda n: bytes([n]) * 5000))
@settings(max_examples=40, deadline=None)
def test_large_values_are_compared_planned_and_rehearsed_like_small_ones(
    one: str, other: str, number: int, photo: bytes
) -> None:
    backup = grown((("a",), thing("a", notes=one, photo=photo, depth=number)))
    live = grown((("a",), thing("a", notes=other, photo=photo[:-1], depth=number)))
    store = MemoryStore()
    left, right = snapshot(backup, store), snapshot(live, store)
    comparison = compare(left, right)
    names = {"photo"} | ({"notes"} if one != other else set())
    assert set(comparison.differences[0].attributes) == names
    predicted = rehearse(right, plan_restore(comparison, EVERYTHING).steps)
    assert content(as_tree(predicted)) == content(backup)
    part = Pick(("a",), "attributes", (AttributePick("photo"),))
    predicted = rehearse(right, plan_restore(comparison, [part]).steps)
    assert predicted.get(("a",)).attributes == {"notes": other, "photo": photo, "depth": number}  # type: ignore[union-attr]


FOLDING = msgspec.structs.replace(SCHEMA, names=NameRule(fold=True))


def folding(tree: Tree, store: MemoryStore) -> Comparison:
    builder = SnapshotBuilder(store, FOLDING)
    for path, obj in tree.items():
        builder.add(path, obj)
    return builder.finish()  # type: ignore[return-value]


@given(trees(identities=False), trees(identities=False), st.data())
@settings(max_examples=150, deadline=None)
def test_letters_of_names_do_not_count_where_the_system_says_so(
    backup: Tree, live: Tree, data: st.DataObject
) -> None:
    def other(path: Path) -> Path:
        return tuple(name.swapcase() for name in path)

    for tree in (backup, live):
        for obj in tree.values():
            obj.attributes.pop("order", None)
            obj.attributes.pop("member", None)
            obj.attributes.pop("deputy", None)
    loud = {other(p): msgspec.structs.replace(o, name=o.name.swapcase()) for p, o in live.items()}
    store = MemoryStore()
    left, right, swapped = (folding(tree, store) for tree in (backup, live, loud))
    assert not compare(right, swapped).differences  # type: ignore[arg-type]
    one, two = compare(left, right), compare(left, swapped)  # type: ignore[arg-type]
    assert [(d.path, d.state) for d in one.differences if d.left] == [
        (d.path, d.state) for d in two.differences if d.left
    ]
    paths = data.draw(st.lists(st.sampled_from(sorted(backup)), max_size=3))
    quiet = plan_restore(two, [Pick(p) for p in paths])
    assert quiet.steps == plan_restore(two, [Pick(other(p)) for p in paths]).steps
    assert len(quiet.steps) == len(plan_restore(one, [Pick(p) for p in paths]).steps)


@given(
    st.lists(st.sampled_from("abcd"), max_size=8), st.lists(st.sampled_from("abcd"), max_size=8),
    st.lists(st.sampled_from("abcd"), max_size=8), st.data(),
)  # fmt: skip
@settings(max_examples=300, deadline=None)
def test_a_named_hunk_means_the_same_lines_on_a_later_look_or_nothing(
    then: list[str], now: list[str], later: list[str], data: st.DataObject
) -> None:
    def hunks(live: list[str]) -> dict[str, object]:
        (found,) = compare_attributes(SCHEMA, "keeper", {"rota": then}, {"rota": live})
        told = {}
        for place, s in enumerate(found.stretches):
            before = found.stretches[place - 1].right[-2:] if place else []
            after = found.stretches[place + 1].right[:2] if place + 1 < len(found.stretches) else []
            told[s.number] = (tuple(s.left), tuple(s.right), tuple(before), tuple(after))
        many = Counter(told.values())
        # what it holds, what stands around it, and how many others are just like it
        return {n: (told[number], many[told[number]]) for n, number in part_numbers(found).items()}

    first, second = hunks(now), hunks(later)
    assert all(first[name] == second[name] for name in first.keys() & second.keys())
    assume(first)
    name = data.draw(st.sampled_from(sorted(first)))
    backup = grown((("a",), thing("a", rota=then)))
    pick = Pick(("a",), "attributes", (AttributePick("rota", parts=(name,)),))
    plan = plan_restore(told(backup, grown((("a",), thing("a", rota=later)))), [pick])
    if name not in second:
        assert not plan.steps
        assert [f.code for f in plan.findings if f.level == "stop"] == (
            ["part-gone"] if then != later else []
        )


@pytest.mark.parametrize("count", [3, 63, 64, 65, 66, 200])
def test_tallies_are_right_however_many_there_are(count: int) -> None:
    left = grown(unit("u"), *[(("u", f"n{n:03}"), thing(f"n{n:03}")) for n in range(0, count, 2)])
    right = grown(unit("u"), *[(("u", f"n{n:03}"), thing(f"n{n:03}")) for n in range(1, count, 2)])
    found = told(left, right)
    expected = {"missing": (count + 1) // 2, "extra": count // 2}
    assert found.tally == found.tally_beneath(("u",)) == found.tally_beneath(()) == expected
    assert found.tally_of(0, len(found.differences)) == expected
    assert found.tally_of(1, len(found.differences)) == {
        "missing": expected["missing"] - 1,
        "extra": expected["extra"],
    }


@pytest.mark.parametrize(
    ("rules", "one", "other", "same"),
    [
        (Rules(blank_lines=True), "a\n\nb\n", "a\nb\n", True),
        (Rules(), "a\n\nb\n", "a\nb\n", False),
        (Rules(blank_lines=True), "a\n \t\nb\n", "a\nb\n", True),
        (Rules(comments=("#",)), "# x\na\n", "a\n", True),
        (Rules(comments=("#",)), "a # x\n", "a\n", False),
        (Rules(comments=("keeper ;",)), "; x\na\n", "a\n", True),
        (Rules(comments=("group ;",)), "; x\na\n", "a\n", False),
        (Rules(space="ends"), "a \n", "a\n", True),
        (Rules(space="ends"), "a  b\n", "a b\n", False),
        (Rules(space="runs"), "a  b\n", "a b\n", True),
        (Rules(space="runs"), "ab\n", "a b\n", False),
        (Rules(space="all"), "ab\n", "a b\n", True),
        (Rules(letter_case=True), "A\n", "a\n", True),
        (Rules(letter_case=True), "ab\n", "a\n", False),
    ],
)  # fmt: skip
def test_what_each_rule_takes_out_of_a_text(rules: Rules, one: str, other: str, same: bool) -> None:
    found = told(
        grown((("k",), thing("k", notes=one))),
        grown((("k",), thing("k", notes=other))),
        rules=rules,
    )
    assert bool(found.differences) is not same
    assert bool(found.hidden) is same


def test_of_hunks_that_are_just_alike_none_is_known_when_there_are_fewer() -> None:
    def names(*missing: int) -> set[str]:
        live = [
            x for n in range(3) for x in ("a", "b", *([] if n in missing else ["new"]), "c", "d")
        ]
        whole = ["a", "b", "new", "c", "d"] * 3
        (found,) = compare_attributes(SCHEMA, "keeper", {"rota": whole}, {"rota": live})
        return set(part_numbers(found))

    assert len(names(0, 1, 2)) == 3
    assert not names(0, 1, 2) & names(0, 1), "nobody can say which of three the two are"
    assert not names(0, 1) & names(2)
