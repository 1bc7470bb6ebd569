"""The connection to a database: how it is opened, what it may take, and what goes wrong with it."""

import re
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from itertools import count
from typing import Any
from urllib.parse import unquote, urlsplit

import psycopg
from psycopg import errors as pg

from keepsort.connectors import options
from keepsort.connectors.base import Endpoint
from keepsort.connectors.errors import (
    Changed,
    ConnectorError,
    LimitReached,
    Misconfigured,
    NotAllowed,
    NotTrusted,
    Refused,
    SignInRefused,
    StartAgain,
    Unreachable,
)

_CONNECT_SECONDS = 10
_READ_SECONDS, _WRITE_SECONDS, _LOCK_SECONDS = 600, 120, 10
#: So that the same value is always written the same way.
_SETTINGS = (
    "set datestyle = 'ISO, YMD'; set intervalstyle = 'iso_8601'; set timezone = 'UTC'; "
    "set extra_float_digits = 1; set bytea_output = 'hex'; set xmloption = 'content'; "
    "set standard_conforming_strings = on; set client_encoding = 'UTF8'; "
    "set idle_in_transaction_session_timeout = '10min'; set row_security = on"
)
#: What is read at a time: rows at first, then as many as take about so much room.
_FIRST_ROWS, _MOST_ROWS, _PART_BYTES = 100, 5000, 4 << 20
_numbers = count()
_TLS = {"if offered": "prefer", "always": "require", "verified": "verify-full"}
#: What is known by the number of an error alone, as it is on its way in no class of its own.
_SIGN_IN = re.compile(r"authentication failed|no password|role .* does not exist|not permitted to")


class Session:
    """One connection to one database."""

    def __init__(self, endpoint: Endpoint) -> None:
        self.where, given = _given(endpoint)
        try:
            self._connection = psycopg.connect(**given, autocommit=True)
            self._connection.execute(_SETTINGS)
        except psycopg.Error as error:
            raise _not_connected(self.where, error) from None
        self.software = f"PostgreSQL {self._connection.info.parameter_status('server_version')}"

    def close(self) -> None:
        """Let go of the connection."""
        with suppress(psycopg.Error):
            self._connection.close()

    @contextmanager
    def reading(self) -> Iterator[psycopg.Cursor[Any]]:
        """Read all as it stands at one moment. Raises a `ConnectorError`."""
        begin = "begin isolation level repeatable read read only"
        with self._transaction(begin, _READ_SECONDS) as cursor:
            # what is read must mean what the catalogue says, whatever else has such a name
            cursor.execute("set local search_path = pg_catalog")
            yield cursor

    @contextmanager
    def writing(self, keep: bool = True) -> Iterator[psycopg.Cursor[Any]]:
        """Write in one transaction, which is kept only if all goes well.

        keep: whether it is kept at all. Raises `Changed`, `Refused` or another `ConnectorError`.
        """
        with self._transaction("begin isolation level read committed", _WRITE_SECONDS) as cursor:
            cursor.execute(f"set local lock_timeout = '{_LOCK_SECONDS}s'")
            yield cursor
            cursor.execute("set constraints all immediate")
            if keep:
                cursor.execute("commit")

    @contextmanager
    def _transaction(self, begin: str, seconds: int) -> Iterator[psycopg.Cursor[Any]]:
        try:
            with self._connection.cursor() as cursor:
                try:
                    cursor.execute(begin)
                    cursor.execute(f"set local statement_timeout = '{seconds}s'")
                    yield cursor
                finally:
                    if not self._connection.closed:
                        cursor.execute("rollback")
        except psycopg.Error as error:
            raise told(self.where, error) from None


def texts(cursor: psycopg.Cursor[Any], query: str) -> list[tuple[str | None, ...]]:
    """Return what a query finds, whose columns are all texts."""
    return cursor.execute(query).fetchall()


def fetched(cursor: psycopg.Cursor[Any], query: str) -> Iterator[tuple[str | None, ...]]:
    """Yield what a query finds, whose columns are all texts, a part of it at a time.

    Several may be read by turns, in one transaction.
    """
    name = f"rows_{next(_numbers)}"
    cursor.execute(f"declare {name} no scroll cursor for {query}")
    portion = _FIRST_ROWS
    while found := cursor.execute(f"fetch {portion} from {name}").fetchall():
        yield from found
        size = sum(len(text) for row in found for text in row if text is not None)
        portion = max(1, min(_MOST_ROWS, _PART_BYTES * len(found) // max(size, 1)))
    cursor.execute(f"close {name}")


def _given(endpoint: Endpoint) -> tuple[str, dict[str, Any]]:
    """Return where the database is, and what the connection is opened with."""
    try:
        parts = urlsplit(endpoint.address)
        port = parts.port or 5432
    except ValueError:
        parts, port = urlsplit(""), 0
    name = unquote(parts.path.lstrip("/"))
    if parts.scheme not in ("postgresql", "postgres") or not parts.hostname or not name:
        raise Misconfigured(
            f"{endpoint.address!r} is no address of a database.",
            "Write postgresql://HOST:PORT/DATABASE.",
        )
    if parts.username or parts.password or parts.query:
        raise Misconfigured(
            "The address says more than where the database is.",
            "Give account and password in their own fields, and nothing after the name.",
        )
    wanted = options.one_of(endpoint, "tls", tuple(_TLS))
    authority = endpoint.options.get("ca_file") or None
    return f"{parts.hostname}:{port}", {
        "host": parts.hostname, "port": port, "dbname": name, "user": endpoint.user or None,
        "password": endpoint.password or None, "connect_timeout": _CONNECT_SECONDS,
        "sslmode": "verify-full" if authority else _TLS[wanted],
        "sslrootcert": authority or ("system" if wanted == "verified" else None),
        "tcp_user_timeout": 60_000, "application_name": "keepsort", "passfile": "/dev/null",
    }  # fmt: skip


def _not_connected(where: str, error: psycopg.Error) -> ConnectorError:
    text = _short(str(error))
    if "certificate" in text:
        return NotTrusted(f"{where} is not trusted: {text}")
    if _SIGN_IN.search(text):
        return SignInRefused(f"{where} does not take this account: {text}")
    if "does not exist" in text or "SSL" in text:
        return Misconfigured(f"{where}: {text}")
    return Unreachable(f"{where} does not answer as a PostgreSQL server does: {text}")


def told(where: str, error: psycopg.Error) -> ConnectorError:
    """Return an error of the database as one of ours, with its own words."""
    said = error.diag
    text = _short(said.message_primary or str(error))
    if said.message_detail:
        text = f"{text} ({_short(said.message_detail)})"
    if isinstance(error, pg.SerializationFailure | pg.DeadlockDetected | pg.LockNotAvailable):
        return Changed(f"Somebody else is writing the same rows: {text}")
    if isinstance(error, pg.QueryCanceled):
        return LimitReached(f"{where} took too long: {text}", "Take fewer tables or rows.")
    if isinstance(error, pg.InsufficientPrivilege):
        return NotAllowed(f"The account lacks a right: {text}")
    if isinstance(error, pg.UndefinedTable | pg.UndefinedColumn):
        return StartAgain(f"The tables were changed while they were read: {text}")
    if isinstance(error, psycopg.OperationalError) and error.sqlstate is None:
        return Unreachable(f"{where} has gone away: {text}")
    if error.sqlstate is not None and error.sqlstate[:2] in ("08", "57"):
        return Unreachable(f"{where} has gone away: {text}")
    return Refused(f"The database refuses it: {text}.".replace("..", "."))


def _short(text: str) -> str:
    return " ".join(text.split())[:500]
