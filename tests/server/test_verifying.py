"""Verify: whatever byte of the chunk table is turned, what stands on it is told, and nothing else."""

import pytest
from django.db import connection
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from keepsort.core.model import ConfigObject
from keepsort.core.snapshot import Root, reachable
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.snapshots.verifying import verify
from keepsort.server.store.models import Chunk
from keepsort.server.store.postgres import PostgresStore
from tests.core.trees import Tree, trees
from tests.server.records import a_system, keep


def stands_on(record: Record) -> set[bytes]:
    """The naive version: all chunks of one backup, by another way through the tree."""
    tree = open_snapshot(record)
    found = {address for some in reachable(PostgresStore(), [tree.root]) for address in some}
    return found | {bytes(record.schema)}


def turn(address: bytes, place: int) -> None:
    data = bytearray(Chunk.objects.get(address=address).data)
    data[place % len(data)] ^= 0x41
    with connection.cursor() as cursor:
        table = Chunk._meta.db_table
        cursor.execute(f"update {table} set data = %s where address = %s", [bytes(data), address])


def large(count: int, changed: int = -1) -> Tree:
    """Enough objects for pages, some with values that lie apart, and facts."""
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    for number in range(count):
        name = f"keeper-{number:04}"
        notes = f"{number}\n" * (3000 if number % 50 == 0 else 1)
        title = "other" if number == changed else "same"
        tree[name,] = ConfigObject(
            name=name, kind="keeper", facts={"seen": number},
            attributes={"title": title, "notes": notes},
        )  # fmt: skip
    return tree


class Laws(TestCase):
    @settings(max_examples=25, deadline=None)
    @given(trees(), st.data())
    def test_small_trees_whole_and_broken(self, objects: Tree, data: st.DataObject) -> None:
        record = keep(a_system(f"Plant {Record.objects.count()}"), objects)
        whole = verify([record])
        assert (whole.damaged, whole.checked) == ([], len(stands_on(record)))
        address = data.draw(st.sampled_from(sorted(stands_on(record))))
        turn(address, data.draw(st.integers(0, 1 << 16)))
        [found] = verify([record]).damaged
        assert found.schema or found.places


@pytest.mark.django_db
def test_damage_is_told_object_by_object_and_where_it_is_shared() -> None:
    system = a_system()
    one, two = keep(system, large(600)), keep(system, large(600, changed=300))
    other = keep(a_system("Other"), large(3))
    both = verify([one, two, other])
    assert both.damaged == []
    assert both.checked == len(stands_on(one) | stands_on(two) | stands_on(other))
    # a long value: the one object, in both backups that hold it
    tree = open_snapshot(one)
    node = tree.find(("keeper-0050",))
    assert node is not None
    address = tree.attributes(node.entry)["notes"].address
    turn(address, 7)
    found = {d.record.pk: d.places for d in verify([one, two, other]).damaged}
    assert found == {pk: [("/keeper-0050", "notes")] for pk in (one.pk, two.pk)}
    # a page: how many are on it, and which comes first; the other backup has the page too or not
    page = tree.page_refs(tree.top().entry.children)[1]
    turn(page.address, 20)
    [told, *_] = verify([one]).damaged
    assert (
        "/",
        f"{page.count} of the 600 right beneath it, the first of them {page.first}",
    ) in told.places
    # a chunk that is gone is damage too
    Chunk.objects.filter(address=page.address).delete()
    assert verify([one]).damaged[0].places == told.places
    assert [d.record.pk for d in verify([one, other]).damaged] == [one.pk]


@pytest.mark.django_db
def test_the_top_and_the_kinds() -> None:
    record = keep(a_system(), large(3))
    tree = open_snapshot(record)
    turn(tree.root.significant, 3)
    assert verify([record]).damaged[0].places == [("/", "all of it")]
    turn(bytes(record.schema), 3)
    assert verify([record]).damaged[0].schema
    assert isinstance(tree.root, Root)
