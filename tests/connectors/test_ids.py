"""Places by ids, against a naive version that walks everything each time."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keepsort.connectors.ids import Ids
from keepsort.core.model import AttributeSpec, Path, SlashPaths

ids = st.sampled_from("abcdefgh")
changes = st.lists(
    st.one_of(
        st.tuples(st.just("put"), ids, st.sampled_from(["", *"abcdefgh"]), st.sampled_from("xyz")),
        st.tuples(st.just("drop"), ids, st.just(""), st.just("")),
    ),
    max_size=30,
)


def place(held: dict[str, tuple[str, str]], id: str) -> Path | None:
    """Where an object stands; None where it hangs on nothing, or on itself."""
    names: list[str] = []
    while id and len(names) <= len(held):
        if id not in held:
            return None
        id, name = held[id]
        names.insert(0, name)
    return tuple(names) if len(names) <= len(held) else None


@given(changes)
def test_places_are_what_walking_up_tells(done: list[tuple[str, str, str, str]]) -> None:
    found, held = Ids(), dict[str, tuple[str, str]]()
    for what, id, above, name in done:
        if what == "put":
            if any(one != id and at == (above, name) for one, at in held.items()):
                continue  # no system has two of one name in one place
            found.put(id, above, name)
            held[id] = above, name
        elif id in held:
            found.drop(id)
            del held[id]
    places = {id: place(held, id) for id in held}
    assert found.at(()) == ""
    assert set(found.astray()) == {id for id, path in places.items() if path is None}
    for id, path in places.items():
        if path is None:
            with pytest.raises(KeyError):
                found.path(id)
        else:
            assert found.path(id) == path
            assert found.at(path) == id
    told = list(found.depth_first(""))
    assert [found.path(id) for id in told] == sorted(p for p in places.values() if p is not None)


@given(changes, st.lists(st.one_of(ids, st.just("none of them")), max_size=5))
def test_references_are_the_same_there_and_back(
    done: list[tuple[str, str, str, str]], named: list[str]
) -> None:
    found = Ids()
    for number, (what, id, _, name) in enumerate(done):
        if what == "put":
            found.put(id, "", f"{name}/{number}")
    spec, plain = AttributeSpec(shape="set", reference=True), AttributeSpec(shape="set")
    told = found.told(spec, SlashPaths(), named)
    assert found.meant(spec, SlashPaths(), told) == named
    assert all(text.startswith("/") == (id in found) for id, text in zip(named, told, strict=True))
    assert found.told(plain, SlashPaths(), named) == named
    with pytest.raises(KeyError, match="/gone"):
        found.meant(spec, SlashPaths(), ["/gone"])
