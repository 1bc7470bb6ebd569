"""The command with the other connectors, each on its real server."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

import pytest

from demo import labels, lagoon_net, register
from demo.servers import cups, ovsdb
from demo.servers.cups import Cups
from demo.servers.etcd import Etcd
from demo.servers.exhibits import ExhibitController
from demo.servers.ovsdb import OvsdbServer
from tests.cli.test_cli import Command, command
from tests.connectors.test_exhibits import TOKEN, ExhibitSubject
from tests.connectors.test_hostfiles import CHRONY, POLL, FileSubject
from tests.connectors.test_tables import RegisterSubject, dump, subject, template
from tests.servers import postgres

__all__ = ["command", "subject", "template"]


def confirmed(plan: Any) -> list[str]:
    """The words that confirm all of a plan that is to be confirmed."""
    names = [f["finding"] for f in plan["findings"] if f["level"] == "confirm"]
    return [word for name in names for word in ("--confirm", name)]


def test_keys_from_a_backup_to_a_restore(command: Command, tmp_path: Path) -> None:
    server = Etcd(tmp_path / "etcd")
    try:
        server.put("/plant/chiller/limits", '{"high":18,"low":4.5}')
        server.put("/plant/chiller/interlock", "true")
        server.put("/plant/quiet", "1")
        command.json(
            "system", "add", "Plant", "--connector", "keystore", "--address", server.address,
            "--option", "prefix=/plant/",
        )  # fmt: skip
        number = str(command.json("backup", "Plant")["backup"])
        server.put("/plant/chiller/limits", '{"high":79,"low":40}')
        server.put("/plant/chiller/interlock", "false")
        compared = command.json("compare", number)
        assert compared["tally"] == {"changed": 2}
        again = command.json("backup", "Plant")
        assert again["objects"] == 5, "what changed is asked for by revision"
        limits = next(d for d in compared["differences"] if d["path"] == "/chiller/limits")
        values = {tuple(v["keys"]): v["part"] for v in limits["attributes"][0]["values"]}
        plan = command.json(
            "preview", number, "--pick", f"/chiller/limits#value@{values['high',]}",
            "--pick", "/chiller/interlock",
        )  # fmt: skip
        assert '"mod_revision"' in plan["steps"][0]["rendered"]
        assert command.json("restore", str(plan["plan"]))["outcome"] == "verified"
        now = server.ctl("get", "--print-value-only", "/plant/chiller/limits").strip()
        assert now == '{"high":18,"low":40}'
        undone = command.json("undo", str(command.json("runs")["runs"][0]["run"]))
        command.json("restore", str(undone["plan"]))
        assert "false" in server.ctl("get", "/plant/chiller/interlock")
    finally:
        server.stop()


def test_a_key_and_a_hunk_of_files_on_this_machine(command: Command, tmp_path: Path) -> None:
    files = FileSubject(tmp_path, None)
    reloads = tmp_path / "reloads"
    command.json(
        "system", "add", "Gateway", "--connector", "hostfiles",
        "--address", f"file://{tmp_path}", "--option", "folders=/etc",
        "--option", f"commands=/etc/*.conf | grep -c ntp1 {{}} | sh -c 'echo r >> {reloads}'",
    )  # fmt: skip
    number = str(command.json("backup", "Gateway")["backup"])
    files.harm()
    compared = command.json("compare", number, "--branch", "/etc/chrony.conf")
    texts = [d for d in compared["differences"] if d["path"] == "/etc/chrony.conf"]
    hunk = texts[0]["attributes"][0]["hunks"][0]
    assert (
        "has an attribute text@1"
        in command.json("preview", number, "--pick", "/etc/chrony.conf#text@1")["findings"][-1][
            "text"
        ]
    ), "numbers change from look to look; names do not"
    plan = command.json(
        "preview", number, "--pick", f"/etc/chrony.conf#text@{hunk['part']}",
        "--pick", "/etc/poll.ini/poll/every",
    )  # fmt: skip
    assert "posix-rename" in plan["steps"][0]["rendered"]
    assert "confirm" in command.fails("restore", str(plan["plan"])).lower()
    done = command.json("restore", str(plan["plan"]), *confirmed(plan))
    assert done["outcome"] == "verified"
    assert "exit code 0" in done["steps"][0]["report"]
    assert "exit code 0" in done["report"][0]
    assert reloads.read_text() == "r\n"
    assert (files.etc / "chrony.conf").read_text() == CHRONY
    assert (files.etc / "poll.ini").read_bytes() == (POLL + "sms = 1\n").replace(
        "\n", "\r\n"
    ).encode()
    bad = command.fails(
        "system", "add", "x", "--connector", "hostfiles", "--address", "file:///",
        "--option", "folders=etc",
    )  # fmt: skip
    assert "absolute" in bad


@pytest.fixture
def controllers(tmp_path: Path) -> Iterator[tuple[ExhibitSubject, ExhibitController]]:
    one = ExhibitController(tmp_path / "one", TOKEN, options=("--faults",))
    two = ExhibitController(tmp_path / "two", TOKEN, software="5.0", options=("--faults",))
    yield ExhibitSubject(one), two
    one.stop()
    two.stop()


def test_secrets_are_asked_for_and_things_go_elsewhere(
    command: Command, controllers: tuple[ExhibitSubject, ExhibitController]
) -> None:
    subject, other = controllers
    for name, one in (("Galleries", subject.controller), ("Annex", other)):
        command.json(
            "system", "add", name, "--connector", "exhibits", "--address", one.address,
            "--password-stdin", stdin=TOKEN + "\n",
        )  # fmt: skip
    number = str(command.json("backup", "Galleries")["backup"])
    moved = command.json("elsewhere", number, "/Winter show", "--to", "Annex")
    asked = [f["finding"] for f in moved["findings"] if f["level"] == "ask"]
    words = confirmed(moved)
    assert "given first" in command.fails("restore", str(moved["plan"]), *words)
    done = command.json(
        "restore", str(moved["plan"]), *words, "--answers-stdin", stdin=f"{asked[0]}=x\n"
    )
    assert done["outcome"] == "verified", done
    assert any("Automation" in text for text in done["report"])
    assert set(other.items()) >= {"Winter show", "Turtle feeding", "Evening", "Reef lamp"}
    undone = command.json("undo", str(done["run"]))
    assert command.json("restore", str(undone["plan"]))["outcome"] == "verified"
    assert not other.items()
    same = command.json("elsewhere", number, "/Lights/Evening", "--at", "/Winter show")
    assert [s["path"] for s in same["steps"]] == ["/Winter show/Evening"]
    assert "nothing at" in command.fails("elsewhere", number, "/Lights", "--at", "/Nowhere")


def test_records_that_moved_and_changed_go_back_in_one_transaction(
    command: Command, subject: RegisterSubject
) -> None:
    account = urlsplit(postgres.admin_url())
    command.json(
        "system", "add", "Register", "--connector", "tables",
        "--address", f"postgresql://127.0.0.1:{postgres.port}/{subject.database}",
        "--option", "leave=change_log,measurement", "--user", str(account.username),
        "--password-stdin", stdin=unquote(account.password or "") + "\n",
    )  # fmt: skip
    number = str(command.json("backup", "Register")["backup"])
    before = dump(subject)
    subject.harm()
    broken = dump(subject)
    compared = command.json("compare", number)
    [diets] = [one for one in compared["in_common"] if one["attribute"]["name"] == "diet_id"]
    assert len(diets["paths"]) == 40
    assert diets["attribute"]["live"] == "/diet/Capelin · 2"
    _, text, _ = command.run("compare", number)
    assert "the same change in 40 of animal: diet_id /diet/Herring · 1 → /diet/Capelin" in text
    plan = command.json("preview", number, "--pick", "/**", "--remove-extra", "/")
    assert {step["action"] for step in plan["steps"]} >= {"move", "update", "create", "delete"}
    done = command.json("restore", str(plan["plan"]), *confirmed(plan))
    assert done["outcome"] == "verified", done
    assert dump(subject) == before
    undo = command.json("undo", str(done["run"]))
    assert command.json("restore", str(undo["plan"]), *confirmed(undo))["outcome"] == "verified"
    assert dump(subject) == broken
    # whether triggers fire is chosen for one restore; the system stays as it is set up
    logged = "select count(*) from change_log"
    before_it = subject.sql(logged)
    silent = command.json(
        "preview", number, "--pick", f"{diets['paths'][0]}#diet_id", "--choose", "triggers=off"
    )
    done = command.json("restore", str(silent["plan"]), *confirmed(silent))
    assert done["outcome"] == "verified", done
    assert subject.sql(logged) == before_it
    wrong = command.fails("preview", number, "--pick", "/**", "--choose", "schemas=public")
    assert "cannot be chosen" in wrong
    # what is there stays where that is said of one pick, and a renamed column is the same column
    subject.sql("alter table animal rename species to kind; update animal set kind = 'x'")
    one, other = diets["paths"][:2]
    words = ("--called", "animal.kind=species")
    plan = command.json("preview", number, "--pick", one, "--pick-as", f"{other}=keep", *words)
    assert {step["path"] for step in plan["steps"]} == {one}
    assert "kind" in plan["steps"][0]["rendered"]
    assert "no former name" in command.fails("preview", number, "--pick", one, "--called", "x")
    assert "says no policy" in command.fails("preview", number, "--pick-as", f"{one}=guess")
    subject.sql("alter table animal rename kind to species")
    # somebody was quicker: nothing of it is written
    subject.sql(register.trouble())
    plan = command.json("preview", number, "--pick", "/**")
    subject.sql("update tank set litres = litres + 1 where name = 'Cold Shelf'")
    then = dump(subject)
    refused = command.json("restore", str(plan["plan"]), *confirmed(plan), status=1)
    assert refused["outcome"] == "failed"
    assert dump(subject) == then


@pytest.mark.skipif(not cups.is_installed(), reason="no cups here")
def test_a_queue_with_its_driver_goes_back(command: Command, tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    server = Cups(tmp_path / "cups")
    try:
        for tool, *words in labels.printers():
            server.tool(tool, *words)
        command.json(
            "system", "add", "Labels", "--connector", "printserver", "--address", server.address
        )
        number = str(command.json("backup", "Labels")["backup"])
        for tool, *words in labels.trouble():
            server.tool(tool, *words)
        assert command.json("compare", number)["tally"] == {"changed": 3, "missing": 1}
        plan = command.json("preview", number, "--pick", "/signs-hall", "--pick", "/tank-labels")
        assert "the driver follows" in plan["steps"][0]["rendered"]
        # this server refuses nothing by itself, and nobody says that it would
        assert any(f["finding"].startswith("check-then-write") for f in plan["findings"])
        done = command.json("restore", str(plan["plan"]), *confirmed(plan))
        assert done["outcome"] == "verified", done
        assert (
            "*DefaultPageSize: w101h252" in (server.folder / "root/ppd/tank-labels.ppd").read_text()
        )
        # nothing is printed that nobody asked for; what came of a page stands in the report
        queue = next(s["number"] for s in plan["steps"] if s["path"] == "/signs-hall")
        assert server.tool("lpstat", "-W", "all", "-o") == ""
        said = command.json("try", str(done["run"]), str(queue))["said"]
        assert said.startswith("signs-hall: Job 1, the test page, ")
        assert said.endswith("Asked for by The command line.")
        assert "nothing of that step" in command.fails("try", str(done["run"]), "99")
        undo = command.json("undo", str(done["run"]))
        assert command.json("restore", str(undo["plan"]), *confirmed(undo))["outcome"] == "verified"
        # a copy beside it is called as queues can be
        beside = command.json("elsewhere", number, "/tank-labels", "--to", "Labels")
        assert [step["path"] for step in beside["steps"]] == ["/tank-labels-2"]
        copied = command.json("restore", str(beside["plan"]), *confirmed(beside))
        assert copied["outcome"] == "verified", copied
        assert "tank-labels-2" in server.tool("lpstat", "-p")
        server.tool("lpadmin", "-x", "tank-labels-2")
        # sharing is chosen for one restore: whatever is put back is as chosen, and nothing else
        server.tool("lpadmin", "-p", "tank-labels", "-D", "somebody")
        private = command.json(
            "preview", number, "--pick", "/tank-labels", "--choose", "sharing=none"
        )
        assert any(f["finding"].startswith("sharing-chosen") for f in private["findings"])
        command.json("restore", str(private["plan"]), *confirmed(private))
        assert "printer-is-shared=false" in server.tool("lpoptions", "-p", "tank-labels")
        assert command.json("compare", number)["tally"] == {"changed": 3, "missing": 1}
    finally:
        server.stop()


@pytest.mark.skipif(not ovsdb.is_installed(), reason="no Open vSwitch here")
def test_a_bridge_moves_to_another_switch(command: Command, tmp_path: Path) -> None:
    one, two = OvsdbServer(tmp_path / "one"), OvsdbServer(tmp_path / "two")
    try:
        one.vsctl(*lagoon_net.switch())
        for name, server in (("Lagoon net", one), ("Spare", two)):
            command.json("system", "add", name, "--connector", "ovsdb", "--address", server.address)
        number = str(command.json("backup", "Lagoon net")["backup"])
        moved = command.json("elsewhere", number, "/br-lagoon", "--to", "Spare")
        # what holds the others comes first, and what they refer to is brought along
        paths = [step["path"] for step in moved["steps"] if step["action"] == "create"]
        assert paths.index("/br-lagoon") < paths.index("/br-lagoon/cam-kelp")
        done = command.json("restore", str(moved["plan"]), *confirmed(moved))
        assert done["outcome"] == "verified", done
        for told in ("list-ports", "get-controller", "get-fail-mode"):
            assert two.vsctl(told, "br-lagoon") == one.vsctl(told, "br-lagoon")
        ports = "--columns=name,tag,trunks,vlan_mode,lacp", "list", "Port"
        ours = {row.strip() for row in two.vsctl(*ports).split("\n\n")}
        assert ours <= {row.strip() for row in one.vsctl(*ports).split("\n\n")}
        mirror = "--bare", "--columns=name", "list", "Mirror"
        assert two.vsctl(*mirror) == one.vsctl(*mirror)
        assert two.vsctl("--bare", "--columns=type", "list", "QoS").strip() == "linux-htb"
        # a copy beside the first is called as devices can be, and so are its ports
        beside = command.json("elsewhere", number, "/br-lagoon", "--to", "Spare")
        copied = command.json("restore", str(beside["plan"]), *confirmed(beside))
        assert copied["outcome"] == "verified", copied
        assert two.vsctl("list-br").split() == ["br-lagoon", "br-lagoon-2"]
        ports = two.vsctl("list-ports", "br-lagoon-2").split()
        assert ports == [f"{name[:13]}-2" for name in two.vsctl("list-ports", "br-lagoon").split()]
        for run in (copied, done):
            undone = command.json("undo", str(run["run"]))
            taken = command.json("restore", str(undone["plan"]), *confirmed(undone))
            assert taken["outcome"] == "verified", taken
        assert two.vsctl("list-br") == ""
    finally:
        one.stop()
        two.stop()
