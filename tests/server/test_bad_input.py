"""Whatever is sent to the API, the answer says what is wrong; nothing falls over."""

import copy
import json
from collections.abc import Iterator
from typing import Any

import pytest
from django.test import Client
from drf_spectacular.generators import SchemaGenerator

from keepsort.server.accounts.models import Role, User
from keepsort.server.snapshots.models import Record
from keepsort.server.systems.services import add_system
from tests.server.records import keep
from tests.server.test_history import grown, thing

TEXTS = [
    "", " ", "x", "-1", "0", "1.5", "1e400", "NaN", "99999999999999999999", "null", "true", "[", "[1]",
    '["a"]', '["a", 1]', '[["a"], null]', '{"a": 1}', '"\\ud800"', '["\\u0000"]', "\x00", "%", "*" * 3000,
    "[" * 3000, "ä\u2028", "' or 1=1 --", "../../etc",
]  # fmt: skip
VALUES = [
    None, True, -1, 0, 2**70, 1.5, "", "x", "\x00", "\ud800", "y" * 100_000, [], [None], ["a"], [[["a"]]],
    [1, "a"], {}, {"a": None}, {"path": ["a"]}, [{"path": None}], [{"path": ["a"], "scope": "x"}],
    [{"path": ["never"], "scope": "object"}], [{"path": ["tank"], "attributes": [{"name": 1}]}],
    [{"path": ["tank"], "scope": "object", "attributes": [{"name": "title", "hunks": [-5, 99]}]}],
]  # fmt: skip


@pytest.fixture
def sides(db: None) -> dict[str, int]:
    reached = {"base": "dc=kelpmoor,dc=example"}
    system = add_system("Plant", "directory", "ldap://127.0.0.1:1", reached, "", "sea-horse")
    tree = grown((("tank",), thing("tank", title="Vet", notes="a\nb\n", limits={"low": 1})))
    inner = ("tank", "pump")
    tree[inner] = thing("pump", notes="a\nb\n")
    then = keep(system, tree, days_ago=1)
    for path in (inner[:1], inner):
        tree[path].attributes["notes"] = "a\nc\n"
    now = keep(system, tree, kind=Record.Kind.LOOK)
    return {"left": then.pk, "right": now.pk, "system": system.pk}


@pytest.fixture
def client(db: None) -> Client:
    client = Client(raise_request_exception=False)
    client.force_login(User.objects.create_user("admin", role=Role.ADMINISTRATOR))
    return client


def _schema() -> dict[str, Any]:
    found = SchemaGenerator().get_schema(request=None, public=True)
    return json.loads(json.dumps(found))


def _said_what_is_wrong(answer: Any, what: object) -> None:
    assert answer.status_code != 500, what
    if answer.status_code >= 400 and answer.status_code != 404:
        said = answer.json()
        assert said.get("error"), (what, answer.content)
        assert "Traceback" not in said["error"]


def _gets() -> Iterator[tuple[str, list[str]]]:
    for address, methods in _schema()["paths"].items():
        parameters = [p["name"] for p in methods.get("get", {}).get("parameters", [])]
        if parameters and "{number}" not in address:
            yield address, parameters


@pytest.mark.parametrize(("address", "parameters"), list(_gets()))
def test_any_text_for_any_parameter(
    address: str, parameters: list[str], client: Client, sides: dict[str, int]
) -> None:
    right = {
        "left": sides["left"], "right": sides["right"], "path": '["tank"]', "attribute": "notes",
        "each": "[{}]", "side": "left", "start": 0, "count": 10, "way": "next", "text": "tank",
    }  # fmt: skip
    asked = {name: value for name, value in right.items() if name in parameters}
    assert client.get(address, asked).status_code == 200
    for name in parameters:
        for text in TEXTS:
            query = {**asked, name: text}
            _said_what_is_wrong(client.get(address, query), (name, text))
        _said_what_is_wrong(
            client.get(address, {n: v for n, v in asked.items() if n != name}), name
        )


def _posts() -> Iterator[tuple[str, str, dict[str, Any]]]:
    schema = _schema()
    for address, methods in schema["paths"].items():
        for method in ("post", "put", "patch"):
            body = methods.get(method, {}).get("requestBody")
            read = body["content"].get("application/json") if body is not None else None
            if read is not None and address != "/api/v1/session":
                name = read["schema"]["$ref"].rsplit("/", 1)[1]
                yield method, address, schema["components"]["schemas"][name]["properties"]


@pytest.mark.parametrize(("method", "address", "properties"), list(_posts()))
def test_any_value_for_any_field(
    method: str, address: str, properties: dict[str, Any], client: Client, sides: dict[str, int]
) -> None:
    right = {
        "left": sides["left"], "right": sides["right"], "system": sides["system"], "text": "tank",
        "backup": sides["left"], "look": sides["right"], "picks": [{"path": ["tank"], "scope": "object"}],
        "paths": [["tank"]], "at": [], "clash": "rename", "kind": "backup", "path": [], "policy": "overwrite",
        "name": "Another", "connector": "directory", "address": "ldap://127.0.0.1:1", "user": "", "password": "",
        "options": {"base": "dc=kelpmoor,dc=example"}, "pinned": True, "note": "before the season",
    }  # fmt: skip
    asked = {name: value for name, value in right.items() if name in properties}
    number = sides["left"] if "records" in address else sides["system"]
    url = address.replace("{number}", str(number))

    def send(body: object) -> Any:
        written = json.dumps(body)
        return client.generic(method.upper(), url, written, content_type="application/json")

    _said_what_is_wrong(send(asked), "as it should be")
    for name in properties:
        for value in VALUES:
            body = {**copy.deepcopy(asked), name: value}
            _said_what_is_wrong(send(body), (name, value))
        _said_what_is_wrong(send({n: v for n, v in asked.items() if n != name}), name)
    for body in VALUES:
        _said_what_is_wrong(send(body), body)
    for raw in (b"", b"{", b"\xff\xfe", b"[" * 5000, b'{"a": 1e999}', b'{"left": 1, "left": []}'):
        answer = client.generic(method.upper(), url, raw, content_type="application/json")
        _said_what_is_wrong(answer, raw[:20])
