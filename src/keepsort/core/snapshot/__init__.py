"""Immutable trees of objects, kept as chunks addressed by their content."""

from keepsort.core.snapshot.builder import SnapshotBuilder, StreamError
from keepsort.core.snapshot.draft import Draft
from keepsort.core.snapshot.encoding import Children, Entry, Root
from keepsort.core.snapshot.reachable import reachable
from keepsort.core.snapshot.reader import Node, Snapshot
from keepsort.core.snapshot.store import Chunk, ChunkMissing, ChunkStore, MemoryStore

__all__ = [
    "Children",
    "Chunk",
    "ChunkMissing",
    "ChunkStore",
    "Draft",
    "Entry",
    "MemoryStore",
    "Node",
    "Root",
    "Snapshot",
    "SnapshotBuilder",
    "StreamError",
    "reachable",
]
