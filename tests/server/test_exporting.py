"""Exports: over the API and the command line, whole or not at all, and without what is secret."""

import csv
import io
import json
import subprocess
from pathlib import Path
from zipfile import ZipFile

import pytest
from django.test import Client

from keepsort.cli.writing import written_to
from keepsort.core.model import ConfigObject
from keepsort.core.model.masks import mark
from keepsort.files.archive import read
from keepsort.server.accounts.models import User
from keepsort.server.files.exporting import Wanted, export
from keepsort.server.problems import NotFound, Problem
from keepsort.server.snapshots.models import Record
from tests.core.trees import Tree
from tests.server.records import a_system, keep

HIDDEN = mark("0" * 32)


def a_tree() -> Tree:
    title = "=HYPERLINK(1)"
    imke = ConfigObject(
        name="imke", kind="keeper", identity="i", facts={"seen": "today"},
        attributes={"title": title, "badge": "digest-of-badge", "phone": ["+1 555 0142", "-2"],
                    "notes": f"pump = on\npassword = {HIDDEN}\n", "depth": 0, "photo": b"\0"},
    )  # fmt: skip
    divers = ConfigObject(name="divers", kind="group")
    return {(): ConfigObject(name="", kind="group"), ("divers",): divers, ("divers", "imke"): imke}


@pytest.fixture
def record(db: None) -> Record:
    return keep(a_system(), a_tree())


@pytest.fixture
def viewer(db: None) -> Client:
    client = Client()
    client.force_login(User.objects.create_user("gull", role="viewer"))
    return client


@pytest.mark.parametrize("form", ["archive", "json", "csv"])
def test_no_secret_goes_out_and_each_is_named(record: Record, form: str) -> None:
    out = io.BytesIO()
    found = export(record, Wanted(), form, out)
    raw = out.getvalue()
    if form == "archive":
        with ZipFile(out) as archive:
            raw = b"".join(archive.read(i) for i in archive.infolist())
    assert b"digest-of-badge" not in raw
    assert HIDDEN.encode() not in raw
    assert b"[secret left out]" in raw
    assert (found.objects, found.secrets) == (3, 2)
    for name in ("badge", "notes"):
        assert f"/divers/imke: {name}, a secret" in found.left_out


def test_json_is_one_document(record: Record) -> None:
    out = io.BytesIO()
    export(record, Wanted([("divers", "imke")]), "json", out)
    told = json.loads(out.getvalue())
    assert told["system"] == "Plant"
    (imke,) = told["objects"]
    assert imke["path"] == ["divers", "imke"]
    assert imke["attributes"]["photo"] == {"$base64": "AA=="}
    assert imke["facts"] == {"seen": "today"}


def test_a_table_has_no_formulas(record: Record) -> None:
    out = io.BytesIO()
    found = export(record, Wanted([("divers",)]), "csv", out)
    rows = list(csv.DictReader(io.StringIO(out.getvalue().decode())))
    assert {r["path"] for r in rows} == {"/divers", "/divers/imke"}
    values = [(r["attribute"], r["value"]) for r in rows if r["path"] == "/divers/imke"]
    assert ("title", "'=HYPERLINK(1)") in values
    assert [v for a, v in values if a == "phone"] == ["'+1 555 0142", "'-2"]
    assert ("depth", "0") in values
    assert not any(cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row.values())
    assert any("look like formulas" in one for one in found.left_out)


def test_over_the_api(record: Record, viewer: Client) -> None:
    address = f"/api/v1/records/{record.pk}/export"
    asked = {"form": "archive", "path": '["divers"]'}
    ahead = viewer.get(f"{address}/ahead", asked).json()
    response = viewer.get(address, asked)
    raw = b"".join(response.streaming_content)  # type: ignore[attr-defined]
    assert len(raw) == ahead["bytes"]
    assert ahead["name"] in response["Content-Disposition"]
    assert "no-store" in response["Cache-Control"]
    found = read(io.BytesIO(raw))
    assert [line.path for line in found.lines] == [("divers",), ("divers", "imke")]
    assert not found.manifest.whole
    assert viewer.get(address, {"form": "tape"}).status_code == 400
    assert viewer.get(address, {**asked, "path": '["nobody"]'}).status_code == 404
    assert viewer.get(address, {**asked, "path": '{"a'}).status_code == 400
    assert Client().get(address, asked).status_code == 403


def test_a_branch_that_is_not_there(record: Record) -> None:
    with pytest.raises(NotFound, match="does not hold /nobody"):
        export(record, Wanted([("nobody",)]), "archive", io.BytesIO())


def test_a_file_is_written_whole_or_not_at_all(tmp_path: Path) -> None:
    target = tmp_path / "people.zip"

    def fail() -> None:
        with written_to(str(target)) as out:
            out.write(b"half")
            raise RuntimeError

    with pytest.raises(RuntimeError):
        fail()
    assert not list(tmp_path.iterdir())
    with written_to(str(target)) as out:
        out.write(b"whole")
    assert target.read_bytes() == b"whole"
    with pytest.raises(Problem, match="stands there already"), written_to(str(target)) as out:
        out.write(b"another")
    assert target.read_bytes() == b"whole"
    assert [p.name for p in tmp_path.iterdir()] == ["people.zip"]


@pytest.mark.django_db(transaction=True)
def test_on_the_command_line(tmp_path: Path) -> None:
    from click.testing import CliRunner

    from keepsort.cli.main import app

    record = keep(a_system(), a_tree())
    file = tmp_path / "plant.zip"
    asked = ["export", str(record.pk), "/divers/**", "--output", str(file), "--json"]
    result = CliRunner().invoke(app, asked)
    assert result.exit_code == 0, result.output
    told = json.loads(result.output)
    assert told["bytes"] == file.stat().st_size
    assert told["objects"] == 2
    assert len(told["left_out"]) == 2
    subprocess.run(["python3", "-m", "zipfile", "-t", str(file)], check=True)
    assert CliRunner().invoke(app, asked).exit_code == 1, "it is not written over"
