"""Files out and in, as a script has it done, against real directories."""

import csv
import io
import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import openpyxl
import psycopg
import pytest

from demo.servers.slapd import SUFFIX, Slapd
from tests.cli.test_cli import Command, command
from tests.conftest import dn

__all__ = ["command"]
ANSEL = "/ou=divers/cn=Ansel Brandvold"


@pytest.fixture
def kept(command: Command, slapd: Slapd) -> str:
    command.add(slapd)
    return str(command.json("backup", "People", "--note", "before")["backup"])


def exported(command: Command, backup: str, file: Path, *arguments: str, **options: str) -> Path:
    command.json("export", backup, *arguments, "--output", str(file), **options)  # type: ignore[arg-type]
    return file


FORMS = ["archive", "text", "ldif", "csv", "xlsx-objects"]


def test_every_format_beside_live_shows_no_difference_and_then_one(
    command: Command, slapd: Slapd, kept: str, tmp_path: Path
) -> None:
    """What goes out and is opened again differs from live in nothing, its secrets not known."""
    numbers = {}
    for form in FORMS:
        file = exported(command, kept, tmp_path / f"{form}.x", "--format", form)
        assert b"nitrox" not in file.read_bytes()
        opened = command.json("open", str(file))
        assert opened["format"] == form.partition("-")[0]
        assert opened["objects"] == 9
        numbers[form] = str(opened["backup"])
        compared = command.json("compare", numbers[form], "--with", "live:People")
        assert compared["tally"] == {}, form
    slapd.change(
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Visitor\n"
    )
    for form, number in numbers.items():
        compared = command.json("compare", number, "--with", "live:People")
        assert compared["tally"] == {"changed": 1}, form
        [difference] = compared["differences"]
        assert [a["name"] for a in difference["attributes"]] == ["title"], form
    number = numbers["csv"]
    plan = command.json(
        "preview", number, "--to", "People", "--pick", f"{dn('Ansel Brandvold')}#title"
    )
    assert [s["attributes"] for s in plan["steps"]] == [["title"]]
    assert command.json("restore", str(plan["plan"]))["outcome"] == "verified"
    assert command.json("compare", number, "--with", "live:People")["tally"] == {}
    listed = command.json("files")["files"]
    assert len(listed) == len(FORMS)
    for one in listed:
        command.json("files", "drop", str(one["backup"]))
    assert command.json("files")["files"] == []
    assert "no backup" in command.fails("show", number)


def test_one_line_edited_is_one_difference(
    command: Command, slapd: Slapd, kept: str, tmp_path: Path
) -> None:
    file = exported(command, kept, tmp_path / "divers.txt", "/ou=divers/**", "--format", "text")
    text = file.read_text()
    assert "- text Lead diver" in text
    file.write_text(text.replace("- text Lead diver", "- text Head of diving"))
    number = str(command.json("open", str(file))["backup"])
    compared = command.json("compare", number, "--with", "live:People")
    assert compared["tally"] == {"changed": 1}
    plan = command.json("preview", number, "--to", "People", "--pick", "/ou=divers/**")
    assert [s["attributes"] for s in plan["steps"]] == [["title"]]
    run = command.json("restore", str(plan["plan"]))
    assert run["outcome"] == "verified"
    assert "title: Head of diving" in slapd.search("title")
    undo = command.json("undo", str(run["run"]))
    assert command.json("restore", str(undo["plan"]))["outcome"] == "verified"
    assert "title: Lead diver" in slapd.search("title")
    # what is cut out of the middle still is a file
    start, stop = text.index("] /ou=divers/cn=Ansel"), text.index("left out, a secret")
    piece = tmp_path / "piece"
    piece.write_text(text[text.rindex("[", 0, start) : stop])
    assert command.json("open", str(piece))["format"] == "text"


def test_forty_cells_edited_are_forty_differences(
    command: Command, slapd: Slapd, kept: str, tmp_path: Path
) -> None:
    names = [f"Diver {number:02}" for number in range(40)]
    slapd.change("".join(
        f"dn: {dn(name)}\nchangetype: add\nobjectClass: inetOrgPerson\ncn: {name}\nsn: D\ntitle: diver\n"
        f"telephoneNumber: +1 555 0{number:03}\n\n"
        for number, name in enumerate(names)
    ))  # fmt: skip
    backup = str(command.json("backup", "People")["backup"])
    file = exported(
        command, backup, tmp_path / "divers.xlsx", "/ou=divers/**", "--format", "xlsx-objects"
    )
    book = openpyxl.load_workbook(file)
    sheet = book.worksheets[0]
    heads = {cell.value: cell.column for cell in sheet[1]}
    for row in sheet.iter_rows(min_row=2):
        if str(row[0].value).startswith("/ou=divers/cn=Diver"):
            sheet.cell(row[0].row, heads["title"], f"diver {row[0].row}")
    book.save(file)
    number = str(command.json("open", str(file))["backup"])
    compared = command.json("compare", number, "--with", "live:People")
    assert compared["tally"] == {"changed": 40}
    assert {a["name"] for d in compared["differences"] for a in d["attributes"]} == {"title"}
    leave = [argument for name in names[:2] for argument in ("--leave", dn(name))]
    plan = command.json("preview", number, "--to", "People", "--pick", "/ou=divers/**", *leave)
    assert len(plan["steps"]) == 38
    assert command.json("restore", str(plan["plan"]))["outcome"] == "verified"
    assert command.json("compare", number, "--with", "live:People")["tally"] == {"changed": 2}


def test_ldif_loads_into_an_empty_server_as_the_same_tree(
    command: Command, kept: str, start_slapd: Callable[..., Slapd], tmp_path: Path
) -> None:
    """The server's own ldapadd is the judge of what is written; of what it holds, our compare."""
    file = exported(command, kept, tmp_path / "people.ldif", "--format", "ldif")
    other = Slapd(tmp_path / "other", "pilot-whale")
    try:
        other.load(file.read_text())
        command.add(other, name="Other")
        compared = command.json(
            "compare", kept, "--with", str(command.json("backup", "Other")["backup"])
        )
        told = {
            (d["difference"], *(a["name"] for a in d.get("attributes", ())))
            for d in compared["differences"]
        }
        assert told <= {("changed", "userPassword"), ("recreated",), ("recreated", "userPassword")}
        # and what the server's own tool writes is opened here, a clear password in it kept unseen
        written = tmp_path / "own.ldif"
        written.write_text(other.search("*") + "\n")
        number = str(command.json("open", str(written))["backup"])
        assert command.json("compare", number, "--with", "live:Other")["tally"] == {}
    finally:
        other.stop()


def test_an_ldif_of_another_base_hangs_where_one_says(
    command: Command, slapd: Slapd, kept: str, tmp_path: Path
) -> None:
    file = tmp_path / "colleague"
    file.write_text(
        "version: 1\n\ndn: ou=night,dc=other,dc=site\nobjectClass: organizationalUnit\nou: night\n\n"
        "dn: cn=Maya,ou=night,dc=other,dc=site\nobjectClass: inetOrgPerson\ncn: Maya\nsn: M\n"
        "userPassword: in-the-clear\n\n"
        "dn: cn=watch,ou=night,dc=other,dc=site\nobjectClass: groupOfNames\ncn: watch\n"
        "member: cn=Maya,ou=night,dc=other,dc=site\n"
    )
    opened = command.json("open", str(file))
    assert (opened["format"], opened["objects"]) == ("ldif", 3)
    number = str(opened["backup"])
    assert "in-the-clear" not in json.dumps(command.json("show", number))
    nowhere = command.json("compare", number, "--with", "live:People")
    assert nowhere["tally"] == {}, "none of its places is one of this system"
    place = ["--at", f"ou=divers,{SUFFIX}"]
    compared = command.json("compare", number, "--with", "live:People", *place)
    assert compared["tally"] == {"missing": 3}
    assert {d["path"] for d in compared["differences"]} == {
        f"ou=night,ou=divers,{SUFFIX}", f"cn=Maya,ou=night,ou=divers,{SUFFIX}",
        f"cn=watch,ou=night,ou=divers,{SUFFIX}",
    }  # fmt: skip
    plan = command.json("preview", number, "--to", "People", *place, "--pick", "/ou=divers/**")
    assert "in-the-clear" not in json.dumps(plan)
    run = command.json("restore", str(plan["plan"]))
    assert run["outcome"] == "verified"
    assert f"member: cn=Maya,ou=night,ou=divers,{SUFFIX}" in slapd.search("member")
    from ldap import initialize

    there = initialize(slapd.address)
    there.simple_bind_s(f"cn=Maya,ou=night,ou=divers,{SUFFIX}", "in-the-clear")


def test_secrets_are_sealed_and_come_back(
    command: Command, slapd: Slapd, kept: str, tmp_path: Path
) -> None:
    sealed = ["--secrets", "sealed", "--passphrase-stdin"]
    for form in ("archive", "text", "yaml"):
        file = tmp_path / f"sealed.{form}"
        told = command.json(
            "export",
            kept,
            "--format",
            form,
            "--output",
            str(file),
            *sealed,
            stdin="sea-wolf-reef\n",
        )
        assert not any("secret" in one for one in told["left_out"])
        raw = file.read_bytes()
        if form == "archive":
            with zipfile.ZipFile(file) as archive:
                raw = b"".join(archive.read(name) for name in archive.namelist())
        assert b"nitrox" not in raw
        assert "does not open" in command.fails(
            "open", str(file), "--passphrase-stdin", stdin="another-one\n"
        )
        slapd.change(
            f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: userPassword\nuserPassword: {form}\n"
        )
        without = str(command.json("open", str(file))["backup"])
        assert command.json("compare", without, "--with", "live:People")["tally"] == {}
        number = str(
            command.json("open", str(file), "--passphrase-stdin", stdin="sea-wolf-reef\n")["backup"]
        )
        compared = command.json("compare", number, "--with", "live:People")
        assert [a["name"] for d in compared["differences"] for a in d["attributes"]] == [
            "userPassword"
        ]
        plan = command.json("preview", number, "--to", "People", "--pick", f"{ANSEL}#userPassword")
        assert command.json("restore", str(plan["plan"]))["outcome"] == "verified"
        assert "userPassword: nitrox-at-dawn" in slapd.search(
            "userPassword", "-o", "ldif-wrap=no"
        ) or ("bml0cm94LWF0LWRhd24=" in slapd.search("userPassword", "-o", "ldif-wrap=no"))
    assert "shorter" in command.fails(
        "export", kept, "--output", str(tmp_path / "x"), *sealed, stdin="short\n"
    )
    assert "cannot hold" in command.fails(
        "export",
        kept,
        "--format",
        "csv",
        "--output",
        str(tmp_path / "x"),
        *sealed,
        stdin="long enough\n",
    )
    assert not (tmp_path / "x").exists()


def test_an_archive_becomes_a_backup_of_another_installation(
    command: Command, slapd: Slapd, kept: str, tmp_path: Path
) -> None:
    file = exported(command, kept, tmp_path / "people.zip")
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    imported = command.json("import", str(file), "People", "--note", "from the stick")
    assert "imported from people.zip" in imported["note"]
    number = str(imported["backup"])
    assert command.json("compare", number)["tally"] == {"missing": 1}
    assert command.json("files")["files"] == []
    assert command.json("history", "People", "/ou=divers/cn=Imke Farrow")["versions"]
    text = exported(command, kept, tmp_path / "a.txt", "--format", "text")
    assert "it is no backup" in command.fails("import", str(text), "People")
    # an object whose secret nobody knows is asked for, and never written without
    slapd.change(f"dn: {dn('Ansel Brandvold')}\nchangetype: delete\n")
    plan = command.json("preview", number, "--pick", ANSEL)
    assert any("userPassword" in str(f) and f["level"] in ("ask", "stop") for f in plan["findings"])


def test_bad_files_are_refused_with_the_place(command: Command, kept: str, tmp_path: Path) -> None:
    good = exported(command, kept, tmp_path / "good.zip").read_bytes()
    bad = {
        "cut.zip": (good[: len(good) // 2], "no whole ZIP"),
        "utf16.csv": ("path,kind".encode("utf-16"), "UTF-16"),
        "empty": (b"", "It is empty"),
        "url.ldif": (b"dn: cn=a,dc=b\nphoto:< file:///etc/passwd\n", "line 2.*URL"),
        "picture": (b"\x89PNG\r\n\x1a\n\0\0\0", "no format that is known"),
        "twice.json": (b'{"format": "keepsort-objects", "version": 1, "version": 1, "objects": []}', "comes twice"),
        "alias.yaml": (b"format: keepsort-objects\na: &a [x]\nb: *a\n", "line 3: aliases"),
    }  # fmt: skip
    for name, (raw, place) in bad.items():
        (tmp_path / name).write_bytes(raw)
        error = command.fails("open", str(tmp_path / name))
        assert name in error
        assert re.search(place, error), error
    assert command.json("files")["files"] == []
    assert "cannot be read" in command.fails("open", str(tmp_path / "nothing"))


def test_a_single_object_goes_out_alone(command: Command, kept: str, tmp_path: Path) -> None:
    file = exported(command, kept, tmp_path / "one.csv", "/ou=divers", "--format", "csv")
    rows = list(csv.DictReader(io.StringIO(file.read_text())))
    assert {row["path"] for row in rows} == {"/ou=divers"}
    archive = exported(command, kept, tmp_path / "one.zip", "/ou=divers")
    opened = command.json("open", str(archive))
    assert (opened["objects"], opened["whole"]) == (1, False)


def test_what_is_kept_is_pinned_and_verified(command: Command, slapd: Slapd, kept: str) -> None:
    assert command.json("pin", kept)["pinned"]
    assert command.json("backups", "People")["backups"][0]["pinned"]
    assert not command.json("pin", kept, "--off")["pinned"]
    whole = command.json("verify", "--all")
    assert (whole["damaged"], whole["backups"]) == ([], 1)
    assert whole["checked"] >= 2
    assert "Name backups" in command.fails("verify", status=2)
    wants = command.json("attention", "People", status=1)["attention"]
    assert "never-looked-at" in [item["code"] for item in wants]
    with psycopg.connect(command.environment["KEEPSORT_DATABASE_URL"], autocommit=True) as database:
        database.execute("update store_chunk set data = set_byte(data, 9, 255 - get_byte(data, 9))")
    broken = command.json("verify", kept, status=1)
    assert broken["damaged"]
    assert {row["backup"] for row in broken["damaged"]} == {int(kept)}
