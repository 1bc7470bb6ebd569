"""The bytes of a snapshot: entries, pages of entries, and lists of pages.

Two trees stand side by side. The significant tree holds names, kinds, identities and attributes;
its addresses are its significant digests. The facts tree holds, page for page and entry for entry,
what is only shown. A counter that ticks rewrites a page of facts and nothing else.

Everything is MessagePack. A page is an array of entries in order of their keys; a list of pages
that would be long lies in a chunk of its own. Strings and bytes over 4 KiB lie in chunks of their
own too, with an extension value (type 1) in their place.
"""

from collections.abc import Iterator
from typing import Any, final
from zlib import crc32

import msgspec

from keepsort.core.model.canonical import DIGEST_SIZE

#: Values longer than this many bytes lie in chunks of their own.
BLOB_OVER = 4096
#: A list of more pages than this lies in a chunk of its own.
PAGES_INLINE = 4
#: Children that are no more than this many bytes together lie with their parent.
INLINE_BYTES = 2048
#: Entries on a page: boundaries fall where a name's digest says so, within these limits.
PAGE_LEAST, PAGE_MOST, PAGE_MASK = 8, 64, 7
PAGE_BYTES = 262_144
_BLOB_TYPE = 1
#: What an encoded `Blob` begins with: an "ext 8" of MessagePack, its length and type.
BLOB_HEAD = bytes([0xC7, DIGEST_SIZE + 9, _BLOB_TYPE])


@final
class Blob:
    """Stands for a long value that lies in a chunk of its own. Equal where the value is."""

    __slots__ = ("address", "size", "text")

    def __init__(self, address: bytes, size: int, text: bool) -> None:
        self.address = address
        self.size = size
        self.text = text

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Blob) and self.address == other.address and self.text == other.text

    def __hash__(self) -> int:
        return hash(self.address)


class PageRef(msgspec.Struct, frozen=True, array_like=True):
    """Points to a page: its address, its first key, its entries, and all objects beneath it."""

    address: bytes
    first: str
    count: int
    total: int


class Children(msgspec.Struct, frozen=True, array_like=True):
    """The children of an entry: a page of them right here where they are few and small, pages
    listed here, or pages listed in the chunk at `index` where there are many."""

    count: int
    total: int
    pages: list[PageRef] | None = None
    index: bytes | None = None
    inline: bytes | None = None


class Entry(msgspec.Struct, frozen=True, array_like=True):
    """One object on a page. `key` is None where it is the name itself."""

    name: str
    key: str | None
    kind: str
    identity: str | None
    attributes: msgspec.Raw
    children: Children | None = None
    unreadable: str | None = None

    @property
    def sort_key(self) -> str:
        """The form of the name that siblings sort and compare by."""
        return self.name if self.key is None else self.key

    @property
    def total(self) -> int:
        """This object and all beneath it."""
        return 1 + (self.children.total if self.children else 0)


class FactChildren(msgspec.Struct, frozen=True, array_like=True):
    """Facts of children, in step with the significant tree: addresses of pages, or a page here."""

    pages: list[bytes | None] | None = None
    index: bytes | None = None
    inline: bytes | None = None


class FactEntry(msgspec.Struct, frozen=True, array_like=True):
    """The facts of one object, in step with its entry."""

    facts: msgspec.Raw
    children: FactChildren | None = None


class Root(msgspec.Struct, frozen=True):
    """Names a whole snapshot.

    significant, facts: addresses of the pages that hold the topmost object.
    total: number of objects.
    at: names above and including the topmost object, for a snapshot of one branch.
    """

    significant: bytes
    facts: bytes | None
    total: int
    at: tuple[str, ...] = ()


def _blob_out(value: Any) -> Any:
    if isinstance(value, Blob):
        size = value.size.to_bytes(8, "big")
        return msgspec.msgpack.Ext(_BLOB_TYPE, value.address + size + bytes([value.text]))
    raise NotImplementedError(f"a {type(value).__name__} is not a value of the model")


def _blob_in(code: int, data: memoryview) -> Blob:
    if code != _BLOB_TYPE:
        raise ValueError(f"unknown extension type {code} in a chunk")
    raw = bytes(data)
    size = int.from_bytes(raw[DIGEST_SIZE : DIGEST_SIZE + 8], "big")
    return Blob(raw[:DIGEST_SIZE], size, bool(raw[-1]))


encode = msgspec.msgpack.Encoder(order="deterministic", enc_hook=_blob_out).encode
decode_attributes = msgspec.msgpack.Decoder(dict[str, Any], ext_hook=_blob_in).decode
decode_value = msgspec.msgpack.Decoder(Any, ext_hook=_blob_in).decode
decode_page = msgspec.msgpack.Decoder(list[Entry]).decode
#: A page, entry by entry, without a look into them: equal bytes are equal entries.
decode_raw_page = msgspec.msgpack.Decoder(list[msgspec.Raw]).decode
decode_entry = msgspec.msgpack.Decoder(Entry).decode
decode_index = msgspec.msgpack.Decoder(list[PageRef]).decode
decode_facts_page = msgspec.msgpack.Decoder(list[FactEntry]).decode
decode_facts_index = msgspec.msgpack.Decoder(list[bytes | None]).decode

_decode_raw_attributes = msgspec.msgpack.Decoder(dict[str, msgspec.Raw]).decode
_ARRAYS = frozenset([*range(0x90, 0xA0), 0xDC, 0xDD])
#: How long the head of an encoded string is, by its first byte.
_STRINGS = {**dict.fromkeys(range(0xA0, 0xC0), 1), 0xD9: 2, 0xDA: 3, 0xDB: 5}


def raw_attributes(attributes: msgspec.Raw) -> dict[str, bytes]:
    """Return attributes with their values still encoded: equal bytes are equal values."""
    return {name: bytes(value) for name, value in _decode_raw_attributes(attributes).items()}


def raw_elements(value: bytes) -> list[bytes]:
    """Return the elements of an encoded list, still encoded; none of what is no list."""
    return [bytes(raw) for raw in decode_raw_page(value)] if value[0] in _ARRAYS else []


def raw_text(value: bytes) -> bytes:
    """Return the UTF-8 of an encoded string; empty for what is none."""
    head = _STRINGS.get(value[0])
    return value[head:] if head else b""


NO_FACTS = msgspec.Raw(encode({}))


def pack_array(items: list[bytes]) -> bytes:
    """Join already encoded items into one MessagePack array."""
    count = len(items)
    if count < 16:
        head = bytes([0x90 | count])
    elif count < 65536:
        head = b"\xdc" + count.to_bytes(2, "big")
    else:
        head = b"\xdd" + count.to_bytes(4, "big")
    return head + b"".join(items)


class Item(msgspec.Struct, gc=False):
    """An encoded entry on its way to a page."""

    key: str
    entry: bytes
    total: int
    facts: bytes | None


def cut_pages(items: list[Item]) -> Iterator[list[Item]]:
    """Cut sorted items into pages. A name added or taken away moves no boundary but its own."""
    start, count, size = 0, 0, 0
    for item in items:
        count += 1
        size += len(item.entry)
        if count >= PAGE_LEAST and (
            count >= PAGE_MOST or size >= PAGE_BYTES or _is_boundary(item.key)
        ):
            yield items[start : start + count]
            start, count, size = start + count, 0, 0
    if count:
        yield items[start:]


def _is_boundary(key: str) -> bool:
    # a checksum spreads names well enough, multiplied so that it does for names that count up
    return crc32(key.encode("utf-8", "surrogatepass")) * 0x9E3779B1 >> 20 & PAGE_MASK == 0
