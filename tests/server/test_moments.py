"""Every moment: workers, the web server, PostgreSQL and the live server are killed or frozen while
runs go on, and nobody has to go to a terminal.

All parts are real processes, and a person's browser is the only thing that asks for anything. The
usual run breaks a few restores; ``make soak`` breaks 200, with seeds that stay the same.
"""

import http.client
import json
import os
import random
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from functools import partial
from http.cookies import SimpleCookie
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from demo.servers.etcd import Etcd
from demo.servers.exhibits import ExhibitController
from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from demo.servers.sshd import Sshd
from keepsort.core.model import Path as Place
from serving.keeping import Keeper
from serving.postgres import Postgres
from serving.processes import Server, answers, free_port
from tests.conftest import PASSWORD, SMALL
from tests.connectors.contract import Desk, Subject, content
from tests.connectors.subjects import DirectorySubject
from tests.connectors.test_exhibits import TOKEN, ExhibitSubject
from tests.connectors.test_hostfiles import FileSubject
from tests.connectors.test_keystore import KeySubject

ROOT = Path(__file__).parents[2]
ROUNDS = int(os.environ.get("KEEPSORT_SOAK", "20")) // 4
_PATIENCE = 90.0


class Live(NamedTuple):
    """A live system, how it is added, and the process that can be broken."""

    subject: Subject
    reached: dict[str, Any]
    process: Callable[[], Server]
    start: Callable[[], None]


def _files(folder: Path) -> Iterator[Live]:
    server = Sshd(folder / "sshd")
    subject = FileSubject(folder, server)
    reached = {"connector": "hostfiles", "address": server.address, "options": subject.options()}
    yield Live(subject, reached, lambda: _of(server), server.start)
    server.stop()


def _keys(folder: Path) -> Iterator[Live]:
    server = Etcd(folder / "etcd", options=["--unsafe-no-fsync"])
    options = {"prefix": "/plant/", "txn_limit": "2"}
    reached = {"connector": "keystore", "address": server.address, "options": options}
    yield Live(KeySubject(server), reached, lambda: _of(server), server.start)
    server.stop()


def _directory(folder: Path) -> Iterator[Live]:
    server = Slapd(folder / "slapd", PASSWORD)
    server.load(SMALL)
    reached = {
        "connector": "directory", "address": server.address, "options": {"base": SUFFIX},
        "user": ADMIN, "password": PASSWORD,
    }  # fmt: skip
    yield Live(DirectorySubject(server), reached, lambda: _of(server), server.start)
    server.stop()


def _exhibits(folder: Path) -> Iterator[Live]:
    server = ExhibitController(folder / "controller", TOKEN)
    reached = {"connector": "exhibits", "address": server.address, "password": TOKEN}
    yield Live(ExhibitSubject(server), reached, lambda: _of(server), server.start)
    server.stop()


def _of(owner: Any) -> Server:
    server = owner.server
    assert isinstance(server, Server)
    return server


class Installation:
    """Keep Sort with all its processes, and somebody to look after those that end."""

    def __init__(self, folder: Path) -> None:
        self.postgres = Postgres(folder / "postgres")
        self.postgres.create_database("moments")
        environment = {
            "KEEPSORT_STATE": str(folder / "state"),
            "KEEPSORT_DATABASE_URL": self.postgres.url("moments"),
            "KEEPSORT_LEASE_SECONDS": "5",
            "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
            "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
        }
        made = (
            "import django; django.setup()\n"
            "from keepsort.server.migrating import migrate_if_needed\n"
            "from keepsort.server.accounts.models import User\n"
            "migrate_if_needed()\n"
            "User.objects.create_user('orla', password='sea-lettuce-9', role='administrator')\n"
        )
        subprocess.run([sys.executable, "-c", made], env={**os.environ, **environment}, check=True)
        self.port = free_port()
        self.parts: dict[str, Server] = {}

        def worker(name: str) -> Callable[[], Server]:
            command = [sys.executable, "-m", "keepsort.server.worker"]
            return lambda: self._part(name, Server(command, folder / f"{name}.log", environment))

        def web() -> Server:
            command = [
                sys.executable, "-m", "uvicorn", "keepsort.server.asgi:application", "--port",
                str(self.port), "--log-level", "warning", "--timeout-graceful-shutdown", "1",
            ]  # fmt: skip
            return self._part("web", Server(command, folder / "web.log", environment))

        def postgres() -> Postgres:
            if "postgres" in self.parts:
                self.postgres = Postgres(folder / "postgres")
            self.parts["postgres"] = self.postgres.server
            return self.postgres

        self._keepers = [
            Keeper("PostgreSQL", postgres), Keeper("worker 1", worker("worker 1")),
            Keeper("worker 2", worker("worker 2")), Keeper("web", web),
        ]  # fmt: skip
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)
        self._thread.start()
        wait("the application", lambda: answers(self.port))

    def _part(self, name: str, server: Server) -> Server:
        self.parts[name] = server
        return server

    def _look(self) -> None:
        while not self._over.wait(0.2):
            for keeper in self._keepers:
                keeper._delay = 0.0  # what is broken here on purpose is not to be waited for
                keeper.look()

    def stop(self) -> None:
        self._over.set()
        self._thread.join()
        for keeper in reversed(self._keepers):
            keeper.stop()


class Browser:
    """Asks as a browser does, and asks again where it gets no answer."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._cookies = SimpleCookie[str]()
        who = {"username": "orla", "password": "sea-lettuce-9"}
        self.ask("GET", "/api/v1/session")
        self.ask("POST", "/api/v1/session", who)

    def ask(self, method: str, place: str, body: Any = None, expect: tuple[int, ...] = ()) -> Any:
        until = time.monotonic() + _PATIENCE
        while True:
            status, told = self._once(method, place, body)
            if 200 <= status < 300 or status in expect:
                return told
            # a server, or a part of it, is away: a person would press the button again
            assert status in (0, 409, 500, 502, 503, 504), (method, place, status, told)
            assert time.monotonic() < until, (method, place, status, told)
            if status == 409 and method == "POST" and "/plans/" in place:
                return told
            time.sleep(0.2)

    def _once(self, method: str, place: str, body: Any) -> tuple[int, Any]:
        cookies = "; ".join(f"{c.key}={c.value}" for c in self._cookies.values())
        headers = {"Cookie": cookies, "Content-Type": "application/json"}
        if "csrftoken" in self._cookies:
            headers["X-CSRFToken"] = self._cookies["csrftoken"].value
        connection = http.client.HTTPConnection("127.0.0.1", self._port, timeout=30)
        try:
            written = json.dumps(body) if body is not None else None
            connection.request(method, place, written, headers)
            response = connection.getresponse()
            for name, value in response.getheaders():
                if name.lower() == "set-cookie":
                    self._cookies.load(value)
            return response.status, json.loads(response.read() or b"null")
        except (OSError, http.client.HTTPException, ValueError):
            return 0, None
        finally:
            connection.close()


def wait(what: str, found: Callable[[], Any]) -> Any:
    until = time.monotonic() + _PATIENCE
    while not (answer := found()):
        assert time.monotonic() < until, f"{what} never came"
        time.sleep(0.1)
    return answer


@pytest.fixture(scope="module")
def installation(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Installation]:
    folder = tmp_path_factory.mktemp("moments")
    folder.chmod(0o755)
    found = Installation(folder)
    yield found
    found.stop()


class Chaos(threading.Thread):
    """Breaks one part at a moment, and makes it whole again."""

    def __init__(self, installation: Installation, live: Live, rng: random.Random) -> None:
        super().__init__(daemon=True)
        self._parts, self._live, self._rng = installation.parts, live, rng
        self.what = rng.choice(["worker 1", "worker 2", "web", "postgres", "live", "live"])
        self.how = rng.choice(["kill", "kill", "freeze"])
        self.both = self.what.startswith("worker") and rng.random() < 0.5

    def run(self) -> None:
        time.sleep(self._rng.random() * 0.9)
        names = ["worker 1", "worker 2"] if self.both else [self.what]
        servers = [self._live.process() if n == "live" else self._parts[n] for n in names]
        if self.how == "kill":
            for server in servers:
                server.kill()
            if self.what == "live":
                time.sleep(self._rng.random() * 2)
                self._live.start()
            return
        for server in servers:
            with suppress(ProcessLookupError):
                os.killpg(server.process.pid, signal.SIGSTOP)
        time.sleep(0.5 + self._rng.random() * 6)
        for server in servers:
            with suppress(ProcessLookupError):
                os.killpg(server.process.pid, signal.SIGCONT)


@pytest.mark.parametrize(
    "kind", [_files, _keys, _directory, _exhibits], ids=lambda k: k.__name__[1:]
)
def test_whatever_dies_at_whatever_moment(
    kind: Callable[[Path], Iterator[Live]], installation: Installation, tmp_path: Path
) -> None:
    for live in kind(tmp_path):
        browser = Browser(installation.port)
        system = _added(browser, kind.__name__, live)
        before_all = content(Desk(live.subject).look())
        backup = _worked(browser, system, "backup")
        live.subject.harm()
        before = content(Desk(live.subject).look())
        for number in range(ROUNDS):
            rng = random.Random(f"{kind.__name__} {number}")
            with_all = rng.random() < 0.5
            look = _worked(browser, system, "look")
            picks = _picked(browser, backup, look, with_all, rng)
            chaos = Chaos(installation, live, rng)
            told = (kind.__name__, number, chaos.what, chaos.how)
            plan = _planned(browser, backup, look, picks)
            run = _run(browser, plan, chaos)
            chaos.join()
            now = wait("the live server", partial(_looked, live))
            _untouched(plan, before, now, told)
            if run["outcome"] == "verified" and with_all:
                assert now == before_all, told
            if run["outcome"] == "unchanged" or not run["written"]:
                assert now == before, told
                continue
            _undone(browser, run)
            assert _looked(live) == before, (told, run["outcome"])


def _looked(live: Live) -> dict[Place, str] | None:
    with suppress(Exception):  # it may be away still
        return content(Desk(live.subject).look())
    return None


def _added(browser: Browser, name: str, live: Live) -> int:
    body = {"name": name, "user": "", "password": "", "options": {}, **live.reached}
    return int(browser.ask("POST", "/api/v1/settings", body)["id"])


def _worked(browser: Browser, system: int, kind: str) -> int:
    """Ask for a backup or a look until one is made, as a person would."""
    while True:
        work = browser.ask("POST", f"/api/v1/systems/{system}/work", {"kind": kind})["id"]

        def ended(number: int = work) -> Any:
            found = browser.ask("GET", f"/api/v1/work/{number}")
            return found if found["state"] in ("done", "failed") else None

        found = wait(f"the {kind}", ended)
        if found["state"] == "done":
            return int(found["result"])


def _picked(
    browser: Browser, backup: int, look: int, everything: bool, rng: random.Random
) -> list[dict[str, Any]]:
    if everything:
        return [{"path": [], "scope": "branch"}, {"path": [], "scope": "remove"}]
    shown = browser.ask("GET", f"/api/v1/compare/shown?left={backup}&right={look}")["rows"]
    some = rng.sample(shown, min(3, len(shown)))
    return [
        {"path": row["path"], "scope": "remove" if row["state"] == "extra" else "object"}
        for row in some
    ]


def _planned(browser: Browser, backup: int, look: int, picks: list[dict[str, Any]]) -> Any:
    return browser.ask("POST", "/api/v1/plans", {"backup": backup, "look": look, "picks": picks})


def _run(browser: Browser, plan: Any, chaos: Chaos | None = None) -> Any:
    """Carry a plan out, whatever happens meanwhile, until its end is known."""
    confirmed = [f["name"] for f in plan["findings"] if f["level"] == "confirm"]
    if not plan["steps"] or any(f["level"] == "stop" for f in plan["findings"]):
        if chaos is not None:
            chaos.start()
        return {"outcome": "unchanged", "written": 0}
    browser.ask("POST", f"/api/v1/plans/{plan['id']}", {"confirmed": confirmed})
    if chaos is not None:
        chaos.start()

    def ended() -> Any:
        number = browser.ask("GET", f"/api/v1/plans/{plan['id']}")["run"]
        run = browser.ask("GET", f"/api/v1/runs/{number}") if number else None
        settled = run and run["state"] == "finished" and run["outcome"] != "unknown"
        return run if settled else None

    return wait("the end of the run", ended)


def _undone(browser: Browser, run: Any) -> None:
    while True:
        plan = browser.ask("POST", f"/api/v1/runs/{run['id']}/undo", expect=(400,))
        if "steps" not in plan:
            assert "nothing to undo" in plan["error"]
            return
        undo = _run(browser, plan)
        assert undo["outcome"] == "verified", undo["message"]
        return


def _untouched(plan: Any, before: dict[Place, str], now: dict[Place, str], told: object) -> None:
    """See that nothing is different but what the plan's steps say."""
    named = [tuple(s[k]) for s in plan["steps"] for k in ("path", "to") if s[k] is not None]
    for path in before.keys() | now.keys():
        if before.get(path) != now.get(path):
            held = any(path[: len(place)] == place or place[: len(path)] == path for place in named)
            assert held, (told, path)
