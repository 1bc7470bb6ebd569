"""The controller's HTTP interface."""

import hmac
import json
import threading
import time
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

from standins.exhibits.items import Refusal, Store
from standins.exhibits.schema import VERSIONS

_PAGE = 50
_LARGEST = 1 << 20


@dataclass
class Behaviour:
    """How the controller behaves; tests change it while it runs.

    budget: calls in each span of `renew` seconds. slow: seconds that each answer takes.
    failing: how many of the next calls end with an error. restart_takes: seconds.
    """

    budget: int = 1000
    renew: float = 3600
    slow: float = 0
    failing: int = 0
    restart_takes: float = 2


class Controller(ThreadingHTTPServer):
    """One controller."""

    daemon_threads = True
    allow_reuse_address = True

    def __init__(
        self, port: int, store: Store, token: str, behaviour: Behaviour, faults: bool = False
    ) -> None:
        super().__init__(("127.0.0.1", port), _Handler)
        self.store = store
        self.token = token
        self.behaviour = behaviour
        self.faults = faults
        self.lock = threading.Lock()
        self.down_until = 0.0
        self._span = time.monotonic()
        self._used = 0

    def spend(self) -> tuple[int, float]:
        """Count a call; return how many are left, and when they renew, in seconds."""
        now = time.monotonic()
        if now - self._span >= self.behaviour.renew:
            self._span, self._used = now, 0
        left = self.behaviour.budget - self._used
        renews = self.behaviour.renew - (now - self._span)
        if left <= 0:
            raise Refusal(429, f"the calls of this span are used up; {renews:.0f} s to go")
        self._used += 1
        return left - 1, renews

    def left(self) -> tuple[int, float]:
        """Return what `spend` would, without counting."""
        renews = self.behaviour.renew - (time.monotonic() - self._span)
        return max(self.behaviour.budget - self._used, 0), max(renews, 0)


class _Handler(BaseHTTPRequestHandler):
    server: Controller
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *arguments: Any) -> None:
        """Keep quiet."""

    def do_GET(self) -> None:
        self._answer()

    do_POST = do_PUT = do_DELETE = do_GET

    def _answer(self) -> None:
        server = self.server
        if time.monotonic() < server.down_until:
            self.close_connection = True
            self.connection.close()
            return
        headers: dict[str, str] = {}
        try:
            body = self._body()
            parts = urlsplit(self.path)
            if parts.path.startswith("/standin/") and server.faults:
                status, found = self._fault(body)
            else:
                self._sign_in()
                with server.lock:
                    left, renews = server.spend()
                    headers = {"X-Calls-Left": str(left), "X-Calls-Renew": f"{renews:.1f}"}
                    if server.behaviour.failing:
                        server.behaviour.failing -= 1
                        raise Refusal(500, "something went wrong inside")
                    query = {k: v[0] for k, v in parse_qs(parts.query).items()}
                    status, found, etag = self._call(parts.path, query, body)
                if etag:
                    headers["ETag"] = etag
                time.sleep(server.behaviour.slow)
        except Refusal as refusal:
            status, found = refusal.status, {"error": str(refusal)}
            if status == 429:
                left, renews = server.left()
                headers = {"X-Calls-Left": str(left), "X-Calls-Renew": f"{renews:.1f}"}
        self._send(status, found, headers)

    def _body(self) -> dict[str, Any]:
        length = int(self.headers.get("Content-Length") or 0)
        if length > _LARGEST:
            raise Refusal(413, "too large")
        raw = self.rfile.read(length)
        try:
            found = json.loads(raw) if raw else {}
        except ValueError:
            raise Refusal(400, "the body is no JSON") from None
        if not isinstance(found, dict):
            raise Refusal(400, "the body is no object")
        return found

    def _sign_in(self) -> None:
        given = self.headers.get("Authorization", "")
        if not hmac.compare_digest(given.encode(), f"Bearer {self.server.token}".encode()):
            raise Refusal(401, "the token is not known")

    def _call(self, path: str, query: dict[str, str], body: dict[str, Any]) -> tuple[int, Any, str]:
        store, method = self.server.store, self.command
        words = path.strip("/").split("/")
        if words[:1] != ["v1"]:
            raise Refusal(404, "nothing is here")
        match method, words[1:]:
            case "GET", ["system"]:
                return 200, self._system(), ""
            case "GET", ["schema"]:
                return 200, VERSIONS[store.software], ""
            case "GET", ["validation"]:
                return 200, store.report(), ""
            case "POST", ["automation"]:
                if body.get("state") not in ("running", "suspended"):
                    raise Refusal(422, "automation is running or suspended")
                store.automation = body["state"]
                store.save()
                return 200, {"automation": store.automation}, ""
            case "POST", ["restart"]:
                store.restart_needed = False
                self.server.down_until = time.monotonic() + self.server.behaviour.restart_takes
                self.close_connection = True
                return 202, {"seconds": self.server.behaviour.restart_takes}, ""
            case "GET", ["items"]:
                ids = sorted(i for i in store.items if i > query.get("after", ""))
                shown = [store.shown(store.items[i]) for i in ids[:_PAGE]]
                return 200, {"items": shown, "more": len(ids) > _PAGE}, ""
            case "POST", ["items"]:
                item = store.create(body)
                return 201, store.shown(item), item.etag
            case "GET", ["items", id]:
                item = store.find(id)
                return 200, store.shown(item), item.etag
            case "PUT", ["items", id]:
                item = store.update(id, body, self.headers.get("If-Match"))
                return 200, store.shown(item), item.etag
            case "DELETE", ["items", id]:
                store.delete(id, self.headers.get("If-Match"))
                return 200, {}, ""
        raise Refusal(404, "nothing is here")

    def _system(self) -> dict[str, Any]:
        store = self.server.store
        return {
            "model": "Exhibit controller", "software": store.software, "free": store.free,
            "automation": store.automation, "restart_needed": store.restart_needed,
            "items": len(store.items), "budget": self.server.behaviour.budget,
        }  # fmt: skip

    def _fault(self, body: dict[str, Any]) -> tuple[int, Any]:
        """Behave badly when asked to, for tests."""
        for name, value in body.items():
            if name == "capacity":
                self.server.store.capacity = value
            elif name == "locked":
                self.server.store.items[value].locked = True
            else:
                setattr(self.server.behaviour, name, value)
        return 200, {"fired": self.server.store.fired, "automation": self.server.store.automation}

    def _send(self, status: int, found: Any, headers: dict[str, str]) -> None:
        data = json.dumps(found).encode()
        self.send_response(status)
        for name, value in {**headers, "Content-Type": "application/json"}.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)
