"""A year of running: what has had its time goes, and what anything stands on stays."""

import random
import threading
from datetime import timedelta
from typing import Any

import pytest
from django.db import connection
from django.utils import timezone

from keepsort.core.model import ConfigObject
from keepsort.core.plan import Pick
from keepsort.core.snapshot import Root, reachable
from keepsort.server import housekeeping
from keepsort.server.history.feeding import catch_up
from keepsort.server.history.models import Head
from keepsort.server.restores.models import PlanRecord
from keepsort.server.restores.previewing import preview
from keepsort.server.snapshots.models import Construction, Record, Work
from keepsort.server.snapshots.services import constructing, open_snapshot, take
from keepsort.server.sorting.listing import keep_list
from keepsort.server.sorting.models import PastedList
from keepsort.server.store.models import Chunk
from keepsort.server.store.postgres import PostgresStore
from keepsort.server.systems.models import System
from tests.conftest import dn
from tests.core.trees import Tree
from tests.server.records import a_system, keep

pytestmark = pytest.mark.django_db(transaction=True)


def grown(seed: int, changed: int = 0) -> Tree:
    """A tree of some pages, with texts of their own, of which some have changed."""
    rng = random.Random(seed)
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    for number in range(120):
        name = f"keeper {number:04}"
        text = f"{number} {rng.random() if number < changed else 0}\n" * 400
        tree[name,] = ConfigObject(
            name=name, kind="keeper", attributes={"notes": text}, facts={"seen": rng.random()}
        )
    return tree


def whole(record: Record) -> int:
    """Read all of a record; fails if anything of it is missing."""
    tree = open_snapshot(record)
    tree.cache._kept.clear()
    return sum(len(str(tree.object(node))) for node in tree.walk())


def aged(hours: float) -> None:
    Chunk.objects.update(used_at=timezone.now() - timedelta(hours=hours))


def reached() -> set[bytes]:
    """What all records and the index stand on, found in the plain way."""
    found: set[bytes] = set()
    fields = ("significant", "facts", "schema")
    for one in [
        *Record.objects.values(*fields),
        *Head.objects.exclude(schema=None).values(*fields),
    ]:
        facts = bytes(one["facts"]) if one["facts"] else None
        for some in reachable(PostgresStore(), [Root(bytes(one["significant"]), facts, 0)]):
            found |= some
        found.add(bytes(one["schema"]))
    bases = dict(Chunk.objects.exclude(base=None).values_list("address", "base"))
    waiting = list(found)
    while waiting:
        base = bases.get(waiting.pop())
        if base is not None and bytes(base) not in found:
            found.add(bytes(base))
            waiting.append(bytes(base))
    return found


def test_what_nothing_stands_on_is_collected_and_nothing_else() -> None:
    system = a_system()
    records = [keep(system, grown(n, changed=n * 10), days_ago=9 - n) for n in range(6)]
    catch_up(system)
    sizes = {record.pk: whole(record) for record in records}
    for record in records[1:4]:
        record.delete()
    assert housekeeping.tidy() == 0, "somebody may have counted on it a moment ago"
    aged(hours=2)
    before = Chunk.objects.count()
    count = housekeeping.tidy()
    assert 0 < count < before
    assert {bytes(a) for a in Chunk.objects.values_list("address", flat=True)} == reached()
    for record in (records[0], records[4], records[5]):
        assert whole(record) == sizes[record.pk]
    aged(hours=2)
    assert housekeeping.tidy() == 0


def test_what_a_snapshot_under_construction_counts_on_stays() -> None:
    system = a_system()
    first = keep(system, grown(1))
    with constructing(first):
        Construction.objects.update(started_at=timezone.now() - timedelta(hours=3))
        with pytest.raises(Exception, match="protected"):
            first.delete()
        store = PostgresStore()
        kept = keep(system, grown(2, changed=30))
        addresses = [bytes(a) for a in Chunk.objects.values_list("address", flat=True)]
        kept.delete()
        aged(hours=3.5)
        store.has_many(addresses)  # who builds finds it there, and passes it over
        aged(hours=3.4)
        housekeeping.tidy()
        assert store.has_many(addresses) == set(addresses)
    aged(hours=5)
    assert housekeeping.tidy() > 0


def test_one_whose_maker_is_dead_holds_nothing_up_for_ever() -> None:
    Construction.objects.create()
    Construction.objects.update(started_at=timezone.now() - timedelta(days=2))
    housekeeping.tidy()
    assert not Construction.objects.exists()


def test_a_missing_chunk_stops_the_collector(caplog: pytest.LogCaptureFixture) -> None:
    system = a_system()
    keep(system, grown(1)).delete()
    broken = keep(system, grown(2))
    Chunk.objects.filter(address=bytes(broken.significant)).delete()
    aged(hours=3)
    assert housekeeping.tidy() == 0
    assert "none are collected" in caplog.text


def test_collecting_beside_those_who_build() -> None:
    """Several build trees that share much, some are dropped, and the collector runs all the time."""
    systems = [a_system(f"System {n}") for n in range(3)]
    over = threading.Event()
    failed: list[BaseException] = []
    collected = [0]

    def build(system: System, seed: int) -> None:
        try:
            for number in range(6):
                newest = Record.objects.filter(system=system).first()
                with constructing(newest):
                    keep(system, grown(seed * 10 + number, changed=number * 15))
                old = Record.objects.filter(system=system).order_by("pk").first()
                if number % 2 and old is not None:
                    old.delete()
        except BaseException as error:
            failed.append(error)
        finally:
            connection.close()

    def collect() -> None:
        try:
            while not over.is_set():
                # as if an hour passed at every look: only what is counted on right now is spared
                with connection.cursor() as cursor:
                    cursor.execute(
                        "update store_chunk set used_at = used_at - interval '2 hours' "
                        "where used_at < now() - interval '3 seconds'"
                    )
                collected[0] += housekeeping.tidy()
        except BaseException as error:
            failed.append(error)
        finally:
            connection.close()

    builders = [
        threading.Thread(target=build, args=(system, n)) for n, system in enumerate(systems)
    ]
    collector = threading.Thread(target=collect)
    for thread in (*builders, collector):
        thread.start()
    for thread in builders:
        thread.join()
    over.set()
    collector.join()
    assert not failed, failed
    for record in Record.objects.all():
        assert whole(record)


def test_a_month_of_running_stays_within_bounds(people: System, slapd: Any) -> None:
    """Looks and previews that nobody carries out, backups, lists and work, day after day."""
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    sizes = []
    for day in range(30):
        slapd.change(
            f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Day {day}\n"
        )
        for _ in range(4):
            take(people, Record.Kind.LOOK)
        preview(backup, [Pick(("ou=divers", "cn=Imke Farrow"))])
        keep_list(f"Imke Farrow {day}")
        Work.objects.create(system=people, kind="look", state=Work.State.DONE)
        day_passes()
        housekeeping.tidy()
        sizes.append(rows())
    assert sizes[-1]["plans"] <= 2
    assert sizes[-1]["looks"] <= 8
    assert sizes[-1]["lists"] <= 31
    assert sizes[-1]["work"] <= 9
    assert sizes[-1]["constructions"] == 0
    assert sizes[-1]["chunks"] <= sizes[5]["chunks"] + 12, "it does not grow with the days"


def rows() -> dict[str, int]:
    return {
        "plans": PlanRecord.objects.count(),
        "looks": Record.objects.filter(kind=Record.Kind.LOOK).count(),
        "lists": PastedList.objects.count(),
        "work": Work.objects.count(),
        "constructions": Construction.objects.count(),
        "chunks": Chunk.objects.count(),
    }


def day_passes() -> None:
    day = timedelta(days=1)
    for model, field in (
        (PlanRecord, "made_at"), (Record, "taken_at"), (PastedList, "made_at"), (Work, "asked_at"),
        (Chunk, "used_at"),
    ):  # fmt: skip
        for one in model.objects.all().only("pk", field):  # type: ignore[attr-defined]
            model.objects.filter(pk=one.pk).update(**{field: getattr(one, field) - day})  # type: ignore[attr-defined]
