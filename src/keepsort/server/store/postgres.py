"""The chunk store in PostgreSQL."""

from collections import OrderedDict
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from struct import pack
from threading import RLock
from typing import Any

import msgspec
import psycopg
import zstandard
from django.db import IntegrityError, connection, transaction
from django.db.models.functions import Now
from psycopg.adapt import Dumper
from psycopg.pq import Format

from keepsort.core.model.canonical import digest
from keepsort.core.snapshot import Chunk, ChunkMissing
from keepsort.server.store.models import Chunk as Row
from keepsort.server.store.splices import Older, is_splice, joined

_LEVEL = 1
#: Reading a chunk reads its bases too; beyond this many, a chunk is kept whole again.
_DEEPEST = 6
_BASES_KEPT = 256
#: A splice is good where it takes no more than this part of the bytes.
_SPLICE_SHARE = 8
_COLUMNS = ("address", "data", "base", "depth")
_TYPES = ["bytea", "bytea", "bytea", "int2"]
#: What is written of a chunk: address, packed bytes, base and depth.
_Written = tuple[bytes, bytes, bytes | None, int]


class _Base:
    """A chunk that others build on: its bytes, and what packs and opens against them."""

    def __init__(self, content: bytes, depth: int) -> None:
        self.content = content
        self.depth = depth

    @cached_property
    def _older(self) -> Older:
        return Older(self.content)

    @cached_property
    def _dictionary(self) -> zstandard.ZstdCompressionDict:
        return zstandard.ZstdCompressionDict(self.content, dict_type=zstandard.DICT_TYPE_RAWCONTENT)

    @cached_property
    def _packer(self) -> zstandard.ZstdCompressor:
        self._dictionary.precompute_compress(level=_LEVEL)
        return zstandard.ZstdCompressor(level=_LEVEL, dict_data=self._dictionary)

    @cached_property
    def _opener(self) -> zstandard.ZstdDecompressor:
        return zstandard.ZstdDecompressor(dict_data=self._dictionary)

    def pack(self, data: bytes) -> bytes:
        """Write bytes that resemble these: as a splice where little is new, else compressed."""
        return self._older.splice(data, len(data) // _SPLICE_SHARE) or self._packer.compress(data)

    def open(self, data: bytes) -> bytes:
        """Read bytes that were packed against these."""
        return joined(data, self.content) if is_splice(data) else self._opener.decompress(data)


class PostgresStore:
    """Chunks compressed with Zstandard (RFC 8878) or spliced, each against one it resembles.

    Threads may share one: compressors and bases are used by one of them at a time.
    """

    def __init__(self) -> None:
        self._lock = RLock()
        self._plain = zstandard.ZstdCompressor(level=_LEVEL)
        self._open = zstandard.ZstdDecompressor()
        self._bases: OrderedDict[bytes, _Base] = OrderedDict()

    def has_many(self, addresses: Sequence[bytes]) -> set[bytes]:
        """Return those of the addresses that are kept here.

        They are marked as just used, for who asks counts on them: what is not in any tree yet is
        not collected as long as it may become part of one.
        """
        return _used(addresses)

    def get_many(self, addresses: Sequence[bytes]) -> Mapping[bytes, bytes]:
        """Return the bytes at each address. Raises `ChunkMissing` if one is not kept here."""
        return {address: content for address, (content, _) in self._read(addresses).items()}

    def put_many(self, chunks: Iterable[Chunk]) -> int:
        """Keep chunks; those already here are passed over. Returns the bytes newly stored."""
        new = list(chunks)
        bases = self._bases_of({c.like for c in new if c.like is not None})
        broken = _broken([chunk.address for chunk in new])
        with self._lock:
            # what is mended is packed against nothing, which may be broken too
            rows = [self._row(c, {} if c.address in broken else bases) for c in new]
        _mend([row for row in rows if row[0] in broken])
        _insert([row for row in rows if row[0] not in broken])
        return sum(len(row[1]) for row in rows)

    def _row(
        self, chunk: Chunk, bases: dict[bytes, _Base]
    ) -> tuple[bytes, bytes, bytes | None, int]:
        base = bases.get(chunk.like) if chunk.like is not None else None
        if base is None or chunk.like == chunk.address:
            return chunk.address, self._plain.compress(chunk.data), None, 0
        return chunk.address, base.pack(chunk.data), chunk.like, base.depth + 1

    def _bases_of(self, addresses: set[bytes]) -> dict[bytes, _Base]:
        """Return those chunks that others may build on."""
        if not addresses:
            return {}
        kept = self.has_many(list(addresses))  # those at hand may have been collected since
        with self._lock:
            found = {a: self._bases[a] for a in kept if a in self._bases}
        wanted = kept - found.keys()
        if wanted:
            read = self._read(list(wanted))
            with self._lock:
                for address, (content, depth) in read.items():
                    found[address] = self._remember(address, content, depth)
        return {a: base for a, base in found.items() if base.depth < _DEEPEST}

    def _remember(self, address: bytes, content: bytes, depth: int) -> _Base:
        if digest(content) != address:  # nothing new may be packed against what is broken
            raise ChunkMissing(f"{address.hex()} is not what it was when it was kept")
        base = self._bases[address] = _Base(content, depth)
        while len(self._bases) > _BASES_KEPT:
            self._bases.popitem(last=False)
        return base

    def _read(self, addresses: Sequence[bytes]) -> dict[bytes, tuple[bytes, int]]:
        """Return bytes and depth at each address, with one query for each level of bases."""
        rows: dict[bytes, tuple[bytes, bytes | None, int]] = {}
        # those at hand are held on to: reading others may push them out
        at_hand: dict[bytes, _Base] = {}
        wanted = set(addresses)
        while wanted:
            found = _rows(wanted)
            missing = wanted - found.keys()
            if missing:
                raise ChunkMissing(min(missing).hex())
            rows |= found
            bases = {base for _, base, _ in found.values() if base is not None}
            with self._lock:
                at_hand |= {base: self._bases[base] for base in bases if base in self._bases}
            wanted = bases - rows.keys() - at_hand.keys()
        plain: dict[bytes, bytes] = {}
        with self._lock:
            try:
                return {a: (self._bytes(a, rows, plain, at_hand), rows[a][2]) for a in addresses}
            except (zstandard.ZstdError, msgspec.MsgspecError, ValueError, IndexError) as error:
                raise ChunkMissing(f"it cannot be unpacked: {error}") from None

    def _bytes(
        self,
        address: bytes,
        rows: dict[bytes, tuple[bytes, bytes | None, int]],
        plain: dict[bytes, bytes],
        at_hand: dict[bytes, _Base],
    ) -> bytes:
        if address not in plain:
            data, base, depth = rows[address]
            if base is None:
                plain[address] = self._open.decompress(data)
            elif base in at_hand:
                plain[address] = at_hand[base].open(data)
            else:
                content = self._bytes(base, rows, plain, at_hand)
                if is_splice(data):  # what one page alone was spliced from need not be at hand
                    plain[address] = joined(data, content)
                else:
                    at_hand[base] = self._remember(base, content, depth - 1)
                    plain[address] = at_hand[base].open(data)
        return plain[address]


# Chunks go out in PostgreSQL's binary form and in by COPY: written as the ORM would, they are
# megabytes of hexadecimal digits, and take four times as long.


class _Addresses(Dumper):
    """Writes addresses as a binary array of bytea; the driver's own way takes ten times as long.

    The array: one dimension, no nulls, the element type, count and lower bound, then each element
    after its length.
    """

    format = Format.BINARY
    oid = 1001
    _ELEMENT = 17

    def dump(self, obj: list[bytes]) -> bytes:
        head = pack(">5i", 1, 0, self._ELEMENT, len(obj), 1)
        return head + b"".join([pack(">i", len(address)) + address for address in obj])


#: A chunk that was marked as used so lately is not marked again.
FRESH_SECONDS = 600


def _used(addresses: Sequence[bytes]) -> set[bytes]:
    """Mark chunks as just used, and return which there are.

    What is being deleted at this moment is waited for, and is then not among them.
    """
    table = Row._meta.db_table
    fresh = f"now() - interval '{FRESH_SECONDS} seconds'"
    statement = (
        f"with marked as (update {table} set used_at = now() where address in "  # noqa: S608
        f"(select address from {table} where address = any(%b) and used_at < {fresh} "
        "and not broken order by address for update) returning address) "
        f"select address from marked union "
        f"select address from {table} where address = any(%b) and used_at >= {fresh} "
        "and not broken"
    )
    wanted = list(addresses)
    connection.ensure_connection()
    with connection.wrap_database_errors, psycopg.Cursor(connection.connection) as cursor:
        cursor.adapters.register_dumper(list, _Addresses)
        cursor.execute(statement, [wanted, wanted], binary=True)
        return {row[0] for row in cursor.fetchall()}


def sizes(addresses: Iterable[bytes]) -> dict[bytes, int]:
    """Return how many bytes chunks take as they are packed."""
    return dict(_select(("address", "length(data)"), addresses))


def packed_against(addresses: Iterable[bytes]) -> list[tuple[bytes, bytes]]:
    """Return chunks that are packed against some, each before its own address."""
    return [(row[0], row[1]) for row in _select(("base", "address"), addresses, by="base")]


def _rows(addresses: set[bytes]) -> dict[bytes, tuple[bytes, bytes | None, int]]:
    return {row[0]: row[1:] for row in _select(_COLUMNS, addresses)}


def _select(
    columns: Sequence[str], addresses: Iterable[bytes], by: str = "address"
) -> list[tuple[Any, ...]]:
    statement = f"select {', '.join(columns)} from {Row._meta.db_table} where {by} = any(%b)"  # noqa: S608
    connection.ensure_connection()
    with connection.wrap_database_errors, psycopg.Cursor(connection.connection) as cursor:
        cursor.adapters.register_dumper(list, _Addresses)
        cursor.execute(statement, [list(addresses)], binary=True)
        return cursor.fetchall()


def mark_broken(addresses: Iterable[bytes]) -> None:
    """Note that chunks are not what they were when they were kept: they count as not there."""
    Row.objects.filter(address__in=list(addresses)).update(broken=True)


def _broken(addresses: Sequence[bytes]) -> set[bytes]:
    found = Row.objects.filter(broken=True, address__in=addresses)
    return {bytes(address) for address in found.values_list("address", flat=True)}


def _mend(rows: list[_Written]) -> None:
    """Write rows in the place of those that are broken."""
    for address, data, base, depth in rows:
        fields = {"data": data, "base": base, "depth": depth, "used_at": Now(), "broken": False}
        Row.objects.filter(address=address).update(**fields)


def _insert(rows: list[_Written]) -> None:
    statement = f"copy {Row._meta.db_table} ({', '.join(_COLUMNS)}) from stdin (format binary)"
    try:
        with (
            connection.wrap_database_errors,
            transaction.atomic(),
            connection.cursor() as cursor,
            cursor.copy(statement) as copy,
        ):
            copy.set_types(_TYPES)
            for row in rows:
                copy.write_row(row)
    except IntegrityError:  # another process was just keeping one of them too
        objects = [Row(**dict(zip(_COLUMNS, row, strict=True))) for row in rows]
        Row.objects.bulk_create(objects, ignore_conflicts=True)
