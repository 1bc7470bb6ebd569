"""The key store connector: keys of etcd v3 as a tree of objects, and back."""

from collections.abc import Iterator, Sequence

import msgspec

from keepsort.connectors import options
from keepsort.connectors.base import (
    Description,
    Endpoint,
    Problem,
    Promises,
    Ready,
    SecretKeeper,
    Seen,
)
from keepsort.connectors.errors import Changed
from keepsort.connectors.keystore.client import Client, Permission
from keepsort.connectors.keystore.moving import OVERHEAD, Moving
from keepsort.connectors.keystore.names import Names
from keepsort.connectors.keystore.ranges import merged, shared
from keepsort.connectors.keystore.reading import SCHEMA, Reading, shown, span_of
from keepsort.connectors.keystore.requests import (
    Operation,
    Write,
    absent,
    delete,
    put,
    unchanged,
    wire,
)
from keepsort.connectors.keystore.values import stored
from keepsort.core.model import ConfigObject, Path
from keepsort.core.plan import Finding, Right, Step, is_implied
from keepsort.core.snapshot import Snapshot

_MAY = {"READ": "read", "WRITE": "write", "READWRITE": "read and write"}


def open_keystore(endpoint: Endpoint, secrets: SecretKeeper) -> "KeyStore":
    """Connect to a key store and sign in. Raises a `ConnectorError`."""
    return KeyStore(endpoint)


class KeyStore:
    """The keys of one store that begin with one prefix."""

    def __init__(self, endpoint: Endpoint) -> None:
        self._endpoint = endpoint
        self._names = Names(endpoint.options.get("prefix", "/"))
        self._limit = options.number(endpoint, "txn_limit", 128, 2)
        self._bytes = options.number(endpoint, "txn_bytes", 1 << 20, 2)
        self._client = Client(endpoint)
        self._reading = Reading(
            self._client, self._names, options.number(endpoint, "page_size", 20000, 2), self._limit
        )
        self._moving = Moving(self._client, self._names, self._reading, self._limit, self._bytes)

    def close(self) -> None:
        """Let go of the connection."""
        self._client.close()

    def describe(self) -> Description:
        """Return what the store is."""
        return Description(
            software=f"etcd {self._client.version}",
            schema=SCHEMA,
            promises=Promises(
                compare_and_set="server", atomic=True, rename=True, moves_in_parts=True
            ),
        )

    def rights(self) -> list[str]:
        """Return what the user may read and write."""
        granted = self._client.permissions()
        if granted is None:
            return ["The account may read and write every key."]
        return [f"May {_MAY[p.perm_type]} {_told(p)}" for p in granted]

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the keys of a branch as they all stood at one revision of the store."""
        return self._reading.observe(branch)

    def observe_since(
        self, previous: Snapshot, branch: Path = ()
    ) -> list[tuple[Path, ConfigObject | None]] | None:
        """Return what changed since an earlier look, parents first; None where not known."""
        return self._reading.observe_since(previous, branch)

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen keys as they are now, with the revisions they were last changed at."""
        return self._reading.look(paths)

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
        for step in written:
            node = origin.find(step.final_path) if step.action == "create" else None
            if node is not None and origin.object(node).facts.get("lease"):
                text = (
                    "In the backup this key had a lease, and would have gone away by itself. It "
                    "comes back without one and stays until somebody deletes it."
                )
                found.append(Finding("confirm", "lease-lost", text, step.final_path))
        return found

    def may_write(self, steps: Sequence[Step]) -> list[Right]:
        """Say which keys the user's roles allow to write."""
        granted = self._client.permissions()
        spans = [span_of(p) for p in granted or () if p.perm_type in ("WRITE", "READWRITE")]
        writable = merged(spans)
        told = []
        for step in steps:
            may = granted is None or is_implied(SCHEMA, step)
            may = may or all(
                any(shared(wanted, span) == wanted for span in writable)
                for wanted in self._written(step)
            )
            why = "" if may else "The user's roles do not allow to write this key."
            told.append(Right(step.number, may, why))
        return told

    def _written(self, step: Step) -> Iterator[tuple[bytes, bytes]]:
        """Yield the ranges of keys that a step writes."""
        for path in {step.path, step.final_path}:
            key = self._names.key(path)
            yield key, key + b"\0" if step.action != "move" else self._names.span(path)[1]

    def render(self, step: Step) -> str:
        """Write a step as the transaction that carries it out, keys and values in plain text."""
        if is_implied(SCHEMA, step):
            return "nothing is sent: a folder is there as long as there are keys beneath it"
        compare, success = self._operations(step, shown)
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
        return 2 * len(key) + len(stored(step.after or {})) + OVERHEAD

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out steps in one transaction, guarded by the revisions of all their keys."""
        if ready[0].step.action == "move":
            self._moving.move(*ready[0])
            return [""]
        compare: list[Operation] = []
        success: list[Operation] = []
        for step, seen in ready:
            guards, operations = self._operations(step, wire, seen.version or "0")
            compare += guards
            success += operations
        if not self._client.transaction(compare, success).succeeded:
            raise Changed("One of the keys was changed by somebody at this very moment.")
        return [""] * len(ready)

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


def _told(permission: Permission) -> str:
    key = shown(permission.key)
    return f"{key}…" if permission.range_end else key
