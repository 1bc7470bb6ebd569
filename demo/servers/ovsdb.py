"""The database server of a virtual switch (Open vSwitch) on loopback, without a switch."""

import os
import subprocess
from pathlib import Path

from serving.processes import Server, answers, kept_port, located

SCHEMA = Path("/usr/share/openvswitch/vswitch.ovsschema")


def is_installed() -> bool:
    """Tell whether the server, its tools and the schema are there."""
    tools = ("ovsdb-server", "ovsdb-tool", "ovsdb-client", "ovs-vsctl")
    return SCHEMA.exists() and all(located(name) for name in tools)


class OvsdbServer:
    """A server of one database.

    schema: the database's own. tls: folder with ca.pem, server.pem and server.key.
    """

    def __init__(self, folder: Path, schema: Path = SCHEMA, tls: Path | None = None) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.port = kept_port(folder, "ovsdb")
        self._file = folder / "conf.db"
        self._tls = tls
        if not self._file.exists():
            self._run("ovsdb-tool", "create", str(self._file), str(schema))
        self.server: Server | None = None
        self.start()
        if schema == SCHEMA and tls is None:  # the tool shows no certificate
            self.vsctl("--no-wait", "init")

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"{'ssl' if self._tls else 'tcp'}:127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start the server, or start it again."""
        way = "pssl" if self._tls else "ptcp"
        command = [
            str(located("ovsdb-server")), f"--remote={way}:{self.port}:127.0.0.1", "--no-chdir",
            f"--unixctl={self.folder / 'control'}", "--log-file=/dev/null",
        ]  # fmt: skip
        if self._tls is not None:
            command += [
                f"--private-key={self._tls}/server.key", f"--certificate={self._tls}/server.pem",
                f"--ca-cert={self._tls}/ca.pem",
            ]  # fmt: skip
        environment = {"OVS_RUNDIR": str(self.folder), "OVS_LOGDIR": str(self.folder)}
        self.server = Server([*command, str(self._file)], self.folder / "ovsdb.log", environment)
        self.server.wait_for(lambda: answers(self.port), "ovsdb-server")

    def stop(self) -> None:
        """Stop the server."""
        if self.server is not None:
            self.server.stop()

    def _run(self, name: str, *arguments: str) -> str:
        done = subprocess.run(
            [str(located(name)), *arguments], capture_output=True, check=False, text=True,
            env={**os.environ, "OVS_RUNDIR": str(self.folder)},
        )  # fmt: skip
        if done.returncode:
            raise RuntimeError(f"{name} failed: {done.stderr.strip()}")
        return done.stdout

    def vsctl(self, *arguments: str) -> str:
        """Call the switch's own tool, which is not waited for: there is no switch."""
        return self._run("ovs-vsctl", f"--db=tcp:127.0.0.1:{self.port}", "--no-wait", *arguments)

    def client(self, *arguments: str) -> str:
        """Call the server's own client."""
        command, *rest = arguments
        return self._run("ovsdb-client", command, f"tcp:127.0.0.1:{self.port}", *rest)
