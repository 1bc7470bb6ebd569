"""Splices give back exactly what they were made of, and are small where little is new."""

import msgspec
from hypothesis import given
from hypothesis import strategies as st

from keepsort.server.store.splices import Older, joined

_arrays = st.lists(
    st.one_of(st.binary(max_size=40), st.text(max_size=40), st.integers(0, 9), st.lists(st.none())),
    max_size=40,
).map(msgspec.msgpack.encode)
_bytes = st.one_of(_arrays, st.binary(max_size=200))


@given(_bytes, _bytes)
def test_a_splice_stands_for_its_bytes(older: bytes, data: bytes) -> None:
    splice = Older(older).splice(data, most=10_000)
    assert splice is None or joined(splice, older) == data


@given(st.data())
def test_some_edits_of_an_array_take_little_more_than_themselves(data: st.DataObject) -> None:
    before = [f"{number:04} {'of the many tanks ' * 8}" for number in range(60)]
    after = list(before)
    for _ in range(data.draw(st.integers(1, 3))):
        where = data.draw(st.integers(1, len(after) - 2))
        way = data.draw(st.sampled_from(["changed", "gone", "added"]))
        if way == "changed":
            after[where] = after[where][:60] + "!" + after[where][60:]
        elif way == "gone":
            del after[where]
        else:
            after.insert(where, "a new one")
    one, two = msgspec.msgpack.encode(before), msgspec.msgpack.encode(after)
    splice = Older(one).splice(two, most=len(two) // 8)
    assert splice is not None
    assert joined(splice, one) == two
    assert len(splice) < len(two) / 20


def test_what_is_quite_other_is_no_splice() -> None:
    one = msgspec.msgpack.encode([f"pump {number}" for number in range(50)])
    two = msgspec.msgpack.encode([f"lamp {number}" for number in range(50)])
    assert Older(one).splice(two, most=len(two)) is None
