"""The demo's worker standing still, so that a run is seen before it has begun."""

import os
import signal
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from demo.started import Demo


@contextmanager
def worker_stands_still(demo: Demo) -> Iterator[None]:
    """Stop the processes of the demo's worker for the time of a block."""
    numbers = [int(name) for name in os.listdir("/proc") if name.isdigit()]
    found = [number for number in numbers if _is_worker(number, demo.state)]
    assert found, "the demo has no worker"
    for number in found:
        os.kill(number, signal.SIGSTOP)
    try:
        yield
    finally:
        for number in found:
            os.kill(number, signal.SIGCONT)


def _is_worker(number: int, state: Path) -> bool:
    place = Path("/proc", str(number))
    try:
        command = (place / "cmdline").read_bytes().split(b"\0")
        return b"keepsort.server.worker" in command and (place / "cwd").readlink() == state
    except OSError:  # it has ended, or is somebody else's
        return False
