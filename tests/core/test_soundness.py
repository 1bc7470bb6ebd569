"""What is unsound in a tree, judged by looking at every object by itself."""

from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.model import AttributeSpec, ConfigObject, Kind, Path, Schema, SlashPaths
from keepsort.core.model.notation import read_slash, write_slash
from keepsort.core.snapshot import Choice, MemoryStore, SnapshotBuilder, Taking
from keepsort.core.soundness import unsound
from tests.core.trees import SCHEMA, Tree, snapshot, trees


def dangling(tree: Tree, choice: Choice, whole: Tree) -> set[tuple[Path, str]]:
    """The naive version: every reference of every object that is known to lead nowhere."""
    found = set()
    for path, obj in tree.items():
        named = list(obj.attributes.get("member", ()))
        if "boss" in obj.attributes:
            named.append(obj.attributes["boss"])
        deputy = obj.attributes.get("deputy")
        if deputy is not None:  # a bare name is of one right beneath the top
            named.append(deputy if deputy.startswith("/") else SlashPaths().write((deputy,)))
        for text in named:
            target = read_slash(text)
            if target not in tree and target not in whole and not choice.kinds_out:
                found.add((path, text))
    return found


@given(trees())
def test_references_that_lead_nowhere(tree: Tree) -> None:
    told = {(o.path, o.text) for o in unsound(snapshot(tree)) if o.code == "reference"}
    assert {path for path, _ in told} == {path for path, _ in dangling(tree, Choice(), tree)}


@given(trees(), st.sampled_from(["group", "keeper"]))
def test_what_was_left_out_is_not_known_to_be_gone(tree: Tree, kind: str) -> None:
    for choice in (Choice(kinds_out=(kind,)), Choice(places_out=("/divers", "/*/Imke"))):
        builder = SnapshotBuilder(MemoryStore(), SCHEMA)
        taken: Tree = {}
        for path, obj in Taking(choice, SCHEMA.names).stream(iter(tree.items())):
            builder.add(path, obj)
            taken[path] = obj
        told = {o.path for o in unsound(builder.finish(), choice) if o.code == "reference"}
        sure = {path for path, _ in dangling(taken, choice, tree)}
        assert told <= sure, "nothing that was left out is said to be gone"


@given(trees(), st.data())
def test_an_id_that_two_objects_share(tree: Tree, data: st.DataObject) -> None:
    assert [o for o in unsound(snapshot(tree)) if o.code == "identity"] == []
    paths = sorted(tree)
    if len(paths) < 2:
        return
    one, other = data.draw(st.permutations(paths))[:2]
    tree[other] = ConfigObject(
        name=tree[other].name, kind=tree[other].kind, identity=tree[one].identity,
        attributes=tree[other].attributes,
    )  # fmt: skip
    [found] = [o for o in unsound(snapshot(tree)) if o.code == "identity"]
    assert found.path in (one, other)
    assert write_slash(other if found.path == one else one) in found.text


def test_values_that_are_not_what_their_kind_says() -> None:
    schema = Schema(
        kinds={"tank": Kind("tank", "tank", required=frozenset({"litres", "cn"}))},
        attributes={
            "litres": AttributeSpec(number=True), "tags": AttributeSpec(shape="map"),
            "note": AttributeSpec(shape="text", number=True),
        },
    )  # fmt: skip
    builder = SnapshotBuilder(MemoryStore(), schema)
    builder.add((), ConfigObject(name="", kind="place"))
    held = [
        ("cn=good", {"litres": 3, "tags": {"a": 1}, "note": "2"}), ("cn=float", {"litres": -2.5}),
        ("cn=text", {"litres": "many"}), ("cn=none", {}), ("bare", {"litres": 1}),
        ("cn=tags", {"litres": 0, "tags": "reef"}), ("cn=long", {"litres": 1, "tags": {"a": "x" * 5000}}),
    ]  # fmt: skip
    for name, attributes in held:
        builder.add((name,), ConfigObject(name=name, kind="tank", attributes=attributes))
    found = [(o.path[0], o.text) for o in unsound(builder.finish())]
    assert sorted(found) == [
        ("bare", "It has no cn, which its kind requires, or cn may not be read."),
        ("cn=none", "It has no litres, which its kind requires, or litres may not be read."),
        ("cn=tags", "tags is no map of keys and values."),
        ("cn=text", "litres is no number."),
    ]
