"""Laws that hold for any two trees and any values: nothing is told twice, lost or made up."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.compare import Comparison, Rules, compare
from keepsort.core.compare.comparison import STATES
from keepsort.core.compare.filters import Filter, filtered
from keepsort.core.compare.maps import map_changes, with_keys
from keepsort.core.compare.sequences import lined_up, moved_elements, with_hunks
from keepsort.core.model import AttributeSpec, ConfigObject, Value
from keepsort.core.model.canonical import canonical_value
from keepsort.core.plan import Pick, plan_restore, plan_undo, rehearse
from keepsort.core.plan.ordering import merged, placed
from keepsort.core.snapshot import MemoryStore
from tests.core.trees import Tree, as_tree, content, snapshot, trees

words = st.sampled_from("abcdefg")
sequences = st.lists(words, max_size=9)
orders = st.lists(words, unique=True)


def told(one: Tree, two: Tree, rules: Rules | None = None) -> Comparison:
    store = MemoryStore()
    return compare(snapshot(one, store), snapshot(two, store), rules or Rules())


# Trees

_MIRRORED = {"missing": "extra", "extra": "missing"}


@given(trees(), trees())
def test_seen_from_the_other_side_missing_is_extra(one: Tree, two: Tree) -> None:
    there, back = told(one, two), told(two, one)
    moved = {(d.path, d.live_path) for d in there.differences if d.state == "moved"}
    assert moved == {(d.live_path, d.path) for d in back.differences if d.state == "moved"}
    tally = {_MIRRORED.get(state, state): count for state, count in back.tally.items()}
    assert there.tally == tally


@given(trees(), trees())
def test_every_object_is_told_once_or_is_the_same(one: Tree, two: Tree) -> None:
    found = told(one, two)
    lefts = [d.path for d in found.differences if d.left is not None]
    rights = [d.live_path for d in found.differences if d.right is not None]
    assert len(set(lefts)) == len(lefts)
    assert len(set(rights)) == len(rights)
    assert set(lefts) <= set(one)
    assert set(rights) <= set(two)
    gone = {p for p in one if p not in two} - set(lefts)
    moved = [d for d in found.differences if d.state == "moved"]
    for path in gone:  # who is not there and not told came along with what holds it
        assert any(path[: len(d.path)] == d.path for d in moved)


rules = st.builds(
    Rules,
    letter_case=st.booleans(),
    space=st.sampled_from(["", "ends", "runs", "all"]),
    blank_lines=st.booleans(),
    comments=st.lists(st.sampled_from(["#", "p"]), max_size=1).map(tuple),
    order=st.booleans(),
    attributes=st.lists(st.sampled_from(["title", "group:*", "not*"]), max_size=2).map(tuple),
    paths=st.lists(st.sampled_from(["/Ansel", "/*/vets", "/divers*"]), max_size=1).map(tuple),
)


@given(trees(), trees(), rules)
def test_a_rule_takes_away_and_never_adds(one: Tree, two: Tree, by: Rules) -> None:
    plain, ruled = told(one, two), told(one, two, by)
    # one place can hold an object of the backup and another one of live
    shown = {(d.path, d.state): set(d.attributes) for d in ruled.differences}
    hidden = {(d.path, d.state): set(d.attributes) for d in ruled.hidden}
    for difference in plain.differences:
        key, names = (difference.path, difference.state), set(difference.attributes)
        assert shown.get(key, set()) <= names
        assert key in shown or key in hidden, "it went without a count"
        if shown.get(key, set()) < names:
            assert hidden[key] == names
    assert set(shown) | set(hidden) == {(d.path, d.state) for d in plain.differences}


@given(trees(), trees())
def test_filters_by_state_divide_what_differs(one: Tree, two: Tree) -> None:
    found = told(one, two)
    parts = [filtered(found, Filter(states=frozenset([state]))) for state in STATES]
    assert sum(len(part.differences) for part in parts) == len(found.differences)
    for state, part in zip(STATES, parts, strict=True):
        assert part.tally == ({state: found.tally[state]} if state in found.tally else {})


# Sequences, maps and orders


@given(sequences, sequences, st.data())
def test_hunks_of_sequences(left: list[Value], right: list[Value], data: st.DataObject) -> None:
    stretches = lined_up(left, right)
    assert [v for s in stretches for v in s.left] == left
    assert [v for s in stretches for v in s.right] == right
    numbers = {s.number for s in stretches if s.state != "same"}
    assert with_hunks(left, right, numbers) == left
    assert with_hunks(left, right, set()) == right
    some = data.draw(st.sets(st.sampled_from(sorted(numbers)))) if numbers else set()
    mixed = [
        v for s in stretches for v in (s.left if s.state == "same" or s.number in some else s.right)
    ]
    assert with_hunks(left, right, some) == mixed


@given(sequences, sequences)
def test_moves_of_elements_pair_equal_ones(left: list[Value], right: list[Value]) -> None:
    stretches = lined_up(left, right)
    moves = moved_elements(stretches)
    assert all(left[m.left] == right[m.right] for m in moves)
    assert len({m.left for m in moves}) == len({m.right for m in moves}) == len(moves)
    stays = {(s.left_start + n) for s in stretches if s.state == "same" for n in range(len(s.left))}
    assert not stays & {m.left for m in moves}
    if sorted(left) == sorted(right):  # nothing came and nothing went: all that differs moved
        assert len(moves) + len(stays) == len(left)


maps = st.recursive(
    st.dictionaries(words, st.integers(0, 2), max_size=4),
    lambda inner: st.dictionaries(words, st.one_of(inner, st.integers(0, 2)), max_size=3),
    max_leaves=8,
)


def _equal(one: Value, two: Value) -> bool:
    return bool(one == two)


@given(maps, maps, st.data())
def test_values_of_maps(left: Value, right: Value, data: st.DataObject) -> None:
    changes = map_changes(left, right, _equal)
    numbers = {c.number for c in changes if c.number}
    before = repr(right)
    assert with_keys(left, right, numbers, _equal) == left
    assert with_keys(left, right, set(), _equal) == right
    some = data.draw(st.sets(st.sampled_from(sorted(numbers)))) if numbers else set()
    mixed = with_keys(left, right, some, _equal)
    still = {c.keys for c in map_changes(left, mixed, _equal) if c.number}
    assert still == {c.keys for c in changes if c.number and c.number not in some}
    assert repr(right) == before, "what was given is not changed"


@given(orders, orders)
def test_merged_orders(wanted: list[Value], present: list[Value]) -> None:
    result = merged(wanted, present)
    assert sorted(result) == sorted(present)
    assert [n for n in result if n in wanted] == [n for n in wanted if n in present]
    assert merged(wanted, result) == result, "once is enough"


@given(orders, orders, words)
def test_one_name_is_placed_and_the_others_stay(
    wanted: list[Value], present: list[Value], name: str
) -> None:
    result = placed(name, wanted, present)
    assert [n for n in result if n != name] == [n for n in present if n != name]
    assert result.count(name) == 1
    if name in wanted:
        before = wanted[: wanted.index(name)]
        assert all(result.index(n) < result.index(name) for n in before if n in present)


# Values

numbers = st.one_of(st.integers(-5, 5), st.floats(-5, 5), st.booleans())
elements = st.one_of(st.text(max_size=3), st.integers(0, 3), st.binary(max_size=2))


@given(st.lists(elements, max_size=6), st.randoms())
def test_a_set_has_one_form_in_whatever_order(values: list[Value], random: object) -> None:
    spec = AttributeSpec(shape="set")
    other = [*values, *values[:2]]
    random.shuffle(other)  # type: ignore[attr-defined]
    form = canonical_value(spec, list(values))
    assert repr(canonical_value(spec, other)) == repr(form)
    assert repr(canonical_value(spec, form)) == repr(form)
    assert {(type(v), v) for v in form} == {(type(v), v) for v in values}


@given(numbers)
def test_a_number_has_one_form_however_it_is_written(value: Value) -> None:
    form = canonical_value(AttributeSpec(number=True), value)
    assert form == value
    if isinstance(value, float) and value.is_integer():
        assert type(form) is int
    assert canonical_value(AttributeSpec(), value) is value, "where it is no number it stays"


@pytest.mark.parametrize("values", [[1.0], [2.0, 1], [1, 1.0, 2]])
def test_sets_of_numbers(values: list[Value]) -> None:
    spec = AttributeSpec(shape="set", number=True)
    form = canonical_value(spec, values)
    assert all(type(v) is int for v in form)
    assert form == sorted(set(form))


_SIZES = (4095, 4096, 4097, 70_000)
_ODD_VALUES = [
    *("x" * size for size in _SIZES), *(b"q" * size for size in _SIZES), "s",
    ["s"], ["s", "x" * 4097], ["x" * 4095, "x" * 70_000], ["x" * 4097], [b"q" * 5000, "x"],
]  # fmt: skip


@pytest.mark.parametrize("left", range(len(_ODD_VALUES)))
def test_values_around_every_size_that_is_kept_apart(left: int) -> None:
    def tree(value: Value) -> Tree:
        attributes = {"phone": value, "rota": value, "notes": value, "limits": {"low": value}}
        thing = ConfigObject(name="a", kind="keeper", attributes=attributes)
        return {(): ConfigObject(name="", kind="group"), ("a",): thing}

    store = MemoryStore()
    one = snapshot(tree(_ODD_VALUES[left]), store)
    for value in _ODD_VALUES:
        two = snapshot(tree(value), store)
        found = compare(one, two)
        same = type(value) is type(_ODD_VALUES[left]) and value == _ODD_VALUES[left]
        assert bool(found.differences) != same
        plan = plan_restore(found, [Pick((), "branch")])
        predicted = rehearse(two, plan.steps)
        assert content(as_tree(predicted)) == content(as_tree(one))
        back = rehearse(predicted, plan_undo(plan.steps, two, predicted))
        assert content(as_tree(back)) == content(as_tree(two))
