"""Immutable trees of objects, kept as chunks addressed by their content."""

from keepsort.core.snapshot.builder import SnapshotBuilder, StreamError
from keepsort.core.snapshot.choice import Choice, Taking, kinds_of_places
from keepsort.core.snapshot.draft import Draft, branch
from keepsort.core.snapshot.encoding import Children, Entry, Root
from keepsort.core.snapshot.former_names import FormerName, by_newer_names, with_former_names
from keepsort.core.snapshot.reachable import links, reachable
from keepsort.core.snapshot.reader import Node, Snapshot
from keepsort.core.snapshot.store import Chunk, ChunkMissing, ChunkStore, MemoryStore

__all__ = [
    "Children",
    "Choice",
    "Chunk",
    "ChunkMissing",
    "ChunkStore",
    "Draft",
    "Entry",
    "FormerName",
    "MemoryStore",
    "Node",
    "Root",
    "Snapshot",
    "SnapshotBuilder",
    "StreamError",
    "Taking",
    "branch",
    "by_newer_names",
    "kinds_of_places",
    "links",
    "reachable",
    "with_former_names",
]
