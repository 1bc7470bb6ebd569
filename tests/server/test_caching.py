"""What is kept at hand: made once for all who ask, never more than its bytes."""

from concurrent.futures import ThreadPoolExecutor
from threading import Event

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keepsort.server.caching import Kept
from keepsort.server.snapshots.models import Record
from keepsort.server.sorting.comparing import compared
from tests.server.records import a_system, keep
from tests.server.test_verifying import large


def test_one_makes_what_many_ask_for() -> None:
    made: list[int] = []
    begun, go_on = Event(), Event()
    kept: Kept[str, bytes] = Kept(100, len, 60)

    def make() -> bytes:
        made.append(1)
        begun.set()
        go_on.wait(5)
        return b"x" * 200  # too large to be kept: who waited has it nevertheless

    with ThreadPoolExecutor(5) as pool:
        first = pool.submit(kept.of, "a", make)
        begun.wait(5)
        others = [pool.submit(kept.of, "a", make) for _ in range(4)]
        while not all(one.running() for one in others):
            pass
        go_on.set()
        answers = {one.result(5) for one in (first, *others)}
    assert answers == {b"x" * 200}
    assert len(made) <= 2, "who came after it was done may make it anew"
    assert kept.get("a") is None


def test_what_cannot_be_made_is_tried_again() -> None:
    kept: Kept[str, bytes] = Kept(100, len, 60)

    def fail() -> bytes:
        raise ValueError("no")

    with pytest.raises(ValueError, match="no"):
        kept.of("a", fail)
    assert kept.of("a", lambda: b"now") == b"now"
    assert kept.of("a", fail) == b"now"


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 60)), max_size=60))
def test_never_more_than_its_bytes_and_never_something_else(asked: list[tuple[int, int]]) -> None:
    kept: Kept[int, bytes] = Kept(100, len, 60)
    last: dict[int, bytes] = {}
    for key, size in asked:
        value = kept.of(key, lambda key=key, size=size: bytes([key]) * size)  # type: ignore[misc]
        assert value == bytes([key]) * len(value)
        last[key] = value
        held = [found for one in last if (found := kept.get(one)) is not None]
        assert sum(map(len, held)) <= 100
        assert all(any(found is one for one in last.values()) for found in held)


@pytest.mark.django_db
def test_looks_that_found_the_same_share_a_comparison() -> None:
    system = a_system("Plant")
    backup = keep(system, large(50, changed=0))
    first, second, third = (
        keep(system, large(50, changed=n), kind=Record.Kind.LOOK) for n in (3, 3, 4)
    )
    assert compared(backup, first) is compared(backup, second)
    assert compared(backup, third) is not compared(backup, first)
