"""Starting servers and seeing that they stop."""

import contextlib
import os
import random
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path


def located(name: str) -> str | None:
    """Return where a server's program is: outside of PATH for others than root. None if nowhere."""
    return shutil.which(name, path="/usr/sbin:/usr/local/sbin:/usr/bin:/sbin")


def free_port() -> int:
    """Return a port of the loopback interface that nobody uses now.

    It lies beneath those that outgoing connections are given, which could take it before a server
    does.
    """
    # processes that start servers at the same time look in different places first
    first = 20_000 + os.getpid() % 12 * 1_000
    while True:
        port = random.randrange(first, first + 1_000)
        with contextlib.suppress(OSError), socket.socket() as probe:
            probe.bind(("127.0.0.1", port))
            return port


def kept_port(folder: Path, name: str) -> int:
    """Return the port a server had the last time if it is still free, else a new one."""
    file = folder / f"{name}-port"
    if file.exists():
        port = int(file.read_text())
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            with contextlib.suppress(OSError):
                probe.bind(("127.0.0.1", port))
                return port
    port = free_port()
    folder.mkdir(parents=True, exist_ok=True)
    file.write_text(str(port))
    return port


def answers(port: int) -> bool:
    """Tell whether something takes connections at a port of the loopback interface."""
    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 0.5):
        return True
    return False


class Server:
    """A child process that is stopped with its parent."""

    def __init__(
        self,
        command: Sequence[str],
        log: Path,
        environment: Mapping[str, str] | None = None,
        stop_signal: int = signal.SIGTERM,
        user: str | None = None,
        cwd: Path | None = None,
    ) -> None:
        log.parent.mkdir(parents=True, exist_ok=True)
        self.log = log
        self._stop_signal = stop_signal
        with log.open("ab") as out:
            self.process = subprocess.Popen(
                list(command), stdout=out, stderr=out, stdin=subprocess.DEVNULL, user=user,
                group=user, extra_groups=[] if user else None, start_new_session=True, cwd=cwd,
                env={**os.environ, **(environment or {})},
            )  # fmt: skip

    def wait_for(self, ready: Callable[[], bool], what: str, seconds: float = 30) -> None:
        """Wait until the server is ready; raise RuntimeError with its log if it never is."""
        deadline = time.monotonic() + seconds
        while not ready():
            if self.process.poll() is not None or time.monotonic() > deadline:
                self.stop()
                tail = self.log.read_text(errors="replace")[-2000:]
                raise RuntimeError(f"{what} did not start; its log ends with:\n{tail}")
            time.sleep(0.05)

    def ended(self) -> bool:
        """Tell whether the process has ended."""
        return self.process.poll() is not None

    def stop(self, seconds: float = 15) -> None:
        """Stop the server, with force if it does not listen."""
        if self.process.poll() is None:
            self.process.send_signal(self._stop_signal)
            try:
                self.process.wait(seconds)
            except subprocess.TimeoutExpired:
                os.killpg(self.process.pid, signal.SIGKILL)
                self.process.wait()

    def kill(self) -> None:
        """End the server at once, as a power cut would."""
        if self.process.poll() is None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()
