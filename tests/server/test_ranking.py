"""What differs is told thing by thing, the most urgent first, and stays aside until it changes."""

import json
from typing import Any

import pytest
from django.test import Client
from hypothesis import given, settings

from keepsort.core.compare import compare
from keepsort.core.compare.importance import MINOR, URGENT, USUAL, Importance
from keepsort.core.model import ConfigObject
from keepsort.core.snapshot import MemoryStore
from keepsort.server.accounts.models import User
from keepsort.server.accounts.roles import Role
from keepsort.server.snapshots.models import Record
from keepsort.server.sorting.tallying import tally_ahead
from keepsort.server.sorting.things import things
from keepsort.server.systems.models import System
from tests.core.trees import Tree, snapshot, trees
from tests.server.records import a_system, keep
from tests.server.test_in_common import keepers

NOTHING_SAID = Importance()


@settings(max_examples=200)
@given(trees(), trees())
def test_all_that_differs_is_told(left: Tree, right: Tree) -> None:
    store = MemoryStore()
    found = compare(snapshot(left, store), snapshot(right, store), likeness=None)
    told = things(found, NOTHING_SAID)
    assert bool(told.total) == bool(found.differences)
    if told.total > len(told.first):
        return
    # every object that differs is told of by itself, by what holds it, or with others like it
    places = {one.path for one in told.first}
    alike = sum(one.count for one in told.first if one.count > 1)
    alone = sum(1 + one.holds for one in told.first if one.count == 1)
    assert alone + alike >= len(found.differences) >= len(places)
    assert places <= {d.path for d in found.differences}
    assert len({(one.place, one.state) for one in told.first}) == len(told.first)
    again = things(found, NOTHING_SAID)
    assert again == told


def test_the_same_stands_the_same_and_another_value_does_not() -> None:
    store = MemoryStore()
    before, after, later = (
        snapshot(keepers(title, seen), store) for title, seen in (("a", 1), ("b", 1), ("b", 2))
    )
    one, two = (
        things(compare(before, after), NOTHING_SAID),
        things(compare(before, later), NOTHING_SAID),
    )
    assert [(t.attribute, t.was, t.now, t.count) for t in one.first] == [("title", "a", "b", 6)]
    assert one.first[0].stands == two.first[0].stands
    other = things(compare(before, snapshot(keepers("c", 1), store)), NOTHING_SAID).first[0]
    assert other.place == one.first[0].place
    assert other.stands != one.first[0].stands


def test_what_somebody_called_urgent_comes_first_and_what_is_minor_last() -> None:
    store = MemoryStore()
    tree = keepers("lead", 1)
    more = {**keepers("nobody", 1)}
    more["divers", "keeper-0"] = ConfigObject(
        name="keeper-0", kind="keeper", attributes={"title": "same", "notes": "new"}
    )
    del more["vets", "keeper-2"]
    found = compare(snapshot(tree, store), snapshot(more, store), likeness=None)

    def order(importance: Importance) -> list[tuple[str, int]]:
        return [(one.name, one.urgency) for one in things(found, importance).first]

    assert {urgency for _, urgency in order(NOTHING_SAID)} == {USUAL}
    assert order(Importance(urgent=("/vets/keeper-2",)))[0] == ("keeper-2", URGENT)
    assert order(Importance(urgent=("keeper:notes",)))[0] == ("keeper-0", URGENT)
    assert order(Importance(minor=("title",)))[-1] == ("keeper-1", MINOR)
    assert order(Importance(minor=("keeper:*",)))[-1][1] == MINOR
    assert order(Importance(minor=("notes",), urgent=("keeper:*",)))[-1][1] == URGENT


@pytest.fixture
def system(db: None) -> System:
    found = a_system()
    keep(found, keepers("lead", 1), days_ago=0.2)
    return found


def look_at(system: System, tree: Tree, days_ago: float = 0) -> Record:
    found = keep(system, tree, kind=Record.Kind.LOOK, days_ago=days_ago)
    tally_ahead(system)
    return found


def told(client: Client) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = client.get("/api/v1/attention/ranked").json()
    return [one for one in found if one["thing"]]


def test_since_when_it_stands_so_and_aside_until_it_does_not(system: System) -> None:
    client = Client()
    client.force_login(User.objects.create_user("orla", role=Role.OPERATOR))
    first = look_at(system, keepers("nobody", 1), days_ago=0.1)
    look_at(system, keepers("nobody", 1))
    [one] = told(client)
    assert (one["thing"]["was"], one["thing"]["now"]) == ("lead", "nobody")
    assert one["thing"]["count"] == 6
    assert one["since"][:19] == first.taken_at.isoformat()[:19]
    codes = [i["item"]["code"] for i in client.get("/api/v1/attention/ranked").json()]
    assert "differs" not in codes

    ask = {"system": system.pk, "code": one["item"]["code"], "stands": one["item"]["stands"]}
    body = json.dumps({**ask, "accepted": True, "why": "they rest"})
    put = client.post("/api/v1/attention/aside", body, content_type="application/json")
    assert put.status_code == 201
    [again] = told(client)
    assert again["item"]["aside"]["accepted"]
    assert again["item"]["aside"]["until"] is None
    look_at(system, keepers("nobody", 2))
    assert {one["item"]["aside"] is not None for one in told(client)} == {True, False}
    look_at(system, keepers("somebody", 1))
    [other] = told(client)
    assert other["item"]["aside"] is None, "it stands otherwise by now"
    wrong = json.dumps({**ask, "stands": "oops"})
    gone = client.post("/api/v1/attention/aside", wrong, content_type="application/json")
    assert gone.status_code == 404
