"""What an object is told by when it turns up in another place: hashed features.

One for each attribute, or each element of it where it is a list; one for each line of a text; and
one for every object beneath it (where in it that stands, and what it holds).
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from typing import NamedTuple, cast
from zlib import crc32

from keepsort.core.model import Path, Schema
from keepsort.core.snapshot import Node, Snapshot
from keepsort.core.snapshot.encoding import (
    BLOB_HEAD,
    Blob,
    decode_value,
    raw_attributes,
    raw_elements,
    raw_text,
)

#: An object with less to tell it by than this is like too many others by mere chance.
_LEAST_TELLING = 12
#: Longer texts, or more of them on one side, are told as a whole and not by their lines.
_LONGEST_TEXT, _MOST_TEXT = 1 << 20, 32 << 20


class Thing(NamedTuple):
    """An object found on one side only, with the sorted hashes of its features."""

    kind: str
    features: tuple[int, ...]


def things(side: Snapshot, nodes: dict[Path, Node], others: dict[Path, Node]) -> dict[Path, Thing]:
    """Return what can be told by its features; those of an object are of all beneath it too.

    others: places where another object stands.
    """
    hashes: dict[Path, list[int]] = {}
    telling: dict[Path, int] = defaultdict(int)
    texts = _Texts(side, nodes.values())
    for path, node in nodes.items():
        if node.entry.unreadable is not None:
            continue
        own = hashes.setdefault(path, [])
        told = 0
        known = texts.attributes(node.entry.kind)
        for name, value in raw_attributes(node.entry.attributes).items():
            seed, is_text = known[name]
            told += len(value)
            # the order of lines counts, that of elements does not
            parts = [value, *texts.lines(value)] if is_text else raw_elements(value) or [value]
            for part in parts:
                own.append(crc32(part, seed))
        telling[path] += told
        content = bytes(node.entry.attributes)
        for depth in range(len(path) - 1, 0, -1):
            if path[:depth] not in nodes:
                break
            place = repr(path[depth:]).encode("utf-8", "surrogatepass")
            hashes.setdefault(path[:depth], []).append(crc32(content, crc32(place)))
            telling[path[:depth]] += len(content)
    kinds = side.schema.kinds
    fixed = {name for name, kind in kinds.items() if not kind.renamable}
    return {
        path: Thing(nodes[path].entry.kind, tuple(sorted(set(own))))
        for path, own in hashes.items()
        if telling[path] >= _LEAST_TELLING
        and path not in others
        and nodes[path].entry.kind not in fixed
    }


class _Attributes(dict[str, tuple[int, bool]]):
    """For the attributes of one kind: what their hashes start from, and whether they are texts."""

    def __init__(self, schema: Schema, kind: str) -> None:
        super().__init__()
        self._schema, self._kind = schema, kind

    def __missing__(self, name: str) -> tuple[int, bool]:
        spec = self._schema.spec(self._kind, name)
        is_text = spec.shape == "text" and not spec.secret
        found = self[name] = crc32(name.encode("utf-8", "surrogatepass")), is_text
        return found


class _Texts:
    """Finds the lines of texts. Long ones are read from the store, all in one call."""

    def __init__(self, side: Snapshot, nodes: Iterable[Node]) -> None:
        self._schema: Schema = side.schema
        self._kinds: dict[str, _Attributes] = {}
        room = _MOST_TEXT
        wanted: set[bytes] = set()
        for blob in self._long_texts(nodes):
            if blob.address not in wanted and blob.size <= min(room, _LONGEST_TEXT):
                wanted.add(blob.address)
                room -= blob.size
        self._long = side.store.get_many(list(wanted)) if wanted else {}

    def attributes(self, kind: str) -> _Attributes:
        """Return what is known of the attributes of a kind."""
        if kind not in self._kinds:
            self._kinds[kind] = _Attributes(self._schema, kind)
        return self._kinds[kind]

    def lines(self, value: bytes) -> list[bytes]:
        """Return the lines of an encoded text; none of what is no text, or was not read."""
        if value.startswith(BLOB_HEAD):
            blob = cast(Blob, decode_value(value))
            return self._long.get(blob.address, b"").splitlines()
        return raw_text(value).splitlines()

    def _long_texts(self, nodes: Iterable[Node]) -> Iterator[Blob]:
        for node in nodes:
            if BLOB_HEAD not in bytes(node.entry.attributes):
                continue
            known = self.attributes(node.entry.kind)
            for name, value in raw_attributes(node.entry.attributes).items():
                if value.startswith(BLOB_HEAD) and known[name][1]:
                    yield cast(Blob, decode_value(value))
