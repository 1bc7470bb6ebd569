"""Backups made of plain trees, without a live system."""

from datetime import timedelta

import msgspec
from django.utils import timezone

from keepsort.core.model import Path
from keepsort.core.model.canonical import digest
from keepsort.core.snapshot import Chunk, SnapshotBuilder
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.store.postgres import PostgresStore
from keepsort.server.systems.models import System
from tests.core.trees import SCHEMA, Tree


def a_system(name: str = "Plant") -> System:
    return System.objects.create(name=name, connector="directory", address="ldap://127.0.0.1:1")


def keep(
    system: System,
    tree: Tree,
    at: Path = (),
    kind: str = Record.Kind.BACKUP,
    days_ago: float = 0,
    on: Record | None = None,
) -> Record:
    """Keep a tree, or the branch of it at a path, as a record; `on`: built on another one."""
    store = PostgresStore()
    previous = open_snapshot(on) if on is not None else None
    builder = SnapshotBuilder(store, SCHEMA, at=at, previous=previous)
    for path, obj in tree.items():
        if path[: len(at)] == at:
            builder.add(path, obj)
    root = builder.finish().root
    raw = msgspec.msgpack.Encoder(order="deterministic").encode(SCHEMA)
    if not store.has_many([digest(raw)]):
        store.put_many([Chunk(digest(raw), raw)])
    return Record.objects.create(
        system=system, kind=kind, taken_at=timezone.now() - timedelta(days=days_ago), at=list(at),
        significant=root.significant, facts=root.facts, schema=digest(raw), software="tests",
        objects_count=root.total, stored_bytes=0, seconds=0,
    )  # fmt: skip
