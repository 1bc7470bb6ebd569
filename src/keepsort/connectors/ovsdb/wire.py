"""The protocol of OVSDB servers: JSON-RPC 1.0 over TCP or TLS (RFC 7047, section 4)."""

import json
import socket
from time import monotonic
from typing import Any
from urllib.parse import urlsplit

from keepsort.connectors import options
from keepsort.connectors.base import Endpoint
from keepsort.connectors.certificates import untrusted
from keepsort.connectors.errors import LimitReached, Misconfigured, OddAnswer, Unreachable

_KIND = "an OVSDB server"
_CONNECT_SECONDS = 10.0
_ANSWER_SECONDS = 120.0
_MOST_BYTES = 256 << 20
_CHUNK = 1 << 18
_PAUSE_SECONDS = 0.5
_decoder = json.JSONDecoder()

Operation = dict[str, Any]


class Client:
    """One connection to a server."""

    def __init__(self, endpoint: Endpoint) -> None:
        self.where = endpoint.address
        self._rest = ""
        self._number = 0
        self._socket = _connected(endpoint)

    def close(self) -> None:
        """Let go of the connection."""
        self._socket.close()

    def odd(self, detail: str = "") -> OddAnswer:
        """Return the error of an answer that no such server gives."""
        return OddAnswer(self.where, _KIND, detail)

    def schema(self, database: str) -> dict[str, Any]:
        """Return the schema of a database (section 4.1.2). Raises `Misconfigured`."""
        known = self._call("list_dbs", [])
        if not isinstance(known, list) or database not in known:
            names = ", ".join(str(name) for name in known) if isinstance(known, list) else ""
            raise Misconfigured(
                f"{self.where} has no database {database!r}.", f"It has: {names or 'none'}."
            )
        found = self._call("get_schema", [database])
        if not isinstance(found, dict) or not isinstance(found.get("tables"), dict):
            raise self.odd("no schema")
        return found

    def transact(self, database: str, operations: list[Operation]) -> list[Any]:
        """Have operations done together or not at all; return an answer for each (section 4.1.3).

        Where one fails its answer has an ``error``, and those after it are None.
        """
        found = self._call("transact", [database, *operations])
        if not isinstance(found, list) or len(found) < len(operations):
            raise self.odd("fewer answers than operations")
        return found

    def _call(self, method: str, params: list[Any]) -> Any:
        self._number += 1
        self._send({"method": method, "params": params, "id": self._number})
        until = monotonic() + _ANSWER_SECONDS
        while True:
            told = self._next(until)
            if told.get("method") == "echo":  # it asks whether we are still here (section 4.1.11)
                self._send({"result": told.get("params"), "error": None, "id": told.get("id")})
            elif told.get("id") == self._number:
                if told.get("error") is not None:
                    raise self.odd(str(told["error"])[:200])
                return told.get("result")

    def _send(self, message: dict[str, Any]) -> None:
        try:
            self._socket.sendall(json.dumps(message).encode())
        except OSError as error:
            raise self._gone(error) from None

    def _next(self, until: float) -> dict[str, Any]:
        """Return the next message; messages follow each other with nothing between them."""
        text, parts = self._rest, [self._rest]
        size, opened, paused = len(text), _opened(text), True
        while True:
            # brackets within texts may hide the end: then a pause shows it
            if text and (opened <= 0 or paused):
                found, end = self._read(text)
                if found is not None:
                    self._rest = text[end:].lstrip()
                    return found
            more = self._received(until)
            paused = not more
            size += len(more)
            opened += _opened(more)
            if size > _MOST_BYTES:
                raise LimitReached(
                    f"{self.where} sends more than {_MOST_BYTES >> 20} MB at once.",
                    "See what answers there.",
                )
            parts.append(more)
            if opened <= 0 or paused:
                text = "".join(parts).lstrip()
                parts = [text]

    def _read(self, text: str) -> tuple[dict[str, Any] | None, int]:
        """Read a message from the front of a text; None where it has not come whole yet."""
        try:
            found, end = _decoder.raw_decode(text)
        except RecursionError:
            raise self.odd("nested too deep") from None
        except ValueError:
            if not text.startswith("{"):
                raise self.odd() from None
            return None, 0
        if not isinstance(found, dict):
            raise self.odd()
        return found, end

    def _received(self, until: float) -> str:
        """Return some more of what is sent; nothing after a pause."""
        if monotonic() > until:
            raise Unreachable(f"{self.where} has not answered for {_ANSWER_SECONDS:.0f} s.")
        try:
            self._socket.settimeout(_PAUSE_SECONDS)
            try:
                data = self._socket.recv(_CHUNK)
            except TimeoutError:
                return ""
            self._socket.settimeout(_CONNECT_SECONDS)
            while data and data[-1] & 0x80:  # not in the middle of a letter
                more = self._socket.recv(1)
                data = data + more if more else b""
            if not data:
                raise Unreachable(f"{self.where} has closed the connection.")
            return data.decode()
        except UnicodeDecodeError:
            raise self.odd("no UTF-8") from None
        except OSError as error:
            raise self._gone(error) from None

    def _gone(self, error: OSError) -> Unreachable:
        return Unreachable(f"{self.where} does not answer: {error or type(error).__name__}.")


def _opened(text: str) -> int:
    return text.count("{") - text.count("}")


def _connected(endpoint: Endpoint) -> socket.socket:
    """Open the connection. Raises `Misconfigured`, `NotTrusted` or `Unreachable`."""
    where = endpoint.address
    scheme, _, rest = where.partition(":")
    parts = urlsplit(f"//{rest}")
    try:
        host, port = parts.hostname, parts.port
    except ValueError:
        host = port = None
    if scheme not in ("tcp", "ssl") or not host or not port:
        raise Misconfigured(
            f"{where!r} is no address of an OVSDB server.", "Write tcp:HOST:PORT or ssl:HOST:PORT."
        )
    context = options.tls(endpoint) if scheme == "ssl" else None
    try:
        plain = socket.create_connection((host, port), _CONNECT_SECONDS)
        try:
            return context.wrap_socket(plain, server_hostname=host) if context else plain
        except OSError:
            plain.close()
            raise
    except OSError as error:
        distrust = untrusted(error, where)
        raise distrust or Unreachable(f"Nothing answers at {where}: {error}.") from None
