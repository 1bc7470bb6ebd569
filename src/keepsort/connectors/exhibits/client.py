"""Calls of an exhibit controller, within its budget."""

import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar
from urllib.parse import quote

import httpx
import msgspec

from keepsort.connectors import options
from keepsort.connectors.answers import Answer, asked
from keepsort.connectors.base import Endpoint
from keepsort.connectors.certificates import untrusted
from keepsort.connectors.errors import (
    Changed,
    LimitReached,
    Misconfigured,
    NotAllowed,
    Refused,
    SignInRefused,
    Unreachable,
)

#: While it waits for its budget, it says so again after so many seconds.
_TOLD_EVERY = 2.0
_SECONDS = 30.0
_ATTEMPTS = 3
_RESTARTS_WITHIN = 180.0
_KIND = "an exhibit controller"
_MOST_ITEMS = 200_000
_MOST_PAUSES = 30
_LONGEST_RENEWAL = 86_400
Shape = TypeVar("Shape")
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


class _Page(msgspec.Struct):
    items: list[Item]
    more: bool


class _Said(msgspec.Struct):
    error: str


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
        self._where = endpoint.address
        self._reserve = options.number(endpoint, "reserve", 20)
        self._http = httpx.Client(
            base_url=endpoint.address.rstrip("/"), timeout=_SECONDS,
            verify=options.tls(endpoint),
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
        return self._call("GET", "/v1/system", shape=SystemState)

    def schema(self) -> dict[str, dict[str, dict[str, Any]]]:
        """Return what the controller knows of each kind of item, field by field."""
        return self._call("GET", "/v1/schema", shape=dict[str, dict[str, dict[str, Any]]])

    def report(self) -> dict[str, list[dict[str, str]]]:
        """Return what the controller finds unsound, as errors and warnings."""
        return self._call("GET", "/v1/validation", shape=dict[str, list[dict[str, str]]])

    def items(self) -> list[Item]:
        """Return all items, page by page."""
        found: list[Item] = []
        more = True
        while more:
            after = found[-1].id if found else ""
            page = self._call("GET", f"/v1/items?after={quote(after, safe='')}", shape=_Page)
            found += page.items
            more = page.more and bool(page.items)
            if len(found) > _MOST_ITEMS:
                raise LimitReached(f"{self._where} has more than {_MOST_ITEMS} items.")
        return found

    def item(self, id: str) -> Item:
        """Return one item. Raises `NoSuchItem`."""
        return self._call("GET", _place(id), shape=Item)

    def create(self, data: dict[str, Any]) -> Item:
        """Add an item; the controller gives it an id."""
        return self._call("POST", "/v1/items", data, shape=Item)

    def update(self, id: str, data: dict[str, Any], etag: str) -> Item:
        """Replace an item that is still of one version. Raises `Changed`."""
        return self._call("PUT", _place(id), data, etag, shape=Item)

    def delete(self, id: str, etag: str) -> None:
        """Take away an item that is still of one version. Raises `Changed`."""
        self._call("DELETE", _place(id), etag=etag)

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
        self,
        method: str,
        path: str,
        body: dict[str, Any] | None = None,
        etag: str = "",
        shape: type[Shape] = object,  # type: ignore[assignment]
    ) -> Shape:
        attempts = _ATTEMPTS if method == "GET" else 1
        tries = 0
        for _ in range(_MOST_PAUSES):
            self._wait_for_budget()
            headers = {"If-Match": etag} if etag else {}
            try:
                answer = asked(self._http, self._where, method, path, json=body, headers=headers)
            except httpx.HTTPError as error:
                raise self._unreachable(error) from None
            self._note_budget(answer)
            if answer.status == _MANY:
                self.left = 0
                continue
            if httpx.codes.is_success(answer.status):
                return answer.decoded(shape, _KIND)
            tries += 1
            failed = httpx.codes.is_server_error(answer.status) and answer.status != _FULL
            if not failed or tries == attempts:
                raise self._error(answer)
        raise LimitReached(f"{self._where} has no calls left, however long one waits.")

    def _note_budget(self, answer: Answer) -> None:
        left, renew = answer.headers.get("X-Calls-Left"), answer.headers.get("X-Calls-Renew")
        if left is None or renew is None:
            return
        try:
            self.left = int(left)
            seconds = float(renew)
        except ValueError:
            raise answer.odd(_KIND) from None
        if not 0 <= seconds <= _LONGEST_RENEWAL:
            raise answer.odd(_KIND)
        self._renews_at = time.monotonic() + seconds

    def _wait_for_budget(self) -> None:
        if self.left is None or self.left > self._reserve:
            return
        text = (
            f"The controller's calls for this hour are used up but for {self.left}; the work "
            f"pauses and goes on at {self.renews()}."
        )
        while (seconds := self._renews_at - time.monotonic() + 0.1) > 0.1:
            self.tell(text)  # who is told may end it
            time.sleep(min(seconds, _TOLD_EVERY))
        self.left = None

    def _unreachable(self, error: httpx.HTTPError) -> Exception:
        gone = Unreachable(f"{self._where} does not answer: {error or type(error).__name__}.")
        return untrusted(error, self._where) or gone

    def _error(self, answer: Answer) -> Exception:
        try:
            why = answer.decoded(_Said, _KIND).error
        except Unreachable as odd:
            return odd
        status = answer.status
        if status == httpx.codes.UNAUTHORIZED:
            return SignInRefused(f"{self._where}: {why}.", "Give the controller's token again.")
        if status == _GONE:
            return NoSuchItem(f"{self._where}: {why}.")
        if status == _CHANGED:
            return Changed(f"{self._where}: {why}.")
        if status == _LOCKED:
            return NotAllowed(f"{self._where}: {why}.", "The maker alone can unlock it.")
        if status == _FULL:
            return LimitReached(f"{self._where}: {why}.", "Take something away first.")
        if httpx.codes.is_server_error(status):
            return Unreachable(f"{self._where}: {why}.", "Try again; see the controller's log.")
        return Refused(f"{self._where} refuses it: {why}.")


def _place(id: str) -> str:
    return f"/v1/items/{quote(id, safe='')}"
