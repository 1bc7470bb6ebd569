"""The chunk store in PostgreSQL, through the ORM."""

from collections.abc import Iterable, Mapping, Sequence

import zstandard

from keepsort.core.snapshot import Chunk, ChunkMissing
from keepsort.server.store.models import Chunk as Row

_LEVEL = 3
#: Reading a chunk reads its bases too; beyond this many, a chunk is kept whole again.
_DEEPEST = 6
_READ_BATCH = 1000


class PostgresStore:
    """Chunks compressed with Zstandard (RFC 8878), each against one it resembles."""

    def __init__(self) -> None:
        self._plain = zstandard.ZstdCompressor(level=_LEVEL)
        self._open = zstandard.ZstdDecompressor()

    def has_many(self, addresses: Sequence[bytes]) -> set[bytes]:
        """Return those of the addresses that are kept here."""
        rows = Row.objects.filter(address__in=addresses).values_list("address", flat=True)
        return {bytes(address) for address in rows}

    def get_many(self, addresses: Sequence[bytes]) -> Mapping[bytes, bytes]:
        """Return the bytes at each address. Raises `ChunkMissing` if one is not kept here."""
        rows: dict[bytes, tuple[bytes, bytes | None]] = {}
        wanted = set(addresses)
        while wanted:
            found = self._rows(wanted)
            missing = wanted - found.keys()
            if missing:
                raise ChunkMissing(min(missing).hex())
            rows |= found
            wanted = {base for _, base in found.values() if base is not None} - rows.keys()
        plain: dict[bytes, bytes] = {}
        return {address: self._bytes(address, rows, plain) for address in addresses}

    def put_many(self, chunks: Iterable[Chunk]) -> int:
        """Keep chunks; those already here are passed over. Returns the bytes newly stored."""
        new = list(chunks)
        bases = self._bases([c.like for c in new if c.like is not None])
        rows = [self._row(chunk, bases) for chunk in new]
        Row.objects.bulk_create(rows, ignore_conflicts=True)
        return sum(len(row.data) for row in rows)

    def _row(self, chunk: Chunk, bases: dict[bytes, tuple[int, bytes]]) -> Row:
        base = bases.get(chunk.like) if chunk.like is not None else None
        if base is None or chunk.like == chunk.address:
            return Row(address=chunk.address, data=self._plain.compress(chunk.data))
        depth, content = base
        dictionary = zstandard.ZstdCompressionDict(
            content, dict_type=zstandard.DICT_TYPE_RAWCONTENT
        )
        packed = zstandard.ZstdCompressor(level=_LEVEL, dict_data=dictionary).compress(chunk.data)
        return Row(address=chunk.address, data=packed, base=chunk.like, depth=depth + 1)

    def _bases(self, addresses: list[bytes]) -> dict[bytes, tuple[int, bytes]]:
        """Return depth and bytes of those chunks that others may build on."""
        if not addresses:
            return {}
        rows = Row.objects.filter(address__in=addresses, depth__lt=_DEEPEST)
        depths = {bytes(a): depth for a, depth in rows.values_list("address", "depth")}
        content = self.get_many(list(depths))
        return {a: (depth, content[a]) for a, depth in depths.items()}

    def _rows(self, addresses: set[bytes]) -> dict[bytes, tuple[bytes, bytes | None]]:
        found = {}
        ordered = list(addresses)
        for start in range(0, len(ordered), _READ_BATCH):
            rows = Row.objects.filter(address__in=ordered[start : start + _READ_BATCH])
            for address, data, base in rows.values_list("address", "data", "base"):
                found[bytes(address)] = (bytes(data), bytes(base) if base is not None else None)
        return found

    def _bytes(
        self,
        address: bytes,
        rows: dict[bytes, tuple[bytes, bytes | None]],
        plain: dict[bytes, bytes],
    ) -> bytes:
        if address not in plain:
            data, base = rows[address]
            opener = self._open
            if base is not None:
                dictionary = zstandard.ZstdCompressionDict(
                    self._bytes(base, rows, plain), dict_type=zstandard.DICT_TYPE_RAWCONTENT
                )
                opener = zstandard.ZstdDecompressor(dict_data=dictionary)
            plain[address] = opener.decompress(data)
        return plain[address]
