"""The key store connector: keys of etcd v3 as a tree of objects, and back."""

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
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
from keepsort.connectors.keystore.names import Names
from keepsort.connectors.keystore.ranges import Span, merged, shared
from keepsort.connectors.keystore.requests import (
    Operation,
    Write,
    absent,
    delete,
    get,
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
#: An object, and the revision that its key was last changed at.
_Found = tuple[ConfigObject | None, str]
#: What an operation takes beside its key and its value.
_OVERHEAD = 64
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
        self._bytes = _number(endpoint, "txn_bytes", 1 << 20)
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
        pages = self._pages(*self._names.span(branch))
        first = next(pages, Range())
        facts = {
            "revision": int(first.header.revision),
            "cluster": first.header.cluster_id,
            "keys": int(first.count),
        }
        if self._readable is not None:
            facts["readable"] = [_told_range(*span) for span in self._readable]
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
        start, end = self._names.span(branch)
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
    def _readable(self) -> list[Span] | None:
        """The ranges of the prefix that the user may read, in order; None where that is all."""
        granted = self._client.permissions()
        if granted is None:
            return None
        whole = self._names.span(())
        spans = [s for p in granted if _reads(p) if (s := shared(whole, _span(p))) is not None]
        return None if (joined := merged(spans)) == [whole] else joined

    def _pages(self, start: bytes, end: bytes) -> Iterator[Range]:
        """Yield pages of the keys of a range, all at one revision."""
        ranges = [(start, end)]
        if self._readable is not None:
            ranges = [s for p in self._readable if (s := shared((start, end), p)) is not None]
        revision = "0"
        # the next page is asked for while this one is used: the server takes as long as we do
        with ThreadPoolExecutor(1) as ahead:
            for begin, stop in ranges:
                waiting: Future[Range] | None = ahead.submit(self._page, begin, stop, revision)
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
        return [found for found, _ in self._lookups(paths)]

    def _read_one(self, path: Path) -> ConfigObject | None:
        return self._lookups([path])[0][0]

    def _lookups(self, paths: Sequence[Path]) -> list[_Found]:
        """Return the objects at some paths, and the revisions their keys were last changed at.

        As many are asked for at once as the server takes.
        """
        share = max(self._limit // 2, 1)
        found: list[_Found] = []
        for start in range(0, len(paths), share):
            some = paths[start : start + share]
            try:
                found += self._lookups_at_once(some)
            except NotAllowed:
                found += [self._lookup(path) for path in some]
        return found

    def _lookups_at_once(self, paths: Sequence[Path]) -> list[_Found]:
        asked = []
        for path in paths:
            start, end = (wire(key) for key in self._names.span(path))
            own = self._names.key(path) or b"\0"
            asked += [get(wire(own)), get(start, end, limit="1", keys_only=True)]
        answers = self._client.transaction([], asked).responses
        return [
            self._found(path, answers[2 * n].response_range, answers[2 * n + 1].response_range)
            for n, path in enumerate(paths)
        ]

    def _found(self, path: Path, own: Range, beneath: Range) -> _Found:
        if path and own.kvs:
            return _object(path, own.kvs[0]), own.kvs[0].mod_revision
        if beneath.kvs or not path:
            return ConfigObject(name=path[-1] if path else "", kind="folder"), "0"
        return None, "0"

    def _lookup(self, path: Path) -> _Found:
        """Return one object; one that may not be read as such."""
        try:
            own = self._client.range(self._names.key(path)) if path else Range()
            if own.kvs or (self._readable is not None and not path):
                return self._found(path, own, Range())
            some = self._client.range(*self._names.span(path), limit="1", keys_only=True)
            return self._found(path, own, some)
        except NotAllowed:
            hidden = ConfigObject(
                name=path[-1] if path else "",
                kind="folder",
                unreadable="the user's roles do not allow to read it",
            )
            return hidden, "0"

    # Writing

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for what this store's rights and limits mean for a plan."""
        found: list[Finding] = []
        written = [s for s in steps if not is_implied(SCHEMA, s)]
        groups = self.groups(written)
        if len(groups) > 1:
            text = (
                f"The server takes {self._limit} operations and {self._bytes} bytes in one "
                f"transaction, so these {len(written)} steps go in {len(groups)}. Each happens "
                "whole or not at all; between them others see what is done so far."
            )
            found.append(Finding("note", "several-transactions", text))
        granted = self._client.permissions()
        writable = None
        if granted is not None:
            writable = merged([_span(p) for p in granted if p.perm_type in ("WRITE", "READWRITE")])
        for step in written:
            for path in {step.path, step.final_path}:
                key = self._names.key(path)
                end = key + b"\0" if step.action != "move" else self._names.span(path)[1]
                if writable is not None and not any(
                    shared((key, end), span) == (key, end) for span in writable
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
        room = 0
        for step in steps:
            size = self._size(step)
            if step.action == "move":
                found.append([step])
                room = 0
            elif size <= room and len(found[-1]) < self._limit:
                found[-1].append(step)
                room -= size
            else:
                found.append([step])
                room = self._bytes - size
        return found

    def _size(self, step: Step) -> int:
        """Return how many bytes a step takes in a transaction: its key is in the guard too."""
        key = self._names.key(step.path)
        return 2 * len(key) + len(stored(step.after or {})) + _OVERHEAD

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
        now = self._lookups([step.path for step in steps])
        for step, (found, revision) in zip(steps, now, strict=True):
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
        found, there = self.read([step.path, step.to])
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
        shares = self._shares(moving)
        if len(shares) <= 1:
            self._swap(puts, [kv for _, kv in moving], targets)
        else:
            for share in self._shares([(path, kv) for path, kv in moving if kv in puts]):
                self._swap(share, [], targets)
            for share in self._shares(list(reversed(moving))):  # leaves first
                self._swap([], share, targets)
        return DONE

    def _shares(self, keys: list[_Key]) -> list[list[KeyValue]]:
        """Divide keys so that each share can be put and deleted in one transaction."""
        shares: list[list[KeyValue]] = []
        room = 0
        for _, kv in keys:
            size = 2 * (2 * len(kv.key) + len(kv.value) + _OVERHEAD)
            if not shares or size > room or len(shares[-1]) >= max(self._limit // 2, 1):
                shares.append([])
                room = self._bytes
            shares[-1].append(kv)
            room -= size
        return shares

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
        for page in self._pages(*self._names.span(path)):
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


def _span(permission: Permission) -> Span:
    return permission.key, permission.range_end or permission.key + b"\0"


def _told_range(start: bytes, end: bytes) -> str:
    return _shown(start) if end == start + b"\0" else f"{_shown(start)}…"


def _told(permission: Permission) -> str:
    key = _shown(permission.key)
    return f"{key}…" if permission.range_end else key
