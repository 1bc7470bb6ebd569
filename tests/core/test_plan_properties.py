"""What must hold for any two trees."""

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare import compare
from keepsort.core.model import ConfigObject, is_beneath
from keepsort.core.plan import AttributePick, LeftOut, Pick, plan_restore, plan_undo, rehearse
from keepsort.core.snapshot import MemoryStore
from tests.core.test_compare import told
from tests.core.trees import Tree, as_tree, content, snapshot, trees

EVERYTHING = [Pick((), "branch"), Pick((), "remove")]


@settings(max_examples=400, deadline=None)
@given(trees(), trees())
def test_planning_everything_gives_the_backup(backup: Tree, live: Tree) -> None:
    store = MemoryStore()
    left, right = snapshot(backup, store), snapshot(live, store)
    plan = plan_restore(compare(left, right), EVERYTHING)
    assert not plan.stopped, plan.findings
    predicted = rehearse(right, plan.steps)
    assert content(as_tree(predicted)) == content(backup)
    assert not plan_restore(compare(left, predicted), EVERYTHING).steps


@settings(max_examples=300, deadline=None)
@given(
    st.booleans().flatmap(lambda ids: st.tuples(trees(identities=ids), trees(identities=ids))),
    st.sampled_from([None, 0.3, 0.6]),
)
def test_planning_everything_by_likeness(sides: tuple[Tree, Tree], likeness: float | None) -> None:
    backup, live = sides
    store = MemoryStore()
    left, right = snapshot(backup, store), snapshot(live, store)
    guessed = compare(left, right, likeness=likeness).suggestions
    accepted = frozenset((guess.path, guess.live_path) for guess in guessed)
    comparison = compare(left, right, likeness=likeness, accepted=accepted)
    plan = plan_restore(comparison, EVERYTHING)
    assert not plan.stopped, plan.findings
    predicted = rehearse(right, plan.steps)
    assert content(as_tree(predicted)) == content(backup)
    assert content(
        as_tree(rehearse(predicted, plan_undo(plan.steps, right, predicted)))
    ) == content(live)
    # each object of both sides stands in at most one pair
    pairs = [(d.path, d.live_path) for d in comparison.differences if d.left and d.right]
    assert len({p for p, _ in pairs}) == len({p for _, p in pairs}) == len(pairs)


@settings(max_examples=300, deadline=None)
@given(trees(), trees(), st.data())
def test_what_was_not_picked_is_untouched(backup: Tree, live: Tree, data: st.DataObject) -> None:
    store = MemoryStore()
    left, right = snapshot(backup, store), snapshot(live, store)
    comparison = compare(left, right)
    chosen = data.draw(st.lists(st.sampled_from([*backup, *live]), max_size=3))
    scopes = st.sampled_from(["object", "branch", "remove"])
    picks = [Pick(path, data.draw(scopes)) for path in chosen]
    plan = plan_restore(comparison, picks)
    predicted = as_tree(rehearse(right, plan.steps))
    touched = {p for s in plan.steps for p in (s.path, s.final_path)}
    moved = [s.path for s in plan.steps if s.action == "move"]
    for path, obj in live.items():
        if path not in touched and not any(is_beneath(path, m) for m in moved):
            assert path in predicted
            # what holds something that came or went lists it, or lists it no more
            for one in (predicted[path], obj):
                names = one.attributes.get("order")
                if names is not None:
                    one.attributes["order"] = [n for n in names if (*path, n) not in touched]
            assert content({path: predicted[path]}) == content({path: obj})
    picked = {p.path for p in picks}
    places = {obj.identity: path for path, obj in backup.items() if obj.identity}
    for step in plan.steps:
        if not step.reason and step.action != "delete":
            # what holds it may have stepped aside by then: its id still says what it is
            origin = places.get(step.identity) or comparison.backup_path(step.path)
            assert any(
                is_beneath(place, pick.path) if pick.scope == "branch" else place == pick.path
                for pick in picks
                for place in (step.final_path, origin, step.path)
            ), (step, picked)


@settings(max_examples=300, deadline=None)
@given(trees(), trees(), st.data())
def test_undo_gives_back_the_tree_before(backup: Tree, live: Tree, data: st.DataObject) -> None:
    store = MemoryStore()
    left, right = snapshot(backup, store), snapshot(live, store)
    picks = EVERYTHING
    if data.draw(st.booleans()):
        picks = [
            Pick(p) for p in data.draw(st.lists(st.sampled_from([*backup, *live]), max_size=4))
        ]
    plan = plan_restore(compare(left, right), picks)
    predicted = rehearse(right, plan.steps)
    back = rehearse(predicted, plan_undo(plan.steps, right, predicted))
    assert content(as_tree(back)) == content(live)


@settings(max_examples=100, deadline=None)
@given(trees(), trees())
def test_plans_are_deterministic_and_steps_stand_in_order(backup: Tree, live: Tree) -> None:
    store = MemoryStore()
    left, right = snapshot(backup, store), snapshot(live, store)
    one = plan_restore(compare(left, right), EVERYTHING)
    two = plan_restore(compare(left, right), EVERYTHING)
    assert one == two
    for step in one.steps:
        assert all(need < step.number for need in step.needs)


@settings(max_examples=300, deadline=None)
@given(trees(), trees(), st.data())
def test_it_does_not_matter_how_picks_are_ordered_and_split(
    backup: Tree, live: Tree, data: st.DataObject
) -> None:
    comparison = told(backup, live)
    together: list[Pick] = []
    apart: list[Pick] = []
    for difference in comparison.differences:
        take = data.draw(st.sampled_from(["nothing", "the object", "parts"]))
        if difference.state == "extra" or take == "nothing":
            continue
        names = [*difference.attributes, *(["place"] if difference.state == "moved" else [])]
        if take == "the object" or not names:
            together.append(Pick(difference.path))
            apart.append(Pick(difference.path))
            continue
        parts = tuple(AttributePick(name) for name in names if data.draw(st.booleans()))
        if parts:
            together.append(Pick(difference.path, "attributes", parts))
            apart += [Pick(difference.path, "attributes", (part,)) for part in parts]
    apart = data.draw(st.permutations(apart))
    one, two = plan_restore(comparison, together), plan_restore(comparison, apart)
    assert one.steps == two.steps
    assert set(one.findings) == set(two.findings)


@settings(max_examples=300, deadline=None)
@given(trees(), trees(), st.data())
def test_a_branch_without_some_is_all_the_others_picked_one_by_one(
    backup: Tree, live: Tree, data: st.DataObject
) -> None:
    comparison = told(backup, live)
    branch = data.draw(st.sampled_from(sorted(backup)))
    inside = [d.path for d in comparison.beneath(branch) if d.state != "extra"]
    out = data.draw(st.lists(st.sampled_from(inside), max_size=3)) if inside else []
    without = tuple(LeftOut(path, data.draw(st.booleans())) for path in out)
    kept = [
        path
        for path in inside
        if not any(path == w.path if w.alone else is_beneath(path, w.path) for w in without)
    ]
    whole = plan_restore(comparison, [Pick(branch, "branch", without=without)])
    single = plan_restore(comparison, [Pick(path) for path in kept])
    assert whole.steps == single.steps


def test_what_comes_to_list_its_children_lists_those_it_has() -> None:
    store = MemoryStore()
    root, child = ConfigObject(name="", kind="group"), ConfigObject(name="a", kind="keeper")
    listing = ConfigObject(name="t", kind="group", attributes={"order": ["b", "a"]})
    top = {(): msgspec.structs.replace(root, attributes={"order": ["t"]})}
    inside = {("t", "a"): child, ("t", "b"): msgspec.structs.replace(child, name="b")}
    backup = {**top, ("t",): listing, **inside}
    live = {**top, ("t",): ConfigObject(name="t", kind="keeper"), **inside}
    left, right = snapshot(backup, store), snapshot(live, store)
    plan = plan_restore(compare(left, right), EVERYTHING)
    predicted = rehearse(right, plan.steps)
    assert content(as_tree(predicted)) == content(backup)
    assert content(
        as_tree(rehearse(predicted, plan_undo(plan.steps, right, predicted)))
    ) == content(live)
