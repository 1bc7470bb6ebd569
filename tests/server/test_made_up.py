"""Requests that were made up: values of others, records of another system, trouble that spreads."""

import json
from typing import Any

import pytest
from django.test import Client

from demo.servers.slapd import Slapd
from keepsort.server.accounts.models import Role, User
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.sorting import comparing
from keepsort.server.systems.models import KeptSecret, System
from tests.conftest import PASSWORD, dn
from tests.server.records import a_system, keep
from tests.server.test_history import grown, thing

pytestmark = pytest.mark.django_db(transaction=True)
ANSEL, IMKE = ["ou=divers", "cn=Ansel Brandvold"], ["ou=divers", "cn=Imke Farrow"]


def signed_in(role: Role) -> Client:
    client = Client(raise_request_exception=False)
    client.force_login(User.objects.create_user(str(role), role=role))
    return client


def call(client: Client, address: str, body: Any) -> Any:
    return client.post(f"/api/v1/{address}", json.dumps(body), content_type="application/json")


def test_one_persons_password_is_not_put_in_the_place_of_anothers(
    people: System, slapd: Slapd
) -> None:
    """Whatever is sent as a value, and whatever names one sees, nothing of another object is taken."""
    slapd.change(
        f"dn: {dn('Imke Farrow')}\nchangetype: modify\nadd: userPassword\nuserPassword: coral\n"
    )
    backup = take(people, Record.Kind.BACKUP)
    for name in ("Ansel Brandvold", "Imke Farrow"):
        slapd.change(
            f"dn: {dn(name)}\nchangetype: modify\nreplace: userPassword\nuserPassword: new\n"
        )
    look = take(people, Record.Kind.LOOK)
    client = signed_in(Role.RESTORER)
    both = {"left": backup.pk, "right": look.pk}
    shown = {}
    for path in (ANSEL, IMKE):
        found = client.get("/api/v1/compare/object", {**both, "path": json.dumps(path)})
        attributes = {a["name"]: a for a in found.json()["attributes"]}
        shown[path[1]] = attributes["userPassword"]
    digests = set(KeptSecret.objects.values_list("digest", flat=True))
    assert len(digests) == 3
    told = json.dumps(shown)
    assert not [d for d in digests if d in told], "what stands for a secret stays here"
    right = {n: s["right"][0]["part"] for n, s in shown.items()}
    assert right[ANSEL[1]] != right[IMKE[1]], "that both have the same one is not to be seen"
    mine, theirs = shown[IMKE[1]]["left"][0]["part"], shown[ANSEL[1]]["left"][0]["part"]

    def planned(**part: Any) -> Any:
        pick = {
            "path": IMKE,
            "scope": "attributes",
            "attributes": [{"name": "userPassword", **part}],
        }
        body = {"backup": backup.pk, "look": look.pk, "picks": [pick]}
        return call(client, "plans", body)

    stolen = planned(parts=[theirs])
    assert [f["code"] for f in stolen.json()["findings"] if f["level"] == "stop"] == ["part-gone"]
    assert not stolen.json()["steps"]
    digest = next(iter(digests))
    forged = planned(parts=[mine], add=[digest], remove=[digest], hunks=[1]).json()
    steps = [s["path"] for s in forged["steps"]]
    assert steps == [IMKE], "values that are sent along are not even read"
    assert digest not in json.dumps(forged)


def test_lines_of_secrets_are_not_given_out(people: System, slapd: Slapd) -> None:
    backup = take(people, Record.Kind.BACKUP)
    look = take(people, Record.Kind.LOOK)
    client = signed_in(Role.VIEWER)
    asked = {
        "left": backup.pk, "right": look.pk, "path": json.dumps(ANSEL), "attribute": "userPassword",
        "side": "left",
    }  # fmt: skip
    assert client.get("/api/v1/compare/lines", asked).json() == {"lines": []}


def test_records_of_two_systems_are_not_planned_together() -> None:
    one, other = a_system("One"), a_system("Other")
    backup = keep(one, grown((("a",), thing("a", title="x"))))
    look = keep(other, grown(), kind=Record.Kind.LOOK)
    client = signed_in(Role.RESTORER)
    body = {"backup": backup.pk, "look": look.pk, "picks": [{"path": ["a"], "scope": "object"}]}
    for address in ("plans", "tray"):
        answer = call(client, address, body)
        assert answer.status_code == 400, address
        assert "another system" in answer.json()["error"]


ODD = ["²", "9" * 5000, "-1", "1e3", " 1", "1 ", str(2**63), str(2**64), "٣", "0x1", "\u0661"]


@pytest.mark.parametrize("text", ODD)
def test_what_is_no_number_is_told_everywhere(text: str) -> None:
    client = signed_in(Role.ADMINISTRATOR)
    for address in (
        f"compare?left={text}&right={text}", f"compare?left=1&right=1&since={text}",
        f"compare?left=1&right=1&listed={text}", f"search?text=a&system={text}",
        f"records/{text}", f"runs/{text}", f"plans/{text}", f"work/{text}",
    ):  # fmt: skip
        answer = client.get(f"/api/v1/{address}")
        assert answer.status_code in (400, 404), (address, answer.status_code)
        assert answer.json()["error"]


def test_deep_and_long_json_is_refused() -> None:
    client = signed_in(Role.ADMINISTRATOR)
    for text in (
        '{"text": ' + "[" * 400 + "]" * 400 + "}",
        '{"text": 18446744073709551616}',
        '{"text": "\\u0000"}',
        json.dumps({"text": list(range(300_000))}),
    ):
        answer = client.post("/api/v1/lists", text, content_type="application/json")
        assert answer.status_code == 400, text[:40]
        assert answer.json()["error"]
    assert client.get("/api/v1/search?text=%00").status_code == 400


def test_rules_in_an_address_are_bounded() -> None:
    system = a_system()
    left = keep(system, grown((("a",), thing("a", title="x"))))
    client = signed_in(Role.VIEWER)
    for rules in ({"paths": ["/*a*"] * 201}, {"attributes": ["a" * 401]}):
        asked = {"left": left.pk, "right": left.pk, "rules": json.dumps(rules)}
        answer = client.get("/api/v1/compare", asked)
        assert answer.status_code == 400
        assert "patterns" in answer.json()["error"]


def test_one_systems_trouble_does_not_hide_the_others_on_watch(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    good, bad = a_system("Good"), a_system("Bad")
    for system in (good, bad):
        keep(system, grown((("a",), thing("a", title="x"))))
        keep(system, grown(), kind=Record.Kind.LOOK)
        Record.objects.filter(system=system).update(changes={"missing": 1})
    real = comparing.compare_trees

    def broken(left: Any, right: Any, terms: Any, known: Any) -> Any:
        raise TypeError(PASSWORD)

    monkeypatch.setattr(comparing, "compare_trees", broken)
    told = {s["name"]: s for s in signed_in(Role.VIEWER).get("/api/v1/systems").json()}
    assert "TypeError" in told["Bad"]["trouble"]
    assert PASSWORD not in json.dumps(told)
    monkeypatch.setattr(comparing, "compare_trees", real)
    told = {s["name"]: s for s in signed_in(Role.OPERATOR).get("/api/v1/systems").json()}
    assert not told["Good"]["trouble"]
    assert told["Good"]["look"]["changes"] == {"missing": 1}


def test_the_first_administrator_is_one_and_has_a_password_worth_the_name() -> None:
    from django.core.exceptions import ValidationError

    with pytest.raises(ValidationError):
        User.objects.create_superuser("odell", None, "12345")
    made = User.objects.create_superuser("odell", None, "sea-lettuce-9")
    assert made.may(Role.ADMINISTRATOR)
