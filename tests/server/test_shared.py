"""Comparisons that every process finds: made once, read elsewhere, the same in all they tell."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from typing import Any

import pytest
from django.db import connection
from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.compare import Comparison, Rules, compare
from keepsort.core.compare.stored import restored, stored
from keepsort.core.snapshot import MemoryStore
from keepsort.server.snapshots.models import Record
from keepsort.server.sorting import comparing, shared
from keepsort.server.sorting.models import SharedComparison
from tests.core.trees import snapshot, trees
from tests.server.records import a_system, keep
from tests.server.test_verifying import large


def told(found: Comparison) -> tuple[Any, ...]:
    return (
        found.differences, found.consequences, found.hidden, found.suggestions, found.unknown,
        found.outside, found.covers, found.not_kept, found.tally, found.same, found.keys,
    )  # fmt: skip


@given(trees(), trees(), st.booleans())
def test_what_is_read_again_tells_the_same(one: Any, two: Any, order: bool) -> None:
    store = MemoryStore()
    left, right = snapshot(one, store), snapshot(two, store)
    found = compare(left, right, Rules(order=order), likeness=0.5)
    again = restored(stored(found), found.left, found.right)
    assert told(again) == told(found)
    for difference in found.differences:
        assert again.at(difference.path) == found.at(difference.path)
        assert again.live_path(difference.path) == found.live_path(difference.path)


@pytest.fixture
def two(db: None, monkeypatch: pytest.MonkeyPatch) -> tuple[Record, Record]:
    monkeypatch.setattr(shared, "WORTH_SECONDS", 0.0)
    system = a_system("Plant")
    backup = keep(system, large(300, changed=0))
    return backup, keep(system, large(300, changed=9), kind=Record.Kind.LOOK)


def elsewhere() -> None:
    """Forget what this process knows, as if another one asked."""
    with comparing._kept._lock:
        for key in list(comparing._kept._kept):
            comparing._kept._drop(key)


def test_another_process_reads_what_one_has_found(
    two: tuple[Record, Record], monkeypatch: pytest.MonkeyPatch
) -> None:
    first = comparing.compared(*two)
    elsewhere()
    monkeypatch.setattr(comparing, "_compared", None)
    again = comparing.compared(*two)
    assert again is not first
    assert told(again) == told(first)
    assert again.differences
    assert again.right.object(again.differences[0].right) == first.right.object(  # type: ignore[arg-type]
        first.differences[0].right  # type: ignore[arg-type]
    )


def test_what_is_damaged_is_made_again(two: tuple[Record, Record]) -> None:
    first = comparing.compared(*two)
    for content in (b"no", shared.zstandard.compress(b"\x91\x01")):
        SharedComparison.objects.update(content=content)
        elsewhere()
        assert told(comparing.compared(*two)) == told(first)


def test_other_terms_are_another_comparison(two: tuple[Record, Record]) -> None:
    comparing.compared(*two)
    comparing.compared(*two, comparing.Terms(rules=Rules(letter_case=True)))
    assert SharedComparison.objects.count() == 2


def test_rows_stay_within_their_bytes(
    two: tuple[Record, Record], monkeypatch: pytest.MonkeyPatch
) -> None:
    comparing.compared(*two)
    row = SharedComparison.objects.get()
    monkeypatch.setattr(shared, "_ALL_BYTES", row.size + 10)
    for _ in range(3):
        comparing.compared(*two, comparing.Terms(likeness=0.7))
    kept = SharedComparison.objects.get()
    assert kept.key != row.key, "the one that nobody asked for since has gone"


@pytest.mark.django_db(transaction=True)
def test_one_process_makes_what_several_ask_for(
    two: tuple[Record, Record], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Each thread has a connection of its own and goes past what one process keeps."""
    made: list[int] = []
    begin = Barrier(4)
    make = comparing._compared

    def counted(*asked: Any) -> Comparison:
        made.append(1)
        return make(*asked)

    def ask() -> int:
        try:
            begin.wait(10)
            found = shared.shared(
                b"one key",
                lambda: comparing._trees(*two, comparing.settled(comparing.Terms(), two[1].system)),
                lambda: counted(*two, comparing.settled(comparing.Terms(), two[1].system)),
            )
            return len(found.differences)
        finally:
            connection.close()

    with ThreadPoolExecutor(4) as pool:
        asked = [pool.submit(ask) for _ in range(4)]
        assert [one.result(30) for one in asked] == [2] * 4
    assert made == [1]
