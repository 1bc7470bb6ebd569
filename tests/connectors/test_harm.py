"""Files that mean harm: what stands where a file stood, folders that are swapped, secrets."""

import os
import threading
import time
from pathlib import Path as FilePath

import pytest

from keepsort.connectors import errors
from keepsort.connectors.base import Endpoint
from keepsort.connectors.hostfiles.connector import HostFiles, open_hostfiles
from keepsort.core.compare import compare
from keepsort.core.model.masks import MARK, masked
from keepsort.core.plan import AttributePick, Pick, Step, plan_restore
from tests.connectors.contract import Desk, Keeper, apply
from tests.connectors.test_hostfiles import FileSubject, sshd

__all__ = ["sshd"]
WAYS = ["here", "sftp"]
REFUSED = "no regular file|Too many levels"


@pytest.fixture(params=WAYS)
def subject(request: pytest.FixtureRequest, tmp_path: FilePath) -> FileSubject:
    way = request.getfixturevalue("sshd") if request.param == "sftp" else None
    return FileSubject(tmp_path, way)


@pytest.fixture
def here(tmp_path: FilePath) -> FileSubject:
    return FileSubject(tmp_path, None)


def test_a_pipe_where_a_file_stood_holds_up_nobody(subject: FileSubject) -> None:
    host = subject.open()
    assert isinstance(host, HostFiles)
    motd = subject.etc / "motd"
    motd.unlink()
    os.mkfifo(motd)
    began = time.monotonic()
    with pytest.raises(OSError, match=REFUSED):
        host._access.contents(str(motd), 1000)
    with pytest.raises(OSError, match=REFUSED):
        host._access.digest(str(motd))
    look = dict(host.observe())
    assert subject.path("motd") not in look
    assert look[subject.path()].facts["left out"] == ["motd (pipe)"]
    assert subject.path("chrony.conf") in look
    assert time.monotonic() - began < 10


def test_a_device_is_no_file(here: FileSubject) -> None:
    host = here.open()
    assert isinstance(host, HostFiles)
    (here.etc / "zero").symlink_to("/dev/zero")
    with pytest.raises(OSError, match=REFUSED):
        host._access.contents(str(here.etc / "zero"), 1000)


def test_a_folder_that_is_swapped_leads_nowhere_else(here: FileSubject, tmp_path: FilePath) -> None:
    """Somebody swaps a folder for a link to another one, over and over, while files are written."""
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "ph.json").write_text("mine\n")
    folder, aside = here.etc / "alerts", here.etc / "alerts-aside"
    link = here.etc / "link-outside"
    link.symlink_to(outside)
    over = threading.Event()

    def swap() -> None:
        while not over.is_set():
            folder.rename(aside)
            link.rename(folder)
            time.sleep(0.0001)
            folder.rename(link)
            aside.rename(folder)
            time.sleep(0.001)

    swapping = threading.Thread(target=swap, daemon=True)
    swapping.start()
    host = here.open()
    assert isinstance(host, HostFiles)
    path = str(folder / "ph.json")
    written = read = tried = 0
    until = time.monotonic() + 3
    while time.monotonic() < until:
        tried += 1
        new = str(folder / f".ph.json.{tried}.new")
        try:
            read += (host._access.contents(path, 100) or b"") == b"mine\n"
            host._access.write_new(new, b"theirs\n")
            host._access.set_mode(new, 0o644)
            host._access.replace(new, path)
            written += 1
        except (OSError, errors.ConnectorError):
            continue
    over.set()
    swapping.join()
    assert 10 < written < tried, "some were written, and some met with the link"
    assert not read, "nothing was read that lies outside"
    assert os.listdir(outside) == ["ph.json"]
    assert (outside / "ph.json").read_text() == "mine\n"


def test_files_of_this_machine_are_a_choice_of_the_deployment(
    here: FileSubject, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("KEEPSORT_LOCAL_FILES")
    with pytest.raises(errors.Misconfigured, match="not kept here") as refused:
        here.open()
    assert "KEEPSORT_LOCAL_FILES=yes" in refused.value.way_out


def test_what_keep_sort_itself_keeps_is_closed(
    here: FileSubject, monkeypatch: pytest.MonkeyPatch
) -> None:
    state = here.etc / "state"
    state.mkdir()
    (state / "key").write_text("the key to everything\n")
    (here.etc / "way-in").symlink_to("state")
    monkeypatch.setenv("KEEPSORT_STATE", str(state))
    look = dict(here.open().observe())
    assert not [p for p in look if "key" in p]
    assert look[here.path("state")].unreadable
    for folder in (str(state), str(here.etc / "way-in")):
        endpoint = Endpoint(address="file:///", options={"folders": folder})
        host = open_hostfiles(endpoint, Keeper())
        assert not [o for o in dict(host.observe()).values() if "text" in o.attributes]
        step = Step(
            number=1, action="create", path=(*host._choice.path(folder), "new"),  # type: ignore[attr-defined]
            kind="text", after={"text": "x", "mode": "0644"},
        )  # fmt: skip
        with pytest.raises(errors.ConnectorError):
            apply(host, step)
    assert os.listdir(state) == ["key"]


def test_commands_have_a_bare_environment_and_bounded_output(
    here: FileSubject, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("KEEPSORT_KEY_OF_TEST", "the key to everything")
    host = here.open()
    assert isinstance(host, HostFiles)
    code, said = host._access.run(["env"])
    assert code == 0
    assert "KEEPSORT" not in said
    code, said = host._access.run(["sh", "-c", "yes harm | head -c 50000000"])
    assert code == 0
    assert len(said) <= 64 << 10
    began = time.monotonic()
    code, said = host._access.run(["sh", "-c", "sleep 100 & echo started"])
    assert (code, said) == (0, "started"), "what it leaves behind is not waited for"
    assert time.monotonic() - began < 10


def test_what_a_run_left_behind_is_taken_away_by_the_next(subject: FileSubject) -> None:
    left = subject.etc / ".chrony.conf.keepsort-0badcafe.new"
    left.write_text("half of it\n")
    own = subject.etc / ".chrony.conf.new"
    own.write_text("somebody else's\n")
    desk = Desk(subject)
    backup = desk.look()
    assert backup.find(subject.path(left.name)) is None, "it is no file of the host's own"
    subject.write("chrony.conf", "server other\n")
    plan = desk.plan(compare(backup, desk.look()), [Pick(subject.path("chrony.conf"))])
    host = subject.open()
    host.begin(host.standing(plan.steps))  # type: ignore[attr-defined]
    assert not left.exists()
    assert own.read_text() == "somebody else's\n"


SECRETS = {
    "app.ini": "[db]\nuser = reef\npassword = {}\nport = 5432\n",
    "app.conf": "user reef\npassword {}\n",
    "app.yaml": "db:\n  user: reef\n  password: '{}'  # of the reef\n  port: 5432\n",
    "app.toml": '[db]\nuser = "reef"\npassword = "{}"\nport = 5432\n',
    "app.json": '{{"db": {{"user": "reef", "password": "{}", "port": 5432}}}}\n',
    "app.xml": '<db user="reef">\n  <password>{}</password>\n  <port n="5432"/>\n</db>\n',
}


@pytest.fixture
def keys(subject: FileSubject) -> FileSubject:
    for name, text in SECRETS.items():
        subject.write(name, text.format("coral-1"))
    return subject


@pytest.mark.parametrize("name", SECRETS)
def test_secrets_in_files_are_masked_and_come_back(name: str, keys: FileSubject) -> None:
    desk = Desk(keys)
    backup = desk.look()
    for node in backup.walk():
        assert "coral-1" not in str(backup.object(node)), "it is nowhere in what is kept"
    text = backup.object(backup.find(keys.path(name))).attributes["text"]  # type: ignore[arg-type]
    assert len(MARK.findall(text)) == 1
    assert "••••••" in masked(text)
    then = SECRETS[name].format("coral-1").encode()
    keys.write(name, SECRETS[name].format("coral-2").replace("5432", "5433"))
    found = compare(backup, desk.look())
    assert found.differences[0].path == keys.path(name)
    plan = desk.plan(found, [Pick(keys.path(name))])
    told = "".join(keys.open().render(step) for step in plan.steps)
    assert "coral" not in told
    desk.carry_out(plan.steps)
    assert (keys.etc / name).read_bytes() == then
    # of one that is picked alone, nothing else comes back
    keys.write(name, SECRETS[name].format("coral-2").replace("5432", "5433"))
    found = compare(backup, desk.look())
    secret = next(d for d in found.differences if d.path[-1] == "password")
    desk.carry_out(desk.plan(found, [Pick(secret.path)]).steps)
    wanted = SECRETS[name].format("coral-1").replace("5432", "5433").encode()
    assert (keys.etc / name).read_bytes() == wanted


def test_a_secret_that_was_never_kept_is_not_made_up(keys: FileSubject) -> None:
    desk = Desk(keys)
    backup = desk.look()
    keys.write("app.ini", "[db]\n")
    live = desk.look()
    plan = plan_restore(compare(backup, live), [Pick(keys.path("app.ini"))], composer=keys.composer)
    host = keys.open()
    found = host.check(plan.steps, backup)
    assert [f.code for f in found if f.level == "stop"] == ["secret-unknown"]
    with pytest.raises(errors.Refused, match="never kept"):
        apply(host, plan.steps[0])
    assert (keys.etc / "app.ini").read_text() == "[db]\n"


def test_what_is_a_secret_can_be_said(subject: FileSubject) -> None:
    subject.write("a.ini", "[a]\ncoral = reef-1\npassword = nitrox\n")
    subject.write("sshd_config", "PasswordAuthentication no\nPort 22\n")
    plain = dict(subject.open().observe())
    assert "reef-1" in plain[subject.path("a.ini")].attributes["text"]
    assert "PasswordAuthentication no" in plain[subject.path("sshd_config")].attributes["text"]
    said = dict(subject.open(secrets="ini:coral").observe())
    assert "reef-1" not in said[subject.path("a.ini")].attributes["text"]
    assert "nitrox" in said[subject.path("a.ini")].attributes["text"]
    with pytest.raises(errors.Misconfigured, match="no format"):
        subject.open(secrets="inni:coral")


def test_lines_of_a_text_with_a_secret_can_be_picked(keys: FileSubject) -> None:
    desk = Desk(keys)
    backup = desk.look()
    keys.write("app.ini", "; new\n" + SECRETS["app.ini"].format("coral-2"))
    found = compare(backup, desk.look())
    hunk = AttributePick("text", hunks=(2,))
    pick = Pick(keys.path("app.ini"), "attributes", (hunk,))
    desk.carry_out(desk.plan(found, [pick]).steps)
    assert (keys.etc / "app.ini").read_text() == "; new\n" + SECRETS["app.ini"].format("coral-1")
