"""What a view, and a step of a run, may cost: the number of queries does not grow with the data."""

import pytest
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from demo.servers.slapd import Slapd
from keepsort.core.plan import Pick
from keepsort.server.accounts.models import User
from keepsort.server.restores import engine
from keepsort.server.restores.previewing import preview
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.sorting.tallying import tally_ahead
from keepsort.server.systems.models import System
from tests.conftest import dn
from tests.server.records import a_system, keep
from tests.server.test_verifying import large


@pytest.fixture
def client(db: None) -> Client:
    found = Client()
    found.force_login(User.objects.create_user("orla"))
    return found


def queries(client: Client, address: str) -> int:
    with CaptureQueriesContext(connection) as asked:
        answer = client.get(address)
    assert answer.status_code == 200, answer.content
    return len(asked)


@pytest.mark.parametrize(
    "view", ["", "/outline", "/level", "/object", "/history", "/neighbours", "/shown"]
)
def test_sorting_more_objects_asks_no_more(client: Client, view: str) -> None:
    counted = []
    for count in (50, 500):
        system = a_system(f"Plant {count}")
        backup = keep(system, large(count, changed=0))
        look = keep(system, large(count, changed=7), kind=Record.Kind.LOOK)
        way = "&way=next" if view == "/neighbours" else ""
        address = f"/api/v1/compare{view}?left={backup.pk}&right={look.pk}&at=[]{way}"
        counted.append(queries(client, address))
    assert counted[1] <= counted[0] + 3, "a few chunks more, at most"
    assert counted[1] <= 40


@pytest.mark.parametrize(
    "address", ["/api/v1/systems/{0}/backups", "/api/v1/runs", "/api/v1/systems/{0}/schedules"]
)
def test_lists_ask_as_much_for_many_as_for_few(client: Client, address: str) -> None:
    system = a_system("Plant")
    counted = []
    for _ in range(2):
        for n in range(5):
            keep(system, large(20, changed=n))
        counted.append(queries(client, address.format(system.pk)))
    assert counted[1] == counted[0] <= 30


@pytest.mark.django_db(transaction=True)
def test_a_step_more_costs_a_run_a_few_queries(
    people: System, slapd: Slapd, client: Client
) -> None:
    counted, steps = [], []
    for count in (2, 12):
        names = [f"Diver {count} {n}" for n in range(count)]
        entry = "changetype: add\nobjectClass: person\nsn: x\n"
        slapd.change("\n".join(f"dn: {dn(name)}\n{entry}cn: {name}\n" for name in names))
        backup = take(people, Record.Kind.BACKUP)
        change = "changetype: modify\nreplace: sn\nsn: y\n"
        slapd.change("\n".join(f"dn: {dn(name)}\n{change}" for name in names))
        plan = preview(backup, [Pick((), "branch")])
        run = engine.start(plan, [], None)
        with CaptureQueriesContext(connection) as asked:
            done = engine.carry_out(run.pk)
        assert done.outcome == "verified"
        steps.append(done.steps.count())
        counted.append(len(asked))
        journal = client.get(f"/api/v1/runs/{run.pk}/journal").json()
        since = client.get(f"/api/v1/runs/{run.pk}/journal?after=0").json()
        assert since["lines"] == journal["lines"], "each was begun and ended"
        again = client.get(f"/api/v1/runs/{run.pk}/journal?after={journal['entries']}").json()
        assert again == journal | {"lines": []}
    assert (counted[1] - counted[0]) / (steps[1] - steps[0]) <= 2, (counted, steps)


@pytest.mark.parametrize(
    "address", ["/api/v1/systems", "/api/v1/attention", "/api/v1/attention/ranked"]
)
def test_watch_asks_as_much_for_many_systems_as_for_few(client: Client, address: str) -> None:
    counted = []
    for count in (2, 10):
        for n in range(count):
            system = a_system(f"Plant {count} {n}")
            keep(system, large(20, changed=0), days_ago=0.2)
            keep(system, large(20, changed=3), kind=Record.Kind.LOOK)
            tally_ahead(system)
        queries(client, address)
        counted.append(queries(client, address))
    assert counted[1] == counted[0] <= 30
