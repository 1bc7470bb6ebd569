"""The items that a controller holds, and its rules about them."""

import hashlib
import json
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from standins.exhibits.schema import CONTAINERS, NAMES, VERSIONS


class Refusal(Exception):
    """The controller does not do it: with an HTTP status, and why."""

    def __init__(self, status: int, why: str) -> None:
        super().__init__(why)
        self.status = status


@dataclass
class Item:
    """One item; `parent` is the id of the folder or show that holds it, or empty."""

    id: str
    kind: str
    name: str
    parent: str = ""
    locked: bool = False
    version: int = 1
    body: dict[str, Any] = field(default_factory=dict)

    @property
    def etag(self) -> str:
        """Names this version of the item."""
        return f'"{self.id}.{self.version}"'


def fingerprint(secret: str) -> str:
    """Return what the controller shows of a secret: the same for equal ones."""
    return hashlib.sha256(b"exhibit controller\0" + secret.encode()).hexdigest()[:20]


class Store:
    """All items, kept in a file."""

    def __init__(self, file: Path, software: str, capacity: int) -> None:
        self._file = file
        self.software = software
        self.capacity = capacity
        self.items: dict[str, Item] = {}
        self.automation = "running"
        self.restart_needed = False
        self.fired: list[str] = []
        self._last = 0
        if file.exists():
            kept = json.loads(file.read_text())
            self.items = {i["id"]: Item(**i) for i in kept["items"]}
            self._last, self.automation = kept["last"], kept["automation"]

    def save(self) -> None:
        """Write everything down."""
        kept = {
            "items": [asdict(i) for i in self.items.values()],
            "last": self._last,
            "automation": self.automation,
        }
        new = self._file.with_suffix(".new")
        new.write_text(json.dumps(kept))
        new.replace(self._file)

    @property
    def free(self) -> int:
        """Bytes that are left for items."""
        return self.capacity - sum(len(json.dumps(asdict(i))) for i in self.items.values())

    def find(self, id: str) -> Item:
        """Return an item."""
        if id not in self.items:
            raise Refusal(404, f"there is no item {id}")
        return self.items[id]

    def _ordered(self, item: Item) -> list[str]:
        """Return what a folder or show holds, in its order; what is new stands last."""
        held = [other.id for other in self.items.values() if other.parent == item.id]
        known = [id for id in item.body.get("order", []) if id in held]
        return known + [id for id in held if id not in known]

    def shown(self, item: Item) -> dict[str, Any]:
        """Return an item as it is sent: secrets only by their fingerprints."""
        body = {
            name: {"fingerprint": fingerprint(value)}
            if self._type(item.kind, name) == "secret"
            else value
            for name, value in item.body.items()
        }
        if item.kind in CONTAINERS:
            body["order"] = self._ordered(item)
        return {
            "id": item.id, "kind": item.kind, "name": item.name, "parent": item.parent,
            "locked": item.locked, "etag": item.etag, "body": body,
        }  # fmt: skip

    def _type(self, kind: str, name: str) -> str:
        return str(VERSIONS[self.software][kind].get(name, {}).get("type", ""))

    def create(self, data: dict[str, Any]) -> Item:
        """Take a new item in, under an id of the controller's own choice."""
        kind = data.get("kind")
        if kind not in VERSIONS[self.software]:
            raise Refusal(422, f"no kind of item is called {kind!r}")
        prefix = kind[0]
        self._last += 1
        item = Item(f"{prefix}{self._last:04d}", kind, "", locked=bool(data.get("locked")))
        self._fill(item, data)
        if len(json.dumps(asdict(item))) > self.free:
            raise Refusal(507, f"only {max(self.free, 0)} bytes are free")
        self.items[item.id] = item
        self._wrote(item)
        return item

    def update(self, id: str, data: dict[str, Any], etag: str | None) -> Item:
        """Replace an item, if it is still the version that the caller knows."""
        item = self._for_writing(id, etag)
        changed = Item(**{**asdict(item), "body": dict(item.body)})
        self._fill(changed, data)
        if self.software and changed.body.get("address") != item.body.get("address"):
            self.restart_needed = True
        changed.version += 1
        self.items[id] = changed
        self._wrote(changed)
        return changed

    def delete(self, id: str, etag: str | None) -> None:
        """Take an item away."""
        item = self._for_writing(id, etag)
        if any(other.parent == id for other in self.items.values()):
            raise Refusal(409, f"{item.name} holds items")
        del self.items[id]
        self._wrote(item)

    def _for_writing(self, id: str, etag: str | None) -> Item:
        item = self.find(id)
        if item.locked:
            raise Refusal(423, f"{item.name} is locked by the maker")
        if etag is None:
            raise Refusal(428, "say which version is meant, with If-Match")
        if etag != item.etag:
            raise Refusal(412, f"{item.name} is version {item.etag} by now")
        return item

    def _fill(self, item: Item, data: dict[str, Any]) -> None:
        name, parent = str(data.get("name", "")).strip(), str(data.get("parent", ""))
        if not name:
            raise Refusal(422, "an item needs a name")
        if parent and (parent not in self.items or self.items[parent].kind not in CONTAINERS):
            raise Refusal(422, f"{parent} can hold no items")
        above = parent
        while above:
            if above == item.id:
                raise Refusal(422, "an item cannot hold itself")
            above = self.items[above].parent
        for other in self.items.values():
            if other.id != item.id and (other.parent, other.name) == (parent, name):
                raise Refusal(409, f"{name} exists already")
        body = data.get("body", {})
        known = VERSIONS[self.software][item.kind]
        secret = {n for n, p in known.items() if p["type"] == "secret"}
        for field_name, value in body.items():
            if field_name not in known:
                raise Refusal(422, f"{item.kind}s of version {self.software} have no {field_name}")
            _check(field_name, known[field_name], value)
        kept = {n: v for n, v in item.body.items() if n in secret and n not in body}
        item.name, item.parent, item.body = name, parent, {**body, **kept}

    def _wrote(self, item: Item) -> None:
        if self.automation == "running" and item.kind in ("preset", "device", "workflow"):
            self.fired.append(f"{item.name} was written")
        self.save()

    def report(self) -> dict[str, list[dict[str, str]]]:
        """Return what is unsound: errors and warnings."""
        errors, warnings = [], []
        for item in self.items.values():
            for step in [*item.body.get("steps", []), *item.body.get("stages", [])]:
                for name in NAMES:
                    if name in step and step[name] not in self.items:
                        text = f"{name}s {step[name]}, which does not exist"
                        errors.append({"id": item.id, "text": text})
            if item.kind == "workflow" and not item.body.get("stages"):
                warnings.append({"id": item.id, "text": "has no stages"})
            if item.kind == "device" and "password" not in item.body:
                warnings.append({"id": item.id, "text": "has no password"})
        return {"errors": errors, "warnings": warnings}


def _check(name: str, known: dict[str, Any], value: Any) -> None:
    if known["type"] == "number":
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise Refusal(422, f"{name} is no number")
        if not known["min"] <= value <= known["max"]:
            raise Refusal(422, f"{name} lies between {known['min']} and {known['max']}")
