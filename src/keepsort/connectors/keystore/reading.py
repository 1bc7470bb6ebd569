"""Reads the keys of a store as objects."""

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cached_property
from itertools import chain
from typing import Any

from keepsort.connectors.base import (
    Seen,
)
from keepsort.connectors.errors import NotAllowed
from keepsort.connectors.keystore.client import Client, KeyValue, Permission, Range
from keepsort.connectors.keystore.names import Names
from keepsort.connectors.keystore.ranges import Span, merged, shared
from keepsort.connectors.keystore.requests import (
    get,
    wire,
)
from keepsort.connectors.keystore.values import typed
from keepsort.core.model import AttributeSpec, ConfigObject, Kind, Path, Schema
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


class Reading:
    """What can be read of the keys that begin with one prefix."""

    def __init__(self, client: Client, names: Names, page_size: int, limit: int) -> None:
        self._client = client
        self._names = names
        self._page_size = page_size
        self._limit = limit

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the keys of a branch as they all stood at one revision of the store."""
        top = self.read_one(branch)
        if top is None:
            top = ConfigObject(name=branch[-1] if branch else "", kind="folder")
        pages = self.pages(*self._names.span(branch))
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
                yield path, key_object(path, kv)

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
        own = self.read_one(branch) or ConfigObject(name=top.name, kind="folder")
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
            found.append((path, key_object(path, kv)))
        gone = int(top.facts.get("keys", -1)) + added - int(changed.count)
        return None if gone else found

    @cached_property
    def _readable(self) -> list[Span] | None:
        """The ranges of the prefix that the user may read, in order; None where that is all."""
        granted = self._client.permissions()
        if granted is None:
            return None
        whole = self._names.span(())
        spans = [s for p in granted if _reads(p) if (s := shared(whole, span_of(p))) is not None]
        return None if (joined := merged(spans)) == [whole] else joined

    def pages(self, start: bytes, end: bytes) -> Iterator[Range]:
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

    def read_one(self, path: Path) -> ConfigObject | None:
        """Return one key or folder as it is now; None where there is none."""
        return self.look([path])[0].found

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen keys as they are now, with the revisions they were last changed at.

        As many are asked for at once as the server takes.
        """
        share = max(self._limit // 2, 1)
        found: list[Seen] = []
        for start in range(0, len(paths), share):
            some = paths[start : start + share]
            try:
                found += self._lookups_at_once(some)
            except NotAllowed:
                found += [self._lookup(path) for path in some]
        return found

    def _lookups_at_once(self, paths: Sequence[Path]) -> list[Seen]:
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

    def _found(self, path: Path, own: Range, beneath: Range) -> Seen:
        if path and own.kvs:
            return Seen(key_object(path, own.kvs[0]), own.kvs[0].mod_revision)
        if beneath.kvs or not path:
            return Seen(ConfigObject(name=path[-1] if path else "", kind="folder"), "0")
        return Seen(None, "0")

    def _lookup(self, path: Path) -> Seen:
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
            return Seen(hidden, "0")


def shown(value: bytes) -> str:
    """Return a key as it is shown to people."""
    return value.decode("utf-8", "backslashreplace")


def key_object(path: Path, kv: KeyValue) -> ConfigObject:
    """Return a key as an object."""
    facts: dict[str, Any] = {"revision": int(kv.mod_revision)}
    if kv.lease != "0":
        facts["lease"] = f"{int(kv.lease):016x}"
    return ConfigObject(name=path[-1], kind="key", attributes=typed(kv.value), facts=facts)


def _reads(permission: Permission) -> bool:
    return permission.perm_type in ("READ", "READWRITE")


def span_of(permission: Permission) -> Span:
    """Return the keys that a permission is for."""
    return permission.key, permission.range_end or permission.key + b"\0"


def _told_range(start: bytes, end: bytes) -> str:
    return shown(start) if end == start + b"\0" else f"{shown(start)}…"
