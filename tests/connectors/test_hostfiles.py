"""The config files connector: over a real OpenSSH server, and on this machine."""

import os
import socket
from collections.abc import Iterator
from pathlib import Path as FilePath

import pytest
from hypothesis import given
from hypothesis import strategies as st

from demo.servers.sshd import Sshd
from keepsort.connectors import errors
from keepsort.connectors.applying import read
from keepsort.connectors.base import Connector, Endpoint
from keepsort.connectors.hostfiles.composing import COMPOSER
from keepsort.connectors.hostfiles.connector import open_hostfiles
from keepsort.connectors.hostfiles.names import meant, written
from keepsort.core.compare import compare
from keepsort.core.model import Path
from keepsort.core.plan import AttributePick, Effect, LeftOut, Pick, Step, plan_restore
from tests.connectors.contract import Contract, Desk, Keeper, apply, content

CHRONY = """\
# time of the lagoon gateway
server ntp1.kelpmoor.example iburst
server ntp2.kelpmoor.example iburst
makestep 1.0 3
"""
PROXY = """\
# routes of the proxy
listen: 443  # tls
routes:
  - path: /tickets
    to: 192.0.2.4
limits:
  per_minute: 60
"""
POLL = "[poll]\nevery = 5   \nretries = 3\n\n[alerts]\nmail = keeper@kelpmoor.example\n"


def crlf(text: str) -> str:
    return text.replace("\n", "\r\n")


@pytest.fixture(scope="module")
def sshd(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Sshd]:
    server = Sshd(tmp_path_factory.mktemp("sshd"))
    yield server
    server.stop()


class FileSubject:
    """A gateway's folder of files."""

    composer = COMPOSER
    states = {"missing", "extra", "changed"}

    def __init__(self, folder: FilePath, sshd: Sshd | None) -> None:
        self.sshd = sshd
        self.etc = folder / "etc"
        (self.etc / "alerts").mkdir(parents=True)
        self.write("chrony.conf", CHRONY)
        self.write("proxy.yaml", PROXY)
        self.write("poll.ini", crlf(POLL))
        self.write("motd", "Gateway of the lagoon\nkeep out\n")
        self.write("alerts/ph.json", '{"above": 8.40, "quiet": false}\n')
        self.write("alerts/old.toml", "[a]\nb = 1\n")
        (self.etc / "logo.bin").write_bytes(b"\0\1\2")
        self.odd = FilePath(os.fsdecode(bytes(self.etc) + b"/K\xfchler 50%25\n"))
        self.odd.mkdir()
        (self.odd / "a%.conf").write_text("level = 4\n")
        (self.odd / "link").symlink_to(f"../{self.odd.name}/a%.conf")
        (self.etc / "current").symlink_to("motd")
        (self.etc / "poll.ini").chmod(0o600)

    def write(self, name: str, text: str) -> None:
        (self.etc / name).write_bytes(text.encode())

    def options(self, **more: str) -> dict[str, str]:
        options = {"folders": str(self.etc), "binaries": "contents"}
        if self.sshd is not None:
            options["key_file"] = str(self.sshd.user_key)
        return {**options, **more}

    def open(self, **more: str) -> Connector:
        address = self.sshd.address if self.sshd is not None else "file:///"
        return open_hostfiles(Endpoint(address=address, options=self.options(**more)), Keeper())

    def path(self, *names: str) -> Path:
        return (*self.etc.parts[1:], *names)

    def harm(self) -> None:
        self.write("chrony.conf", CHRONY.replace("server ntp1", "server wrong"))
        self.write(
            "proxy.yaml", PROXY.replace("443", "8443").replace("  per_minute: 60\n", "  x: 1\n")
        )
        self.write("poll.ini", crlf(POLL.replace("= 5", "= 60") + "sms = 1\n"))
        (self.etc / "alerts" / "ph.json").unlink()
        (self.etc / "alerts" / "old.toml").rename(self.etc / "alerts" / "older.toml")
        (self.etc / "logo.bin").write_bytes(b"\0\2")
        (self.etc / "current").unlink()
        (self.etc / "current").symlink_to("elsewhere")
        (self.etc / "motd").chmod(0o755)
        (self.odd / "a%.conf").write_text("level = 9\n")
        (self.odd / "link").unlink()
        (self.etc / "extra").mkdir()
        self.write("extra/new.conf", "a b\n")

    def meddle(self, path: Path) -> None:
        file = FilePath(os.fsdecode(meant("/" + "/".join(path))))
        if file.is_symlink():
            file.unlink()
            file.symlink_to("meddled")
        else:
            file.write_text("meddled with\n")

    def hide(self) -> tuple[Connector, Path] | None:
        if os.getuid() == 0:
            return None  # root may read everything
        (self.etc / "alerts").chmod(0)
        return self.open(), self.path("alerts")


@pytest.fixture(params=["sftp", "local"])
def subject(request: pytest.FixtureRequest, sshd: Sshd, tmp_path: FilePath) -> FileSubject:
    return FileSubject(tmp_path, sshd if request.param == "sftp" else None)


@given(st.binary(min_size=1, max_size=12))
def test_every_name_has_one_text_and_no_text_leads_out(raw: bytes) -> None:
    raw = raw.replace(b"/", b"").replace(b"\0", b"")
    text = written(raw)
    text.encode()
    assert meant(text) == raw
    assert not any(ord(letter) < 32 for letter in text)
    assert b"/" not in meant("%2F%2f%2E%2E%00" + text)
    assert b"\0" not in meant("%00" + text)


class TestHostFiles(Contract):
    """Over both ways."""


@pytest.fixture
def here(tmp_path: FilePath) -> FileSubject:
    return FileSubject(tmp_path, None)


def restored(subject: FileSubject, *picks: Pick, **options: str) -> None:
    desk = Desk(subject)
    desk.connector = subject.open(**options)
    backup = desk.look()
    subject.harm()
    desk.carry_out(desk.plan(compare(backup, desk.look()), picks).steps)


def test_one_key_goes_back_and_the_rest_of_the_file_stays(here: FileSubject) -> None:
    ini, yaml = here.path("poll.ini", "poll", "every"), here.path("proxy.yaml", "listen")
    restored(here, Pick(ini), Pick(yaml), Pick(here.path("proxy.yaml", "limits"), "branch"))
    assert (here.etc / "poll.ini").read_bytes() == (POLL + "sms = 1\n").replace(
        "\n", "\r\n"
    ).encode()
    assert (here.etc / "proxy.yaml").read_text() == PROXY + "  x: 1\n"
    assert (here.etc / "poll.ini").stat().st_mode & 0o777 == 0o600


def test_one_hunk_of_a_text_and_one_line_of_a_key(here: FileSubject) -> None:
    part = AttributePick("value", hunks=(1,))
    restored(here, Pick(here.path("chrony.conf", "server"), "attributes", (part,)))
    assert (here.etc / "chrony.conf").read_text() == CHRONY
    here.write("motd", "one\nGateway of the lagoon\nkeep out\ntwo\n")


def test_hunks_and_keys_of_one_file_together(here: FileSubject) -> None:
    desk = Desk(here)
    backup = desk.look()
    here.write("proxy.yaml", PROXY.replace("# routes of the proxy", "# mine").replace("443", "1"))
    found = compare(backup, desk.look())
    text = Pick(here.path("proxy.yaml"), "attributes", (AttributePick("text", hunks=(1,)),))
    plan = desk.plan(found, [text, Pick(here.path("proxy.yaml", "listen"))])
    assert len(plan.steps) == 1
    desk.carry_out(plan.steps)
    assert content(desk.look()) == content(backup)


def test_an_extra_key_is_taken_out_of_its_file(here: FileSubject) -> None:
    restored(here, Pick(here.path("poll.ini", "alerts", "sms"), "remove"))
    assert b"sms" not in (here.etc / "poll.ini").read_bytes()
    assert b"= 60" in (here.etc / "poll.ini").read_bytes()


def test_a_key_that_is_left_out_of_a_picked_folder_stays(here: FileSubject) -> None:
    desk = Desk(here)
    backup = desk.look()
    here.write("poll.ini", crlf(POLL.replace("5", "60").replace("3", "9") + "sms = 1\n"))
    (here.etc / "poll.ini").chmod(0o640)
    here.write("chrony.conf", CHRONY.replace("ntp1", "ntp9"))
    live = desk.look()
    every = here.path("poll.ini", "poll", "every")
    pick = Pick(here.path(), "branch", without=(LeftOut(every),))
    plan = desk.plan(compare(backup, live), [pick])
    desk.carry_out(plan.steps)
    assert (here.etc / "poll.ini").read_bytes() == crlf(
        POLL.replace("5", "60") + "sms = 1\n"
    ).encode()
    assert (here.etc / "poll.ini").stat().st_mode & 0o777 == 0o600
    assert (here.etc / "chrony.conf").read_text() == CHRONY
    left = compare(backup, desk.look())
    assert {d.path for d in left.differences if d.state == "changed"} == {
        here.path("poll.ini"), every,
    }  # fmt: skip
    (here.etc / "poll.ini").unlink()
    plan = desk.plan(compare(backup, desk.look()), [pick])
    assert [(f.level, f.code) for f in plan.findings] == [("confirm", "whole-object")]


def test_a_live_file_that_does_not_parse(here: FileSubject) -> None:
    desk = Desk(here)
    backup = desk.look()
    here.write("proxy.yaml", "routes: [\n")
    live = desk.look()
    plan = plan_restore(
        compare(backup, live), [Pick(here.path("proxy.yaml", "listen"))], composer=COMPOSER
    )
    assert [f.code for f in plan.findings if f.level == "stop"] == ["unfit"]
    assert [p.path[-1] for p in desk.connector.validate(live)] == ["proxy.yaml"]
    plan = desk.plan(compare(backup, live), [Pick(here.path("proxy.yaml"))])
    desk.carry_out(plan.steps)
    assert (here.etc / "proxy.yaml").read_text() == PROXY


def test_a_check_that_fails_leaves_the_old_file(subject: FileSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    live = desk.look()
    pick = Pick(subject.path("chrony.conf"))
    plan = desk.plan(compare(backup, live), [pick])
    log = subject.etc.parent / "reloads"
    reload = f"sh -c 'echo reloaded >> {log}'"
    for check, accepted in (("grep -q nobody {}", False), ("grep -c ntp1 {}", True)):
        desk.connector = subject.open(commands=f"*/chrony.conf | {check} | {reload}")
        found = {f.code: f for f in desk.connector.check(plan.steps, backup)}
        assert check in found["check-command"].text
        assert found["apply-command"].level == "confirm"
        assert found["apply-command"].effect == Effect("runs", reload, "after", (1,))
        before = (subject.etc / "chrony.conf").read_text()
        if accepted:
            report = apply(desk.connector, plan.steps[0]).report
            assert "exit code 0): 1" in report
            ending = desk.connector.finish(plan.steps)  # type: ignore[attr-defined]
            assert "exit code 0" in ending.report[0]
            assert log.read_text() == "reloaded\n"
            assert (subject.etc / "chrony.conf").read_text() == CHRONY
        else:
            with pytest.raises(errors.Refused, match="exit code 1"):
                apply(desk.connector, plan.steps[0])
            assert (subject.etc / "chrony.conf").read_text() == before
            assert not [f for f in os.listdir(subject.etc) if f.endswith(".new")]


def test_nothing_is_written_through_links_that_lead_out(subject: FileSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    outside = subject.etc.parent / "outside"
    outside.mkdir()
    for file in (subject.etc / "alerts").iterdir():
        file.unlink()
    (subject.etc / "alerts").rmdir()
    (subject.etc / "alerts").symlink_to(outside)
    plan = plan_restore(
        compare(backup, desk.look()), [Pick(subject.path("alerts", "ph.json"))], composer=COMPOSER
    )
    with pytest.raises((errors.Refused, errors.Conflict)):
        desk.carry_out(plan.steps)
    assert not list(outside.iterdir())


def test_what_is_chosen_and_what_is_left_out(here: FileSubject) -> None:
    with socket.socket(socket.AF_UNIX) as one:
        one.bind(str(here.etc / "s"))
        tree = Desk(here).look()
    folder = tree.object(tree.find(here.path()))  # type: ignore[arg-type]
    assert folder.facts["left out"] == ["s (socket)"]
    (here.etc / "big.conf").write_text("key value\n" * 30)
    connector = here.open(include="*.conf,*.ini", exclude="poll*", largest="100")
    found = dict(connector.observe())
    assert here.path("motd") not in found
    assert here.path("poll.ini") not in found
    assert found[here.path("big.conf")].kind == "binary"
    assert found[here.path("big.conf")].attributes["bytes"] == 300
    tuned = dict(here.open(formats="motd = ini\n*.conf = text").observe())
    assert tuned[here.path("chrony.conf")].kind == "text"
    assert "kept as plain text, because" in tuned[here.path("motd")].facts


def test_contents_that_were_not_kept_cannot_go_back(here: FileSubject) -> None:
    desk = Desk(here)
    desk.connector = here.open(binaries="digest")
    backup = desk.look()
    (here.etc / "logo.bin").write_bytes(b"\0\3")
    found = compare(backup, desk.look())
    plan = plan_restore(found, [Pick(here.path("logo.bin"))], composer=COMPOSER)
    stops = [f.code for f in desk.connector.check(plan.steps, backup) if f.level == "stop"]
    assert stops == ["contents-not-kept"]


def test_paths_are_named_from_the_base_of_the_address(here: FileSubject) -> None:
    address = f"file://{here.etc.parent}"
    options = {"folders": "/etc", "exclude": "/etc/alerts", "formats": "/etc/motd = conf"}
    connector = open_hostfiles(Endpoint(address=address, options=options), Keeper())
    found = dict(connector.observe())
    assert found[("etc", "motd")].kind == "conf"
    assert ("etc", "poll.ini", "poll", "every") in found
    assert ("etc", "alerts") not in found
    assert read(connector, [("etc", "motd")])[0] == found[("etc", "motd")]


def test_what_happens_at_the_very_last_moment(here: FileSubject) -> None:
    desk = Desk(here)
    backup = desk.look()
    here.write("motd", "mine\n")
    here.write("other", "not to be lost\n")
    comparison = compare(backup, desk.look())
    motd = here.path("motd")
    (step,) = desk.plan(comparison, [Pick(motd)]).steps
    access = desk.connector._access  # type: ignore[attr-defined]
    write_new = access.write_new

    def meddled(path: str, data: bytes) -> None:
        write_new(path, data)
        here.write("motd", "somebody else's\n")

    def crooked(path: str, data: bytes) -> None:
        write_new(path, data[:-1])

    access.write_new = meddled
    with pytest.raises(errors.Conflict):
        apply(desk.connector, step)
    assert (here.etc / "motd").read_text() == "somebody else's\n", "it was changed in between"
    here.write("motd", "mine\n")
    access.write_new = crooked
    with pytest.raises(errors.Refused, match="reads back differently"):
        apply(desk.connector, step)
    assert (here.etc / "motd").read_text() == "mine\n"
    access.write_new = write_new
    assert not [p.name for p in here.etc.iterdir() if p.name.endswith(".new")]
    found = read(desk.connector, [motd])[0]
    assert found is not None
    move = Step(
        number=1, action="move", path=motd, to=here.path("other"), kind=found.kind,
        before=found.attributes, after=found.attributes,
    )  # fmt: skip
    with pytest.raises(errors.Conflict, match="would be overwritten"):
        apply(desk.connector, move)
    assert (here.etc / "motd").read_text() == "mine\n"
    assert (here.etc / "other").read_text() == "not to be lost\n"


def test_contents_of_another_size_and_texts_that_became_binary(tmp_path: FilePath) -> None:
    here = FileSubject(tmp_path, None)
    desk = Desk(here)
    backup = desk.look()
    (here.etc / "logo.bin").write_bytes(b"\0longer than before")
    (here.etc / "motd").write_bytes(b"\0no text any more")
    live = desk.look()
    for name, part, wanted in (
        ("logo.bin", "content", b"\0\1\2"),
        ("motd", "text", b"Gateway of the lagoon\nkeep out\n"),
    ):
        pick = Pick(here.path(name), "attributes", (AttributePick(part),))
        desk.carry_out(desk.plan(compare(backup, live), [pick]).steps)
        assert (here.etc / name).read_bytes() == wanted
    size = Pick(here.path("logo.bin"), "attributes", (AttributePick("bytes"),))
    (here.etc / "logo.bin").write_bytes(b"\0longer than before")
    plan = plan_restore(compare(backup, desk.look()), [size], composer=COMPOSER)
    assert not plan.steps, "a size alone is nothing that could be written"
    assert [f.code for f in plan.findings] == ["nothing-to-do"]
