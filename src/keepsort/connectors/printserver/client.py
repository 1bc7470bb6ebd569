"""Calls of a print server: IPP over HTTP (RFC 8010, section 4), with bounds."""

import base64
import http.client
from collections.abc import Iterable
from contextlib import suppress
from urllib.parse import quote, urlsplit

from keepsort.connectors import options
from keepsort.connectors.base import Endpoint
from keepsort.connectors.certificates import untrusted
from keepsort.connectors.errors import (
    LimitReached,
    Misconfigured,
    NotAllowed,
    OddAnswer,
    Refused,
    SignInRefused,
    Unreachable,
)
from keepsort.connectors.printserver import ipp
from keepsort.connectors.printserver.ipp import Answer, Given

GET_JOBS = 0x000A
GET_DEFAULT, GET_PRINTERS = 0x4001, 0x4002
PUT_PRINTER, DELETE_PRINTER, PUT_CLASS, DELETE_CLASS = 0x4003, 0x4004, 0x4006, 0x4007
SET_DEFAULT, GET_PPD = 0x400A, 0x400F
NOT_FOUND, SEE_OTHER = 0x0406, 0x0280
_REFUSED = {0x0401, 0x0403}
_SECONDS = 30.0
_MOST_BYTES = 64 << 20
_KIND = "a print server"


class Client:
    """One print server."""

    def __init__(self, endpoint: Endpoint) -> None:
        try:
            parts = urlsplit(endpoint.address)
            port = parts.port or 631
        except ValueError:
            parts, port = urlsplit(""), 0
        if parts.scheme not in ("ipp", "ipps") or not parts.hostname or parts.path not in ("", "/"):
            raise Misconfigured(
                f"{endpoint.address!r} is no address of a print server.",
                "Write ipp://HOST:PORT or ipps://HOST:PORT.",
            )
        self.where = f"{parts.hostname}:{port}"
        self._user = endpoint.user
        self._number = 0
        self._headers = {"Content-Type": "application/ipp"}
        self._account: dict[str, str] = {}
        if endpoint.password:
            if parts.scheme == "ipp" and not _is_near(parts.hostname):
                raise Misconfigured(
                    "The password would go to another machine as it is.",
                    "Write ipps:// for the address.",
                )
            pair = f"{endpoint.user}:{endpoint.password}".encode()
            self._account["Authorization"] = f"Basic {base64.b64encode(pair).decode()}"
        self._connection: http.client.HTTPConnection = (
            http.client.HTTPSConnection(
                parts.hostname, port, timeout=_SECONDS, context=options.tls(endpoint)
            )
            if parts.scheme == "ipps"
            else http.client.HTTPConnection(parts.hostname, port, timeout=_SECONDS)
        )

    def close(self) -> None:
        """Let go of the connection."""
        self._connection.close()

    def uri(self, name: str = "", is_class: bool = False) -> str:
        """Return how a queue or class is named to the server; the server itself without a name."""
        room = "classes" if is_class else "printers"
        return f"ipp://localhost/{room}/{quote(name, safe='')}" if name else "ipp://localhost/"

    def call(
        self,
        operation: int,
        about: Iterable[Given] = (),
        printer: Iterable[Given] = (),
        data: bytes = b"",
        *,
        missing: bool = False,
    ) -> Answer:
        """Have an operation carried out. Raises a `ConnectorError`.

        missing: whether that something is not there is an answer and no error.
        """
        self._number += 1
        if operation in _OF_ADMINISTRATORS:
            who = [Given("requesting-user-name", ipp.NAME, (self._user or "root",))]
            body = ipp.request(operation, self._number, [*about, *who], printer) + data
            raw = self._posted("/admin/", body, self._headers | self._account)
        else:
            # who says a name is not told of queues that this name may not print to
            body = ipp.request(operation, self._number, about, printer) + data
            raw = self._posted("/", body, self._headers)
        answer = self._read(raw)
        if answer.status < 0x0400 or (missing and answer.status in (NOT_FOUND, SEE_OTHER)):
            return answer
        said = " ".join(str(one) for one in answer.operation.get("status-message", []))
        text = " ".join(said.split())[:300] or f"status {answer.status:#06x}"
        if answer.status == 0x0402:
            raise SignInRefused(f"{self.where} does not take this account: {text}")
        if answer.status in _REFUSED:
            raise NotAllowed(f"{self.where} does not allow it: {text}")
        raise Refused(f"{self.where} refuses it: {text}")

    def _posted(self, path: str, body: bytes, headers: dict[str, str]) -> bytes:
        for last in (False, True):
            try:
                self._connection.request("POST", path, body, headers)
                answer = self._connection.getresponse()
                break
            except (http.client.RemoteDisconnected, BrokenPipeError) as error:
                # it has closed a connection that nobody used; each call may be made twice
                self._connection.close()
                if last:
                    raise self._gone(error) from None
            except http.client.HTTPException:
                self._connection.close()
                raise OddAnswer(self.where, _KIND) from None
            except OSError as error:
                self._connection.close()
                raise untrusted(error, self.where) or self._gone(error) from None
        try:
            raw = answer.read(_MOST_BYTES + 1)
        except (OSError, http.client.HTTPException) as error:
            self._connection.close()
            raise self._gone(error) from None
        if len(raw) > _MOST_BYTES:
            self._connection.close()
            raise LimitReached(f"{self.where} sends more than {_MOST_BYTES >> 20} MB at once.")
        if answer.status == 401 and self._account and "Authorization" not in headers:
            self._connection.close()
            return self._posted(path, body, headers | self._account)
        if answer.status == 401:
            raise SignInRefused(f"{self.where} wants an account that may do this.")
        if answer.status == 403:
            raise NotAllowed(f"{self.where} does not allow this account to do this.")
        if answer.status != 200:
            raise OddAnswer(self.where, _KIND, f"HTTP {answer.status}")
        return raw

    def _read(self, raw: bytes) -> Answer:
        try:
            return ipp.read(raw)
        except ValueError as error:
            raise OddAnswer(self.where, _KIND, str(error)) from None

    def _gone(self, error: Exception) -> Unreachable:
        with suppress(OSError):
            self._connection.close()
        return Unreachable(f"{self.where} does not answer: {error or type(error).__name__}.")


_OF_ADMINISTRATORS = frozenset({PUT_PRINTER, DELETE_PRINTER, PUT_CLASS, DELETE_CLASS, SET_DEFAULT})


def _is_near(host: str) -> bool:
    return host in ("localhost", "::1") or host.startswith("127.")
