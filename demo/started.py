"""The whole demo in a process of its own, and a browser to look at it: for tests and pictures."""

import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

ROOT = Path(__file__).resolve().parents[1]
_SECONDS = 300
#: How Debian's Chromium is started: without a sandbox, since tests may run as root.
CHROMIUM: dict[str, Any] = {
    "executable_path": "/usr/bin/chromium",
    "args": ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
}


class Demo(NamedTuple):
    """Where the demo answers, and how to sign in."""

    url: str
    user: str
    password: str
    state: Path


@contextmanager
def started() -> Iterator[Demo]:
    """Start the demo with fresh data in a folder of its own, and stop it at the end."""
    state = Path(tempfile.mkdtemp(prefix="keepsort-demo-"))
    state.chmod(0o755)
    environment = {
        k: v for k, v in os.environ.items() if k not in ("KEEPSORT_DATABASE_URL", "KEEPSORT_KEY")
    }
    log = state / "demo.log"
    with log.open("wb") as out:
        process = subprocess.Popen(
            [sys.executable, "-m", "demo.run"], cwd=ROOT, stdout=out, stderr=out,
            env={
                "KEEPSORT_DEMO_MEASUREMENTS": "2000", **environment, "KEEPSORT_STATE": str(state),
                "PYTHONUNBUFFERED": "1",
            },
        )  # fmt: skip
    try:
        deadline = time.monotonic() + _SECONDS
        pattern = r"at (\S+)/ .*\nSign in as (\S+) .* password (\S+)"
        while not (found := re.search(pattern, log.read_text())):
            if process.poll() is not None or time.monotonic() > deadline:
                raise RuntimeError(f"the demo does not start: {log.read_text()}")
            time.sleep(0.2)
        yield Demo(found[1], found[2], found[3], state)
    finally:
        process.send_signal(signal.SIGTERM)
        process.wait(60)
        shutil.rmtree(state, ignore_errors=True)
