"""Ways to a host: keys, passwords, pinned host keys, and what stands in the way."""

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path as FilePath
from time import monotonic

import pytest

from demo.servers.sshd import Sshd, program
from keepsort.connectors import errors
from keepsort.connectors.applying import read
from keepsort.connectors.base import Connector, Endpoint, Learning, Permitting
from keepsort.connectors.hostfiles.connector import open_hostfiles
from keepsort.core.compare import compare
from keepsort.core.plan import Pick
from tests.connectors.contract import Desk, Keeper
from tests.connectors.test_hostfiles import FileSubject, here, sshd

__all__ = ["here", "sshd"]


def test_the_host_key_is_pinned_at_the_first_contact(sshd: Sshd, tmp_path: FilePath) -> None:
    subject = FileSubject(tmp_path, sshd)
    first = subject.open()
    assert isinstance(first, Learning)
    pinned = first.learned["host_key"]
    assert pinned.startswith("ssh-ed25519 SHA256:")
    assert not subject.open(host_key=pinned).learned  # type: ignore[attr-defined]
    with pytest.raises(errors.NotTrusted, match="pinned at the first contact"):
        subject.open(host_key=pinned[:-4] + "abcd")


@pytest.fixture
def keeper_host(tmp_path: FilePath) -> Iterator[Sshd]:
    """A host with an account that signs in with a password, known to that server alone."""
    within = ["unshare", "--mount", "--propagation", "private", "sh", "-c"]
    try:
        subprocess.run([*within, "true"], check=True, capture_output=True)
    except (OSError, subprocess.CalledProcessError):
        pytest.skip("an account of its own for the server takes root")
    home = tmp_path / "home"
    home.mkdir()
    (home / "tide.conf").write_text("gate = open\n")
    (home / "keys.conf").write_text("key = 4711\n")
    (home / "keys.conf").chmod(0o600)
    (home / "roots").mkdir(mode=0o700)
    (home / "roots" / "inner.conf").write_text("a = b\n")
    os.chown(home, 7001, 7001)
    for folder in (tmp_path, *tmp_path.parents):
        if folder.stat().st_mode & 0o055 != 0o055:
            folder.chmod(0o755)
    hashed = subprocess.run(
        ["openssl", "passwd", "-6", "low tide: 4 am"], check=True, capture_output=True, text=True
    ).stdout.strip()
    lines = {
        "passwd": f"keeper:x:7001:7001::{home}:/bin/sh\n",
        "shadow": f"keeper:{hashed}:20000:0:99999:7:::\n",
    }
    mounts = []
    for name, line in lines.items():
        file = tmp_path / name
        file.write_text(FilePath("/etc", name).read_text() + line)
        mounts.append(f"mount --bind {file} /etc/{name}")
    start = " && ".join([*mounts, 'exec "$0" "$@"'])
    server = Sshd(tmp_path, ["PasswordAuthentication yes"], [*within, start])
    yield server
    server.stop()


def test_signing_in_with_a_password(keeper_host: Sshd, tmp_path: FilePath) -> None:
    address = keeper_host.address.replace("root@", "keeper@")
    home = str(tmp_path / "home")

    def opened(password: str) -> Connector:
        options = {"folders": home}
        return open_hostfiles(
            Endpoint(address=address, options=options, password=password), Keeper()
        )

    connector = opened("low tide: 4 am")
    found = {path[-1]: obj for path, obj in connector.observe() if path}
    assert {"tide.conf", "gate", "keys.conf", "roots"} <= set(found)
    assert {name for name, obj in found.items() if obj.unreadable} == {"keys.conf", "roots"}
    assert "inner.conf" not in found
    inner = read(connector, [(*FilePath(home).parts[1:], "roots", "inner.conf")])[0]
    assert inner is not None
    assert inner.unreadable, "what may not be looked at is not taken for gone"
    for wrong in ("high tide", ""):
        with pytest.raises(errors.SignInRefused, match="password"):
            list(opened(wrong).observe())


def test_what_stands_in_the_way(sshd: Sshd, tmp_path: FilePath) -> None:
    subject = FileSubject(tmp_path, sshd)
    other = tmp_path / "other-key"
    Sshd.make_key(other)
    with pytest.raises(errors.SignInRefused):
        subject.open(key_file=str(other))
    with pytest.raises(errors.Misconfigured):
        subject.open(key_file=str(tmp_path / "none"))
    for bad in (
        {"folders": ""},
        {"folders": "etc"},
        {"formats": "x"},
        {"commands": "x"},
        {"largest": "x"},
    ):
        with pytest.raises(errors.Misconfigured):
            subject.open(**bad)
    for address, expected in (
        ("sftp://127.0.0.1:1", errors.Unreachable),
        ("ftp://127.0.0.1", errors.Misconfigured),
    ):
        with pytest.raises(expected):
            open_hostfiles(Endpoint(address=address, options=subject.options()), Keeper())
    connector = subject.open()
    with pytest.raises(errors.NoSuchBranch):
        list(connector.observe(("usr",)))
    with pytest.raises(errors.NoSuchBranch):
        list(connector.observe(subject.path("poll.ini", "poll")))


SSHD = """\
# by the keepers
PermitRootLogin no
X11Forwarding yes
Match User diver
    # divers look only
    PermitRootLogin no
    X11Forwarding no
Match User vet
    X11Forwarding no
"""


def test_sshd_itself_reads_what_was_put_back(here: FileSubject) -> None:
    """Keys that repeat in blocks go back to their own, as `sshd -T` says of each user."""
    key = here.etc / "host_key"
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(key)], check=True)
    desk = Desk(here)
    here.write("sshd_config", SSHD)
    backup = desk.look()

    def told(user: str) -> list[str]:
        command = [program(), "-T", "-f", str(here.etc / "sshd_config"), "-h", str(key)]
        command += ["-C", f"user={user},host=reef,addr=192.0.2.9"]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
        return [line for line in done.stdout.splitlines() if "x11f" in line or "permitr" in line]

    wanted = {user: told(user) for user in ("diver", "vet", "root")}
    lines = SSHD.splitlines(keepends=True)
    place = here.path("sshd_config")
    picked = {
        1: (("permitrootlogin",),), 2: (("x11forwarding",),),
        5: (("Match User diver", "permitrootlogin"),),
        6: (("Match User diver", "x11forwarding"),),
        8: (("Match User vet", "x11forwarding"),),
    }  # fmt: skip
    for number, (path,) in picked.items():
        here.write("sshd_config", "".join(lines[:number] + lines[number + 1 :]))
        plan = desk.plan(compare(backup, desk.look()), [Pick((*place, *path))])
        desk.carry_out(plan.steps)
        assert (here.etc / "sshd_config").read_text() == SSHD
        assert {user: told(user) for user in wanted} == wanted


@pytest.mark.parametrize("rule", ["ForceCommand internal-sftp", "ForceCommand /bin/false", ""])
def test_nothing_is_said_of_rights_where_no_command_is_run(rule: str, tmp_path: FilePath) -> None:
    """Such a host lets files be written, and cannot be asked before."""
    server = Sshd(tmp_path, [rule] if rule else [])
    try:
        subject = FileSubject(tmp_path, server)
        if rule == "ForceCommand /bin/false":
            with pytest.raises(errors.ConnectorError):
                subject.open()
            return
        desk = Desk(subject)
        backup = desk.look()
        subject.harm()
        plan = desk.plan(compare(backup, desk.look()), [Pick(subject.path("chrony.conf"))])
        began = monotonic()
        assert isinstance(desk.connector, Permitting)
        rights = desk.connector.may_write(plan.steps)
        assert [right.may for right in rights] == ([] if rule else [True])
        told = " ".join(desk.connector.rights())  # type: ignore[attr-defined]
        assert ("write" in told) is not bool(rule)
        assert monotonic() - began < 10
        desk.carry_out(plan.steps)
        assert "ntp1" in (subject.etc / "chrony.conf").read_text()
    finally:
        server.stop()
