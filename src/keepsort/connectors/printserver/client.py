"""Calls of a print server: IPP over HTTP (RFC 8010, section 4), with bounds."""

import base64
from collections.abc import Iterable
from urllib.parse import quote, urlsplit

import httpx

from keepsort.connectors import options
from keepsort.connectors.answers import Answer as HttpAnswer
from keepsort.connectors.answers import asked
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

GET_JOBS, GET_PRINTER = 0x000A, 0x000B
GET_DEFAULT, GET_PRINTERS = 0x4001, 0x4002
PUT_PRINTER, DELETE_PRINTER, PUT_CLASS, DELETE_CLASS = 0x4003, 0x4004, 0x4006, 0x4007
SET_DEFAULT, GET_PPDS, GET_PPD = 0x400A, 0x400C, 0x400F
NOT_FOUND, SEE_OTHER = 0x0406, 0x0280
_REFUSED = {0x0401, 0x0403}
_SECONDS = 30.0
_MOST_BYTES = 64 << 20
_MOST_DRIVER = 4 << 20
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
        self._account: dict[str, str] = {}
        if endpoint.password:
            if parts.scheme == "ipp" and not _is_near(parts.hostname):
                raise Misconfigured(
                    "The password would go to another machine as it is.",
                    "Write ipps:// for the address.",
                )
            pair = f"{endpoint.user}:{endpoint.password}".encode()
            self._account["Authorization"] = f"Basic {base64.b64encode(pair).decode()}"
        secure = parts.scheme == "ipps"
        host = f"[{parts.hostname}]" if ":" in parts.hostname else parts.hostname
        self._http = httpx.Client(
            base_url=f"{'https' if secure else 'http'}://{host}:{port}", timeout=_SECONDS,
            verify=options.tls(endpoint) if secure else True,
        )  # fmt: skip

    def close(self) -> None:
        """Let go of the connection."""
        self._http.close()

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
            raw = self._posted("/admin/", body, self._account)
        else:
            # who says a name is not told of queues that this name may not print to
            body = ipp.request(operation, self._number, about, printer) + data
            raw = self._posted("/", body, {})
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

    def driver(self, which: Given) -> str | None:
        """Return the text of a driver, of a queue or of the server's own; None where there is none.

        Raises a `ConnectorError`, also where it is larger than one can be.
        """
        answer = self.call(GET_PPD, [which], missing=True)
        if answer.status >= 0x0200 or not answer.data:
            return None
        if len(answer.data) > _MOST_DRIVER:
            text = f"{self.where} has a driver of more than {_MOST_DRIVER >> 20} MB."
            raise LimitReached(text, "See what answers there.")
        text = answer.data.decode("utf-8", "surrogateescape")
        return text.encode("utf-8", "backslashreplace").decode()

    def call_default(self) -> Answer:
        """Ask for the default queue, which every server answers."""
        asked = [Given("requested-attributes", ipp.KEYWORD, ("printer-name",))]
        return self.call(GET_DEFAULT, asked, missing=True)

    def file(self, method: str, path: str, most: int, content: bytes = b"") -> bytes | None:
        """Have a file given out, or taken, as a whole; None where there is no such file.

        Raises a `ConnectorError`.
        """
        answer = self._answered(
            method, path, self._account, most, content, "application/octet-stream"
        )
        if answer.status == 404:
            return None
        if answer.status not in (200, 201, 204):
            raise answer.odd(_KIND)
        return answer.content

    def _posted(self, path: str, body: bytes, account: dict[str, str]) -> bytes:
        answer = self._answered("POST", path, account, _MOST_BYTES, body, "application/ipp")
        if answer.status == 401 and self._account and not account:
            return self._posted(path, body, self._account)
        if answer.status != 200:
            raise answer.odd(_KIND)
        return answer.content

    def _answered(
        self, method: str, path: str, account: dict[str, str], most: int, body: bytes, kind: str
    ) -> HttpAnswer:
        try:
            answer = asked(
                self._http, self.where, method, path, most=most, content=body or None,
                headers={**account, "Content-Type": kind},
            )  # fmt: skip
        except httpx.HTTPError as error:
            told = error or type(error).__name__
            raise untrusted(error, self.where) or Unreachable(
                f"{self.where} does not answer as {_KIND} does: {told}."
            ) from None
        if answer.status == 401 and (account or not self._account):
            raise SignInRefused(f"{self.where} wants an account that may do this.")
        if answer.status == 403:
            raise NotAllowed(f"{self.where} does not allow this account to do this.")
        return answer

    def _read(self, raw: bytes) -> Answer:
        try:
            return ipp.read(raw)
        except ValueError as error:
            raise OddAnswer(self.where, _KIND, str(error)) from None


_OF_ADMINISTRATORS = frozenset({PUT_PRINTER, DELETE_PRINTER, PUT_CLASS, DELETE_CLASS, SET_DEFAULT})


def _is_near(host: str) -> bool:
    return host in ("localhost", "::1") or host.startswith("127.")
