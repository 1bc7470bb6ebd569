"""Picks from several backups in one tray."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare import compare
from keepsort.core.model import ConfigObject, Path, is_beneath
from keepsort.core.plan import AttributePick, Pick, Sourced, gather, plan_restore, rehearse
from keepsort.core.snapshot import MemoryStore
from tests.core.trees import Tree, as_tree, content, snapshot, trees


@st.composite
def picks(draw: st.DrawFn, backup: Tree, live: Tree) -> list[Pick]:
    """Draw picks from a backup: each of another place, none within another one."""
    chosen: list[Pick] = []
    for path in draw(st.lists(st.sampled_from(sorted(backup)), min_size=1, max_size=3)):
        if any(is_beneath(path, p.path) or is_beneath(p.path, path) for p in chosen):
            continue
        scope = draw(st.sampled_from(["object", "branch", "attributes"]))
        names = sorted({*backup[path].attributes, *getattr(live.get(path), "attributes", {})})
        if scope != "attributes":
            chosen.append(Pick(path, scope))
        elif names:
            wanted = draw(st.lists(st.sampled_from(names), min_size=1, unique=True))
            chosen.append(Pick(path, scope, tuple(AttributePick(name) for name in wanted)))
    return chosen


@settings(max_examples=200, deadline=None)
@given(trees(), trees(), trees(), st.data())
def test_what_comes_from_another_backup_comes_as_it_is_there(
    base: Tree, other: Tree, live: Tree, data: st.DataObject
) -> None:
    store = MemoryStore()
    looked_at, source, now = (snapshot(tree, store) for tree in (base, other, live))
    chosen = data.draw(picks(other, live))
    gathered = gather(looked_at, now, [Sourced(pick, source) for pick in chosen])
    found = as_tree(gathered)
    for pick in chosen:
        if pick.scope == "branch":
            assert _within(found, pick.path) == _within(other, pick.path)
        elif pick.scope == "object":
            assert _content(found, pick.path) == _content(other, pick.path)
        else:
            for part in pick.attributes:
                assert _value(found, pick.path, part.name) == _value(other, pick.path, part.name)
    identities = [obj.identity for obj in found.values() if obj.identity]
    assert len(identities) == len(set(identities)), "no object stands in two places"
    plan = plan_restore(compare(gathered, now), chosen)
    if not plan.stopped:
        after = rehearse(now, plan.steps)
        assert not plan_restore(compare(gathered, after), chosen).steps, "nothing is left to do"


@settings(max_examples=100, deadline=None)
@given(trees(), trees(), st.data())
def test_what_is_the_same_in_both_changes_nothing(
    base: Tree, live: Tree, data: st.DataObject
) -> None:
    store = MemoryStore()
    looked_at, now = snapshot(base, store), snapshot(live, store)
    chosen = data.draw(picks(base, live))
    gone = [Pick(path, "remove") for path in live if path and path not in base]
    sourced = [Sourced(pick, looked_at) for pick in [*chosen, *gone]]
    assert as_tree(gather(looked_at, now, sourced)) == as_tree(looked_at)


@settings(max_examples=200, deadline=None)
@given(trees(), trees(), trees(), st.data())
def test_removal_takes_only_what_its_backup_has_nowhere(
    base: Tree, other: Tree, live: Tree, data: st.DataObject
) -> None:
    store = MemoryStore()
    looked_at, source, now = (snapshot(tree, store) for tree in (base, other, live))
    extra = [d.path for d in compare(source, now).differences if d.state == "extra"]
    chosen = [Pick(path, "remove") for path in extra[:2]]
    gathered = gather(looked_at, now, [Sourced(pick, source) for pick in chosen])
    comparison = compare(gathered, now)
    plan = plan_restore(comparison, chosen)
    taken = {live[step.path].identity for step in plan.steps if step.action == "delete"}
    assert not taken & {obj.identity for obj in other.values()}
    if not plan.stopped:
        # where the other backup has an object of another id, it is no longer told as extra
        stood = {d.live_path for d in comparison.differences if d.state == "recreated"}
        left = {obj.identity for obj in as_tree(rehearse(now, plan.steps)).values()}
        assert not left & {live[path].identity for path in extra[:2] if path not in stood}


def test_what_an_object_needs_comes_from_its_own_backup() -> None:
    def group(name: str, **attributes: object) -> ConfigObject:
        return ConfigObject(name=name, kind="group", identity=f"id-{name}", attributes=attributes)

    root = ((), group(""))
    store = MemoryStore()
    base, live = snapshot(dict([root]), store), snapshot(dict([root]), store)
    source = snapshot(
        dict([
            root, (("vets",), group("vets")), (("vets", "rota"), group("rota", member=["/imke"])),
            (("imke",), group("imke")),
        ]),
        store,
    )  # fmt: skip
    pick = Pick(("vets", "rota"))
    plan = plan_restore(compare(gather(base, live, [Sourced(pick, source)]), live), [pick])
    assert [s.path for s in plan.steps if s.action == "create"] == [
        ("imke",), ("vets",), ("vets", "rota"),
    ]  # fmt: skip
    with pytest.raises(KeyError):
        gather(base, live, [Sourced(Pick(("nowhere",)), source)])


def test_what_the_backup_itself_gives_goes_before_a_branch_of_another() -> None:
    def keeper(**attributes: object) -> ConfigObject:
        return ConfigObject(name="ansel", kind="keeper", identity="a", attributes=attributes)

    def divers(ansel: ConfigObject) -> Tree:
        return {
            (): ConfigObject(name="", kind="group"),
            ("divers",): ConfigObject(name="divers", kind="group"),
            ("divers", "ansel"): ansel,
        }

    store = MemoryStore()
    base = snapshot(divers(keeper(title="Lead diver", notes="new")), store)
    source = snapshot(divers(keeper(title="Diver", notes="old")), store)
    title = Pick(("divers", "ansel"), "attributes", (AttributePick("title"),))
    both = [Sourced(Pick(("divers",), "branch"), source), Sourced(title, base)]
    for picked in (both, both[::-1]):
        found = gather(base, base, picked).get(("divers", "ansel"))
        assert found is not None
        assert found.attributes == {"title": "Lead diver", "notes": "old"}


def _within(tree: Tree, branch: Path) -> dict[Path, object]:
    return content({p: obj for p, obj in tree.items() if is_beneath(p, branch)})


def _content(tree: Tree, path: Path) -> object:
    return content({path: tree[path]})


def _value(tree: Tree, path: Path, name: str) -> object:
    value = tree[path].attributes.get(name)
    return sorted(value) if name in ("phone", "member", "seen") and value else value


def test_what_is_named_may_still_move_after_who_names_it_was_created() -> None:
    """A new object names one that goes along when what holds it makes room, and then moves on."""
    store = MemoryStore()

    def tree(*objects: tuple[str, str, dict[str, object]]) -> Tree:
        return {(): ConfigObject(name="", kind="group", identity="id-root")} | {
            tuple(place.split("/")): ConfigObject(
                name=place.split("/")[-1], kind="keeper", identity=identity, attributes=attributes
            )
            for place, identity, attributes in objects
        }

    backup = snapshot(
        tree(
            ("reef", "id-0", {}), ("pump", "id-5", {}),
            ("reef/lamp", "id-2", {"boss": "/pump"}), ("reef/lamp/dim", "id-6", {}),
        ), store,
    )  # fmt: skip
    live = snapshot(
        tree(("kelp", "id-0", {}), ("reef", "id-6", {}), ("reef/lamp", "id-5", {})), store
    )
    pick = Pick(("reef", "lamp"), "branch")
    plan = plan_restore(compare(backup, live), [pick])
    assert not plan.stopped
    after = as_tree(rehearse(live, plan.steps))
    stands = next(path for path, one in after.items() if one.identity == "id-5")
    assert after["reef", "lamp"].attributes["boss"] == "/" + "/".join(stands)
