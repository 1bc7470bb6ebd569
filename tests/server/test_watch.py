"""Watch reads what was worked out once: no comparison, and as many queries a system as before."""

import pytest
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from hypothesis import given, settings
from hypothesis.extra.django import TestCase

from demo.servers.slapd import Slapd
from keepsort.core.compare import compare
from keepsort.core.plan import Pick
from keepsort.server.accounts.models import User
from keepsort.server.restores import engine
from keepsort.server.restores.previewing import preview
from keepsort.server.snapshots.baseline import set_baseline
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.sorting import tallying
from keepsort.server.sorting.models import Tallied
from keepsort.server.sorting.tallying import tallied, tally_ahead
from keepsort.server.systems.models import System
from tests.conftest import dn
from tests.core.trees import Tree, trees
from tests.server.records import a_system, keep
from tests.server.test_verifying import large


class TestTallies(TestCase):
    @settings(max_examples=30, deadline=None)
    @given(trees(), trees(), trees())
    def test_what_is_kept_is_what_a_comparison_tells(
        self, before: Tree, kept: Tree, live: Tree
    ) -> None:
        system = a_system(f"Plant {System.objects.count()}")
        one, other = keep(system, before), keep(system, kept)
        look = keep(system, live, kind=Record.Kind.LOOK)
        for record in (one, other, one):
            found = compare(open_snapshot(record), open_snapshot(look))
            assert tallied(record, look).counts == found.tally
            told = [(first.path, first.state) for first in tallied(record, look).first]
            assert set(told) <= {(d.path, d.state) for d in found.differences}
            assert bool(told) == bool(found.differences)


@pytest.fixture
def client(db: None) -> Client:
    found = Client()
    found.force_login(User.objects.create_user("orla"))
    return found


def watched(name: str) -> System:
    system = a_system(name)
    for n in range(3):
        keep(system, large(30, changed=n), days_ago=3 - n)
    set_baseline(Record.objects.filter(system=system).earliest("taken_at"))
    keep(system, large(30, changed=9), kind=Record.Kind.LOOK)
    return system


def test_whoever_looks_compares_nothing(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    systems = [watched("Plant"), watched("Galleries")]
    for system in systems:
        tally_ahead(system)

    def compared(*_: object) -> None:
        raise AssertionError("it was worked out already")

    monkeypatch.setattr(tallying, "compared", compared)
    told = client.get("/api/v1/systems").json()
    assert [one["look"]["changes"] for one in told] == [{"changed": 2}, {"changed": 2}]
    assert [one["off_baseline"] for one in told] == [{"changed": 2}, {"changed": 2}]
    assert len(told[0]["sample"]) == 2
    codes = [item["code"] for item in client.get("/api/v1/attention").json()]
    assert codes.count("differs") == codes.count("off-baseline") == 2


def test_what_is_told_is_of_the_newest_backup_and_of_the_rules_that_hold(client: Client) -> None:
    system = watched("Plant")
    assert client.get("/api/v1/systems").json()[0]["look"]["changes"] == {"changed": 2}
    system.rules = {"attributes": ["title"]}
    system.save()
    assert client.get("/api/v1/systems").json()[0]["look"]["changes"] == {}
    system.rules = {}
    system.save()
    # live is as it was kept now, though nobody has looked again since
    keep(system, large(30, changed=9))
    assert client.get("/api/v1/systems").json()[0]["look"]["changes"] == {}
    assert Tallied.objects.count() == 5, "each is worked out once"


@pytest.mark.parametrize("address", ["/api/v1/systems", "/api/v1/attention"])
def test_each_system_more_costs_the_same_few_queries(client: Client, address: str) -> None:
    def queries() -> int:
        for system in System.objects.all():
            tally_ahead(system)
        with CaptureQueriesContext(
            connection,
        ) as asked:
            assert client.get(address).status_code == 200
        return len(asked)

    watched("one")
    first = queries()
    watched("two")
    second = queries()
    watched("three")
    assert queries() - second == second - first <= 40


@pytest.mark.django_db(transaction=True)
def test_a_run_is_followed_without_its_plan(people: System, slapd: Slapd) -> None:
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    plan = preview(backup, [Pick(("ou=divers", "cn=Imke Farrow"))])
    run = engine.start(plan, [], None)
    client = Client()
    client.force_login(User.objects.create_user("orla"))
    states = []
    for _ in range(2):
        whole = client.get(f"/api/v1/runs/{run.pk}").json()
        journal = client.get(f"/api/v1/runs/{run.pk}/journal").json()
        assert journal == {name: value for name, value in whole.items() if name != "content"}
        states.append([line["state"] for line in journal["lines"]])
        engine.carry_out(run.pk)
    assert states == [["waiting"], ["done"]]
