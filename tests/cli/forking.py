"""Carries commands out in processes that have loaded what a command needs already.

The command spends most of its life on loading, and the tests call it some hundred times. What is
loaded ahead depends on no setting; each command still is a process of its own, with its own
environment, from `keepsort.cli.__main__` on.
"""

import array
import atexit
import gc
import importlib
import json
import os
import runpy
import signal
import socket
import subprocess
import sys
import tempfile
from contextlib import suppress
from pathlib import Path

_AHEAD = (
    "click", "cryptography.fernet", "django.core.management", "django.db.models",
    "django.forms", "django.http", "django.urls", "httpx", "ldap", "msgspec", "numpy", "psycopg",
    "rich.console", "structlog", "keepsort.cli.main", "keepsort.connectors.registry",
    "keepsort.core.compare", "keepsort.core.plan", "keepsort.core.snapshot", "keepsort.files.opened",
)  # fmt: skip
_STREAMS = 3


class Commands:
    """Starts commands; `run` waits for one of them."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="keepsort-commands-")
        self._place = str(Path(self._folder.name) / "socket")
        self._server: subprocess.Popen[bytes] | None = None

    def run(
        self, arguments: list[str], environment: dict[str, str], streams: tuple[int, int, int]
    ) -> int:
        """Carry a command out, its standard streams being these; return its exit status."""
        if self._server is None:
            self._start()
        with socket.socket(socket.AF_UNIX) as asking:
            asking.connect(self._place)
            about = json.dumps([arguments, environment, os.getcwd()]).encode()
            rights = [(socket.SOL_SOCKET, socket.SCM_RIGHTS, array.array("i", streams))]
            asking.sendmsg([len(about).to_bytes(4)], rights)
            asking.sendall(about)
            return int(asking.makefile("rb").readline())

    def _start(self) -> None:
        root = Path(__file__).parents[2]
        environment = {**os.environ, "PYTHONPATH": f"{root / 'src'}{os.pathsep}{root}"}
        environment.pop("DJANGO_SETTINGS_MODULE", None)
        self._server = subprocess.Popen(
            [sys.executable, "-m", "tests.cli.forking", self._place],
            env=environment, stdout=subprocess.PIPE,
        )  # fmt: skip
        assert self._server.stdout is not None
        assert self._server.stdout.readline() == b"ready\n"
        atexit.register(self._server.kill)


def _serve(place: str) -> None:
    for name in _AHEAD:
        importlib.import_module(name)
    gc.collect()
    gc.freeze()
    with socket.socket(socket.AF_UNIX) as listening:
        listening.bind(place)
        listening.listen(16)
        signal.signal(signal.SIGCHLD, signal.SIG_IGN)
        print("ready", flush=True)
        while True:
            asked, _ = listening.accept()
            if os.fork() == 0:
                listening.close()
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                _handle(asked)
                os._exit(0)
            asked.close()


def _handle(asked: socket.socket) -> None:
    """Let one process carry the command out, and tell how it ended."""
    size = array.array("i")
    head, rights, _, _ = asked.recvmsg(4, socket.CMSG_SPACE(_STREAMS * size.itemsize))
    size.frombytes(rights[0][2])
    about = b""
    while len(about) < int.from_bytes(head):
        about += asked.recv(int.from_bytes(head) - len(about))
    arguments, environment, folder = json.loads(about)
    worker = os.fork()
    if worker == 0:
        asked.close()
        for number, stream in enumerate(size):
            os.dup2(stream, number)
            os.close(stream)
        _carry_out(arguments, environment, folder)
    for stream in size:
        os.close(stream)
    _, status = os.waitpid(worker, 0)
    with suppress(OSError):  # who asked may be gone
        asked.sendall(f"{os.waitstatus_to_exitcode(status)}\n".encode())


def _carry_out(arguments: list[str], environment: dict[str, str], folder: str) -> None:
    os.chdir(folder)
    os.environ.clear()
    os.environ.update(environment)
    sys.stdin, sys.stdout, sys.stderr = open(0), open(1, "w"), open(2, "w")  # noqa: SIM115
    sys.argv = ["keepsort", *arguments]
    status = 1
    try:
        runpy.run_module("keepsort.cli", run_name="__main__", alter_sys=False)
        status = 0
    except SystemExit as end:
        status = end.code if isinstance(end.code, int) else int(end.code is not None)
    except BaseException:  # as the interpreter itself would
        sys.excepthook(*sys.exc_info())  # type: ignore[arg-type]
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)


if __name__ == "__main__":
    _serve(sys.argv[1])
