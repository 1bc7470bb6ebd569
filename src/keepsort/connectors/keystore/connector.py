"""The key store connector: keys of etcd v3 as a tree of objects, and back."""

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property
from itertools import chain
from typing import Any

import msgspec

from keepsort.connectors.base import (
    ALREADY,
    DONE,
    Description,
    Endpoint,
    Outcome,
    Problem,
    Promises,
    SecretKeeper,
)
from keepsort.connectors.errors import Conflict, Misconfigured, NotAllowed
from keepsort.connectors.keystore.client import Client, KeyValue, Permission, Range
from keepsort.connectors.keystore.names import Names, after_all
from keepsort.connectors.keystore.requests import (
    Operation,
    Write,
    absent,
    delete,
    put,
    unchanged,
    wire,
)
from keepsort.connectors.keystore.values import stored, typed
from keepsort.core.model import AttributeSpec, ConfigObject, Kind, Path, Schema
from keepsort.core.plan import Finding, Step, is_implied
from keepsort.core.plan.rehearsal import holds, is_done
from keepsort.core.snapshot import Snapshot

SCHEMA = Schema(
    kinds={
        "folder": Kind("folder", "folder", icon="folder", implied=True),
        "key": Kind("key", "key", icon="key"),
    },
    attributes={
        "value": AttributeSpec(shape="text", number=True, label="value"),
        "written": AttributeSpec(label="exact text"),
    },
)
_Key = tuple[Path, KeyValue]
_MAY = {"READ": "read", "WRITE": "write", "READWRITE": "read and write"}


def open_keystore(endpoint: Endpoint, secrets: SecretKeeper) -> "KeyStore":
    """Connect to a key store and sign in. Raises a `ConnectorError`."""
    return KeyStore(endpoint)


class KeyStore:
    """The keys of one store that begin with one prefix."""

    def __init__(self, endpoint: Endpoint) -> None:
        self._endpoint = endpoint
        self._names = Names(endpoint.options.get("prefix", "/"))
        self._page_size = _number(endpoint, "page_size", 20000)
        self._limit = _number(endpoint, "txn_limit", 128)
        self._client = Client(endpoint)

    def close(self) -> None:
        """Let go of the connection."""
        self._client.close()

    def describe(self) -> Description:
        """Return what the store is."""
        return Description(
            software=f"etcd {self._client.version}",
            schema=SCHEMA,
            promises=Promises(compare_and_set="server", atomic=True, rename=True),
        )

    def rights(self) -> list[str]:
        """Return what the user may read and write."""
        granted = self._client.permissions()
        if granted is None:
            return ["The account may read and write every key."]
        return [f"May {_MAY[p.perm_type]} {_told(p)}" for p in granted]

    # Reading

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the keys of a branch as they all stood at one revision of the store."""
        top = self._read_one(branch)
        if top is None:
            top = ConfigObject(name=branch[-1] if branch else "", kind="folder")
        start = self._names.beneath(branch)
        pages = self._pages(start, after_all(start))
        first = next(pages, Range())
        facts = {
            "revision": int(first.header.revision),
            "cluster": first.header.cluster_id,
            "keys": int(first.count),
        }
        if self._readable is not None:
            facts["readable"] = [_told(p) for p in self._readable]
        top.facts = {**top.facts, **facts}
        yield branch, top
        seen = {branch}
        for page in chain((first,), pages):
            for kv in page.kvs:
                path = self._names.path(kv.key)
                if path[:-1] not in seen:
                    for depth in range(len(branch) + 1, len(path)):
                        above = path[:depth]
                        if above not in seen:
                            seen.add(above)
                            yield above, ConfigObject(name=above[-1], kind="folder")
                seen.add(path)
                yield path, _object(path, kv)

    def observe_since(
        self, previous: Snapshot, branch: Path = ()
    ) -> list[tuple[Path, ConfigObject | None]] | None:
        """Return what changed since an earlier look, parents first; None where that is not known.

        The server is asked for keys changed after that look's revision alone. That none are gone
        is seen from their number; which ones are gone takes a list of all keys, without values.
        """
        top = previous.object(previous.top())
        since = top.facts.get("revision")
        if not isinstance(since, int) or "readable" in top.facts or self._readable is not None:
            return None
        start = self._names.beneath(branch)
        end = after_all(start)
        changed = self._client.range(start, end, min_mod_revision=str(since + 1), limit="5000")
        now = changed.header
        if changed.more or now.cluster_id != top.facts.get("cluster") or int(now.revision) < since:
            return None
        found: list[tuple[Path, ConfigObject | None]] = []
        own = self._read_one(branch) or ConfigObject(name=top.name, kind="folder")
        own.facts = {
            **own.facts,
            "revision": int(now.revision),
            "cluster": now.cluster_id,
            "keys": int(changed.count),
        }
        found.append((branch, own))
        added = 0
        known: set[Path] = set()
        for kv in changed.kvs:
            path = self._names.path(kv.key)
            for depth in range(len(branch) + 1, len(path)):
                above = path[:depth]
                if above not in known and previous.find(above) is None:
                    found.append((above, ConfigObject(name=above[-1], kind="folder")))
                known.add(above)
            known.add(path)
            node = previous.find(path)
            added += node is None or node.entry.kind != "key"
            found.append((path, _object(path, kv)))
        gone = int(top.facts.get("keys", -1)) + added - int(changed.count)
        return None if gone else found

    @cached_property
    def _readable(self) -> list[Permission] | None:
        """What of the prefix the user may read; None where that is all of it."""
        granted = self._client.permissions()
        start, end = self._names.prefix, after_all(self._names.prefix)
        if granted is None or any(_covers(p, start, end) for p in granted if _reads(p)):
            return None
        return [
            p for p in granted if _reads(p) and p.key >= start and (end == b"\0" or p.key < end)
        ]

    def _pages(self, start: bytes, end: bytes) -> Iterator[Range]:
        """Yield pages of the keys of a range, all at one revision."""
        if self._readable is None:
            ranges = [(start, end)]
        else:
            ranges = [
                (max(start, p.key), min(end, p.range_end or p.key + b"\0"))
                for p in sorted(self._readable, key=lambda p: p.key)
            ]
        revision = "0"
        # the next page is asked for while this one is used: the server takes as long as we do
        with ThreadPoolExecutor(1) as ahead:
            for begin, stop in ranges:
                waiting = ahead.submit(self._page, begin, stop, revision) if begin < stop else None
                while waiting is not None:
                    page = waiting.result()
                    waiting = None
                    revision = page.header.revision if revision == "0" else revision
                    if page.more:
                        begin = page.kvs[-1].key + b"\0"
                        waiting = ahead.submit(self._page, begin, stop, revision)
                    yield page

    def _page(self, start: bytes, end: bytes, revision: str) -> Range:
        return self._client.range(start, end, limit=str(self._page_size), revision=revision)

    def read(self, paths: Sequence[Path]) -> list[ConfigObject | None]:
        """Return chosen keys as they are now."""
        return [self._read_one(path) for path in paths]

    def _read_one(self, path: Path) -> ConfigObject | None:
        try:
            return self._lookup(path)[0]
        except NotAllowed:
            return ConfigObject(
                name=path[-1] if path else "",
                kind="folder",
                unreadable="the user's roles do not allow to read it",
            )

    def _lookup(self, path: Path) -> tuple[ConfigObject | None, str]:
        """Return the object at a path and the revision its key was last changed at."""
        if path:
            found = self._client.range(self._names.key(path))
            if found.kvs:
                return _object(path, found.kvs[0]), found.kvs[0].mod_revision
        if self._readable is not None and not path:
            return ConfigObject(name="", kind="folder"), "0"
        start = self._names.beneath(path)
        some = self._client.range(start, after_all(start), limit="1", keys_only=True)
        if some.kvs or not path:
            return ConfigObject(name=path[-1] if path else "", kind="folder"), "0"
        return None, "0"

    # Writing

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for what this store's rights and limits mean for a plan."""
        found: list[Finding] = []
        written = [s for s in steps if not is_implied(SCHEMA, s)]
        groups = self.groups(written)
        if len(groups) > 1:
            text = (
                f"The server takes {self._limit} operations in one transaction, so these "
                f"{len(written)} steps go in {len(groups)}. Each happens whole or not at all; "
                "between them others see what is done so far."
            )
            found.append(Finding("note", "several-transactions", text))
        granted = self._client.permissions()
        for step in written:
            for path in {step.path, step.final_path}:
                key = self._names.key(path)
                end = key + b"\0" if step.action != "move" else after_all(self._names.beneath(path))
                if granted is not None and not any(
                    _covers(p, key, end) for p in granted if p.perm_type in ("WRITE", "READWRITE")
                ):
                    text = "The user's roles do not allow to write this key."
                    found.append(Finding("stop", "not-allowed", text, path))
            node = origin.find(step.final_path) if step.action == "create" else None
            if node is not None and origin.object(node).facts.get("lease"):
                text = (
                    "In the backup this key had a lease, and would have gone away by itself. It "
                    "comes back without one and stays until somebody deletes it."
                )
                found.append(Finding("confirm", "lease-lost", text, step.final_path))
        return found

    def render(self, step: Step) -> str:
        """Write a step as the transaction that carries it out, keys and values in plain text."""
        if is_implied(SCHEMA, step):
            return "nothing is sent: a folder is there as long as there are keys beneath it"
        compare, success = self._operations(step, _shown)
        body = {"compare": compare, "success": success}
        text = msgspec.json.format(msgspec.json.encode(body), indent=2).decode()
        return f"POST /v3/kv/txn\n{text}"

    def groups(self, steps: Sequence[Step]) -> list[list[Step]]:
        """Put as many steps into one transaction as the server takes; moves go by themselves."""
        found: list[list[Step]] = []
        open_group = False
        for step in steps:
            if step.action == "move":
                found.append([step])
                open_group = False
            elif open_group and len(found[-1]) < self._limit:
                found[-1].append(step)
            else:
                found.append([step])
                open_group = True
        return found

    def apply(self, step: Step) -> Outcome:
        """Carry out one step if the key is as expected."""
        return self.apply_group([step])[0]

    def apply_group(self, steps: Sequence[Step]) -> list[Outcome]:
        """Carry out steps in one transaction, guarded by the revisions of all their keys."""
        if len(steps) == 1 and steps[0].action == "move":
            return [self._move(steps[0])]
        compare: list[Operation] = []
        success: list[Operation] = []
        outcomes = []
        for step in steps:
            found, revision = self._lookup(step.path)
            if is_done(SCHEMA, step, found):
                outcomes.append(ALREADY)
                continue
            if not holds(SCHEMA, step, found) and not self._appeared(step, found):
                raise self._conflict(step.path, found)
            guards, operations = self._operations(step, wire, revision)
            compare += guards
            success += operations
            outcomes.append(DONE)
        if success and not self._client.transaction(compare, success).succeeded:
            raise Conflict("One of the keys was changed by somebody at this very moment.")
        return outcomes

    def _appeared(self, step: Step, found: ConfigObject | None) -> bool:
        """A key to be created may have become a folder by a step before it."""
        return step.action == "create" and found is not None and found.kind == "folder"

    def _operations(
        self, step: Step, write: Write, revision: str = "…"
    ) -> tuple[list[Operation], list[Operation]]:
        """Return what guards a step, and what it does."""
        key = write(self._names.key(step.path))
        after = write(stored(step.after or {}))
        if step.action == "move":
            assert step.to is not None
            to = write(self._names.key(step.to))
            return [unchanged(key, revision), absent(to)], [put(to, after), delete(key)]
        if step.action == "create" or step.was_kind == "folder":
            return [absent(key)], [put(key, after)]
        if step.action == "delete" or step.kind == "folder":
            return [unchanged(key, revision)], [delete(key)]
        return [unchanged(key, revision)], [put(key, after, ignore_lease=True)]

    def _move(self, step: Step) -> Outcome:
        """Put everything at its new place, then take it away from the old one."""
        assert step.to is not None
        found, _ = self._lookup(step.path)
        there, _ = self._lookup(step.to)
        if found is None and is_done(SCHEMA, step, there):
            return ALREADY
        if found is None or not holds(SCHEMA, step, found):
            raise self._conflict(step.path, found)
        moving = list(self._branch(step.path))
        targets = {
            kv.key: self._names.key((*step.to, *path[len(step.path) :])) for path, kv in moving
        }
        standing = {kv.key: kv.value for _, kv in self._branch(step.to)}
        for _, kv in moving:
            # what stands there with the same value was put there before an interruption
            if standing.get(targets[kv.key], kv.value) != kv.value:
                raise self._conflict(step.to, there)
        if standing.keys() - set(targets.values()):
            raise self._conflict(step.to, there)
        puts = [kv for _, kv in moving if targets[kv.key] not in standing]
        share = max(self._limit // 2, 1)
        if len(moving) <= share:
            self._swap(puts, [kv for _, kv in moving], targets)
        else:
            for start in range(0, len(puts), share):
                self._swap(puts[start : start + share], [], targets)
            leaves_first = [kv for _, kv in reversed(moving)]
            for start in range(0, len(moving), share):
                self._swap([], leaves_first[start : start + share], targets)
        return DONE

    def _swap(
        self, puts: list[KeyValue], deletes: list[KeyValue], targets: dict[bytes, bytes]
    ) -> None:
        touched = {kv.key: kv for kv in (*puts, *deletes)}.values()
        compare = [unchanged(wire(kv.key), kv.mod_revision) for kv in touched]
        compare += [absent(wire(targets[kv.key])) for kv in puts]
        success = [put(wire(targets[kv.key]), wire(kv.value), lease=kv.lease) for kv in puts]
        success += [delete(wire(kv.key)) for kv in deletes]
        if success and not self._client.transaction(compare, success).succeeded:
            raise Conflict("One of the keys was changed by somebody at this very moment.")

    def _branch(self, path: Path) -> Iterator[_Key]:
        own = self._client.range(self._names.key(path)) if path else Range()
        yield from ((path, kv) for kv in own.kvs)
        start = self._names.beneath(path)
        for page in self._pages(start, after_all(start)):
            yield from ((self._names.path(kv.key), kv) for kv in page.kvs)

    def _conflict(self, path: Path, found: ConfigObject | None) -> Conflict:
        key = _shown(self._names.key(path))
        return Conflict(f"The key {key} is not what the preview showed.", found)

    # Soundness

    def validate(self, tree: Snapshot) -> list[Problem]:
        """List values that begin like JSON and are none."""
        found = []
        for node in tree.walk():
            raw = bytes(node.entry.attributes)
            # maps hold no braces when they are stored: only texts with one need a closer look
            if node.entry.unreadable is not None or not (b"{" in raw or b"[" in raw):
                continue
            value = tree.object(node).attributes.get("value")
            if isinstance(value, str) and value.lstrip()[:1] in ("{", "["):
                try:
                    msgspec.json.decode(value)
                except msgspec.DecodeError as error:
                    text = f"The value begins like JSON, but does not parse: {error}."
                    found.append(Problem(node.path, text))
        return found


def _shown(value: bytes) -> str:
    return value.decode("utf-8", "backslashreplace")


def _object(path: Path, kv: KeyValue) -> ConfigObject:
    facts: dict[str, Any] = {"revision": int(kv.mod_revision)}
    if kv.lease != "0":
        facts["lease"] = f"{int(kv.lease):x}"
    return ConfigObject(name=path[-1], kind="key", attributes=typed(kv.value), facts=facts)


def _number(endpoint: Endpoint, name: str, default: int) -> int:
    text = endpoint.options.get(name) or str(default)
    if not text.isdigit() or int(text) < 2:
        raise Misconfigured(f"{name} is {text!r}, which is no number of at least 2.")
    return int(text)


def _reads(permission: Permission) -> bool:
    return permission.perm_type in ("READ", "READWRITE")


def _covers(permission: Permission, start: bytes, end: bytes) -> bool:
    """Tell whether a permission holds for all keys from `start` up to `end`."""
    if permission.key > start:
        return False
    stop = permission.range_end
    if not stop:
        return permission.key == start and end == start + b"\0"
    return stop == b"\0" or (end != b"\0" and end <= stop)


def _told(permission: Permission) -> str:
    key = _shown(permission.key)
    return f"{key}…" if permission.range_end else key
