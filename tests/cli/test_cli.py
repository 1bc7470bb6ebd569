"""The command, as a script calls it, in processes of its own against a real directory."""

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from tempfile import TemporaryFile
from typing import Any

import psycopg
import pytest

from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from tests.cli.forking import Commands
from tests.conftest import PASSWORD, READER, READER_LDIF, dn
from tests.servers import create_migrated, postgres

_commands = Commands()
ROOT = Path(__file__).parents[2]


class Command:
    """Runs the command against a database of its own."""

    def __init__(self, state: Path, database: str) -> None:
        self.environment = {
            **os.environ,
            "KEEPSORT_STATE": str(state),
            "KEEPSORT_DATABASE_URL": postgres.url(database),
            "PYTHONPATH": str(ROOT / "src"),
        }
        # the command has settings of its own, which those of the tests would hide
        self.environment.pop("DJANGO_SETTINGS_MODULE", None)

    def start(self, *arguments: str, **options: Any) -> subprocess.Popen[str]:
        return subprocess.Popen(
            [sys.executable, "-m", "keepsort.cli", *arguments],
            env=self.environment, text=True, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
            stdin=subprocess.PIPE, **options,
        )  # fmt: skip

    def run(self, *arguments: str, stdin: str = "") -> tuple[int, str, str]:
        with TemporaryFile() as given, TemporaryFile() as out, TemporaryFile() as err:
            given.write(stdin.encode())
            streams = [one.fileno() for one in (given, out, err)]
            for one in (given, out, err):
                one.seek(0)
            code = _commands.run(list(arguments), self.environment, tuple(streams))
            for one in (out, err):
                one.seek(0)
            return code, out.read().decode(), err.read().decode()

    def json(self, *arguments: str, status: int = 0, stdin: str = "") -> Any:
        code, out, err = self.run(*arguments, "--json", stdin=stdin)
        assert code == status, (out, err)
        return json.loads(out)

    def fails(self, *arguments: str, status: int = 1, stdin: str = "") -> str:
        code, _, err = self.run(*arguments, stdin=stdin)
        assert code == status, err
        assert "Traceback" not in err
        return err

    def add(self, server: Slapd, name: str = "People", user: str = ADMIN) -> None:
        self.json(
            "system", "add", name, "--connector", "directory", "--address", server.address,
            "--option", f"base={SUFFIX}", "--user", user, "--password-stdin", stdin=PASSWORD + "\n",
        )  # fmt: skip


@pytest.fixture
def command(tmp_path: Path) -> Iterator[Command]:
    name = f"cli_{tmp_path.name[-24:].lower()}".replace("-", "_")
    create_migrated(name)
    yield Command(tmp_path / "state", name)
    with psycopg.connect(postgres.admin_url(), autocommit=True) as admin:
        admin.execute(f'drop database "{name}" with (force)')


def test_the_whole_job(command: Command, slapd: Slapd) -> None:
    command.add(slapd)
    assert [s["system"] for s in command.json("system", "list")["systems"]] == ["People"]
    backup = command.json("backup", "People", "--note", "before")
    assert backup["objects"] == 9
    assert backup["stored_bytes"] > 0
    number = str(backup["backup"])
    shown = command.json("show", number, dn("Ansel Brandvold"))
    assert shown["attributes"]["title"] == ["Lead diver"]
    assert "nitrox" not in json.dumps(shown)
    assert command.json("show", number, "/ou=divers/cn=Imke Farrow")["path"] == dn("Imke Farrow")

    slapd.change(
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Visitor\n-\n"
        f"replace: telephoneNumber\ntelephoneNumber: 1\n\n"
        f"dn: {dn('Imke Farrow')}\nchangetype: delete\n\n"
        f"dn: {dn('Stranger', 'visitors')}\nchangetype: add\nobjectClass: person\ncn: Stranger\nsn: S\n"
    )
    compared = command.json("compare", number)
    assert compared["tally"] == {"changed": 1, "missing": 1, "extra": 1}
    changed = next(d for d in compared["differences"] if d["difference"] == "changed")
    assert {a["name"] for a in changed["attributes"]} == {"title", "telephoneNumber"}
    assert command.json("compare", number, "--branch", "/ou=visitors")["tally"] == {"extra": 1}

    plan = command.json(
        "preview", number, "--pick", f"{dn('Ansel Brandvold')}#title",
        "--pick", "/ou=divers/cn=Imke Farrow", "--remove-extra", f"ou=visitors,{SUFFIX}",
    )  # fmt: skip
    assert [s["action"] for s in plan["steps"]] == ["create", "update", "delete"]
    assert plan["steps"][1]["attributes"] == ["title"]
    assert "replace" not in plan["steps"][1]["rendered"]
    assert "••••••" not in plan["steps"][1]["rendered"]
    done = command.json("restore", str(plan["plan"]))
    assert done["outcome"] == "verified"
    assert {s["state"] for s in done["steps"]} == {"done"}
    left = command.json("compare", number)
    assert left["tally"] == {"changed": 1}, "what was restored counts as the same object again"
    assert [a["name"] for a in left["differences"][0]["attributes"]] == ["telephoneNumber"]
    assert "already" in command.fails("restore", str(plan["plan"]))

    undo = command.json("undo", str(done["run"]))
    assert [s["action"] for s in undo["steps"]] == ["create", "update", "delete"]
    assert command.json("restore", str(undo["plan"]))["outcome"] == "verified"
    assert command.json("compare", number)["tally"] == {"changed": 1, "missing": 1, "extra": 1}
    runs = command.json("runs", "People")["runs"]
    assert [r["undoes"] for r in runs] == [done["run"], None]
    assert command.json("system", "remove", "people")["backups"] == 1


def test_policies_and_branches(command: Command, slapd: Slapd) -> None:
    command.add(slapd)
    number = str(command.json("backup", "People", "--branch", f"ou=divers,{SUFFIX}")["backup"])
    slapd.change(
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Visitor\n-\n"
        f"delete: telephoneNumber\n\ndn: {dn('Imke Farrow')}\nchangetype: delete\n"
    )
    everything = ["--pick", "/**"]
    kept = command.json("preview", number, *everything, "--policy", "keep")
    assert [s["path"] for s in kept["steps"]] == [dn("Imke Farrow")]
    filled = command.json("preview", number, *everything, "--policy", "fill")
    assert [s["attributes"] for s in filled["steps"] if s["action"] == "update"] == [
        ["telephoneNumber"]
    ]
    some = command.json("preview", number, *everything, "--leave", dn("Ansel Brandvold"))
    assert [s["path"] for s in some["steps"]] == [dn("Imke Farrow")]
    single = ["--pick", dn("Imke Farrow"), "--leave", dn("Ansel Brandvold")]
    assert "no branch that is picked" in command.fails("preview", number, *single)
    moved = f"dn: {dn('Ansel Brandvold')}\nchangetype: modrdn\nnewrdn: cn=A\ndeleteoldrdn: 1\n"
    slapd.change(f"{moved}newsuperior: ou=visitors,{SUFFIX}\n")
    compared = command.json("compare", number)
    assert compared["tally"] == {"moved": 1, "missing": 1}, "out of the branch, and found there"
    plan = command.json("preview", number, "--pick", "/ou=divers/**")
    assert command.json("restore", str(plan["plan"]))["outcome"] == "verified"
    assert command.json("compare", number)["tally"] == {}


def test_a_second_backup_stores_what_is_new(
    command: Command, start_slapd: Callable[..., Slapd]
) -> None:
    server = start_slapd()
    server.load("\n".join(
        f"dn: {dn(f'Keeper {n:04}')}\nobjectClass: person\ncn: Keeper {n:04}\nsn: K{n}\n"
        f"description: Feeds tank {n * 7 % 400}\n"
        for n in range(4000)
    ))  # fmt: skip
    command.add(server)
    first = command.json("backup", "People")
    assert command.json("backup", "People")["stored_bytes"] == 0
    server.change("\n".join(
        f"dn: {dn(f'Keeper {n:04}')}\nchangetype: modify\nreplace: description\ndescription: new {n}\n"
        for n in (5, 1000, 2000, 3000, 3999)
    ))  # fmt: skip
    assert command.json("backup", "People")["stored_bytes"] < first["stored_bytes"] / 50


def test_a_branch_that_is_hidden_is_not_told_as_deleted(
    command: Command, start_slapd: Callable[..., Slapd]
) -> None:
    server = start_slapd()
    server.load(READER_LDIF)
    command.add(server, user=READER)
    number = str(command.json("backup", "People")["backup"])
    server.stop()
    config = server.folder / "slapd.conf"
    hidden = f'access to dn.subtree="ou=divers,{SUFFIX}" by dn.exact="{READER}" none by * read\n'
    config.write_text(config.read_text().replace("access to *", hidden + "access to *"))
    server.start()
    compared = command.json("compare", number)
    assert compared["tally"] == {"unreadable": 1}
    assert compared["differences"][0]["path"] == f"ou=divers,{SUFFIX}"
    plan = command.json("preview", number, "--pick", "/ou=divers/**")
    assert [f["level"] for f in plan["findings"]] == ["stop"]
    assert "could not be read" in command.fails("restore", str(plan["plan"]))


def test_changed_between_preview_and_run(command: Command, slapd: Slapd) -> None:
    command.add(slapd)
    number = str(command.json("backup", "People")["backup"])
    spoil = "changetype: modify\nreplace: description\ndescription: "
    for name in ("Ansel Brandvold", "Imke Farrow"):
        slapd.change(f"dn: {dn(name)}\n{spoil}spoilt\n")
    plan = str(command.json("preview", number, "--pick", "/**")["plan"])
    slapd.change(f"dn: {dn('Ansel Brandvold')}\n{spoil}by somebody else\n")
    code, out, err = command.run("restore", plan, "--go-on", "--json")
    assert code == 1
    assert "Preview again" in err
    states = {s["path"]: s["state"] for s in json.loads(out)["steps"]}
    assert states == {dn("Ansel Brandvold"): "conflict", dn("Imke Farrow"): "done"}
    assert "by somebody else" in slapd.search("(cn=Ansel Brandvold)", "description")


def test_killed_in_the_middle_and_resumed(command: Command, slapd: Slapd) -> None:
    command.add(slapd)
    slapd.load("\n".join(
        f"dn: {dn(f'Keeper {n:03}')}\nobjectClass: person\ncn: Keeper {n:03}\nsn: K\n" for n in range(300)
    ))  # fmt: skip
    number = str(command.json("backup", "People")["backup"])
    slapd.change("\n".join(f"dn: {dn(f'Keeper {n:03}')}\nchangetype: delete\n" for n in range(300)))
    plan = command.json("preview", number, "--pick", "/**")
    assert len(plan["steps"]) == 300
    running = command.start("restore", str(plan["plan"]), start_new_session=True)
    while slapd.search("(cn=Keeper 0*)", "1.1").count("dn:") < 20:
        assert running.poll() is None
        time.sleep(0.02)
    os.killpg(running.pid, signal.SIGKILL)
    running.wait()
    run = command.json("runs")["runs"][0]
    assert run["state"] == "interrupted"
    other = str(command.json("preview", number, "--pick", "/**")["plan"])
    assert "resume" in command.fails("restore", other), "one run a system at a time"
    done = command.json("restore", str(plan["plan"]))
    assert done["run"] == run["run"], "asked again, it goes on"
    assert done["outcome"] == "verified"
    assert {s["state"] for s in done["steps"]} == {"done"}
    assert command.json("compare", number)["tally"] == {}


def test_two_runs_at_once(command: Command, slapd: Slapd) -> None:
    command.add(slapd)
    number = str(command.json("backup", "People")["backup"])
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    plans = [str(command.json("preview", number, "--pick", "/**")["plan"]) for _ in range(2)]
    with psycopg.connect(command.environment["KEEPSORT_DATABASE_URL"]) as other:
        other.execute("select pg_advisory_lock(%s, id::int) from systems_system", [0x4B53])
        assert "right now" in command.fails("restore", plans[0])
    run = command.json("runs")["runs"][0]
    assert run["state"] == "waiting"
    assert "has not finished" in command.fails("restore", plans[1])
    assert command.json("resume", str(run["run"]))["outcome"] == "verified"


def test_the_directory_goes_away_half_way(command: Command, slapd: Slapd) -> None:
    command.add(slapd)
    slapd.load("\n".join(
        f"dn: {dn(f'Keeper {n:03}')}\nobjectClass: person\ncn: Keeper {n:03}\nsn: K\n" for n in range(300)
    ))  # fmt: skip
    number = str(command.json("backup", "People")["backup"])
    slapd.change("\n".join(f"dn: {dn(f'Keeper {n:03}')}\nchangetype: delete\n" for n in range(300)))
    plan = str(command.json("preview", number, "--pick", "/**")["plan"])
    running = command.start("restore", plan, "--wait", "0", "--json")
    while slapd.search("(cn=Keeper 0*)", "1.1").count("dn:") < 20:
        time.sleep(0.02)
    assert slapd.server is not None
    slapd.server.kill()
    out, err = running.communicate(timeout=120)
    assert running.returncode == 1
    assert "does not answer" in err
    told = json.loads(out)
    doubtful = [step for step in told["steps"] if step["state"] == "in doubt"]
    assert told["outcome"] == ("unknown" if doubtful else "partial")
    slapd.start()
    settled = command.json("resume", str(told["run"]), status=1)
    assert settled["outcome"] == "partial", "what was in doubt is looked at, nothing is begun"
    assert {step["state"] for step in settled["steps"]} <= {"done", "failed", "skipped"}
    rest = command.json("preview", number, "--pick", "/**")
    assert 0 < len(rest["steps"]) < 300
    assert command.json("restore", str(rest["plan"]))["outcome"] == "verified"


def test_what_is_said_when_it_cannot_be(command: Command, slapd: Slapd) -> None:
    assert "Systems: none yet" in command.fails("backup", "People")
    add = ["system", "add", "People", "--connector"]
    at = ["--address", slapd.address]
    assert "Choose one of: directory" in command.fails(*add, "register", *at)
    assert "base" in command.fails(*add, "directory", *at)
    assert "no option colour" in command.fails(*add, "directory", *at, "--option", "colour=red")
    base = ["--option", f"base={SUFFIX}"]
    wrong = command.fails(
        *add, "directory", *at, *base, "--user", ADMIN, "--password-stdin", stdin="no\n"
    )
    assert "give its password again" in wrong
    assert command.json("system", "list") == {"systems": []}, "nothing half-added"
    command.fails(*add, "directory", *at, "--option", "base", status=2)
    command.fails("backups", status=2)
    command.fails("no-such-command", status=2)
    command.add(slapd)
    assert "already" in command.fails(*add, "directory", *at, *base, "--user", ADMIN)
    assert "no backup 99" in command.fails("show", "99")
    number = str(command.json("backup", "People")["backup"])
    assert "no object" in command.fails("show", number, "/ou=divers/cn=Nobody")
    assert "is no path" in command.fails("preview", number, "--pick", "divers")
    assert "Nothing is picked" in command.fails("preview", number)
    command.fails("preview", number, "--pick", "/**", "--policy", "mix", status=2)
    plan = command.json("preview", number, "--pick", "/ou=divers#title")
    assert plan["findings"][0]["code"] == "same"
    assert "no steps" in command.fails("restore", str(plan["plan"]))
    slapd.stop()
    assert "does not answer" in command.fails("backup", "People")
    assert len(command.json("backups", "People")["backups"]) == 1
    command.environment["KEEPSORT_DATABASE_URL"] = "postgresql://x:x@127.0.0.1:9/x"
    assert "database does not answer" in command.fails("backups", "People")


def test_history_and_search(command: Command, slapd: Slapd) -> None:
    command.add(slapd)
    first = command.json("backup", "People")["backup"]
    slapd.change(
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Visitor\n\n"
        f"dn: {dn('Imke Farrow')}\nchangetype: delete\n"
    )
    second = command.json("backup", "People")["backup"]
    hits = command.json("search", "farrow", "--gone")["hits"]
    assert [(h["path"], h["backup"], h["present"]) for h in hits] == [
        (dn("Imke Farrow"), first, False)
    ]
    versions = command.json("history", "People", dn("Ansel Brandvold"))["versions"]
    assert [(v["backup"], v["state"], v["attributes"]) for v in versions] == [
        (first, "new", []), (second, "changed", ["title"]),
    ]  # fmt: skip
    gone = command.json("history", "People", "/ou=divers/cn=Imke Farrow")["versions"]
    assert [v["state"] for v in gone] == ["new", "gone"]
    plan = command.json(
        "preview", str(second), "--pick", f"{dn('Ansel Brandvold')}#title",
        "--pick-from", str(first), "/ou=divers/cn=Imke Farrow",
    )  # fmt: skip
    assert [s["action"] for s in plan["steps"]] == ["create"], "Ansel is as the second has it"
    assert "too short" in command.fails("search", "x")
    assert "No backup has" in command.fails("history", "People", dn("Nobody"))
    assert "no system 'Plant'" in command.fails("search", "farrow", "--system", "Plant")
