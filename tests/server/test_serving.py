"""The application as it is served: by uvicorn, in a process of its own, with a database it shares."""

import http.client
import json
import os
import re
import socket
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import suppress
from http.cookies import SimpleCookie
from pathlib import Path
from typing import Any

import psycopg
import pytest

from serving.processes import Server, answers, free_port
from tests.servers import create_migrated, postgres

ROOT = Path(__file__).parents[2]
_TABS = 30


class Application:
    """Asks the application as a browser does."""

    forwarded = ""

    def __init__(self, port: int) -> None:
        self.port = self._port = port
        self._cookies = SimpleCookie[str]()

    def open(self, method: str, place: str, body: Any = None) -> http.client.HTTPResponse:
        cookies = "; ".join(f"{c.key}={c.value}" for c in self._cookies.values())
        headers = {"Cookie": cookies, "Content-Type": "application/json"}
        if self.forwarded:
            headers["X-Forwarded-For"] = self.forwarded
        if "csrftoken" in self._cookies:
            headers["X-CSRFToken"] = self._cookies["csrftoken"].value
        connection = http.client.HTTPConnection("127.0.0.1", self._port, timeout=20)
        connection.request(method, place, json.dumps(body) if body else None, headers)
        response = connection.getresponse()
        for name, value in response.getheaders():
            if name.lower() == "set-cookie":
                self._cookies.load(value)
        return response

    def sign_in(self, name: str) -> None:
        self.ask("GET", "/api/v1/session")
        who = {"username": name, "password": "sea-lettuce-9"}
        assert self.ask("POST", "/api/v1/session", who)[0] == 200

    def ask(self, method: str, place: str, body: Any = None) -> tuple[int, Any]:
        response = self.open(method, place, body)
        told = response.read()
        return response.status, json.loads(told) if told else None


@pytest.fixture
def database() -> Iterator[str]:
    create_migrated("served")
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
        "User.objects.create_user('brook', password='sea-lettuce-9', role='administrator')\n"
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
    status, _ = application.ask("GET", "/api/v1/session")
    assert status == 200
    who = {"username": "orla", "password": "sea-lettuce-9"}
    assert application.ask("POST", "/api/v1/session", who)[0] == 200
    # more tabs listen than there are connections in the pool
    listening = [application.open("GET", "/api/v1/events") for _ in range(_TABS)]
    for stream in listening:
        assert stream.status == 200
        assert stream.readline() == b"retry: 2000\n"
    assert application.ask("GET", "/api/v1/systems") == (200, [])

    with psycopg.connect(postgres.admin_url(), autocommit=True) as admin:
        admin.execute(f"alter database {database} allow_connections false")
        admin.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity where datname = %s", [database]
        )
        status, told = application.ask("GET", "/api/v1/systems")
        assert status == 503
        assert "database" in told["error"]
        assert "PostgreSQL" in told["way_out"]
        admin.execute(f"alter database {database} allow_connections true")
    assert application.ask("GET", "/api/v1/systems") == (200, [])
    for stream in listening:
        stream.close()


def _raw(port: int, head: str, parts: Iterator[bytes]) -> bytes:
    """Send a request by hand; return how the answer begins."""
    with socket.create_connection(("127.0.0.1", port), timeout=20) as connection:
        connection.sendall(head.encode())
        with suppress(OSError):  # the server ends the connection, as it should
            for part in parts:
                connection.sendall(part)
        with suppress(OSError):
            return connection.recv(200)
    return b""


def test_a_body_nobody_wants_is_refused_before_it_is_read(application: Application) -> None:
    large = 300 << 20
    head = f"POST /api/v1/plans HTTP/1.1\r\nHost: localhost\r\nContent-Length: {large}\r\n\r\n"
    assert b" 413 " in _raw(application.port, head, iter([b"x" * 1000]))
    chunked = "POST /api/v1/plans HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\n"
    sent = 0

    def parts() -> Iterator[bytes]:
        nonlocal sent
        for _ in range(large >> 16):
            sent += 1 << 16
            yield b"10000\r\n" + b"x" * (1 << 16) + b"\r\n"

    answer = _raw(application.port, chunked, parts())
    assert b" 413 " in answer or not answer
    assert sent < 20 << 20, "it was not read to its end"
    application.sign_in("orla")
    status, told = application.ask("POST", "/api/v1/lists", {"text": "x" * (5 << 20)})
    assert status == 413
    assert "4096 KB" in told["error"]


def test_streams_are_bounded_and_end_with_the_sign_in(application: Application) -> None:
    application.sign_in("orla")
    streams = [application.open("GET", "/api/v1/events") for _ in range(20)]
    assert all(stream.readline() == b"retry: 2000\n" for stream in streams)
    for oldest in streams[:6]:
        oldest.fp.raw._sock.settimeout(10)  # type: ignore[union-attr]
        assert b"data" not in oldest.read(), "of too many, the oldest end"
    assert application.ask("DELETE", "/api/v1/session")[0] == 200
    for stream in streams[8:]:
        stream.fp.raw._sock.settimeout(15)  # type: ignore[union-attr]
        stream.read()


def test_a_frozen_system_leaves_room_for_everybody_else(application: Application) -> None:
    application.sign_in("brook")
    with socket.create_server(("127.0.0.1", 0), backlog=100) as frozen:
        body = {
            "name": "", "connector": "directory", "user": "", "password": "",
            "address": f"ldap://127.0.0.1:{frozen.getsockname()[1]}",
            "options": {"base": "dc=kelpmoor,dc=example"},
        }  # fmt: skip
        asking = [
            threading.Thread(
                target=lambda: application.ask("POST", "/api/v1/connectors/try", body), daemon=True
            )
            for _ in range(24)
        ]
        for thread in asking:
            thread.start()
        time.sleep(1)
        for _ in range(10):
            began = time.monotonic()
            assert application.ask("GET", "/api/v1/systems") == (200, [])
            assert time.monotonic() - began < 2
        status, told = application.ask("POST", "/api/v1/connectors/try", body)
        assert status == 503
        assert "waiting" in told["error"]


def test_guessing_passwords_is_bounded_whatever_the_address_is_said_to_be(
    application: Application,
) -> None:
    application.ask("GET", "/api/v1/session")
    who = {"username": "orla", "password": "wrong"}
    found = []
    for number in range(12):
        application.forwarded = f"203.0.113.{number}"
        found.append(application.ask("POST", "/api/v1/session", who)[0])
    assert found[:10] == [403] * 10
    assert found[10:] == [429] * 2
    right = {"username": "orla", "password": "sea-lettuce-9"}
    assert application.ask("POST", "/api/v1/session", right)[0] == 429
    application.sign_in("brook")


def test_refusals_are_json_and_answers_are_not_kept(application: Application) -> None:
    assert application.ask("GET", "/api/v1/no-such")[0] == 404
    status, told = application.ask("POST", "/api/v1/session", {"username": "x", "password": "y"})
    assert status == 403
    assert "error" in told, "without a token, told as JSON too"
    response = application.open("GET", "/api/v1/session")
    assert response.getheader("Cache-Control") == "no-store"
    assert response.getheader("X-Request-ID")


def _sent(application: Application, size: int, cookie: str) -> tuple[bytes, int]:
    """Send a large file; return how the answer begins, and how much of it was taken."""
    token = application._cookies["csrftoken"].value
    head = (
        f"POST /api/v1/files?name=large HTTP/1.1\r\nHost: localhost\r\nContent-Length: {size}\r\n"
        f"Content-Type: application/octet-stream\r\nX-CSRFToken: {token}\r\nCookie: {cookie}\r\n\r\n"
    )
    taken = 0

    def parts() -> Iterator[bytes]:
        nonlocal taken
        for _ in range(size >> 16):
            taken += 1 << 16
            yield b"\0" * (1 << 16)

    return _raw(application.port, head, parts()), taken


def test_a_large_file_goes_to_disk_and_only_from_somebody_signed_in(
    application: Application,
) -> None:
    application.sign_in("brook")
    own = "; ".join(f"{c.key}={c.value}" for c in application._cookies.values())
    answer, taken = _sent(application, 64 << 20, own)
    assert b" 400 " in answer, "it was read, and is no file that is known"
    assert taken == 64 << 20
    false = own.replace(application._cookies["sessionid"].value, "x" * 32)
    answer, taken = _sent(application, 64 << 20, false)
    assert b" 413 " in answer or not answer
    assert taken < 24 << 20


def test_it_runs_alone_and_tells_its_first_password_once(tmp_path: Path) -> None:
    create_migrated("alone")
    environment = {
        "KEEPSORT_STATE": str(tmp_path / "state"),
        "KEEPSORT_DATABASE_URL": postgres.url("alone"),
        "PYTHONUNBUFFERED": "1",
    }
    told = []
    try:
        for log in (tmp_path / "first", tmp_path / "second"):
            served = Server([sys.executable, "-m", "serving"], log, environment, cwd=ROOT)
            served.wait_for(lambda log=log: "Ctrl-C" in log.read_text(), "the application")
            told.append(log.read_text())
            found = re.search(r"127\.0\.0\.1:(\d+)/", told[-1])
            assert found is not None
            assert Application(int(found[1])).ask("GET", "/api/v1/session")[0] == 200
            served.stop()
    finally:
        with psycopg.connect(postgres.admin_url(), autocommit=True) as admin:
            admin.execute("drop database alone with (force)")
    found = re.search(r"Sign in as admin \(administrator\) with the password (\S+)", told[0])
    assert found is not None
    assert "Sign in" not in told[1]
