"""What a choice takes, and comparing what was taken: judged by going through every object."""

from collections import Counter
from fnmatch import fnmatchcase

from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.compare import compare
from keepsort.core.compare.choices import kept
from keepsort.core.model import NameRule, Path
from keepsort.core.snapshot import Choice, MemoryStore, Taking
from tests.core.trees import SCHEMA, Tree, snapshot, trees


@st.composite
def choices(draw: st.DrawFn) -> Choice:
    names = st.sampled_from(["Ansel", "Imke", "Tobin", "divers", "vets", "*", "?i*", "[d]ivers"])
    places = st.lists(names, min_size=1, max_size=3).map("/".join).map("/".__add__)
    return Choice(
        tuple(draw(st.lists(st.sampled_from(["keeper", "group"]), max_size=1))),
        tuple(draw(st.lists(places, max_size=2))), tuple(draw(st.lists(places, max_size=2))),
    )  # fmt: skip


def taken(choice: Choice, tree: Tree) -> set[Path]:
    """The naive version."""

    def names(text: str) -> list[str]:
        return [name for name in text.split("/") if name]

    def takes(path: Path) -> bool:
        above = [path[:n] for n in range(1, len(path) + 1)]
        if any(tree[one].kind in choice.kinds_out for one in above):
            return False
        for out in map(names, choice.places_out):
            if len(out) <= len(path) and all(map(fnmatchcase, path, out)):
                return False
        if not choice.places or not path:
            return True
        return any(all(map(fnmatchcase, path, place)) for place in map(names, choice.places))

    return {path for path in tree if takes(path)}


@given(trees(), choices())
def test_a_stream_and_single_places_are_taken_alike(tree: Tree, choice: Choice) -> None:
    taking = Taking(choice, NameRule())
    expected = taken(choice, tree)
    assert {path for path, _ in taking.stream(iter(tree.items()))} == expected

    def kind_at(path: Path) -> str | None:
        return tree[path].kind

    assert {path for path in tree if taking.takes(path, kind_at)} == expected


@given(trees(identities=False), trees(identities=False), choices())
def test_what_was_left_out_is_never_told_as_a_difference(
    before: Tree, live: Tree, choice: Choice
) -> None:
    store = MemoryStore()
    some = dict(Taking(choice, SCHEMA.names).stream(iter(before.items())))
    left, right = snapshot(some, store), snapshot(live, store)
    found = kept(compare(left, right), choice, Choice())
    whole = compare(snapshot(before, store), right)
    here = taken(choice, before)
    # what is told of objects that were taken is what a whole backup would tell
    told = {(d.path, d.state) for d in found.differences if d.state != "extra"}
    assert told == {(d.path, d.state) for d in whole.differences if d.left and d.path in here}
    gone = taken(choice, live)
    for difference in found.differences:
        if difference.state == "extra":
            new = difference.path
            # had it been there as it is now, or what holds it, it would have been taken
            assert new not in here
            above = [new[:n] for n in range(1, len(new) + 1) if new[:n] not in here]
            assert any(one in gone for one in above)
    for difference in found.not_kept:
        assert difference.path not in here
    counts = Counter(found.tally)
    assert found.same == len(here) - sum(counts[s] for s in counts if s != "extra")


@given(trees(identities=False), choices())
def test_nothing_differs_from_what_was_taken_of_it(tree: Tree, choice: Choice) -> None:
    store = MemoryStore()
    some = dict(Taking(choice, SCHEMA.names).stream(iter(tree.items())))
    part, whole = snapshot(some, store), snapshot(tree, store)
    for found in (
        kept(compare(part, whole), choice, Choice()),
        kept(compare(whole, part), Choice(), choice),
    ):
        assert [d for d in found.differences if d.state != "changed"] == []
        left_out = set(tree) - taken(choice, tree)
        assert {d.path for d in found.not_kept} == left_out
        assert all(not found.is_covered(path) for path in left_out)
