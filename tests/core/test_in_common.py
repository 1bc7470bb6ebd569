"""Changes in common, against a naive way to find them."""

from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.compare import common_changes, compare
from keepsort.core.model import AttributeSpec, ConfigObject, Kind, Schema
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder

SCHEMA = Schema(
    kinds={name: Kind(name, name) for name in ("seal", "eel")},
    attributes={
        "tags": AttributeSpec(shape="set"),
        "note": AttributeSpec(shape="text"),
        "seen": AttributeSpec(read_only=True),
    },
)
value = st.sampled_from(["herring", "capelin", 1, True])
tags = st.lists(st.sampled_from("abc"), unique=True, max_size=3)
note = st.sampled_from(["x\ny\n", "x\nz\n", "w\ny\n", "y\nz\n"])
animal = st.fixed_dictionaries(
    {}, optional={"diet": value, "tank": value, "tags": tags, "note": note, "seen": value}
)
tank = st.lists(
    st.tuples(st.sampled_from(["seal", "eel"]), animal, st.booleans(), animal), max_size=12
)


def tree(objects: list[tuple[str, str, dict[str, object]]]) -> Snapshot:
    builder = SnapshotBuilder(MemoryStore(), SCHEMA)
    builder.add((), ConfigObject(name="", kind="eel"))
    for name, kind, attributes in objects:
        builder.add((name,), ConfigObject(name=name, kind=kind, attributes=attributes))
    return builder.finish()


@given(tank)
def test_common_changes_are_those_that_are_seen_one_by_one(
    given_: list[tuple[str, dict[str, object], bool, dict[str, object]]],
) -> None:
    left = [(f"n{n}", kind, one) for n, (kind, one, _, _) in enumerate(given_)]
    right = [(f"n{n}", kind, two) for n, (kind, _, stays, two) in enumerate(given_) if stays]
    found = compare(tree(left), tree(right))
    naive: dict[str, set[str]] = {}
    for n, (kind, one, stays, two) in enumerate(given_):
        for name in ("diet", "tank", "tags") if stays else ():
            a, b = one.get(name), two.get(name)
            if name == "tags" and a is not None and b is not None:
                a, b = sorted(set(a) - set(b)), sorted(set(b) - set(a))  # type: ignore[call-overload]
                if not a and not b:
                    continue
                key = repr((kind, name, "in both", a, b))
            elif repr(a) == repr(b):
                continue
            else:
                shown = [sorted(v) if isinstance(v, list) else v for v in (a, b)]
                key = repr((kind, name, name in one, name in two, shown))
            naive.setdefault(key, set()).add(f"n{n}")
    expected = sorted(sorted(group) for group in naive.values() if len(group) > 1)
    groups = common_changes(found, found.differences)
    told = [g for g in groups if g.first.name in ("diet", "tank", "tags")]
    assert sorted(sorted(path[0] for path in g.paths) for g in told) == expected
    assert [len(g.paths) for g in groups] == sorted((len(g.paths) for g in groups), reverse=True)
    assert "seen" not in {g.first.name for g in groups}


def test_the_same_hunk_in_texts_that_differ_elsewhere() -> None:
    before = "head {0}\nserver pool.example\nrest {0}\n"
    after = before.replace("pool", "other")
    left = [(n, "eel", {"note": before.format(n)}) for n in "abc"]
    right = [(n, "eel", {"note": after.format(n)}) for n in "ab"] + [
        ("c", "eel", {"note": after.format("c") + "more\n"})
    ]
    found = compare(tree(left), tree(right))  # type: ignore[arg-type]
    [group] = common_changes(found, found.differences)
    assert group.paths == [("a",), ("b",)]


def test_of_very_many_only_the_first_are_read() -> None:
    left = [(f"n{n:03}", "eel", {"diet": "herring"}) for n in range(50)]
    right = [(name, kind, {"diet": "capelin"}) for name, kind, _ in left]
    found = compare(tree(left), tree(right))  # type: ignore[arg-type]
    [group] = common_changes(found, found.differences, most=20)
    assert len(group.paths) == 20
