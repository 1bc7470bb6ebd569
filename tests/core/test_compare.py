"""What the compare tells, case by case, as a person would say it."""

import pytest

from keepsort.core.compare import (
    Comparison,
    Filter,
    Rules,
    Suggestion,
    compare,
    compare_attributes,
    filtered,
    match_names,
)
from keepsort.core.compare.maps import with_keys
from keepsort.core.compare.values import equal_values
from keepsort.core.model import AttributeSpec, ConfigObject, Path
from keepsort.core.snapshot import MemoryStore
from keepsort.core.snapshot import branch as branch_of
from tests.core.trees import SCHEMA, Tree, snapshot


def thing(name: str, identity: str | None = None, **attributes: object) -> ConfigObject:
    return ConfigObject(name=name, kind="keeper", identity=identity, attributes=attributes)


def grown(*things: tuple[Path, ConfigObject]) -> Tree:
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    tree.update(dict(things))
    return tree


def told(left: Tree, right: Tree, **options: object) -> Comparison:
    store = MemoryStore()
    return compare(snapshot(left, store), snapshot(right, store), **options)  # type: ignore[arg-type]


def taken(*guesses: Suggestion) -> frozenset[tuple[Path, Path]]:
    return frozenset((guess.path, guess.live_path) for guess in guesses)


def states(found: Comparison) -> dict[Path, str]:
    return {d.path: d.state for d in found.differences}


def unit(name: str, identity: str | None = None) -> tuple[Path, ConfigObject]:
    return (name,), thing(name, identity)


def test_missing_extra_and_changed() -> None:
    found = told(
        grown((("a",), thing("a", title="x")), (("b",), thing("b"))),
        grown((("a",), thing("a", title="y")), (("c",), thing("c"))),
    )
    assert states(found) == {("a",): "changed", ("b",): "missing", ("c",): "extra"}
    assert found.tally == {"changed": 1, "missing": 1, "extra": 1}
    assert found.same == 1, "the topmost object"
    assert found.differences[0].attributes == ("title",)


def test_a_missing_branch_is_told_object_by_object_and_counted_beneath() -> None:
    left = grown(unit("pumps"), *[(("pumps", f"p{n}"), thing(f"p{n}")) for n in range(5)])
    found = told(left, grown())
    assert found.tally == {"missing": 6}
    assert found.tally_beneath(("pumps",)) == {"missing": 6}
    assert found.tally_beneath(("pumps", "p3")) == {"missing": 1}
    assert found.tally_beneath(("pump",)) == {}


def test_a_moved_branch_is_one_difference() -> None:
    inner = [(f"p{n}", f"id-{n}") for n in range(5)]
    left = grown(unit("north", "n"), unit("south", "s"), (("north", "pumps"), thing("pumps", "x")),
                 *[(("north", "pumps", n), thing(n, i)) for n, i in inner])  # fmt: skip
    right = grown(unit("north", "n"), unit("south", "s"), (("south", "pumps"), thing("pumps", "x")),
                  *[(("south", "pumps", n), thing(n, i)) for n, i in inner])  # fmt: skip
    found = told(left, right)
    assert states(found) == {("north", "pumps"): "moved"}
    assert found.live_path(("north", "pumps", "p3")) == ("south", "pumps", "p3")
    assert found.backup_path(("south", "pumps", "p3")) == ("north", "pumps", "p3")


def test_an_object_that_changed_within_a_moved_branch_is_told_in_its_place() -> None:
    left = grown(unit("n", "n"), (("n", "x"), thing("x", "x")), (("n", "x", "y"), thing("y", "y")))
    right = grown(
        unit("n", "n"), (("z",), thing("z", "x")), (("z", "y"), thing("y", "y", title="new"))
    )
    found = told(left, right)
    assert states(found) == {("n", "x"): "moved", ("n", "x", "y"): "changed"}


def test_another_object_in_the_same_place_is_recreated() -> None:
    found = told(grown(unit("a", "old")), grown(unit("a", "new")))
    assert states(found) == {("a",): "recreated"}


def test_an_object_that_was_restored_counts_as_the_same() -> None:
    known = {"old": "between", "between": "new"}
    assert not told(grown(unit("a", "old")), grown(unit("a", "new")), successors=known).differences
    moved = told(
        grown(unit("a", "old"), unit("b", "b")),
        grown(unit("b", "b"), (("b", "a"), thing("a", "new"))),
        successors=known,
    )
    assert states(moved) == {("a",): "moved"}
    circle = {"old": "older", "older": "old"}
    assert told(grown(unit("a", "old")), grown(unit("a", "x")), successors=circle).differences


def test_two_objects_that_changed_places() -> None:
    found = told(grown(unit("a", "1"), unit("b", "2")), grown(unit("a", "2"), unit("b", "1")))
    assert states(found) == {("a",): "moved", ("b",): "moved"}


def test_one_object_took_the_place_of_another_that_moved() -> None:
    found = told(grown(unit("a", "1")), grown(unit("a", "9"), unit("b", "1")))
    assert [(d.path, d.state) for d in found.differences] == [(("a",), "extra"), (("a",), "moved")]
    assert len(found.at(("a",))) == 2


def test_a_reference_that_follows_a_move_is_a_consequence() -> None:
    left = grown(unit("divers", "d"), unit("visitors", "v"), (("divers", "ansel"), thing("ansel", "1")),
                 (("g",), thing("g", "g", member=["/divers/ansel", "/visitors"])))  # fmt: skip
    right = grown(unit("divers", "d"), unit("visitors", "v"), (("visitors", "ansel"), thing("ansel", "1")),
                  (("g",), thing("g", "g", member=["/visitors/ansel", "/visitors"])))  # fmt: skip
    found = told(left, right)
    assert states(found) == {("divers", "ansel"): "moved"}
    assert [(c.path, c.attribute, c.moved) for c in found.consequences] == [
        (("g",), "member", ("divers", "ansel"))
    ]


def test_what_could_not_be_read_is_never_told_as_missing() -> None:
    left = grown(unit("vets"), *[(("vets", f"v{n}"), thing(f"v{n}")) for n in range(3)])
    hidden = ConfigObject(name="vets", kind="unreadable", unreadable="no access")
    found = told(left, grown((("vets",), hidden)))
    assert states(found) == {("vets",): "unreadable"}
    assert found.same == 1
    assert states(told(grown((("vets",), hidden)), left)) == {("vets",): "unreadable"}
    assert not told(grown((("vets",), hidden)), grown((("vets",), hidden))).differences


def test_moves_without_identity_are_told_by_likeness() -> None:
    pump = {"title": "Keeper", "phone": ["1", "2", "3"], "rota": ["early", "late"], "depth": 4}
    nearly = {**pump, "phone": ["1", "2", "9"]}
    left = grown(unit("north"), (("north", "pump"), thing("pump", None, **pump)))
    right = grown(unit("north"), (("pump-2",), thing("pump-2", None, **nearly)))
    assert states(told(left, right)) == {("north", "pump"): "missing", ("pump-2",): "extra"}
    found = told(left, right, likeness=0.6)
    assert states(found) == states(told(left, right)), "a guess changes nothing"
    (guess,) = found.suggestions
    assert (guess.path, guess.live_path) == (("north", "pump"), ("pump-2",))
    assert 0.6 < guess.similarity < 1
    assert found.suggestion(("north", "pump")) == guess == found.suggestion(("pump-2",), live=True)
    moved = told(left, right, likeness=0.6, accepted=taken(guess))
    assert states(moved) == {("north", "pump"): "moved"}
    assert moved.differences[0].attributes == ("phone",)
    assert moved.differences[0].similarity == guess.similarity
    assert not moved.suggestions
    same = told(left, grown(unit("north"), (("x",), thing("x", None, **pump))), likeness=0.6)
    assert same.suggestions[0].similarity == 1
    assert not told(left, right, likeness=0.95).suggestions
    elsewhere = frozenset([(("north", "pump"), ("pump-9",))])
    assert states(told(left, right, likeness=0.6, accepted=elsewhere)) == states(found)


PUMP = {"title": "Keeper of pumps", "phone": ["0142", "0143", "0144"], "rota": ["early", "late"]}


def test_a_branch_that_moved_is_one_difference_also_without_identity() -> None:
    inner = [(f"pump-{n}", {**PUMP, "depth": n}) for n in range(8)]
    left = grown(unit("north"), unit("south"), unit("old"), (("north", "hall"), thing("hall")),
                 *[(("north", "hall", n), thing(n, None, **a)) for n, a in inner])  # fmt: skip
    right = grown(unit("north"), unit("south"), unit("old"), (("south", "hall"), thing("hall")),
                  *[(("south", "hall", n), thing(n, None, **a)) for n, a in inner])  # fmt: skip
    guess = told(left, right, likeness=0.6).suggestions
    assert [(s.path, s.live_path) for s in guess] == [(("north", "hall"), ("south", "hall"))]
    assert guess[0].similarity == 1, "its content is the very same"
    assert states(told(left, right, likeness=0.6, accepted=taken(*guess))) == {
        ("north", "hall"): "moved"
    }
    del right["south", "hall", "pump-7"]
    right["south", "hall", "pump-0"].attributes["title"] = "Nobody"
    found = told(left, right, likeness=0.6)
    assert found.tally == {"missing": 9, "extra": 8}
    assert 0.6 <= found.suggestions[0].similarity < 1
    found = told(left, right, likeness=0.6, accepted=taken(*guess))
    assert states(found) == {
        ("north", "hall"): "moved", ("north", "hall", "pump-0"): "changed",
        ("north", "hall", "pump-7"): "missing",
    }  # fmt: skip


def test_a_long_text_is_told_by_what_it_holds() -> None:
    notes = "".join(f"Check pump {n} before the tide turns.\n" for n in range(200))
    left = grown(unit("north"), (("north", "log"), thing("log", None, notes=notes)))
    right = grown(unit("north"), (("log",), thing("log", None, notes=notes)))
    assert [s.similarity for s in told(left, right, likeness=0.6).suggestions] == [1]
    edited = notes.replace("pump 7 ", "pump 7a ")
    right = grown(unit("north"), (("log",), thing("log", None, notes=edited)))
    (found,) = told(left, right, likeness=0.6).suggestions
    assert 0.9 < found.similarity < 1, "a line or two of it may differ"
    shuffled = "".join(reversed(notes.splitlines(keepends=True)))
    right = grown(unit("north"), (("log",), thing("log", None, notes=shuffled)))
    assert all(s.similarity < 1 for s in told(left, right, likeness=0.6).suggestions)
    right = grown(unit("north"), (("log",), thing("log", None, notes=notes[::-1])))
    assert not told(left, right, likeness=0.6).suggestions


def test_two_ids_are_never_suggested_as_the_same_object() -> None:
    left = grown(unit("north", "n"), (("north", "p"), thing("p", "old", **PUMP)))
    right = grown(unit("north", "n"), (("p-2",), thing("p-2", "new", **PUMP)))
    assert states(told(left, right)) == {("north", "p"): "missing", ("p-2",): "extra"}
    assert not told(left, right, likeness=0.6).suggestions


def test_values_that_say_little_are_no_proof_of_a_move() -> None:
    left, right = grown((("a",), thing("a", depth=4))), grown((("b",), thing("b", depth=4)))
    found = told(left, right, likeness=0.6)
    assert found.tally == {"missing": 1, "extra": 1}
    assert not found.suggestions


def many() -> Comparison:
    left = grown(unit("a"), unit("b"), (("a", "x"), thing("x", None, title="x", phone=["1"])))
    right = grown(
        unit("a"), (("a", "x"), thing("x", None, title="y", phone=["2"])), unit("c"), unit("Ansel")
    )
    return told(left, right)


@pytest.mark.parametrize(
    ("by", "expected"),
    [
        (Filter(), {"x", "b", "c", "Ansel"}),
        (Filter(states=frozenset(["extra"])), {"c", "Ansel"}),
        (Filter(states=frozenset(["extra"]), text="ANS"), {"Ansel"}),
        (Filter(attributes=("TIT*",)), {"x"}),
        (Filter(attributes=("depth",)), set()),
        (Filter(kinds=frozenset(["group"])), set()),
        (Filter(kinds=frozenset(["keeper"]), states=frozenset(["missing"])), {"b"}),
    ],
)
def test_filters(by: Filter, expected: set[str]) -> None:
    found = filtered(many(), by)
    assert {d.path[-1] for d in found.differences} == expected
    assert sum(found.tally.values()) == len(expected)


def test_a_list_of_names_says_what_it_did_not_find() -> None:
    found = many()
    lines = [
        ["name", "note"],
        ["b"],
        ["/a/x"],
        ["Ansel;diver", "Ansel", "diver"],
        ["nobody"],
        ["a"],
    ]
    paths, missing = match_names(found, lines)
    assert paths == {("b",), ("a", "x"), ("Ansel",)}
    assert missing == ["nobody", "a"], "what does not differ is not found either"
    assert match_names(found, [["heading"], ["b"]])[1] == ["heading"]
    assert filtered(found, Filter(), among=paths).tally == {"changed": 1, "missing": 1, "extra": 1}
    assert filtered(found, Filter(), since=many()).tally == found.tally
    assert not filtered(found, Filter(), since=told(grown(), grown())).differences


@pytest.mark.parametrize(
    ("spec", "left", "right", "equal"),
    [
        (AttributeSpec(shape="set"), ["a", "b"], ["b", "a"], True),
        (AttributeSpec(shape="sequence"), ["a", "b"], ["b", "a"], False),
        (AttributeSpec(number=True), 1, 1.0, True),
        (AttributeSpec(), 1, 1.0, False),
        (AttributeSpec(), True, 1, False),
        (AttributeSpec(), [True], [1], False),
        (AttributeSpec(shape="map"), {"a": 1, "b": 2}, {"b": 2, "a": 1}, True),
        (AttributeSpec(fold=True), "CN=Imke", "cn=imke", True),
        (AttributeSpec(), "Imke", "imke", False),
        (AttributeSpec(secret=True, fold=True), "AB", "ab", False),
        (AttributeSpec(), b"\x00", b"\x00", True),
        (AttributeSpec(), None, "", False),
    ],
)
def test_what_values_mean(spec: AttributeSpec, left: object, right: object, equal: bool) -> None:
    assert equal_values(spec, left, right) is equal


def test_attributes_in_detail() -> None:
    left = {
        "phone": ["1", "2"],
        "notes": "a\nb\nc\n",
        "limits": {"low": 1, "high": 2},
        "badge": "x",
    }
    right = {
        "phone": ["2", "3"],
        "notes": "a\nB\nc\n",
        "limits": {"low": 1, "mid": 3},
        "title": "Vet",
    }
    found = {a.name: a for a in compare_attributes(SCHEMA, "keeper", left, right)}
    assert (found["phone"].only_left, found["phone"].only_right) == (["1"], ["3"])
    assert [s.state for s in found["notes"].stretches] == ["same", "changed", "same"]
    assert found["badge"].state == "missing"
    assert found["title"].state == "extra"
    plain = compare_attributes(
        SCHEMA, "keeper", {"limits": left["limits"]}, {"limits": right["limits"]}
    )
    assert [(k.keys, k.state, k.number) for k in plain[0].keys] == [
        (("high",), "missing", 1), (("low",), "same", 0), (("mid",), "extra", 2)
    ]  # fmt: skip


def test_maps_are_compared_key_by_key_however_deep() -> None:
    left = {"limits": {"low": {"value": 1, "unit": "mS"}, "high": 4}}
    right = {"limits": {"low": {"value": 1.0, "unit": "S"}, "mid": {}}}
    found = compare_attributes(SCHEMA, "keeper", left, right)[0]
    assert [(k.keys, k.state) for k in found.keys] == [
        (("high",), "missing"), (("low", "unit"), "changed"), (("low", "value"), "changed"),
        (("mid",), "extra"),
    ]  # fmt: skip
    equal = lambda a, b: equal_values(AttributeSpec(), a, b)  # noqa: E731
    some = with_keys(left["limits"], right["limits"], {1, 2, 4}, equal)
    assert some == {"high": 4, "low": {"value": 1.0, "unit": "mS"}}
    assert right["limits"] == {"low": {"value": 1.0, "unit": "S"}, "mid": {}}, "left as it was"
    assert with_keys(left["limits"], right["limits"], {1, 2, 3, 4}, equal) == left["limits"]


def test_an_element_that_only_stands_elsewhere_is_told_as_moved() -> None:
    left, right = {"rota": ["early", "late", "night", "day"]}, {"rota": ["late", "night", "early"]}
    found = compare_attributes(SCHEMA, "keeper", left, right)[0]
    assert [(m.left, m.right) for m in found.moved] == [(0, 2)]


@pytest.mark.parametrize(
    ("rules", "left", "right"),
    [
        (Rules(letter_case=True), {"title": "Lead Diver"}, {"title": "lead diver"}),
        (Rules(space="ends"), {"title": " Vet "}, {"title": "Vet"}),
        (Rules(space="runs"), {"title": "Lead  diver"}, {"title": "Lead diver"}),
        (Rules(space="all"), {"title": "Lead diver"}, {"title": "Leaddiver"}),
        (Rules(blank_lines=True), {"notes": "a\n\nb\n"}, {"notes": "a\nb\n"}),
        (Rules(comments=("#",)), {"notes": "a\n# old\n"}, {"notes": "a\n  # new\n"}),
        (Rules(comments=("kee* ;",)), {"notes": "a\n; old\n"}, {"notes": "a\n"}),
        (Rules(letter_case=True), {"limits": {"a": "On"}}, {"limits": {"a": "on"}}),
        (Rules(order=True), {"rota": ["early", "late"]}, {"rota": ["late", "early"]}),
        (Rules(attributes=("tit*",)), {"title": "x"}, {"title": "y"}),
        (Rules(attributes=("keeper:title",)), {"title": "x"}, {"title": "y"}),
        (Rules(paths=("/a",)), {"title": "x"}, {"title": "y"}),
    ],
)
def test_a_rule_hides_and_counts(
    rules: Rules, left: dict[str, object], right: dict[str, object]
) -> None:
    one, two = grown((("a",), thing("a", **left))), grown((("a",), thing("a", **right)))
    assert told(one, two).tally == {"changed": 1}
    found = told(one, two, rules=rules)
    assert found.tally == {}
    assert [d.path for d in found.hidden] == [("a",)]


def test_a_rule_hides_only_what_it_says() -> None:
    one = grown((("a",), thing("a", title="Vet", notes="a\n# x\n")))
    two = grown((("a",), thing("a", title="vet", notes="b\n# y\n")), (("b",), thing("b")))
    found = told(one, two, rules=Rules(letter_case=True, comments=("#",), attributes=("group:*",)))
    assert states(found) == {("a",): "changed", ("b",): "extra"}
    assert found.differences[0].attributes == ("notes",)
    assert len(found.hidden) == 1
    secret = told(
        grown((("a",), thing("a", badge="AB"))), grown((("a",), thing("a", badge="ab"))),
        rules=Rules(letter_case=True),
    )  # fmt: skip
    assert secret.tally == {"changed": 1}, "digests are not words"


def test_different_branches_cannot_be_compared() -> None:
    store = MemoryStore()
    whole = snapshot(grown(unit("a")), store)
    branch = branch_of(whole, ("a",))
    assert branch is not None
    with pytest.raises(ValueError, match="different branches"):
        compare(branch, whole)
