"""Backing up a virtual switch of 20,000 ports, and putting 1,000 of them back.

The time that the switch's own tool takes grows with the square of the changes it is given: 2,000 take
it longer than six minutes.
"""

import json
import subprocess
from collections.abc import Iterator
from pathlib import Path

from benchmarks.application import Application
from benchmarks.measuring import Figure, median
from demo.servers.ovsdb import OvsdbServer
from keepsort.connectors.base import Endpoint
from keepsort.connectors.ovsdb.wire import Client
from serving.postgres import Postgres
from serving.processes import located

_PORTS = 20_000
_CHANGED = 1_000
_ROUNDS = 3


def fill(server: OvsdbServer, count: int = _PORTS) -> None:
    """Put so many ports on one bridge, in one transaction."""
    operations: list[dict[str, object]] = []
    for n in range(count):
        interface, port = {"name": f"p{n}"}, {"name": f"p{n}", "tag": n % 4000}
        row = {**port, "interfaces": ["named-uuid", f"i{n}"]}
        operations += [
            {"op": "insert", "table": "Interface", "row": interface, "uuid-name": f"i{n}"},
            {"op": "insert", "table": "Port", "row": row, "uuid-name": f"p{n}"},
        ]
    ports = ["set", [["named-uuid", f"p{n}"] for n in range(count)]]
    bridge = {"name": "br0", "ports": ports}
    switch = {"op": "mutate", "table": "Open_vSwitch", "where": []}
    operations += [
        {"op": "insert", "table": "Bridge", "row": bridge, "uuid-name": "b"},
        {**switch, "mutations": [["bridges", "insert", ["set", [["named-uuid", "b"]]]]]},
    ]
    client = Client(Endpoint(address=server.address))
    answers = client.transact("Open_vSwitch", operations)
    client.close()
    assert not [a for a in answers if a and a.get("error")]


def retag(server: OvsdbServer, tag: int | None) -> None:
    """Give the first ports another VLAN, or their own again, in one call of the switch's tool."""
    words: list[str] = []
    for n in range(_CHANGED):
        words += ["--", "set", "Port", f"p{n}", f"tag={n % 4000 if tag is None else tag}"]
    server.vsctl(*words[1:])


def figures(folder: Path) -> Iterator[Figure]:
    """Measure whole processes against the server's own tools."""
    postgres = Postgres(folder / "switch-postgres")
    server = OvsdbServer(folder / "switch")
    try:
        fill(server)
        command = Application(folder, "switch", postgres).command
        out = folder / "switch.json"

        def dump() -> None:
            tool = [str(located("ovsdb-client")), "-f", "json", "dump"]
            with out.open("wb") as file:
                subprocess.run([*tool, f"tcp:127.0.0.1:{server.port}"], stdout=file, check=True)

        address = server.address
        command("system", "add", "Switch", "--connector", "ovsdb", "--address", address)
        theirs = median(dump, _ROUNDS)
        ours = median(lambda: command("backup", "Switch"), 1)
        yield Figure(
            "backup of 20,000 ports, whole process, against ovsdb-client dump into a file",
            ours, theirs, 5,
        )  # fmt: skip
        retag(server, 7)
        words = [w for n in range(_CHANGED) for w in ("--pick", f"/br0/p{n}#tag")]
        again = median(lambda: retag(server, 7), 1)
        plan = json.loads(command("preview", "1", *words))
        confirm = []
        for one in plan["findings"]:
            if one["level"] == "confirm":
                confirm += ["--confirm", f"{one['code']}:{one['path'].removeprefix('/')}"]
        ran = median(lambda: command("restore", str(plan["plan"]), *confirm), 1)
        yield Figure(
            "restoring 1,000 changed ports of 20,000, whole process with the looks, against one "
            "ovs-vsctl with the same changes", ran, again, 2,
        )  # fmt: skip
    finally:
        server.stop()
        postgres.stop()
