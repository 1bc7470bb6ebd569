"""Copies off the machine: made after each good backup, and all there is after losing everything."""

import os
from collections.abc import Callable, Iterator
from pathlib import Path

import psycopg
import pytest

from demo.servers.slapd import Slapd
from standins import bucket
from tests.cli.test_cli import Command
from tests.conftest import dn
from tests.servers import create_migrated, postgres

STORE = ["--user", bucket.ACCESS, "--password-stdin", "--passphrase-stdin"]
SECRETS = f"{bucket.SECRET}\nsea-wolf-reef\n"


@pytest.fixture
def installations(tmp_path: Path) -> Iterator[Callable[[str], Command]]:
    """Starts installations with a database, a state folder and a key of their own."""
    made: list[str] = []

    def start(name: str) -> Command:
        database = f"copies_{name}_{os.getpid()}"
        made.append(database)
        create_migrated(database)
        command = Command(tmp_path / name, database)
        command.environment["KEEPSORT_LOCAL_FILES"] = "yes"
        command.environment.pop("KEEPSORT_KEY", None)
        return command

    yield start
    with psycopg.connect(postgres.admin_url(), autocommit=True) as admin:
        for database in made:
            admin.execute(f'drop database if exists "{database}" with (force)')


def test_coming_back_after_losing_everything(
    installations: Callable[[str], Command], slapd: Slapd
) -> None:
    with bucket.serving() as store:
        where = ["s3://kelpmoor/copies", "--option", f"endpoint={store.address}", *STORE]
        first = installations("first")
        first.add(slapd)
        first.json("backup", "People", "--note", "before the storm")
        first.json("copies", "add", "People", *where, stdin=SECRETS)
        first.json("backup", "People", "--note", "after it")
        assert first.json("copies", "now")["copies"] == 2
        assert first.json("copies", "now")["copies"] == 2, "none is made twice"
        assert len(store.objects) == 2
        assert all(b"nitrox" not in raw for raw in store.objects.values())

        # the machine is gone, and somebody has deleted Ansel: another one comes up, with nothing
        slapd.change(f"dn: {dn('Ansel Brandvold')}\nchangetype: delete\n")
        second = installations("second")
        look = where[:-1]
        listed = second.json("copies", "look", *look, stdin=SECRETS)["archives"]
        assert [one["name"] for one in listed] == sorted(
            k.removeprefix("copies/") for k in store.objects
        )
        assert all(one["name"].startswith("People-20") for one in listed)
        # what is of no system yet is a file that can be looked into
        taken = second.json("copies", "take", *where[:3], listed[0]["name"], *STORE, stdin=SECRETS)
        [row] = taken["taken"]
        assert second.json("show", str(row["file"]), "/ou=divers/cn=Ansel Brandvold")["attributes"][
            "title"
        ] == ["Lead diver"]
        second.add(slapd)
        taken = second.json("copies", "take", *where, stdin=SECRETS)["taken"]
        assert [bool(row["backup"]) for row in taken] == [True, True]
        notes = [b["note"] for b in second.json("backups", "People")["backups"]]
        assert [n.partition(" (")[0] for n in notes] == ["after it", "before the storm"]

        # and from there he comes back, his password too
        number = str(taken[-1]["backup"])
        assert second.json("compare", number)["tally"] == {"missing": 1}
        plan = second.json("preview", number, "--pick", "/ou=divers/cn=Ansel Brandvold")
        assert second.json("restore", str(plan["plan"]))["outcome"] == "verified"
        from ldap import initialize

        initialize(slapd.address).simple_bind_s(dn("Ansel Brandvold"), "nitrox-at-dawn")
        assert second.json("compare", number)["tally"] == {}


def test_only_so_many_stay_and_nothing_of_others_goes(
    installations: Callable[[str], Command], slapd: Slapd, tmp_path: Path
) -> None:
    folder = tmp_path / "stick"
    folder.mkdir()
    (folder / "a-photo.zip").write_bytes(b"somebody else's")
    command = installations("one")
    command.add(slapd)
    place = command.json("copies", "add", "People", f"file://{folder}", "--keep", "2")["place"]
    for _ in range(3):
        command.json("backup", "People")
        command.json("copies", "now", "People")
    names = sorted(file.name for file in folder.iterdir())
    assert len(names) == 3
    assert "a-photo.zip" in names
    [told] = command.json("copies", "list")["places"]
    assert (told["copies"], told["failed"]) == (2, "")
    bad = command.json("copies", "take", f"file://{folder}", status=1)["taken"]
    assert [bool(row["failed"]) for row in bad] == [False, False, True]
    command.json("copies", "remove", str(place))
    assert len(list(folder.iterdir())) == 3


def test_a_place_that_is_away_is_told_and_tried_again(
    installations: Callable[[str], Command], slapd: Slapd, tmp_path: Path
) -> None:
    folder = tmp_path / "mount"
    command = installations("two")
    command.add(slapd)
    assert "There is no folder" in command.fails("copies", "add", "People", f"file://{folder}")
    folder.mkdir()
    command.json("copies", "add", "People", f"file://{folder}")
    folder.rmdir()
    command.json("backup", "People")
    told = command.json("copies", "now", status=1)
    assert "There is no folder" in told["failed"][0]["why"]
    folder.mkdir()
    assert command.json("copies", "now")["copies"] == 1
    for pattern in ("{system}.zip", "../{number}.zip", "{number}"):
        assert "no good names" in command.fails(
            "copies", "add", "People", f"file://{folder}", "--pattern", pattern
        )
