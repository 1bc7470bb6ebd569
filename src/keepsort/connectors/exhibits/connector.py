"""The exhibits connector: items of an exhibit controller as a tree of objects, and back."""

import json
from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from typing import Any

from keepsort.connectors.base import (
    Description,
    Ending,
    Endpoint,
    Problem,
    Promises,
    Ready,
    SecretKeeper,
    Seen,
)
from keepsort.connectors.errors import NoSuchBranch, Refused, Unreachable
from keepsort.connectors.exhibits.client import Client, Item, NoSuchItem, SystemState
from keepsort.connectors.exhibits.index import Index
from keepsort.connectors.exhibits.schema import Fields, read_schema
from keepsort.core.model import Attributes, ConfigObject, Path, Schema, Value
from keepsort.core.model.notation import write_slash
from keepsort.core.plan import Budget, Effect, Finding, Right, Step, numbers
from keepsort.core.snapshot import Snapshot

_CALLS_A_STEP = 3
_PAGE = 50


def open_exhibits(endpoint: Endpoint, secrets: SecretKeeper) -> "Exhibits":
    """Connect to a controller. Raises a `ConnectorError`."""
    return Exhibits(Client(endpoint), secrets)


class Exhibits:
    """The items of one controller."""

    def __init__(self, client: Client, secrets: SecretKeeper) -> None:
        self._client = client
        self._secrets = secrets
        self._system: SystemState = client.system()
        self._index: Index | None = None

    @property
    def tell(self) -> Callable[[str], None]:
        """What is told when the work has to pause."""
        return self._client.tell

    @tell.setter
    def tell(self, tell: Callable[[str], None]) -> None:
        self._client.tell = tell

    def close(self) -> None:
        """Let go of the connection."""
        self._client.close()

    @cached_property
    def _fields(self) -> Fields:
        return self._client.schema()

    @cached_property
    def _schema(self) -> Schema:
        return read_schema(self._fields)

    def describe(self) -> Description:
        """Return what the controller is."""
        return Description(
            software=f"{self._system.model} {self._system.software}",
            schema=self._schema,
            promises=Promises(compare_and_set="server", rename=True, stable_identity=True),
            depth_first=True,
        )

    def rights(self) -> list[str]:
        """Return what the token may do."""
        locked = sum(item.locked for item in self._known().items.values())
        told = ["The token may read and write every item."]
        if locked:
            told.append(f"{locked} of them are locked by the maker.")
        if self._client.left is not None:
            told.append(f"{self._client.left} calls are left until {self._client.renews()}.")
        return told

    # Reading

    def _look(self) -> Index:
        self._index = Index(self._client.items())
        astray = self._index.ids.astray()
        if astray:
            raise Unreachable(
                f"The controller lists items that hang on nothing: {', '.join(astray[:3])}.",
                "It may have been changed at this moment; look again, or see its own log.",
            )
        return self._index

    def _known(self) -> Index:
        return self._index or self._look()

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield items of a branch, each with all beneath it."""
        index = self._look()
        top = index.ids.at(branch)
        if top is None:
            raise NoSuchBranch(f"The controller has no item {write_slash(branch)}.")
        yield branch, self._object(index, index.items[top]) if top else self._root()
        for id in index.ids.depth_first(top):
            yield index.ids.path(id), self._object(index, index.items[id])

    def _root(self) -> ConfigObject:
        facts: dict[str, Value] = {
            "free": self._system.free, "automation": self._system.automation,
            "software": self._system.software,
        }  # fmt: skip
        return ConfigObject(name="", kind="controller", facts=facts)

    def _object(self, index: Index, item: Item) -> ConfigObject:
        attributes: Attributes = {}
        for name, value in item.body.items():
            spec = self._schema.spec(item.kind, name)
            if spec.secret:
                value = value.get("fingerprint", "") if isinstance(value, dict) else ""
            if spec.orders:
                value = [index.items[id].name for id in value if id in index.items]
            attributes[name] = index.ids.told(spec, self._schema.notation, value)
        facts: dict[str, Value] = {"version": item.etag.strip('"')}
        if item.locked:
            facts["locked"] = "by the maker"
        return ConfigObject(
            name=item.name, kind=item.kind, identity=item.id, attributes=attributes, facts=facts
        )

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen items as they are now, with their ETags (RFC 9110, section 8.8.3)."""
        return [self._look_one(path) for path in paths]

    def _look_one(self, path: Path) -> Seen:
        if not path:
            return Seen(self._root())
        item = self._item(path)
        return Seen(self._object(self._known(), item), item.etag) if item else Seen(None)

    def _item(self, path: Path) -> Item | None:
        """Ask for the item at a path; all are listed again only if it is not where it was."""
        index = self._known()
        id = index.ids.at(path)
        if id:
            known = index.items[id]
            try:
                item = self._client.item(id)
            except NoSuchItem:
                index.drop(id)
                return self._item_listed(path)
            if (item.name, item.parent) == (known.name, known.parent):
                index.items[id] = item
                return item
        return self._item_listed(path) if path else None

    def _item_listed(self, path: Path) -> Item | None:
        index = self._look()
        id = index.ids.at(path)
        return index.items[id] if id else None

    # Writing

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for limits, secrets, space, a restart and the call budget."""
        if not steps:
            return []
        self._look()
        self._system = self._client.system()
        found = [finding for step in steps for finding in self._check_fields(step)]
        return [*found, *self._check_whole(steps)]

    def may_write(self, steps: Sequence[Step]) -> list[Right]:
        """Say that all may be written but what its maker has locked."""
        index = self._known()
        told = []
        for step in steps:
            item = index.items.get(index.ids.at(step.path) or "")
            locked = item is not None and item.locked
            why = "It is locked by the maker, so the controller refuses to have it changed."
            told.append(Right(step.number, not locked, why if locked else ""))
        return told

    def _check_fields(self, step: Step) -> Iterator[Finding]:
        fields = self._fields.get(step.kind, {})
        before = step.before or {}
        for name, value in (step.after or {}).items():
            about = fields.get(name)
            if about is None:
                text = f"Version {self._system.software} of the controller knows no {name}."
                yield Finding("stop", "no-such-field", text, step.final_path, name)
                continue
            if not _fits(about, value):
                low, high, unit = about["min"], about["max"], about.get("unit", "")
                text = f"{name} lies between {low} and {high} {unit}, and would be {value}."
                yield Finding("stop", "not-in-limits", text, step.final_path, name)
            secret = about.get("type") == "secret" and before.get(name) != value
            if secret and self._secrets.reveal(str(value)) is None:
                text = (
                    f"The controller never shows the {name}, so it cannot be kept. Type the one "
                    "that belongs here."
                )
                yield Finding("ask", "secret-wanted", text, step.final_path, name, str(value))

    def _check_whole(self, steps: Sequence[Step]) -> Iterator[Finding]:
        size = sum(len(json.dumps(s.after, default=str)) for s in steps if s.action == "create")
        if size > self._system.free:
            text = f"The new items take some {size} bytes; {self._system.free} are free."
            yield Finding("stop", "no-space", text)
        restarting = [s for s in steps if self._restarts(s)]
        if restarting:
            text = (
                "The controller restarts once at the end, to take this in. Its connections close "
                "for a while, and the galleries stand still as long."
            )
            effect = Effect("restarts", "the controller", "after", numbers(restarting))
            yield Finding("confirm", "restart", text, restarting[0].final_path, effect=effect)
        if self._system.automation == "running":
            text = "Automation is suspended while the run writes, and runs on afterwards."
            yield Finding(
                "note", "automation", text, effect=Effect("rests", "automation", "during")
            )
        calls = _CALLS_A_STEP * len(steps) + self._system.items // _PAGE + 4
        to_spend = self._client.to_spend
        if to_spend is not None:
            renews = self._client.renews()
            text = f"This takes about {calls} calls, and {to_spend} may be made until {renews}."
            if calls > to_spend:
                text += " The run pauses then and goes on by itself."
            budget = Budget("calls", calls, to_spend, renews)
            yield Finding("note", "call-budget", text, budget=budget)

    def _restarts(self, step: Step) -> bool:
        fields = self._fields.get(step.kind, {})
        return step.action == "update" and any(
            about.get("restart") and (step.before or {}).get(name) != (step.after or {}).get(name)
            for name, about in fields.items()
        )

    def render(self, step: Step) -> str:
        """Write a step as the request that carries it out; items are named by their paths."""
        place = write_slash(step.path)
        if step.action == "create":
            return f"POST /v1/items\n{self._shown(step, step.path)}"
        guard = "If-Match: the version that was read right before"
        if step.action == "delete":
            return f"DELETE /v1/items/{{id of {place}}}\n{guard}"
        return f"PUT /v1/items/{{id of {place}}}\n{guard}\n{self._shown(step, step.final_path)}"

    def _shown(self, step: Step, place: Path) -> str:
        secret = {n for n in step.after or {} if self._schema.spec(step.kind, n).secret}
        body = {n: "••••••" if n in secret else v for n, v in (step.after or {}).items()}
        data = {"kind": step.kind, "name": place[-1], "parent": write_slash(place[:-1])}
        return json.dumps({**data, "body": body}, indent=2, ensure_ascii=False, default=str)

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out one step; the controller refuses where the ETag is another by now."""
        index = self._known()
        for step, (found, etag) in ready:
            if found is None:
                index.put(self._client.create(self._data(index, step, None)))
                continue
            assert found.identity is not None
            assert etag is not None
            if step.action == "delete":
                self._client.delete(found.identity, etag)
                index.drop(found.identity)
            else:
                data = self._data(index, step, found)
                index.put(self._client.update(found.identity, data, etag))
        return [""] * len(ready)

    def _data(self, index: Index, step: Step, found: ConfigObject | None) -> dict[str, Any]:
        place = step.final_path
        parent = index.ids.at(place[:-1])
        if parent is None:
            raise Refused(f"{write_slash(place[:-1])}, which should hold it, does not exist.")
        if found is not None and found.kind != step.kind:
            raise Refused(f"A {found.kind} cannot become a {step.kind}.")
        body: dict[str, Any] = {}
        own = index.ids.at(step.path)
        for name, value in (step.after or {}).items():
            spec = self._schema.spec(step.kind, name)
            if spec.secret:
                if found is not None and found.attributes.get(name) == value:
                    continue  # what is not sent stays as it is
                kept = self._secrets.reveal(str(value))
                if kept is None:
                    raise Refused(f"The {name} was never given.", "Preview again and type it.")
                body[name] = kept.decode()
            elif spec.orders:
                held = index.ids.beneath(own) if own else []
                below = {index.items[id].name: id for id in held}
                body[name] = [below[one] for one in value if one in below]
            else:
                try:
                    body[name] = index.ids.meant(spec, self._schema.notation, value)
                except KeyError as unknown:
                    raise Refused(
                        f"{name} names {unknown.args[0]}, which does not exist."
                    ) from None
        return {"kind": step.kind, "name": place[-1], "parent": parent, "body": body}

    # Around a run

    def standing(self, steps: Sequence[Step]) -> dict[str, Value]:
        """Return whether automation runs."""
        return {"automation": self._client.system().automation}

    def begin(self, standing: dict[str, Value]) -> None:
        """Suspend automation, which would fire on what is written."""
        if standing["automation"] == "running":
            self._client.set_automation("suspended")

    def finish(self, done: Sequence[Step]) -> Ending:
        """Restart the controller if it asks for that."""
        if not done or not self._client.system().restart_needed:
            return Ending()
        took = self._client.restart()
        return Ending((f"The controller was restarted and answered again after {took:.1f} s.",))

    def put_back(self, standing: dict[str, Value]) -> Ending:
        """Let automation run on, if it ran."""
        if standing["automation"] != "running":
            return Ending()
        self._client.set_automation("running")
        return Ending(("Automation was suspended for the run, and runs on.",))

    # Soundness

    def validate(self, tree: Snapshot) -> list[Problem]:
        """Return the controller's own report, errors first."""
        index, report = self._known(), self._client.report()
        found = []
        for level in ("errors", "warnings"):
            for line in report.get(level, []):
                item = index.items.get(line["id"])
                if item is not None:
                    text = f"{item.name} {line['text']} ({level[:-1]} of the controller)."
                    found.append(Problem(index.ids.path(item.id), text))
        return found


def _fits(about: dict[str, Any], value: Value) -> bool:
    """Tell whether a number lies within the limits that the controller gives for it."""
    if "min" not in about or isinstance(value, bool) or not isinstance(value, int | float):
        return True
    return bool(about["min"] <= value <= about["max"])
