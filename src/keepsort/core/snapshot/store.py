"""Where chunks are kept: three calls, and the simplest store that answers them."""

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple, Protocol

from keepsort.core.model.canonical import digest


class ChunkMissing(LookupError):
    """A chunk that a snapshot stands on is not in the store, or is not what it should be."""


class Chunk(NamedTuple):
    """Some bytes to keep.

    address: their BLAKE2b digest.
    data: the bytes.
    like: address of a chunk already kept that these bytes resemble, so that a store may keep
        only what is new; None where none is known.
    """

    address: bytes
    data: bytes
    like: bytes | None = None


class ChunkStore(Protocol):
    """What a place for chunks owes."""

    def has_many(self, addresses: Sequence[bytes]) -> set[bytes]:
        """Return those of the addresses that are kept here."""

    def get_many(self, addresses: Sequence[bytes]) -> Mapping[bytes, bytes]:
        """Return the bytes at each address. Raises `ChunkMissing` if one is not kept here."""

    def put_many(self, chunks: Iterable[Chunk]) -> int:
        """Keep chunks; those already here are passed over. Returns the bytes newly stored."""


class MemoryStore:
    """Chunks in memory, uncompressed."""

    def __init__(self) -> None:
        self.chunks: dict[bytes, bytes] = {}
        self.reads = 0

    def has_many(self, addresses: Sequence[bytes]) -> set[bytes]:
        """Return those of the addresses that are kept here."""
        return {a for a in addresses if a in self.chunks}

    def get_many(self, addresses: Sequence[bytes]) -> Mapping[bytes, bytes]:
        """Return the bytes at each address. Raises `ChunkMissing` if one is not kept here."""
        self.reads += len(addresses)
        try:
            return {a: self.chunks[a] for a in addresses}
        except KeyError as missing:
            raise ChunkMissing(missing.args[0].hex()) from None

    def put_many(self, chunks: Iterable[Chunk]) -> int:
        """Keep chunks; those already here are passed over. Returns the bytes newly stored."""
        stored = 0
        for chunk in chunks:
            if digest(chunk.data) != chunk.address:
                raise ValueError("a chunk's address is not the digest of its bytes")
            if chunk.address not in self.chunks:
                self.chunks[chunk.address] = chunk.data
                stored += len(chunk.data)
        return stored
