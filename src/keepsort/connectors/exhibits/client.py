"""Calls of an exhibit controller, within its budget."""

import ssl
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
import msgspec

from keepsort.connectors.base import Endpoint
from keepsort.connectors.certificates import untrusted
from keepsort.connectors.errors import (
    Conflict,
    LimitReached,
    Misconfigured,
    NotAllowed,
    Refused,
    SignInRefused,
    Unreachable,
)

_SECONDS = 30.0
_ATTEMPTS = 3
_RESTARTS_WITHIN = 180.0
_GONE, _CHANGED, _LOCKED, _MANY, _FULL = 404, 412, 423, 429, 507


class NoSuchItem(Refused):
    """The controller has no item of that id."""


class Item(msgspec.Struct):
    """One item as the controller sends it; `parent` is an id, or empty."""

    id: str
    kind: str
    name: str
    parent: str = ""
    locked: bool = False
    etag: str = ""
    body: dict[str, Any] = {}


class SystemState(msgspec.Struct):
    """What the controller says of itself; `free` in bytes."""

    model: str
    software: str
    free: int
    automation: str
    restart_needed: bool
    items: int


class Client:
    """One controller, signed in to.

    left: calls that are left until the budget renews; None where the controller tells none.
    """

    def __init__(self, endpoint: Endpoint) -> None:
        if not endpoint.address.startswith(("http://", "https://")):
            raise Misconfigured(
                f"{endpoint.address!r} is no address of a controller.",
                "Write it as http://host:port or https://host:port.",
            )
        reserve = endpoint.options.get("reserve") or "20"
        if not reserve.isdigit():
            raise Misconfigured(f"The calls left alone are {reserve!r}, which is no number.")
        try:
            verify = ssl.create_default_context(cafile=endpoint.options.get("ca_file") or None)
        except OSError as error:
            raise Misconfigured(f"The CA certificate file cannot be used: {error}.") from None
        self._where = endpoint.address
        self._reserve = int(reserve)
        self._http = httpx.Client(
            base_url=endpoint.address.rstrip("/"), timeout=_SECONDS, verify=verify,
            headers={"Authorization": f"Bearer {endpoint.password}"},
        )  # fmt: skip
        self.left: int | None = None
        self._renews_at = 0.0
        self.tell: Callable[[str], None] = lambda text: None

    def close(self) -> None:
        """Let go of the connection."""
        self._http.close()

    @property
    def to_spend(self) -> int | None:
        """Calls that may be made before the work pauses."""
        return None if self.left is None else max(self.left - self._reserve, 0)

    def renews(self) -> str:
        """Return when the budget renews, for people."""
        seconds = max(self._renews_at - time.monotonic(), 0)
        return (datetime.now(UTC) + timedelta(seconds=seconds)).strftime("%H:%M:%S UTC")

    def system(self) -> SystemState:
        """Return what the controller says of itself."""
        return msgspec.convert(self._call("GET", "/v1/system"), SystemState)

    def schema(self) -> dict[str, dict[str, dict[str, Any]]]:
        """Return what the controller knows of each kind of item, field by field."""
        found: dict[str, dict[str, dict[str, Any]]] = self._call("GET", "/v1/schema")
        return found

    def report(self) -> dict[str, list[dict[str, str]]]:
        """Return what the controller finds unsound, as errors and warnings."""
        found: dict[str, list[dict[str, str]]] = self._call("GET", "/v1/validation")
        return found

    def items(self) -> list[Item]:
        """Return all items, page by page."""
        found: list[Item] = []
        more = True
        while more:
            after = found[-1].id if found else ""
            page = self._call("GET", f"/v1/items?after={after}")
            found += msgspec.convert(page["items"], list[Item])
            more = bool(page["more"])
        return found

    def item(self, id: str) -> Item:
        """Return one item. Raises `NoSuchItem`."""
        return msgspec.convert(self._call("GET", f"/v1/items/{id}"), Item)

    def create(self, data: dict[str, Any]) -> Item:
        """Add an item; the controller gives it an id."""
        return msgspec.convert(self._call("POST", "/v1/items", data), Item)

    def update(self, id: str, data: dict[str, Any], etag: str) -> Item:
        """Replace an item that is still of one version. Raises `Conflict`."""
        return msgspec.convert(self._call("PUT", f"/v1/items/{id}", data, etag), Item)

    def delete(self, id: str, etag: str) -> None:
        """Take away an item that is still of one version. Raises `Conflict`."""
        self._call("DELETE", f"/v1/items/{id}", etag=etag)

    def set_automation(self, state: str) -> None:
        """Let automation run, or suspend it."""
        self._call("POST", "/v1/automation", {"state": state})

    def restart(self) -> float:
        """Restart the controller and wait until it answers again; return the seconds it took."""
        began = time.monotonic()
        self._call("POST", "/v1/restart")
        time.sleep(0.2)
        while True:
            try:
                self.system()
            except Unreachable:
                if time.monotonic() - began > _RESTARTS_WITHIN:
                    raise
                time.sleep(0.5)
            else:
                return time.monotonic() - began

    def _call(
        self, method: str, path: str, body: dict[str, Any] | None = None, etag: str = ""
    ) -> Any:
        attempts = _ATTEMPTS if method == "GET" else 1
        for attempt in range(attempts):
            self._wait_for_budget()
            headers = {"If-Match": etag} if etag else {}
            try:
                answer = self._http.request(method, path, json=body, headers=headers)
            except httpx.HTTPError as error:
                raise self._unreachable(error) from None
            self._note_budget(answer)
            if answer.status_code == _MANY:
                self.left = 0
                return self._call(method, path, body, etag)
            if answer.is_success:
                return answer.json()
            if not answer.is_server_error or answer.status_code == _FULL or attempt + 1 == attempts:
                break
        raise self._error(answer)

    def _note_budget(self, answer: httpx.Response) -> None:
        left, renew = answer.headers.get("X-Calls-Left"), answer.headers.get("X-Calls-Renew")
        if left is not None and renew is not None:
            self.left = int(left)
            self._renews_at = time.monotonic() + float(renew)

    def _wait_for_budget(self) -> None:
        if self.left is None or self.left > self._reserve:
            return
        seconds = self._renews_at - time.monotonic()
        if seconds > 0:
            self.tell(
                f"The controller's calls for this hour are used up but for {self.left}; the work "
                f"pauses and goes on at {self.renews()}."
            )
            time.sleep(seconds + 0.1)
        self.left = None

    def _unreachable(self, error: httpx.HTTPError) -> Exception:
        gone = Unreachable(f"{self._where} does not answer: {error or type(error).__name__}.")
        return untrusted(error, self._where) or gone

    def _error(self, answer: httpx.Response) -> Exception:
        try:
            why = str(answer.json()["error"])
        except (ValueError, KeyError, TypeError):
            return Unreachable(f"{self._where} answers, but not as an exhibit controller does.")
        status = answer.status_code
        if status == httpx.codes.UNAUTHORIZED:
            return SignInRefused(f"{self._where}: {why}.", "Give the controller's token again.")
        if status == _GONE:
            return NoSuchItem(f"{self._where}: {why}.")
        if status == _CHANGED:
            return Conflict(f"{self._where}: {why}.")
        if status == _LOCKED:
            return NotAllowed(f"{self._where}: {why}.", "The maker alone can unlock it.")
        if status == _FULL:
            return LimitReached(f"{self._where}: {why}.", "Take something away first.")
        if answer.is_server_error:
            return Unreachable(f"{self._where}: {why}.", "Try again; see the controller's log.")
        return Refused(f"{self._where} refuses it: {why}.")
