"""The application as it is served: by uvicorn, in a process of its own, with a database it shares."""

import http.client
import json
import os
import sys
from collections.abc import Iterator
from http.cookies import SimpleCookie
from pathlib import Path
from typing import Any

import psycopg
import pytest

from demo.servers.processes import Server, answers, free_port
from tests.servers import postgres

ROOT = Path(__file__).parents[2]
_TABS = 30


class Application:
    """Asks the application as a browser does."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._cookies = SimpleCookie[str]()

    def open(self, method: str, place: str, body: Any = None) -> http.client.HTTPResponse:
        cookies = "; ".join(f"{c.key}={c.value}" for c in self._cookies.values())
        headers = {"Cookie": cookies, "Content-Type": "application/json"}
        if "csrftoken" in self._cookies:
            headers["X-CSRFToken"] = self._cookies["csrftoken"].value
        connection = http.client.HTTPConnection("127.0.0.1", self._port, timeout=20)
        connection.request(method, place, json.dumps(body) if body else None, headers)
        response = connection.getresponse()
        for name, value in response.getheaders():
            if name.lower() == "set-cookie":
                self._cookies.load(value)
        return response

    def ask(self, method: str, place: str, body: Any = None) -> tuple[int, Any]:
        response = self.open(method, place, body)
        return response.status, json.loads(response.read())


@pytest.fixture
def database() -> Iterator[str]:
    postgres.create_database("served")
    yield "served"
    with psycopg.connect(postgres.admin_url(), autocommit=True) as admin:
        admin.execute("drop database served with (force)")


@pytest.fixture
def application(tmp_path: Path, database: str) -> Iterator[Application]:
    environment = {
        **os.environ,
        "KEEPSORT_STATE": str(tmp_path),
        "KEEPSORT_DATABASE_URL": postgres.url(database),
        "PYTHONPATH": str(ROOT / "src"),
    }
    made = (
        "import django; django.setup()\n"
        "from keepsort.server.migrating import migrate_if_needed\n"
        "from keepsort.server.accounts.models import User\n"
        "migrate_if_needed()\n"
        "User.objects.create_user('orla', password='sea-lettuce-9', role='viewer')\n"
    )
    environment["DJANGO_SETTINGS_MODULE"] = "keepsort.server.settings"
    setup = Server([sys.executable, "-c", made], tmp_path / "setup.log", environment)
    assert setup.process.wait(60) == 0, setup.log.read_text()
    port = free_port()
    server = Server(
        [
            sys.executable, "-m", "uvicorn", "keepsort.server.asgi:application",
            "--port", str(port), "--log-level", "warning", "--timeout-graceful-shutdown", "1",
        ],
        tmp_path / "web.log", environment,
    )  # fmt: skip
    server.wait_for(lambda: answers(port), "the application")
    yield Application(port)
    server.stop()


def test_many_open_tabs_and_a_database_that_goes_away(
    application: Application, database: str
) -> None:
    status, _ = application.ask("GET", "/api/session")
    assert status == 200
    who = {"username": "orla", "password": "sea-lettuce-9"}
    assert application.ask("POST", "/api/session", who)[0] == 200
    # more tabs listen than there are connections in the pool
    listening = [application.open("GET", "/api/events") for _ in range(_TABS)]
    for stream in listening:
        assert stream.status == 200
        assert stream.readline() == b"retry: 2000\n"
    assert application.ask("GET", "/api/systems") == (200, [])

    with psycopg.connect(postgres.admin_url(), autocommit=True) as admin:
        admin.execute(f"alter database {database} allow_connections false")
        admin.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity where datname = %s", [database]
        )
        status, told = application.ask("GET", "/api/systems")
        assert status == 503
        assert "database" in told["error"]
        assert "PostgreSQL" in told["way_out"]
        admin.execute(f"alter database {database} allow_connections true")
    assert application.ask("GET", "/api/systems") == (200, [])
    for stream in listening:
        stream.close()
