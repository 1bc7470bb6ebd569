"""The systems of the aquarium: each a real server with its data, its last weeks and its trouble."""

import os
import shutil
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple, Protocol

from demo import galleries, gateway, labels, lagoon_net, people, plant, register
from demo.servers import cups, etcd, ovsdb, slapd, sshd
from demo.servers.cups import Cups
from demo.servers.etcd import Etcd
from demo.servers.exhibits import ExhibitController
from demo.servers.ovsdb import OvsdbServer
from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from demo.servers.sshd import Sshd
from serving.postgres import Postgres

#: Of the water in the tanks; each is an object of the register. Tests make fewer.
MEASUREMENTS = int(os.environ.get("KEEPSORT_DEMO_MEASUREMENTS", "120000"))


class Moment(NamedTuple):
    """One backup of the last weeks: `change` is made before it."""

    days_ago: float
    note: str
    change: Callable[[], None]
    pinned: bool


def _moments(
    rows: Iterable[tuple[float, str, Any, bool]], change: Callable[[Any], None]
) -> list[Moment]:
    """Return backups of the last weeks; change: makes what a row says was changed."""
    return [Moment(days, note, partial(change, what), pinned) for days, note, what, pinned in rows]


class Way(NamedTuple):
    """How a system is added."""

    connector: str
    address: str
    options: dict[str, str]
    user: str = ""
    password: str = ""


class DemoSystem(Protocol):
    """One system of the demo; making it starts its server."""

    name: str

    def __init__(self, folder: Path, password: str) -> None: ...

    def load(self) -> None:
        """Load the data of five weeks ago."""

    def history(self) -> list[Moment]:
        """Return the backups of the last weeks."""

    def trouble(self) -> None:
        """Do what went wrong after the last backup."""

    def way(self) -> Way:
        """Return how it is added."""

    def stop(self) -> None:
        """Stop the server."""


class People:
    """The directory."""

    name = "People"

    def __init__(self, folder: Path, password: str) -> None:
        self._server = Slapd(folder, password)

    def load(self) -> None:
        self._server.load(people.directory())

    def history(self) -> list[Moment]:
        return _moments(people.history(), self._change)

    def _change(self, changes: str) -> None:
        if changes:
            self._server.change(changes)

    def trouble(self) -> None:
        self._server.change(people.trouble())

    def way(self) -> Way:
        options = {"base": SUFFIX}
        return Way("directory", self._server.address, options, ADMIN, self._server.password)

    def stop(self) -> None:
        self._server.stop()


class Plant:
    """The key store."""

    name = "Plant"

    def __init__(self, folder: Path, password: str) -> None:
        self._server = Etcd(folder, options=["--unsafe-no-fsync"])

    def load(self) -> None:
        self._change((plant.plant(), []))

    def history(self) -> list[Moment]:
        return _moments(plant.history(), self._change)

    def _change(self, changes: plant.Changes) -> None:
        puts, gone = changes
        self._server.put_all(puts)
        for key in gone:
            self._server.delete(key, "--prefix")

    def trouble(self) -> None:
        self._change(plant.trouble())

    def way(self) -> Way:
        return Way("keystore", self._server.address, {"prefix": plant.PREFIX})

    def stop(self) -> None:
        self._server.stop()


class Gateway:
    """The host with its config files."""

    name = "Gateway"

    def __init__(self, folder: Path, password: str) -> None:
        self._host = folder / "host"
        self._server = Sshd(folder)

    def load(self) -> None:
        shutil.rmtree(self._host, ignore_errors=True)
        self._write(gateway.gateway())

    def _write(self, files: gateway.Files) -> None:
        for name, text in files.items():
            file = self._host / name
            if text is None:
                file.unlink()
                continue
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(text)
            file.chmod(0o644)

    def history(self) -> list[Moment]:
        return _moments(gateway.history(), self._write)

    def trouble(self) -> None:
        self._write(gateway.trouble())

    def way(self) -> Way:
        options = {
            "folders": "/etc", "key_file": str(self._server.user_key),
            "commands": gateway.COMMANDS,
        }  # fmt: skip
        return Way("hostfiles", self._server.address + str(self._host), options)

    def stop(self) -> None:
        self._server.stop()


class Galleries:
    """The exhibit controller."""

    name = "Galleries"

    def __init__(self, folder: Path, password: str) -> None:
        self._server = ExhibitController(folder, password, options=("--budget", "3000"))

    def load(self) -> None:
        galleries.load(self._server)

    def history(self) -> list[Moment]:
        return _moments(galleries.history(), self._change)

    def _change(self, change: galleries.Change) -> None:
        change(self._server)

    def trouble(self) -> None:
        galleries.trouble(self._server)

    def way(self) -> Way:
        return Way("exhibits", self._server.address, {}, "", self._server.token)

    def stop(self) -> None:
        self._server.stop()


class LagoonNet:
    """The virtual switch."""

    name = "Lagoon net"

    def __init__(self, folder: Path, password: str) -> None:
        self._server = OvsdbServer(folder)

    def load(self) -> None:
        self._change(lagoon_net.switch())

    def history(self) -> list[Moment]:
        return _moments(lagoon_net.history(), self._change)

    def _change(self, words: lagoon_net.Commands) -> None:
        if words:
            self._server.vsctl(*words)

    def trouble(self) -> None:
        self._change(lagoon_net.trouble())

    def way(self) -> Way:
        return Way("ovsdb", self._server.address, {})

    def stop(self) -> None:
        self._server.stop()


class Labels:
    """The print server."""

    name = "Labels"

    def __init__(self, folder: Path, password: str) -> None:
        self._server = Cups(folder)

    def load(self) -> None:
        self._change(labels.printers())

    def history(self) -> list[Moment]:
        return _moments(labels.history(), self._change)

    def _change(self, calls: labels.Calls) -> None:
        for tool, *words in calls:
            self._server.tool(tool, *words)

    def trouble(self) -> None:
        self._change(labels.trouble())

    def way(self) -> Way:
        return Way("printserver", self._server.address, {})

    def stop(self) -> None:
        self._server.stop()


class Register:
    """The tables of animals, tanks, diets and treatments."""

    name = "Register"
    _ACCOUNT = "registrar"

    def __init__(self, folder: Path, password: str) -> None:
        self._server = Postgres(folder / "postgres")
        self._password = password

    def load(self) -> None:
        account = self._ACCOUNT
        self._server.run(f"create role {account} login password '{self._password}'")
        self._server.run_alone(f"create database register owner {account}")
        self._change(register.register(MEASUREMENTS))

    def history(self) -> list[Moment]:
        return _moments(register.history(), self._change)

    def _change(self, sql: str) -> None:
        self._server.run(f"set role {self._ACCOUNT}; {sql}", "register")

    def trouble(self) -> None:
        self._change(register.trouble())

    def way(self) -> Way:
        address = f"postgresql://127.0.0.1:{self._server.port}/register"
        options = {"leave": "change_log", "names": "treatment=given_on,measurement=taken_at"}
        return Way("tables", address, options, self._ACCOUNT, self._password)

    def stop(self) -> None:
        self._server.stop()


def _always() -> bool:
    return True


#: Each system, whether its server is installed, and what to install if not.
SYSTEMS: list[tuple[Any, Callable[[], bool], str]] = [
    (People, slapd.is_installed, "slapd and ldap-utils"),
    (Plant, etcd.is_installed, "etcd-server and etcd-client"),
    (Gateway, sshd.is_installed, "openssh-server and openssh-client"),
    (Galleries, _always, ""),
    (LagoonNet, ovsdb.is_installed, "openvswitch-switch and openvswitch-common"),
    (Labels, cups.is_installed, "cups, cups-client and cups-ipp-utils"),
    (Register, _always, ""),
]
