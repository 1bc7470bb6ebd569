"""The whole demo, as `make demo` starts it, and a browser."""

import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import pytest
from playwright.sync_api import Browser, Page, sync_playwright

ROOT = Path(__file__).parents[2]


class Demo(NamedTuple):
    url: str
    user: str
    password: str
    state: Path


@pytest.fixture(scope="session")
def demo() -> Iterator[Demo]:
    state = Path(tempfile.mkdtemp(prefix="keepsort-demo-"))
    state.chmod(0o755)
    environment = {
        k: v for k, v in os.environ.items() if k not in ("KEEPSORT_DATABASE_URL", "KEEPSORT_KEY")
    }
    log = state / "demo.log"
    with log.open("wb") as out:
        process = subprocess.Popen(
            [sys.executable, "-m", "demo.run"], cwd=ROOT, stdout=out, stderr=out,
            env={**environment, "KEEPSORT_STATE": str(state), "PYTHONUNBUFFERED": "1"},
        )  # fmt: skip
    found = None
    deadline = time.monotonic() + 120
    while not (
        found := re.search(r"at (\S+)/ .*\nSign in as (\S+) .* password (\S+)", log.read_text())
    ):
        assert process.poll() is None, log.read_text()
        assert time.monotonic() < deadline, log.read_text()
        time.sleep(0.2)
    yield Demo(found[1], found[2], found[3], state)
    process.send_signal(signal.SIGTERM)
    process.wait(60)
    shutil.rmtree(state, ignore_errors=True)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        started = playwright.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
        )
        yield started
        started.close()


@pytest.fixture
def page(browser: Browser, demo: Demo) -> Iterator[Page]:
    """A page that is signed in; any error in the browser's console fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    found = context.new_page()
    errors: list[str] = []
    found.on("pageerror", lambda e: errors.append(str(e)))
    found.on(
        "console",
        lambda m: (
            errors.append(m.text) if m.type == "error" and "Content Security" in m.text else None
        ),
    )
    found.goto(demo.url)
    found.get_by_label("Name").fill(demo.user)
    found.get_by_label("Password").fill(demo.password)
    found.keyboard.press("Enter")
    found.get_by_text("Wants attention").wait_for()
    yield found
    context.close()
    assert not errors
