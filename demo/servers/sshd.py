"""OpenSSH's server on loopback, for the account that starts it."""

import getpass
import os
import shutil
import subprocess
from collections.abc import Sequence
from pathlib import Path

from serving.processes import Server, answers, kept_port, located


def is_installed() -> bool:
    """Tell whether the server and its key tool are there."""
    return located("sshd") is not None and bool(shutil.which("ssh-keygen"))


def program() -> str:
    """Return the path of sshd; it is outside of PATH for others than root."""
    found = located("sshd")
    assert found is not None
    return found


class Sshd:
    """A server that takes one key. Its host key stays the same over starts.

    options: lines of its configuration that go before the others; the first of a kind counts.
    within: a command that starts the server, given as its arguments.
    """

    def __init__(
        self, folder: Path, options: Sequence[str] = (), within: Sequence[str] = ()
    ) -> None:
        self.folder = folder
        self._within = within
        self.port = kept_port(folder, "sshd")
        self.host_key, self.user_key = folder / "host-key", folder / "user-key"
        for key in (self.host_key, self.user_key):
            if not key.exists():
                self.make_key(key)
        allowed = folder / "allowed-keys"
        allowed.write_text(self.user_key.with_suffix(".pub").read_text())
        allowed.chmod(0o600)
        config = folder / "sshd.conf"
        lines = [
            *options,
            f"ListenAddress 127.0.0.1:{self.port}",
            f"HostKey {self.host_key}",
            f"AuthorizedKeysFile {allowed}",
            f"PidFile {folder}/sshd.pid",
            "Subsystem sftp internal-sftp",
            "PasswordAuthentication no",
            "PermitRootLogin prohibit-password",
            "UsePAM no",
            "StrictModes no",
        ]
        config.write_text("\n".join(lines) + "\n")
        self._config = config
        self.server: Server | None = None
        self.start()

    @staticmethod
    def make_key(path: Path) -> None:
        """Make a key pair."""
        command = ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", "kelpmoor", "-f", str(path)]
        subprocess.run(command, check=True, stdin=subprocess.DEVNULL)

    @property
    def address(self) -> str:
        """Where it answers, and to whom."""
        return f"sftp://{getpass.getuser()}@127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start the server, or start it again."""
        if os.getuid() == 0:
            Path("/run/sshd").mkdir(exist_ok=True)  # where it separates its privileges
        self.server = Server(
            [*self._within, program(), "-D", "-e", "-f", str(self._config)],
            self.folder / "sshd.log",
        )
        self.server.wait_for(lambda: answers(self.port), "sshd")

    def stop(self) -> None:
        """Stop the server."""
        if self.server is not None:
            self.server.stop()
