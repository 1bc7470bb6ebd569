"""The chunk store in PostgreSQL: what goes in comes out, and likeness makes it small."""

import random
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connection

from keepsort.core.model.canonical import digest
from keepsort.core.snapshot import Chunk, ChunkMissing
from keepsort.server.store.models import Chunk as Row
from keepsort.server.store.postgres import PostgresStore

pytestmark = pytest.mark.django_db


def page(number: int) -> bytes:
    """A page of random bytes of which a few differ from those of the page before."""
    rng = random.Random(3)
    content = bytearray(rng.randbytes(20_000))
    for step in range(number):
        content[step * 100 : step * 100 + 4] = f"{step:04}".encode()
    return bytes(content)


def test_chunks_come_back_through_many_likenesses() -> None:
    store = PostgresStore()
    before: bytes | None = None
    sizes = []
    for number in range(20):
        data = page(number)
        sizes.append(store.put_many([Chunk(digest(data), data, before)]))
        before = digest(data)
    pages = [page(n) for n in range(20)]
    found = PostgresStore().get_many([digest(p) for p in pages])
    assert [found[digest(p)] for p in pages] == pages
    assert sizes[0] >= 20_000, "random bytes do not shrink by themselves"
    assert sizes[1] < 200
    assert sum(s > 10_000 for s in sizes) == 3, "after six likenesses, one is kept whole again"
    assert max(Row.objects.values_list("depth", flat=True)) == 6


def test_likeness_to_itself_or_to_nothing_is_passed_over() -> None:
    store = PostgresStore()
    data = b"reef" * 100
    store.put_many([Chunk(digest(data), data, digest(data))])
    other = b"kelp" * 100
    store.put_many([Chunk(digest(other), other, digest(b"never kept"))])
    assert store.get_many([digest(data), digest(other)]) == {
        digest(data): data,
        digest(other): other,
    }


def test_a_chunk_kept_twice_is_kept_once() -> None:
    store = PostgresStore()
    data = b"lagoon"
    chunk = Chunk(digest(data), data)
    store.put_many([chunk])
    store.put_many([chunk])
    assert Row.objects.count() == 1
    assert store.has_many([digest(data), digest(b"x")]) == {digest(data)}


def test_what_is_missing_is_named() -> None:
    with pytest.raises(ChunkMissing, match=digest(b"x").hex()):
        PostgresStore().get_many([digest(b"x")])


@pytest.mark.django_db(transaction=True)
def test_threads_may_read_at_once() -> None:
    store = PostgresStore()
    pattern, *pages = [page(0) + f"tank {number}".encode() for number in range(400)]
    store.put_many([Chunk(digest(pattern), pattern)])
    store.put_many([Chunk(digest(data), data, digest(pattern)) for data in pages])
    addresses = [digest(data) for data in pages]
    shared = PostgresStore()

    def read(turn: int) -> bool:
        found = shared.get_many(addresses[turn % 2 :: 2])
        connection.close()
        return list(found.values()) == pages[turn % 2 :: 2]

    with ThreadPoolExecutor(8) as pool:
        assert all(pool.map(read, range(40)))
