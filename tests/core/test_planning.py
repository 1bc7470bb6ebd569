"""What a plan does, case by case."""

import pytest
from msgspec.structs import replace

from keepsort.core.compare import compare
from keepsort.core.compare.anchors import element_name
from keepsort.core.model import ConfigObject, Path, Schema
from keepsort.core.plan import AttributePick, Mismatch, Pick, Plan, offers, plan_restore, rehearse
from keepsort.core.snapshot import MemoryStore
from tests.core.test_compare import grown, thing, unit
from tests.core.trees import SCHEMA, Tree, snapshot


def planned(left: Tree, right: Tree, *picks: Pick, **options: object) -> Plan:
    from tests.core.trees import snapshot

    store = MemoryStore()
    comparison = compare(snapshot(left, store), snapshot(right, store))
    return plan_restore(comparison, list(picks), **options)  # type: ignore[arg-type]


def brief(plan: Plan) -> list[tuple[str, Path]]:
    return [(s.action, s.path) for s in plan.steps]


def codes(plan: Plan) -> list[tuple[str, str]]:
    return [(f.level, f.code) for f in plan.findings]


WHOLE_TITLE = AttributePick("title")
DIVERS = unit("divers", "d")
VISITORS = unit("visitors", "v")


def test_what_is_missing_comes_with_what_should_hold_it() -> None:
    left = grown(
        unit("a"), (("a", "b"), thing("b")), (("a", "b", "c"), thing("c")), (("a", "x"), thing("x"))
    )
    plan = planned(left, grown(), Pick(("a", "b", "c")))
    assert brief(plan) == [("create", ("a",)), ("create", ("a", "b")), ("create", ("a", "b", "c"))]
    assert [s.reason for s in plan.steps] == ["holds c", "holds c", ""]
    assert plan.steps[2].needs == (1, 2)


def test_what_it_refers_to_comes_along() -> None:
    left = grown(unit("a"), unit("b"), (("g",), thing("g", member=["/a", "/b"])))
    right = grown(unit("b"), (("g",), thing("g", member=["/b"])))
    plan = planned(left, right, Pick(("g",)))
    assert brief(plan) == [("create", ("a",)), ("update", ("g",))]
    assert plan.steps[0].reason == "g refers to it (member)"
    assert plan.steps[1].needs == (1,)


def test_references_in_a_circle_are_broken_into_create_and_update() -> None:
    left = grown((("a",), thing("a", boss="/b")), (("b",), thing("b", boss="/a")))
    plan = planned(left, grown(), Pick(("a",)))
    assert sorted(s.action for s in plan.steps) == ["create", "create", "update"]
    created = [s for s in plan.steps if s.action == "create"]
    assert created[0].after == {}, "the first one cannot name the second yet"


def test_a_reference_to_nothing_is_noted() -> None:
    plan = planned(grown((("g",), thing("g", member=["/never"]))), grown(), Pick(("g",)))
    assert brief(plan) == [("create", ("g",))]
    assert codes(plan) == [("note", "dangling")]


def test_a_reference_to_what_stands_elsewhere_names_it_there() -> None:
    left = grown(DIVERS, VISITORS, (("divers", "ansel"), thing("ansel", "1")),
                 (("g",), thing("g", "g", member=["/divers/ansel"])))  # fmt: skip
    right = grown(
        DIVERS, VISITORS, (("visitors", "ansel"), thing("ansel", "1")), (("g",), thing("g", "g"))
    )
    plan = planned(left, right, Pick(("g",)))
    assert plan.steps[0].after == {"member": ["/visitors/ansel"]}
    assert codes(plan) == [("note", "redirected")]
    moved = planned(left, right, Pick(("g",)), Pick(("divers", "ansel")))
    assert [s.action for s in moved.steps] == ["move", "update"]
    assert moved.steps[1].after == {"member": ["/divers/ansel"]}


def test_references_nobody_picked_follow_a_move_and_may_have_followed_already() -> None:
    left = grown(
        DIVERS, VISITORS, (("divers", "ansel"), thing("ansel", "1")), (("g",), thing("g", "g"))
    )
    right = grown(DIVERS, VISITORS, (("visitors", "ansel"), thing("ansel", "1")),
                  (("g",), thing("g", "g", member=["/visitors/ansel"])))  # fmt: skip
    plan = planned(left, right, Pick(("divers", "ansel")))
    assert brief(plan) == [("move", ("visitors", "ansel")), ("update", ("g",))]
    update = plan.steps[1]
    assert update.reason == "refers to an object that moves"
    assert update.after == {"member": ["/divers/ansel"]}
    assert update.followed == update.after
    assert update.needs == (1,)


def test_a_place_that_is_taken_stops_the_plan_until_its_taker_goes() -> None:
    left = grown((("a",), thing("a", "1")))
    right = grown((("a",), thing("a", "9", title="x")), (("b",), thing("b", "1")))
    plan = planned(left, right, Pick(("a",)))
    assert codes(plan) == [("stop", "occupied")]
    assert plan.stopped
    assert not plan.steps
    both = planned(left, right, Pick(("a",)), Pick(("a",), "remove"))
    assert [s.action for s in both.steps] == ["delete", "move"]
    assert not both.stopped


def test_two_that_changed_places_change_back_by_way_of_a_third() -> None:
    left = grown((("a",), thing("a", "1")), (("b",), thing("b", "2")))
    right = grown((("a",), thing("a", "2")), (("b",), thing("b", "1")))
    plan = planned(left, right, Pick((), "branch"))
    assert [s.action for s in plan.steps] == ["move", "move", "move"]
    assert plan.steps[0].reason == "makes room for another object"


def test_removing_is_never_part_of_a_branch() -> None:
    left, right = grown(unit("a")), grown(unit("a"), (("a", "new"), thing("new")), unit("b"))
    assert not planned(left, right, Pick((), "branch")).steps
    assert brief(planned(left, right, Pick(("a",), "remove"))) == [("delete", ("a", "new"))]
    assert codes(planned(left, left, Pick((), "remove"))) == [("note", "nothing-extra")]
    assert codes(planned(left, right, Pick(("b",)))) == [("stop", "not-in-backup")]


def test_children_are_removed_before_what_holds_them() -> None:
    right = grown(unit("a"), (("a", "b"), thing("b")), (("a", "b", "c"), thing("c")))
    plan = planned(grown(), right, Pick((), "remove"))
    assert [s.path for s in plan.steps] == [("a", "b", "c"), ("a", "b"), ("a",)]
    assert plan.steps[1].needs == (1,)
    assert plan.steps[2].needs == (2,), "which needs the first"


def test_what_is_removed_and_still_named_must_be_confirmed() -> None:
    left = grown((("g",), thing("g")))
    right = grown((("g",), thing("g", member=["/tmp"])), (("tmp",), thing("tmp")))
    assert codes(planned(left, right, Pick(("tmp",), "remove"))) == [("confirm", "still-named")]
    both = planned(left, right, Pick(("tmp",), "remove"), Pick(("g",)))
    assert codes(both) == [], "the group is put back without it"


def test_something_that_is_to_stay_keeps_its_holder() -> None:
    left = grown(DIVERS, (("divers", "ansel"), thing("ansel", "1")))
    right = grown(DIVERS, unit("new", "n"), (("new", "ansel"), thing("ansel", "1")))
    plan = planned(left, right, Pick((), "remove"))
    assert codes(plan) == [("stop", "holds-others")]
    both = planned(left, right, Pick((), "remove"), Pick((), "branch"))
    assert [s.action for s in both.steps] == ["move", "delete"]


OLD = {"title": "Lead diver", "phone": ["1", "2"], "notes": "a\nb\nc\nd\ne\n"}
NEW = {"title": "Visitor", "phone": ["2", "3"], "notes": "A\nb\nc\nd\nE\n", "depth": 4}


@pytest.mark.parametrize(
    ("part", "expected"),
    [
        (AttributePick("title"), {"title": "Lead diver"}),
        (AttributePick("depth"), {"depth": None}),
        (AttributePick("phone"), {"phone": ["1", "2"]}),
        (AttributePick("phone", add=("1",)), {"phone": ["1", "2", "3"]}),
        (AttributePick("phone", remove=("3",)), {"phone": ["2"]}),
        (AttributePick("notes", hunks=(1,)), {"notes": "a\nb\nc\nd\nE\n"}),
        (AttributePick("notes", hunks=(1, 2)), {"notes": "a\nb\nc\nd\ne\n"}),
    ],
)
def test_single_attributes_elements_and_hunks(
    part: AttributePick, expected: dict[str, object]
) -> None:
    left, right = grown((("a",), thing("a", **OLD))), grown((("a",), thing("a", **NEW)))
    plan = planned(left, right, Pick(("a",), "attributes", (part,)))
    assert len(plan.steps) == 1
    after = dict(plan.steps[0].after or {})
    if "phone" in after:
        after["phone"] = sorted(after["phone"])
    wanted = {**NEW, **{n: v for n, v in expected.items() if v is not None}}
    wanted = {n: v for n, v in wanted.items() if expected.get(n, v) is not None}
    assert after == wanted


def test_the_last_element_takes_the_attribute_with_it() -> None:
    left = grown((("a",), thing("a")))
    right = grown((("a",), thing("a", phone=["1"])))
    pick = Pick(("a",), "attributes", (AttributePick("phone", remove=("1",)),))
    assert planned(left, right, pick).steps[0].after == {}


def test_policies() -> None:
    left = grown((("a",), thing("a", title="x", depth=1)), unit("b"))
    right = grown((("a",), thing("a", title="y")))
    everything = Pick((), "branch")
    assert brief(planned(left, right, everything, policy="keep")) == [("create", ("b",))]
    filled = planned(left, right, everything, policy="fill")
    assert filled.steps[1].after == {"title": "y", "depth": 1}
    over = planned(left, right, everything)
    assert over.steps[1].after == {"title": "x", "depth": 1}
    own = Pick(("a",), "object", (), "keep")
    assert codes(planned(left, right, own)) == [("note", "kept")]


def test_an_attribute_of_what_is_missing_brings_the_whole_object() -> None:
    pick = Pick(("a",), "attributes", (AttributePick("title"),))
    plan = planned(grown((("a",), thing("a", **OLD))), grown(), pick)
    assert brief(plan) == [("create", ("a",))]
    assert codes(plan) == [("note", "whole-object")]


def test_picks_that_name_nothing() -> None:
    tree = grown((("a",), thing("a", title="x")))
    assert codes(planned(tree, tree, Pick(("zzz",)))) == [("stop", "no-such-object")]
    assert codes(planned(tree, tree, Pick(("zzz",), "branch"))) == [("stop", "no-such-object")]
    assert codes(planned(tree, tree, Pick(("a",)))) == [("note", "same")]
    wrong = Pick(("a",), "attributes", (AttributePick("colour"),))
    changed = grown((("a",), thing("a", title="y")))
    assert codes(planned(tree, changed, wrong)) == [("stop", "no-such-attribute")]


def test_memberships_are_offered_not_forced() -> None:
    from tests.core.trees import snapshot

    left = grown(unit("a"), (("g",), thing("g", member=["/a", "/"])))
    right = grown((("g",), thing("g", member=["/"])))
    store = MemoryStore()
    comparison = compare(snapshot(left, store), snapshot(right, store))
    plan = plan_restore(comparison, [Pick(("a",))])
    assert brief(plan) == [("create", ("a",))]
    offered = offers(comparison, plan)
    part = element_name(SCHEMA.spec("group", "member"), "/a", "left", ())
    assert [(o.path, o.attribute, o.part) for o in offered] == [(("g",), "member", part)]
    taken = Pick(("g",), "attributes", (AttributePick("member", add=("/a",)),))
    assert not offers(comparison, plan_restore(comparison, [Pick(("a",)), taken]))


def test_a_rehearsal_stops_where_live_is_not_as_expected() -> None:
    from tests.core.trees import snapshot

    store = MemoryStore()
    left, right = grown((("a",), thing("a", title="x"))), grown((("a",), thing("a", title="y")))
    live = snapshot(right, store)
    plan = plan_restore(compare(snapshot(left, store), live), [Pick(("a",))])
    other = snapshot(grown((("a",), thing("a", title="z"))), store)
    with pytest.raises(Mismatch) as mismatch:
        rehearse(other, plan.steps)
    assert mismatch.value.step.number == 1
    assert mismatch.value.found is not None


def test_what_named_two_objects_that_change_places_still_names_the_one_of_the_backup() -> None:
    left = grown(unit("a", "one"), unit("b", "two"), (("g",), thing("g", member=["/a"])))
    right = grown(unit("a", "two"), unit("b", "one"), (("g",), thing("g", member=["/a"])))
    plan = planned(left, right, Pick((), "branch"))
    assert {s.action for s in plan.steps} == {"move"}


@pytest.mark.parametrize("first", ["the value", "the place", "all of it"])
def test_an_object_picked_twice_is_picked_in_all_that_either_says(first: str) -> None:
    left = grown(DIVERS, VISITORS, (("divers", "ansel"), thing("ansel", "1", title="Lead")))
    right = grown(
        DIVERS, VISITORS, (("visitors", "ansel"), thing("ansel", "1", title="Visitor", room="4"))
    )
    path = ("divers", "ansel")
    value = Pick(path, "attributes", (AttributePick("title"),))
    place = Pick(path, "attributes", (AttributePick("place"),))
    picks = {
        "the value": (value, place),
        "the place": (place, value),
        "all of it": (value, Pick(path)),
    }
    plan = planned(left, right, *picks[first])
    assert [s.action for s in plan.steps] == ["move", "update"]
    room = {} if first == "all of it" else {"room": "4"}
    assert plan.steps[1].after == {"title": "Lead", **room}


def test_a_part_that_is_not_there_stops_the_plan() -> None:
    left = grown((("a",), thing("a", notes="x\ny\n", phone=["1", "2"])))
    right = grown((("a",), thing("a", notes="x\nz\n", phone=["2", "3"])))
    for part in (
        AttributePick("notes", hunks=(2,)),
        AttributePick("notes", parts=("0" * 16,)),
        AttributePick("phone", add=("3",)),
        AttributePick("phone", remove=("1",)),
        AttributePick(
            "phone", parts=(element_name(SCHEMA.spec("keeper", "phone"), "1", "right", ()),)
        ),
    ):
        plan = planned(left, right, Pick(("a",), "attributes", (part,)))
        assert codes(plan) == [("stop", "part-gone")], part
        assert not plan.steps
    part = AttributePick(
        "phone", parts=(element_name(SCHEMA.spec("keeper", "phone"), "1", "left", ()),)
    )
    plan = planned(left, right, Pick(("a",), "attributes", (part,)))
    assert sorted(plan.steps[0].after["phone"]) == ["1", "2", "3"]  # type: ignore[index]


def test_a_move_that_was_accepted_must_be_confirmed() -> None:
    keeper = {"title": "Keeper of pumps", "phone": ["0142", "0143", "0144"], "notes": "on duty\n"}
    left = grown(unit("north"), (("north", "pump"), thing("pump", None, **keeper)))
    right = grown(unit("north"), (("pump-2",), thing("pump-2", None, **{**keeper, "notes": "x"})))
    store = MemoryStore()
    one, two = snapshot(left, store), snapshot(right, store)
    alone = plan_restore(compare(one, two, likeness=0.5), [Pick(("north", "pump"))])
    assert brief(alone) == [("create", ("north", "pump"))], "a guess takes nothing away"
    everything = plan_restore(compare(one, two, likeness=0.5), [Pick((), "branch")])
    for unanswered in (alone, everything):
        (asked,) = [f for f in unanswered.findings if f.code == "suggested-move"]
        assert asked.level == "confirm"
        assert "pump-2" in asked.text
    accepted = frozenset([(("north", "pump"), ("pump-2",))])
    comparison = compare(one, two, likeness=0.5, accepted=accepted)
    for pick in (
        Pick(("north", "pump")),
        Pick(("north",), "branch"),
        Pick(("north", "pump"), "attributes", (AttributePick("notes"),)),
    ):
        plan = plan_restore(comparison, [pick])
        assert ("confirm", "accepted-move") in codes(plan)


def test_values_mean_what_the_kind_says_that_an_object_becomes() -> None:
    """A list that one kind takes for the order of its children is a plain value to another."""
    left = grown((("a",), thing("a", order=[])))
    right = grown(
        (("a",), ConfigObject(name="a", kind="group", attributes={"order": ["x", "y"]})),
        (("a", "x"), thing("x")), (("a", "y"), thing("y")),
    )  # fmt: skip
    store = MemoryStore()
    one, two = snapshot(left, store), snapshot(right, store)
    after = rehearse(two, plan_restore(compare(one, two), [Pick(("a",))]).steps)
    found = after.get(("a",))
    assert found is not None
    assert (found.kind, found.attributes) == ("keeper", {"order": []})
    assert not plan_restore(compare(one, after), [Pick(("a",))]).steps


def test_an_id_that_another_object_may_have_is_asked_about() -> None:
    reusing = replace(
        SCHEMA, kinds={n: replace(k, reuses_ids=True) for n, k in SCHEMA.kinds.items()}
    )
    was = replace(thing("Pip", title="a", boss="/Pip", member=["/x"]), identity="12")
    left = grown((("Pip",), was), (("Ada",), thing("Ada", boss="/Pip")))

    def asked(now: ConfigObject, pick: Pick, schema: Schema = reusing) -> list[Path]:
        store = MemoryStore()
        trees = [snapshot(tree, store, schema=schema) for tree in (left, grown(((now.name,), now)))]
        found = plan_restore(compare(*trees), [pick]).findings
        return [f.path for f in found if (f.level, f.code) == ("confirm", "id-reused")]

    other = replace(thing("Squib", title="z"), identity="12")
    renamed = replace(was, name="Pips")
    for pick in (Pick(("Pip",)), Pick(("Ada",)), Pick(("Pip",), "attributes", (WHOLE_TITLE,))):
        assert asked(other, pick) == [("Pip",)]
        assert asked(renamed, pick) == []
        assert asked(other, pick, SCHEMA) == []
    assert asked(replace(other, name="Pip"), Pick(("Pip",))) == [], "it is called the same"
