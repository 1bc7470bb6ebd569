"""A key store (etcd) on loopback, with its data in a folder."""

import os
import shutil
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path

from serving.processes import Server, answers, kept_port


def is_installed() -> bool:
    """Tell whether the server and its own tool are there."""
    return shutil.which("etcd") is not None and shutil.which("etcdctl") is not None


class Etcd:
    """A server of one member.

    tls: folder with ca.pem, server.pem and server.key; with it, clients must show a certificate
        signed by that CA.
    """

    def __init__(
        self, folder: Path, *, tls: Path | None = None, options: Sequence[str] = ()
    ) -> None:
        self.folder = folder
        self.port = kept_port(folder, "etcd")
        self._peer_port = kept_port(folder, "etcd-peer")
        self._tls = tls
        self._options = options
        self.user = ""
        self.server: Server | None = None
        self.start()

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"{'https' if self._tls else 'http'}://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start the server, or start it again."""
        peer = f"http://127.0.0.1:{self._peer_port}"
        command = [
            "etcd", "--name", "plant", "--data-dir", str(self.folder / "data"),
            "--listen-client-urls", self.address, "--advertise-client-urls", self.address,
            "--listen-peer-urls", peer, "--initial-advertise-peer-urls", peer,
            "--initial-cluster", f"plant={peer}", "--log-level", "error", *self._options,
        ]  # fmt: skip
        if self._tls is not None:
            command += [
                "--cert-file", f"{self._tls}/server.pem", "--key-file", f"{self._tls}/server.key",
                "--trusted-ca-file", f"{self._tls}/ca.pem", "--client-cert-auth",
            ]  # fmt: skip
        self.server = Server(command, self.folder / "etcd.log", {"ETCD_UNSUPPORTED_ARCH": "arm64"})
        self.server.wait_for(lambda: answers(self.port) and self._is_ready(), "etcd")

    def _is_ready(self) -> bool:
        done = subprocess.run(
            self._command("endpoint", "status"), env=self._environment, capture_output=True,
            check=False,
        )  # fmt: skip
        return done.returncode == 0

    def stop(self) -> None:
        """Stop the server."""
        if self.server is not None:
            self.server.stop()

    def _command(self, *arguments: str) -> list[str]:
        command = ["etcdctl", "--endpoints", self.address]
        if self.user:
            command += ["--user", self.user]
        if self._tls is not None:
            command += [
                "--cacert", f"{self._tls}/ca.pem", "--cert", f"{self._tls}/server.pem",
                "--key", f"{self._tls}/server.key",
            ]  # fmt: skip
        return [*command, *arguments]

    @property
    def _environment(self) -> dict[str, str]:
        return {**os.environ, "ETCDCTL_API": "3"}

    def ctl(self, *arguments: str, value: bytes | None = None) -> str:
        """Call the server's own tool; value: what it reads from its standard input."""
        done = subprocess.run(
            self._command(*arguments), input=value, env=self._environment, capture_output=True,
            check=False,
        )  # fmt: skip
        if done.returncode:
            raise RuntimeError(f"etcdctl {arguments[0]} failed: {done.stderr.decode().strip()}")
        return done.stdout.decode()

    def put(self, key: str, value: str | bytes, *options: str) -> None:
        """Set a key."""
        raw = value.encode() if isinstance(value, str) else value
        # the tool takes an empty input for none at all
        words = ["--", key] if raw else ["--", key, ""]
        self.ctl("put", *options, *words, value=raw)

    def delete(self, key: str, *options: str) -> None:
        """Take a key away."""
        self.ctl("del", *options, "--", key)

    def put_all(self, values: Mapping[str, str]) -> None:
        """Set many keys, a hundred in a transaction of the server's own tool."""
        pairs = list(values.items())
        for start in range(0, len(pairs), 100):
            lines = [f"put -- {_quoted(k)} {_quoted(v)}" for k, v in pairs[start : start + 100]]
            # comparisons, then what is done if they hold, then what is done if not
            self.ctl("txn", value=("\n" + "\n".join(lines) + "\n\n\n").encode())


def _quoted(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return f'"{escaped}"'
