"""The parts of the application, each in a process of its own, started in order and kept up."""

import os
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from serving.keeping import Keeper, Part
from serving.postgres import Postgres
from serving.processes import Server, answers, kept_port

ROOT = Path(__file__).resolve().parents[1]


class Stopping(Protocol):
    """Something that can be stopped."""

    def stop(self) -> None:
        """End it."""


class Running:
    """What runs: stopped in reverse order."""

    def __init__(self) -> None:
        self.running: list[Stopping] = []

    def keep(self, name: str, start: Callable[[], Part]) -> None:
        """Start a part, and see that it stays."""
        self.running.append(Keeper(name, start))

    def look(self) -> None:
        """Start again what has ended."""
        for one in self.running:
            if isinstance(one, Keeper):
                one.look()

    def stop(self) -> None:
        """Stop everything."""
        for one in reversed(self.running):
            one.stop()
        self.running.clear()


def stay(begin: Callable[[Running], None]) -> None:
    """Start parts, see that they stay until somebody asks for an end, and stop them all."""

    def asked(*_: object) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, asked)
    running = Running()
    try:
        begin(running)
        print("Ctrl-C stops everything.", flush=True)
        while True:
            time.sleep(0.5)
            running.look()
    except KeyboardInterrupt:
        print("\nStopping.")
    finally:
        running.stop()


def state_folder() -> Path:
    """Return the folder that all data lies in; it is made where there is none."""
    state = Path(os.environ.get("KEEPSORT_STATE", ROOT / ".state")).resolve()
    state.mkdir(parents=True, exist_ok=True)
    return state


def start_database(running: Running, state: Path) -> None:
    """Start PostgreSQL, unless KEEPSORT_DATABASE_URL names one."""
    if os.environ.get("KEEPSORT_DATABASE_URL"):
        return
    folder = state / "postgres"
    if (folder / "password").exists() and not (folder / "admin-password").exists():
        print("This state folder is of an older Keep Sort. Run: make demo-reset")
        sys.exit(1)
    made: list[Postgres] = []

    def start() -> Postgres:
        made[:] = [Postgres(folder)]
        return made[0]

    running.keep("PostgreSQL", start)
    postgres = made[0]
    postgres.create_database("keepsort")
    url = state / "database-url"
    url.touch(mode=0o600)
    url.write_text(postgres.url())
    os.environ["KEEPSORT_DATABASE_URL"] = postgres.url()


def set_up(state: Path) -> None:
    """Load the application in this process, and bring its database up to date."""
    sys.path.insert(0, str(ROOT / "src"))
    os.environ["KEEPSORT_STATE"] = str(state)
    os.environ.setdefault("KEEPSORT_LOCAL_FILES", "yes")
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
    import django

    django.setup()
    from keepsort.server.migrating import migrate_if_needed

    migrate_if_needed()


def start_application(running: Running, state: Path) -> int:
    """Start the worker and the application; return the port that it answers at."""
    environment = {
        "KEEPSORT_STATE": str(state),
        "KEEPSORT_LOCAL_FILES": os.environ.get("KEEPSORT_LOCAL_FILES", "yes"),
        "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
    }
    port = kept_port(state, "web")

    def worker() -> Server:
        return Server(
            [sys.executable, "-m", "keepsort.server.worker"],
            state / "worker.log", environment, cwd=state,
        )  # fmt: skip

    def web() -> Server:
        server = Server(
            [
                sys.executable, "-m", "uvicorn", "keepsort.server.asgi:application", "--host",
                "127.0.0.1", "--port", str(port), "--log-level", "warning",
                "--timeout-graceful-shutdown", "1", "--no-proxy-headers",
            ],
            state / "web.log", environment, cwd=state,
        )  # fmt: skip
        server.wait_for(lambda: answers(port), "the application")
        return server

    running.keep("The worker", worker)
    running.keep("The application", web)
    return port
