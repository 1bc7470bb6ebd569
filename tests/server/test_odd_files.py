"""Files as people leave them: whatever one holds, the backup of the others goes on."""

import json
from pathlib import Path

import pytest
from django.test import Client

from keepsort.server.accounts.models import Role, User
from keepsort.server.history.feeding import catch_up
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.services import add_system

pytestmark = pytest.mark.django_db(transaction=True)

#: Texts of each kind, and whether they open as keys.
ODD = {
    "zero.json": (b'{"a": "x\\u0000y", "b": "c"}', True),
    "half.json": (b'{"a": "\\ud800", "\\udc00": 1}', False),
    "half.yaml": (b'a: "\\ud800"\n', False),
    "zero.yaml": (b'a: "\\0"\n', True),
    "zero.toml": (b'a = "\\u0000"\n', True),
    "zero.txt": (b"abc\x00def", False),
    "large.json": (b'{"a": 123456789012345678901234567890}', True),
    "endless.json": (b'{"a": 1e400}', True),
    "endless.toml": (b"a = nan\n", True),
    "endless.yaml": (b"a: .inf\n", True),
    "day.toml": (b"a = 2026-11-25T07:00:00Z\nb = 07:00:00\n", True),
    "day.yaml": (b"a: 2026-11-25\nb: 12:30:45\nc: ~\nd: yes\ne: 0o777\nf: 1_000\n", True),
    "itself.yaml": (b"a: &x [1, *x]\n", False),
    "bytes.yaml": (b"a: !!binary aGk=\n? [x, y]\n: 1\n", False),
    "entity.xml": (b'<!DOCTYPE l [<!ENTITY a "aaaa">]><l>&a;</l>', False),
    "latin.ini": (b"[a]\nb = K\xfchler\n", False),
    "deep.json": (b"[" * 3000, False),
    "deep.yaml": (b"[" * 3000, False),
    "deep.toml": (b"a = " + b"[" * 3000, False),
    "deep.xml": (b"<a>" * 3000, False),
    "twice.json": (b'{"a":1,"a":2}', False),
    "empty.json": (b"", False),
    "\u202eodd name.conf": (b"a b\n", True),
}


def test_the_others_are_backed_up_and_all_can_be_looked_at(db: None, tmp_path: Path) -> None:
    etc = tmp_path / "etc"
    etc.mkdir()
    for name, (data, _) in ODD.items():
        (etc / name).write_bytes(data)
    (etc / "plain.ini").write_text("[tide]\ngate = open\n")
    system = add_system("Gateway", "hostfiles", "file:///", {"folders": str(etc)}, "", "")
    backup = take(system, Record.Kind.BACKUP)
    for name, (data, _) in ODD.items():
        (etc / name).write_bytes(data + b"\n")
    look = take(system, Record.Kind.LOOK)
    catch_up(system)
    tree = open_snapshot(backup)
    client = Client()
    client.force_login(User.objects.create_user("odell", role=Role.VIEWER))
    for node in tree.walk():
        asked = {"left": backup.pk, "right": look.pk, "path": json.dumps(node.path)}
        answer = client.get("/api/v1/compare/object", asked)
        assert answer.status_code == 200, (node.path, answer.content)
        answer.json()
    base = etc.parts[1:]
    for name, (_, opens) in ODD.items():
        node = tree.find((*base, name))
        assert node is not None
        assert bool(tree.children(node)) == opens, name
    assert client.get("/api/v1/search", {"text": "gate"}).json()["hits"]
