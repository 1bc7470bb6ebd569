"""Setup through the API: who may, what is tried, what is kept, what is never shown."""

import pytest

from demo.servers.slapd import ADMIN, SUFFIX
from keepsort.server.accounts.models import Role
from keepsort.server.systems.models import System
from tests.conftest import PASSWORD
from tests.server.test_api import call, signed_in

pytestmark = pytest.mark.django_db(transaction=True)


def settings(people: System, **changes: object) -> dict[str, object]:
    return {
        "name": "People", "connector": "directory", "address": people.address,
        "options": {"base": SUFFIX}, "user": ADMIN, "password": None, **changes,
    }  # fmt: skip


def test_only_administrators_see_and_change_how_systems_are_reached(people: System) -> None:
    for role in (Role.VIEWER, Role.OPERATOR, Role.RESTORER):
        other = signed_in(role)
        for method, path in (
            ("get", "/api/v1/settings"), ("get", "/api/v1/connectors"), ("post", "/api/v1/settings"),
            ("post", "/api/v1/connectors/try"), ("put", f"/api/v1/settings/{people.pk}"),
            ("delete", f"/api/v1/settings/{people.pk}"),
        ):  # fmt: skip
            answer = other.get(path) if method == "get" else call(other, method, path, {})
            assert answer.status_code == 403, (role, method, path)
    assert System.objects.get().name == "People"


def test_a_try_keeps_nothing_and_a_change_keeps_the_password(people: System) -> None:
    admin = signed_in(Role.ADMINISTRATOR)
    assert {c["name"] for c in admin.get("/api/v1/connectors").json()} == {
        "directory", "keystore", "hostfiles", "exhibits", "ovsdb", "printserver", "tables",
    }  # fmt: skip
    shown = admin.get("/api/v1/settings").json()
    assert shown[0]["has_password"]
    assert PASSWORD not in str(shown)
    tried = call(
        admin, "post", "/api/v1/connectors/try", settings(people, name="", system=people.pk)
    ).json()
    assert sum(tried["counts"].values()) == 9, tried
    assert any("assertion" in text or "refuses" in text for text in tried["promises"])
    wrong = call(admin, "post", "/api/v1/connectors/try", settings(people, password="wrong"))
    assert wrong.status_code >= 400
    assert wrong.json()["way_out"]
    assert not people.records.exists()
    changed = call(
        admin, "put", f"/api/v1/settings/{people.pk}", settings(people, name="Everybody")
    )
    assert changed.json()["name"] == "Everybody"
    again = call(admin, "post", "/api/v1/connectors/try", settings(people, system=people.pk))
    assert again.status_code == 200, "the password that was kept still opens it"
    for bad in ({"options": {}}, {"connector": "none"}, {"options": {"base": SUFFIX, "x": "1"}}):
        found = call(admin, "post", "/api/v1/settings", settings(people, name="New", **bad))
        assert found.status_code >= 400
        assert found.json()["error"]
    assert call(admin, "delete", f"/api/v1/settings/{people.pk}").json() == {"backups": 0}
    assert not System.objects.exists()
