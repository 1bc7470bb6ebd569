"""Putting objects into another place: names that clash, needs that come along, references."""

from collections.abc import Callable, Sequence

from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from keepsort.core.compare import compare
from keepsort.core.model import (
    Attributes,
    AttributeSpec,
    ConfigObject,
    Kind,
    NameRule,
    Path,
    Schema,
)
from keepsort.core.plan import Clash, plan_restore, rehearse, transplant
from keepsort.core.plan.elsewhere import carried_over
from keepsort.core.plan.references import references
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder
from tests.core.test_compare import grown, thing, unit
from tests.core.trees import SCHEMA, Tree, as_tree, content, snapshot, trees


def put(source: Tree, target: Tree, *paths: Path, at: Path = (), clash: Clash = "rename") -> Tree:
    store = MemoryStore()
    live = snapshot(target, store)
    made = transplant(snapshot(source, store), paths, live, at, clash)
    plan = plan_restore(compare(made.left, live), list(made.picks))
    assert not plan.stopped, plan.findings
    return as_tree(rehearse(live, plan.steps))


SOURCE = grown(
    unit("macros"),
    (("macros", "feed"), thing("feed", member=["/macros/wait", "/lamp"])),
    (("macros", "wait"), thing("wait")),
    (("lamp",), thing("lamp", boss="/lamp")),
)


def test_a_branch_goes_to_another_folder_and_its_references_follow() -> None:
    now = put(SOURCE, {**SOURCE, **grown(unit("archive"))}, ("macros",), at=("archive",))
    assert now[("archive", "macros", "feed")].attributes["member"] == [
        "/archive/macros/wait", "/lamp",
    ]  # fmt: skip
    assert now[("macros", "feed")].attributes["member"] == ["/lamp", "/macros/wait"]


def test_what_it_needs_comes_along_to_another_system() -> None:
    now = put(SOURCE, grown(unit("in")), ("macros", "feed"), at=("in",))
    assert now[("in", "feed")].attributes["member"] == ["/in/lamp", "/in/wait"]
    assert now[("in", "lamp")].attributes["boss"] == "/in/lamp"
    assert ("lamp",) not in now


def test_names_that_are_taken() -> None:
    target = grown((("lamp",), thing("lamp", title="ours")), (("lamp 2",), thing("lamp 2")))
    assert set(put(SOURCE, target, ("lamp",))) - set(target) == {("lamp 3",)}
    assert content(put(SOURCE, target, ("lamp",), clash="skip")) == content(target)
    now = put(SOURCE, target, ("lamp",), clash="replace")
    assert now[("lamp",)].attributes == {"boss": "/lamp"}


class Numbers:
    """A system where no two objects have one name, whatever holds them."""

    def __init__(self, live: Tree) -> None:
        self.used = {path[-1] for path in live if path}

    def names_for(self, places: Sequence[Path], taken: Callable[[Path], bool]) -> list[str]:
        found = []
        for path in places:
            name = path[-1]
            while name in self.used or taken((*path[:-1], name)):
                name += "+"
            self.used.add(name)
            found.append(name)
        return found

    def called(self, kind: str, attributes: Attributes, place: Path) -> Attributes:
        return attributes | {"title": place[-1]} if "title" in attributes else attributes


@settings(max_examples=60, deadline=None)
@given(trees(), trees())
def test_a_system_with_rules_of_its_own_says_what_is_free(source: Tree, target: Tree) -> None:
    store = MemoryStore()
    live, numbers = snapshot(target, store), Numbers(target)
    tops = [path for path in source if len(path) == 1]
    if not tops:
        return
    made = transplant(snapshot(source, store), tops, live, (), "rename", naming=numbers)
    now = as_tree(made.left)
    new = [path for path in now if path not in target]
    kept = content({path: now[path] for path in target})
    assert kept == content(as_tree(live))
    assert len({path[-1] for path in new} | {p[-1] for p in target if p}) == len(new) + len(
        {p[-1] for p in target if p}
    )
    readable = {path for path, obj in source.items() if obj.unreadable is None}
    coming = [
        path
        for path in source
        if path and all(path[:depth] in readable for depth in range(1, len(path) + 1))
    ]
    assert len(new) == len(coming)
    for path in new:
        assert now[path].attributes.get("title", path[-1]) == path[-1]
        for _, named in references(SCHEMA, now[path].kind, now[path].attributes):
            # what came along is named where it is now, not whatever had its name before
            assert named in new or named not in coming, (path, named)


@settings(max_examples=100, deadline=None)
@given(trees(), trees(), st.data())
def test_nothing_else_is_touched_and_the_copies_are_whole(
    source: Tree, target: Tree, data: st.DataObject
) -> None:
    paths = [p for p in source if p]
    if not paths:
        return
    chosen = data.draw(st.lists(st.sampled_from(paths), min_size=1, max_size=3))
    at = data.draw(st.sampled_from(list(target)))
    now = put(source, target, *chosen, at=at)
    for path in target:
        # what holds a copy lists it in its order
        names = {p[-1] for p in target if p and p[:-1] == path}
        order = [n for n in now[path].attributes.get("order", []) if n in names]
        if now[path].kind == "group":
            now[path].attributes["order"] = order
    assert content({p: now[p] for p in target}) == content(target)
    added = {p: o for p, o in now.items() if p not in target}
    for path, obj in added.items():
        assert len(path) > len(at)
        for _, named in references(SCHEMA, obj.kind, obj.attributes):
            assert named in now or named not in source
    assert len(added) >= len({p for p in chosen if not any(p[:n] in chosen for n in range(len(p)))})


def test_another_version_has_other_names() -> None:
    def schema(**attributes: AttributeSpec) -> Schema:
        return Schema(kinds={"preset": Kind("preset", "preset", attributes=attributes)})

    spec = AttributeSpec()
    before = schema(fade_seconds=spec, loop=spec, level=spec)
    now = schema(fade=AttributeSpec(formerly=("fade_seconds",)), level=spec)
    values = {"fade_seconds": 4, "loop": True, "level": 1, "own": 2}
    assert carried_over(before, now, "preset", values) == (
        {"fade": 4, "level": 1, "own": 2}, ["loop"],
    )  # fmt: skip


def folded(tree: Tree, store: MemoryStore) -> Snapshot:
    builder = SnapshotBuilder(store, replace(SCHEMA, names=NameRule(fold=True)))
    for path, obj in tree.items():
        builder.add(path, obj)
    return builder.finish()


def test_places_are_the_same_in_other_letters_where_the_system_says_so() -> None:
    source = grown(
        unit("Crew"), (("Crew", "Imke"), thing("Imke", boss="/crew/ANSEL")),
        (("Crew", "Ansel"), thing("Ansel")),
    )  # fmt: skip
    store = MemoryStore()
    live = folded({**source, **grown(unit("new"))}, store)
    made = transplant(folded(source, store), [("CREW",), ("crew", "imke")], live, ("new",))
    plan = plan_restore(compare(made.left, live), list(made.picks))
    now = as_tree(rehearse(live, plan.steps))
    assert set(now) - set(source) == {
        ("new",), ("new", "Crew"), ("new", "Crew", "Imke"), ("new", "Crew", "Ansel"),
    }, "and no second copy"  # fmt: skip
    assert now["new", "Crew", "Imke"].attributes["boss"] == "/new/Crew/ANSEL"


def test_what_could_not_be_read_stays_away_and_is_told() -> None:
    shut = ConfigObject(name="shut", kind="keeper", unreadable="no access")
    gone = replace(shut, name="gone")
    source = grown(
        unit("crew"), (("crew", "shut"), shut), (("crew", "shut", "in"), thing("in")),
        (("crew", "open"), thing("open", boss="/gone")), (("gone",), gone),
    )  # fmt: skip
    store = MemoryStore()
    live = snapshot(grown(unit("new")), store)
    made = transplant(snapshot(source, store), [("crew",)], live, ("new",))
    told = [(f.level, f.code, f.path) for f in made.findings if f.code == "unreadable"]
    assert sorted(told) == [
        ("confirm", "unreadable", ("crew", "shut")), ("confirm", "unreadable", ("gone",)),
    ]  # fmt: skip
    plan = plan_restore(compare(made.left, live), list(made.picks))
    now = as_tree(rehearse(live, plan.steps))
    assert set(now) == {(), ("new",), ("new", "crew"), ("new", "crew", "open")}
