"""The API: who may do what, and how errors are told."""

import json
from typing import Any

import pytest
from django.core.cache import cache
from django.test import Client

from demo.servers.slapd import Slapd
from keepsort.server.accounts.models import Role, User
from keepsort.server.restores import engine
from keepsort.server.restores.models import Run
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import take
from keepsort.server.systems.models import KeptSecret, System
from tests.conftest import PASSWORD, dn
from tests.server.records import a_system, keep
from tests.server.test_history import grown, thing


def signed_in(role: Role) -> Client:
    user = User.objects.create_user(f"a-{role}", password="tide-pool-7", role=role)
    client = Client()
    client.force_login(user)
    return client


def call(client: Client, method: str, url: str, body: Any = None) -> Any:
    return getattr(client, method)(url, json.dumps(body or {}), content_type="application/json")


@pytest.fixture
def sides(people: System, slapd: Slapd) -> dict[str, int]:
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    look = take(people, Record.Kind.LOOK)
    return {"backup": backup.pk, "look": look.pk}


IMKE = [{"path": ["ou=divers", "cn=Imke Farrow"], "scope": "object"}]


@pytest.mark.django_db
def test_nothing_is_told_to_those_who_are_not_signed_in() -> None:
    client = Client()
    for url in ("systems", "runs", "compare?left=1&right=2", "schema", "events", "plans/1"):
        assert client.get(f"/api/v1/{url}").status_code == 403, url
    assert client.get("/api/v1/session").json()["signed_in"] is False


@pytest.mark.django_db
def test_signing_in_needs_the_password_and_the_token() -> None:
    cache.clear()
    User.objects.create_user("odell", password="tide-pool-7")
    client = Client(enforce_csrf_checks=True)
    right = {"username": "odell", "password": "tide-pool-7"}
    assert call(client, "post", "/api/v1/session", right).status_code == 403
    client.get("/api/v1/session")
    token = {"HTTP_X_CSRFTOKEN": client.cookies["csrftoken"].value}
    wrong = client.post(
        "/api/v1/session", {"username": "odell", "password": "x"}, "application/json", **token
    )
    assert wrong.status_code == 403
    assert "do not fit" in wrong.json()["error"]
    done = client.post("/api/v1/session", right, "application/json", **token)
    assert done.json() == {
        "username": "odell",
        "name": "odell",
        "role": "viewer",
        "signed_in": True,
    }
    assert client.cookies["sessionid"]["httponly"]
    assert call(client, "delete", "/api/v1/session").status_code == 403, "no token, no change"


@pytest.mark.django_db
def test_guessing_passwords_is_slowed_down() -> None:
    cache.clear()
    client = Client()
    wrong = {"username": "odell", "password": "x"}
    codes = [call(client, "post", "/api/v1/session", wrong).status_code for _ in range(25)]
    assert codes[0] == 403
    assert codes[-1] == 429
    cache.clear()


@pytest.mark.django_db
def test_pages_are_locked_down() -> None:
    response = Client().get("/")
    policy = response["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "script-src 'self'" in policy
    assert response["X-Frame-Options"] == "DENY"
    assert Client().get("/assets/../../../settings.py").status_code in (200, 404)
    assert b"SECRET" not in Client().get("/assets/..%2f..%2fpackage.json").content


@pytest.mark.django_db(transaction=True)
def test_roles(sides: dict[str, int], people: System) -> None:
    work = f"/api/v1/systems/{people.pk}/work"
    plan_body = {**sides, "picks": IMKE}
    viewer, operator, restorer = (signed_in(r) for r in (Role.VIEWER, Role.OPERATOR, Role.RESTORER))
    assert viewer.get("/api/v1/systems").json()[0]["look"]["changes"] == {"missing": 1}
    assert call(viewer, "post", "/api/v1/tray", plan_body).status_code == 200
    assert call(viewer, "post", work, {"kind": "look"}).status_code == 403
    assert call(viewer, "post", "/api/v1/plans", plan_body).status_code == 403
    assert call(operator, "post", work, {"kind": "backup"}).status_code == 202
    assert Work.objects.get().state == Work.State.WAITING
    plan = call(operator, "post", "/api/v1/plans", plan_body).json()
    assert [s["action"] for s in plan["steps"]] == ["create"]
    assert call(operator, "post", f"/api/v1/plans/{plan['id']}").status_code == 403
    assert not Run.objects.exists()
    run = call(restorer, "post", f"/api/v1/plans/{plan['id']}").json()
    again = call(restorer, "post", f"/api/v1/plans/{plan['id']}")
    assert again.status_code == 409
    assert "has not finished" in again.json()["error"]
    engine.carry_out(run["id"])
    shown = viewer.get(f"/api/v1/runs/{run['id']}").json()
    assert shown["outcome"] == "verified"
    assert [line["state"] for line in shown["lines"]] == ["done"]
    assert call(operator, "post", f"/api/v1/runs/{run['id']}/cancel").status_code == 403
    undo = call(restorer, "post", f"/api/v1/runs/{run['id']}/undo").json()
    assert [s["action"] for s in undo["steps"]] == ["delete"]


@pytest.mark.django_db(transaction=True)
def test_the_tree_and_the_bench(sides: dict[str, int]) -> None:
    client = signed_in(Role.VIEWER)
    both = f"left={sides['backup']}&right={sides['look']}"
    head = client.get(f"/api/v1/compare?{both}").json()
    assert head["tally"] == {"missing": 1}
    rows = client.get(f"/api/v1/compare/outline?{both}").json()["rows"]
    assert [(r["name"], r["state"]) for r in rows] == [
        ("", "same"), ("ou=divers", "same"), ("cn=Imke Farrow", "missing"),
    ]  # fmt: skip
    everything = client.get(f'/api/v1/compare/level?{both}&path=["ou=divers"]&only=all').json()
    assert everything["total"] == 3
    page = client.get(f'/api/v1/compare/level?{both}&path=["ou=divers"]&only=all&start=2').json()
    assert len(page["rows"]) == 1
    bench = client.get(
        f'/api/v1/compare/object?{both}&path=["ou=divers","cn=Ansel Brandvold"]'
    ).json()
    assert "nitrox" not in json.dumps(bench)
    assert bench["state"] == "same"
    found = client.get(f"/api/v1/compare/neighbours?{both}&way=next").json()
    assert found["paths"] == [["ou=divers", "cn=Imke Farrow"]]
    for broken in ("left=x&right=1", f"left={sides['backup']}&right=999"):
        response = client.get(f"/api/v1/compare?{broken}")
        assert response.status_code == 404
        assert response.json()["way_out"]
    assert client.get(f"/api/v1/compare/object?{both}&path=oops").status_code == 400
    assert (
        call(client, "post", "/api/v1/tray", {**sides, "picks": [{"path": 7}]}).status_code == 400
    )


@pytest.mark.django_db(transaction=True)
def test_secrets_are_encrypted_at_rest(sides: dict[str, int], people: System) -> None:
    assert PASSWORD.encode() not in bytes(people.password)
    values = [bytes(row.value) for row in KeptSecret.objects.all()]
    assert values
    assert not any(b"nitrox" in value for value in values)


@pytest.mark.django_db
def test_rules_filters_and_lists(sides: dict[str, int], people: System, slapd: Slapd) -> None:
    slapd.change(
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: LEAD diver\n"
    )
    look = take(people, Record.Kind.LOOK)
    client = signed_in(Role.OPERATOR)
    both = f"left={sides['backup']}&right={look.pk}"

    def head(query: str = "") -> Any:
        return client.get(f"/api/v1/compare?{both}{query}").json()

    assert (head()["tally"], head()["hidden"]) == ({"changed": 1, "missing": 1}, 0)
    case = {"letter_case": True}
    hidden = head("&rules=" + json.dumps(case))
    assert (hidden["tally"], hidden["hidden"]) == ({"missing": 1}, 1)
    bench = f"/api/v1/compare/object?{both}&path=" + json.dumps(["ou=divers", "cn=Ansel Brandvold"])
    assert client.get(bench).json()["hidden"] == []
    assert client.get(bench + "&rules=" + json.dumps(case)).json()["hidden"] == ["title"]

    # saved, they hold for everybody, until a look says otherwise
    saved = f"/api/v1/systems/{people.pk}/rules"
    assert call(signed_in(Role.VIEWER), "put", saved, case).status_code == 403
    assert call(client, "put", saved, case).json()["letter_case"] is True
    assert head()["tally"] == {"missing": 1}
    assert head("&rules={}")["tally"] == {"changed": 1, "missing": 1}
    assert client.get("/api/v1/systems").json()[0]["look"]["changes"] == {"missing": 1}
    for broken in ('{"space":"wide"}', "[1]", "{", '{"paths":3}', '{"colour":1}'):
        answer = client.get(f"/api/v1/compare?{both}&rules={broken}")
        assert answer.status_code == (200 if "colour" in broken else 400), broken
    assert client.get(f"/api/v1/compare?{both}&alike=7").status_code == 400
    call(client, "put", saved, {})

    # filters, alone and together; the tally stays whole for the kinds of difference
    assert head("&states=missing")["shown"] == 1
    assert head("&states=missing")["tally"] == {"changed": 1, "missing": 1}
    assert head("&attributes=title")["tally"] == {"changed": 1}
    assert head("&attributes=title&states=missing")["shown"] == 0
    assert [f["name"] for f in head()["kinds"]] == ["inetOrgPerson"]
    listed = call(client, "post", "/api/v1/lists", {"text": "Imke Farrow\nNobody\n"}).json()
    assert listed["lines"] == 2
    assert call(client, "post", "/api/v1/lists", {"text": "Imke Farrow\nNobody\n"}).json() == listed
    found = head(f"&listed={listed['id']}")
    assert (found["shown"], found["missing"]) == (1, ["Nobody"])
    shown = client.get(f"/api/v1/compare/shown?{both}&listed={listed['id']}").json()
    assert shown["rows"] == [{"path": ["ou=divers", "cn=Imke Farrow"], "state": "missing"}]
    assert client.get(f"/api/v1/compare?{both}&listed=999").status_code == 404
    assert call(client, "post", "/api/v1/lists", {"text": " \n"}).status_code == 400
    assert head(f"&since={sides['look']}")["tally"] == {"changed": 1}, "Imke was gone by then"


@pytest.mark.django_db
def test_history_and_search_over_the_api(sides: dict[str, int], people: System) -> None:
    newest = take(people, Record.Kind.BACKUP)
    client = signed_in(Role.VIEWER)
    hits = client.get("/api/v1/search?text=imke&only=gone").json()["hits"]
    assert [(h["record"]["id"], h["now"]) for h in hits] == [(sides["backup"], False)]
    both = f"left={sides['backup']}&right={sides['look']}"
    path = json.dumps(hits[0]["path"])
    found = client.get(f"/api/v1/compare/history?{both}&path={path}").json()
    assert [(m["record"]["id"], m["state"]) for m in found["moments"]] == [
        (sides["backup"], "new"), (newest.pk, "gone"),
    ]  # fmt: skip
    assert client.get("/api/v1/search?text=i").status_code == 400
    secret = client.get("/api/v1/search?text=nitrox-at-dawn").json()
    assert secret["hits"] == [], "passwords are not searched"


@pytest.mark.django_db
def test_lines_of_a_long_text_are_sent_in_parts() -> None:
    notes = "".join(f"pump {n} = on\n" for n in range(5000))
    system = a_system()
    long = thing("log", notes=notes.replace("pump 2500 = on", "pump 2500 = off"), rota=["a", "b"])
    one = keep(system, grown((("log",), thing("log", notes=notes, rota=["b", "a"]))))
    two = keep(system, grown((("log",), long)))
    client = signed_in(Role.VIEWER)
    both = f"left={one.pk}&right={two.pk}&path=" + json.dumps(["log"])
    attributes = client.get(f"/api/v1/compare/object?{both}").json()["attributes"]
    text, rota = attributes
    assert [(s["state"], s["folded"]) for s in text["stretches"]] == [
        ("same", 2496), ("changed", 0), ("same", 2495),
    ]  # fmt: skip
    assert text["stretches"][1]["left"] == [["pump 2500 = ", "on", ""]]
    assert rota["moves"] == [{"left": 0, "right": 1}]
    asked = f"/api/v1/compare/lines?{both}&attribute=notes&side=left&start=2&count=9999"
    lines = client.get(asked).json()["lines"]
    assert (len(lines), lines[0]) == (1000, "pump 2 = on")
    right = client.get(
        f"/api/v1/compare/lines?{both}&attribute=notes&side=right&start=2500&count=1"
    )
    assert right.json()["lines"] == ["pump 2500 = off"]
    assert client.get(f"/api/v1/compare/lines?{both}&attribute=none").json()["lines"] == []
