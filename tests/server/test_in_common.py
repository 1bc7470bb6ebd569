"""The same change in many objects, over the API."""

import json
from typing import Any

import pytest
from django.test import Client

from keepsort.core.model import ConfigObject
from keepsort.server.accounts.models import User
from keepsort.server.snapshots.models import Record
from tests.core.trees import Tree
from tests.server.records import a_system, keep

pytestmark = pytest.mark.django_db


def keepers(title: str, seen: int) -> Tree:
    """Return two groups of keepers, of whom those with an even number have a title."""
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    for group in ("divers", "vets"):
        tree[group,] = ConfigObject(name=group, kind="group")
        for number in range(6):
            attributes: dict[str, Any] = {"title": title if number % 2 else "same"}
            if number == 5:
                attributes["notes"] = f"{group} {seen}"
            name = f"keeper-{number}"
            tree[group, name] = ConfigObject(name=name, kind="keeper", attributes=attributes)
    return tree


def test_groups_of_all_of_a_branch_and_of_one_object() -> None:
    system = a_system()
    backup = keep(system, keepers("lead", 1))
    look = keep(system, keepers("nobody", 2), kind=Record.Kind.LOOK)
    client = Client()
    client.force_login(User.objects.create_user("orla"))
    view = f"left={backup.pk}&right={look.pk}"

    def asked(more: str = "", where: str = "") -> Any:
        return client.get(f"/api/v1/compare/common{where}?{view}{more}").json()

    def at(*path: str) -> str:
        return f"&path={json.dumps(path)}"

    [group] = asked()["groups"]
    assert (group["count"], group["attribute"]["name"]) == (6, "title")
    assert asked(at("divers") + "&beneath=yes")["groups"][0]["count"] == 3
    assert asked(at("divers", "keeper-1"))["groups"][0]["count"] == 6
    assert asked(at("divers", "keeper-2"))["groups"] == []
    assert asked(at("divers", "keeper-1") + "&beneath=yes")["groups"] == []
    paths = asked("&number=0" + at("vets"), "/paths")
    assert paths == {"total": 3, "paths": [["vets", f"keeper-{n}"] for n in (1, 3, 5)]}
    filtered = asked("&attributes=notes")
    assert [one["count"] for one in filtered["groups"]] == [2], "of what the filters let through"
    assert "no such change" in asked("&number=9", "/paths")["error"]
