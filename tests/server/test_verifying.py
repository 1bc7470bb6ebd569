"""Verify: whatever byte of the chunk table is turned, what stands on it is told, and nothing else."""

import pytest
from django.db import connection
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from demo.servers.slapd import Slapd
from keepsort.core.model import ConfigObject
from keepsort.core.snapshot import Root, reachable
from keepsort.core.snapshot.reader import PageCache
from keepsort.server.snapshots import services, working
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.snapshots.verifying import mend, verify, verify_and_mark
from keepsort.server.store.models import Chunk
from keepsort.server.store.postgres import PostgresStore
from keepsort.server.systems.models import System
from tests.conftest import dn
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


@pytest.mark.django_db
def test_backups_that_share_damage_are_marked_and_mended_by_the_next() -> None:
    system = a_system()
    one, two = keep(system, large(600)), keep(system, large(600, changed=300))
    other = keep(a_system("Other"), large(600, changed=301))
    apart = keep(a_system("Apart"), large(3))
    tree = open_snapshot(one)
    node = tree.find(("keeper-0050",))
    assert node is not None
    address = tree.attributes(node.entry)["notes"].address
    turn(address, 7)
    [found] = verify_and_mark([one]).damaged[:1]
    assert found.record.pk == one.pk
    marked = Record.objects.exclude(damage_count=0)
    assert {r.pk for r in marked} == {one.pk, two.pk, other.pk}
    assert all(r.damage == [{"path": "/keeper-0050", "text": "notes"}] for r in marked)
    # what is broken counts as not there, so that the same content is stored anew
    assert PostgresStore().has_many([address]) == set()
    newest = keep(system, large(600, changed=302))
    assert Record.objects.exclude(damage_count=0).count() == 3
    mend(newest)
    assert not Record.objects.exclude(damage_count=0).exists()
    assert verify([one, two, other, apart, newest]).damaged == []
    assert not Chunk.objects.filter(broken=True).exists()


@pytest.mark.django_db
def test_a_broken_page_that_others_are_packed_against() -> None:
    system = a_system()
    records: list[Record] = []
    for n in (-1, 10, 11, 12):
        records.append(keep(system, large(600, changed=n), on=records[-1] if records else None))
    base = Chunk.objects.exclude(base=None).values_list("base", flat=True).first()
    assert base is not None, "the pages are packed against each other"
    turn(bytes(base), 25)
    hurt = {found.record.pk for found in verify_and_mark(records).damaged}
    assert hurt
    for n in (-1, 10, 11, 12):
        keep(system, large(600, changed=n))
    mend(Record.objects.latest("pk"))
    assert verify(list(Record.objects.all())).damaged == []


@pytest.mark.django_db(transaction=True)
def test_a_backup_is_made_though_the_one_before_cannot_be_read(
    people: System, slapd: Slapd, monkeypatch: pytest.MonkeyPatch
) -> None:
    def backed_up() -> Work:
        # what this process has at hand would hide the damage
        monkeypatch.setattr(services, "_cache", PageCache(PostgresStore()))
        made = working.do(Work.objects.create(system=people, kind=Work.Kind.BACKUP).pk)
        assert made is not None
        assert made.state == Work.State.DONE, made.message
        return made

    before = take(people, Record.Kind.BACKUP)
    turn(bytes(before.significant), 9)
    change = f"dn: {dn('Imke Farrow')}\nchangetype: modify\nreplace: description\ndescription: "
    slapd.change(f"{change}Seal keeper\n")
    new = backed_up().result
    assert new is not None
    assert verify([new]).damaged == []
    before.refresh_from_db()
    assert before.damage_count == 1
    slapd.change(f"{change}Nachtwächterin\\, Riff\n")
    backed_up()
    before.refresh_from_db()
    assert before.damage_count == 0, "the same content was stored anew"
    assert verify(list(people.records.all())).damaged == []
