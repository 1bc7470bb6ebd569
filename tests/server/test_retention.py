"""What goes, what stays, and what that frees: judged by really collecting, and by the database."""

from datetime import timedelta

import pytest
from django.db.models import Sum
from django.db.models.functions import Length
from django.utils import timezone
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from demo.servers.slapd import Slapd
from keepsort.core.plan import Pick
from keepsort.core.retention import Policy
from keepsort.server import housekeeping
from keepsort.server.history.feeding import catch_up
from keepsort.server.history.models import Indexed, Version
from keepsort.server.history.reading import history
from keepsort.server.history.searching import search
from keepsort.server.problems import Problem
from keepsort.server.restores import engine
from keepsort.server.restores.previewing import preview
from keepsort.server.restores.records import find_run
from keepsort.server.restores.undoing import preview_undo
from keepsort.server.retention import services
from keepsort.server.retention.freeing import frees
from keepsort.server.retention.needs import needs_of, note_picked
from keepsort.server.schedules.services import add_schedule
from keepsort.server.schedules.times import every
from keepsort.server.snapshots.baseline import set_baseline
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import constructing, open_snapshot, take
from keepsort.server.store.models import Chunk
from keepsort.server.systems.models import System
from tests.conftest import dn
from tests.core.trees import Tree, trees
from tests.server.records import a_system, keep
from tests.server.test_verifying import large


def stored() -> int:
    return Chunk.objects.aggregate(n=Sum(Length("data")))["n"] or 0


def collect() -> None:
    """Let everything that nothing stands on go, as if nobody had counted on it for long."""
    Chunk.objects.update(used_at=timezone.now() - timedelta(days=1))
    housekeeping._collect(timezone.now())


class Freed(TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.lists(trees(), min_size=2, max_size=5), st.data())
    def test_what_is_told_to_be_freed_is_freed(
        self, states: list[Tree], data: st.DataObject
    ) -> None:
        system = a_system(f"Plant {System.objects.count()}")
        records = [keep(system, tree) for tree in states]
        if data.draw(st.booleans()):
            catch_up(system)
        collect()
        going = data.draw(st.permutations(records))[: data.draw(st.integers(1, len(records)))]
        told = frees(going)
        assert told is not None
        for record in going:
            number, before = record.pk, stored()
            record.delete()
            collect()
            assert before - stored() == told[number], "each frees what it was told to, in order"


@pytest.mark.django_db
def test_pages_that_resemble_each_other_are_counted_as_they_are_freed() -> None:
    """Chunks packed against one that stays, and one that stays since others are packed against it."""
    system = a_system()
    records: list[Record] = []
    for n in (1, 300, 301, 302, 700):
        records.append(keep(system, large(900, changed=n), on=records[-1] if records else None))
    assert Chunk.objects.exclude(base=None).exists()
    collect()
    for record in (records[2], records[0], records[4]):
        told, before = frees([record]), stored()
        assert told is not None
        number = record.pk
        record.delete()
        collect()
        # a chunk that others are packed against goes with the last of these
        assert before - stored() == told[number]


@pytest.mark.django_db
def test_a_policy_says_what_it_does_and_does_that_alone() -> None:
    system = a_system()
    records = [keep(system, large(20, changed=n), days_ago=10 - n) for n in range(8)]
    bad = [keep(system, large(20, changed=n + 10), days_ago=1) for n in range(3)]
    Record.objects.filter(pk__in=[b.pk for b in bad]).update(problem_count=1)
    branch = keep(system, large(20), at=("keeper-0001",), days_ago=30)
    Record.objects.filter(pk=records[0].pk).update(pinned=True)
    set_baseline(Record.objects.get(pk=records[1].pk))
    policy = Policy(good=2, problems=1)
    planned = services.plan(system, policy)
    gone = [record.pk for record, _ in planned.goes]
    assert gone == [*(r.pk for r in records[2:6]), *(b.pk for b in bad[:2])]
    assert services.apply(system) == [], "no policy is kept yet"
    services.save_policy(system, policy)
    assert sorted(services.apply(system)) == sorted(gone)
    left = set(system.records.values_list("pk", flat=True))
    assert left == {
        records[0].pk,
        records[1].pk,
        records[6].pk,
        records[7].pk,
        bad[2].pk,
        branch.pk,
    }
    assert services.apply(system) == []
    with pytest.raises(Problem, match="time zone"):
        services.save_policy(system, Policy(good=1, zone="Mars/Base"))


@pytest.mark.django_db
def test_the_last_good_one_of_what_is_scheduled_stays() -> None:
    system = a_system()
    only = keep(system, large(5), at=("keeper-0001",), days_ago=90)
    keep(system, large(5))
    services.save_policy(system, Policy(good=0, daily=3))
    [kept] = [why for r, why in services.plan(system).keeps if r.pk == only.pk]
    assert kept == ("the newest good one",)
    schedule = add_schedule(system, every("10m"), ("keeper-0001",))
    # it goes once another takes its place
    assert services.ahead(system, timezone.now()) == (schedule.next_at, [only.pk])


@pytest.mark.django_db(transaction=True)
def test_what_something_needs_does_not_go(people: System, slapd: Slapd) -> None:
    old = take(people, Record.Kind.BACKUP, taken_at=timezone.now() - timedelta(days=9))
    imke = f"dn: {dn('Imke Farrow')}\nchangetype: modify\nreplace: description\n"
    slapd.change(f"{imke}description: Seal keeper\n")
    new = take(people, Record.Kind.BACKUP)
    services.save_policy(people, Policy(good=1))
    assert [r.pk for r, _ in services.plan(people).goes] == [old.pk]
    note_picked([old])
    assert needs_of(people)[old.pk] == ["somebody has picks of it in the tray"]
    assert services.apply(people) == []
    Record.objects.update(needed_until=None)
    plan = preview(old, [Pick(("ou=divers", "cn=Imke Farrow"))])
    with pytest.raises(Problem, match=f"plan {plan.pk}") as told:
        services.delete(old)
    assert told.value.status == 409
    run = engine.carry_out(engine.start(plan, [], None).pk)
    assert run.outcome == "verified"
    with constructing(old), pytest.raises(Problem, match="being built on it"):
        services.delete(old)
    # the way back stands on what the run itself has kept
    assert services.delete(old) is not None
    undo = preview_undo(find_run(run.pk))
    undone = engine.carry_out(engine.start(undo, [], None).pk)
    assert undone.outcome == "verified"
    assert open_snapshot(new).root.total


@pytest.mark.django_db
def test_history_and_search_forget_what_no_backup_holds() -> None:
    system = a_system()
    gone, there = "keeper-0004", "keeper-0001"
    tree = large(5)
    records = [keep(system, tree)]
    without = {path: obj for path, obj in tree.items() if path != (gone,)}
    records += [keep(system, without), keep(system, large(3, changed=1))]
    catch_up(system)
    assert [hit.name for hit in search(gone).hits] == [gone]
    for record in records[:2]:
        services.delete(record)
    assert search(gone).hits == []
    assert not Version.objects.filter(name=gone).exists()
    [moment] = history(system, (there,), None, open_snapshot(records[2]))
    assert moment.record.pk == records[2].pk
    # what is in the newest tree of the index alone comes back with the next backup
    services.delete(Record.objects.get(pk=records[2].pk))
    assert search(there).hits == []
    assert not Indexed.objects.exists()
    keep(system, large(3, changed=1))
    catch_up(system)
    assert [hit.backups for hit in search(there).hits] == [1]
