"""The simulated exhibit controller on loopback."""

import sys
from pathlib import Path
from typing import Any

import httpx

from serving.processes import Server, answers, kept_port

_ROOT = Path(__file__).resolve().parents[2]


class ExhibitController:
    """A controller in a process of its own, and calls of its interface as its makers' tool has."""

    def __init__(
        self, folder: Path, token: str, *, software: str = "4.2", options: tuple[str, ...] = ()
    ) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        self.token = token
        self.port = kept_port(folder, "exhibits")
        self._command = [
            sys.executable, "-m", "standins.exhibits", "--port", str(self.port), "--state",
            str(folder / "items.json"), "--software", software, *options,
        ]  # fmt: skip
        self._http = httpx.Client(
            base_url=self.address, headers={"Authorization": f"Bearer {token}"}
        )
        self.server: Server | None = None
        self.start()

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start the controller, or start it again."""
        environment = {"EXHIBITS_TOKEN": self.token, "PYTHONPATH": str(_ROOT)}
        self.server = Server(self._command, self.folder / "exhibits.log", environment)
        self.server.wait_for(lambda: answers(self.port), "the exhibit controller")

    def stop(self) -> None:
        """Stop the controller."""
        self._http.close()
        if self.server is not None:
            self.server.stop()

    def call(self, method: str, path: str, body: Any = None, etag: str = "") -> Any:
        """Call the controller's interface."""
        headers = {"If-Match": etag} if etag else {}
        answer = self._http.request(method, path, json=body, headers=headers)
        if answer.is_error:
            raise RuntimeError(f"{method} {path}: {answer.text}")
        return answer.json()

    def items(self) -> dict[str, dict[str, Any]]:
        """Return all items by their names."""
        found: list[dict[str, Any]] = []
        more = True
        while more:
            page = self.call("GET", f"/v1/items?after={found[-1]['id'] if found else ''}")
            found += page["items"]
            more = page["more"]
        return {item["name"]: item for item in found}

    def add(self, kind: str, name: str, parent: str = "", locked: bool = False, **body: Any) -> str:
        """Add an item and return its id."""
        data = {"kind": kind, "name": name, "parent": parent, "locked": locked, "body": body}
        return str(self.call("POST", "/v1/items", data)["id"])

    def change(
        self, name: str, to: str | None = None, parent: str | None = None, **body: Any
    ) -> None:
        """Change fields of an item, its name or what holds it."""
        item = self.items()[name]
        data = {
            "name": to or name, "parent": item["parent"] if parent is None else parent,
            "body": {**{n: v for n, v in item["body"].items() if n != "password"}, **body},
        }  # fmt: skip
        self.call("PUT", f"/v1/items/{item['id']}", data, item["etag"])

    def delete(self, name: str) -> None:
        """Take an item away."""
        item = self.items()[name]
        self.call("DELETE", f"/v1/items/{item['id']}", etag=item["etag"])

    def behave(self, **behaviour: Any) -> Any:
        """Change how the controller behaves, for tests."""
        return self.call("POST", "/standin/faults", behaviour)
