"""The demo's own mailbox: takes mail on loopback, and keeps each as a file."""

import sys
from pathlib import Path

from serving.processes import Server, answers, kept_port


class Mailbox:
    """A mail server that runs as long as this object is not stopped; mail lies in `folder`/new."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder / "mailbox"
        self.port = kept_port(folder, "smtp")
        command = [
            sys.executable, "-m", "aiosmtpd", "--nosetuid", "--listen", f"127.0.0.1:{self.port}",
            "--class", "aiosmtpd.handlers.Mailbox", str(self.folder),
        ]  # fmt: skip
        self.server = Server(command, folder / "mailbox.log")
        self.server.wait_for(lambda: answers(self.port), "the mailbox")

    def ended(self) -> bool:
        """Tell whether the server has ended by itself."""
        return self.server.ended()

    def stop(self) -> None:
        """Stop the server."""
        self.server.stop()
