"""Parts of the benchmark of a million objects that run in processes of their own."""

import gc
import json
import sys
import time
from collections.abc import Iterator
from datetime import timedelta
from hashlib import blake2b
from itertools import islice

import django
import msgspec

from benchmarks.measuring import peak_bytes

_BATCH = 10_000
_EDITS = 20
_BACKUPS = 50


def _batches(changed: frozenset[int] = frozenset()) -> Iterator[list]:
    """Yield the objects in batches, so that only what is done with them is timed."""
    from benchmarks.trees import stream

    made = stream(changed)
    while batch := list(islice(made, _BATCH)):
        yield batch


def reference() -> dict:
    encode = msgspec.msgpack.Encoder(order="deterministic").encode
    gc.disable()
    size, taken = 0, 0.0
    for batch in _batches():
        began = time.perf_counter()
        for _, obj in batch:
            raw = encode([obj.name, obj.kind, obj.attributes])
            blake2b(raw, digest_size=24).digest()
            size += len(raw)
        taken += time.perf_counter() - began
    return {"seconds": taken, "raw_bytes": size}


def prepare(password: str) -> dict:
    from keepsort.server.accounts.models import User
    from keepsort.server.migrating import migrate_if_needed
    from keepsort.server.systems.models import System

    migrate_if_needed()
    User.objects.create_user("bench", password=password, role="restorer")
    system = System.objects.create(
        name="Plant", connector="directory", address="ldap://127.0.0.1:1"
    )
    return {"system": system.pk}


def build(which: str) -> dict:
    from benchmarks.trees import SCHEMA, numbers_changed
    from keepsort.core.model.canonical import digest
    from keepsort.core.snapshot import Chunk, SnapshotBuilder
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import open_snapshot
    from keepsort.server.store.postgres import PostgresStore

    changed = numbers_changed() if which == "changed" else frozenset()
    newest = Record.objects.first()
    store = PostgresStore()
    gc.disable()
    builder = SnapshotBuilder(
        store, SCHEMA, depth_first=True, previous=open_snapshot(newest) if newest else None
    )
    taken = 0.0
    for batch in _batches(changed):
        began = time.perf_counter()
        for path, obj in batch:
            builder.add(path, obj)
        taken += time.perf_counter() - began
    began = time.perf_counter()
    root = builder.finish().root
    taken += time.perf_counter() - began
    peak = peak_bytes()
    raw = msgspec.msgpack.encode(SCHEMA)
    store.put_many([Chunk(digest(raw), raw)])
    kind = Record.Kind.LOOK if which == "changed" else Record.Kind.BACKUP
    record = _record(root, digest(raw), kind, builder.stored_bytes)
    return {
        "record": record, "seconds": taken, "peak_bytes": peak,
        "stored_bytes": builder.stored_bytes, "raw_bytes": reference()["raw_bytes"],
    }  # fmt: skip


def _record(root, schema: bytes, kind: str, stored: int, days: float = 0) -> int:  # noqa: ANN001
    from django.utils import timezone

    from keepsort.server.snapshots.models import Record

    return Record.objects.create(
        system_id=1, kind=kind, taken_at=timezone.now() - timedelta(days=days),
        significant=root.significant, facts=root.facts, schema=schema, software="a made-up plant",
        objects_count=root.total, stored_bytes=stored, seconds=0, changes={"changed": 1000},
    ).pk  # fmt: skip


def compare(left: str, right: str) -> dict:
    from keepsort.core.compare import likeness as _warm  # noqa: F401  NumPy is loaded once a process
    from keepsort.server.snapshots.services import find_record, open_snapshot
    from keepsort.server.sorting.comparing import Terms, compare_trees
    from keepsort.server.store import postgres

    reads = []
    get_many = postgres.PostgresStore.get_many

    def counted(self, addresses):  # noqa: ANN001, ANN202
        reads.append(len(addresses))
        return get_many(self, addresses)

    one, two = open_snapshot(find_record(left)), open_snapshot(find_record(right))
    postgres.PostgresStore.get_many = counted
    began = time.perf_counter()
    found = compare_trees(one, two, Terms(), {})
    taken = time.perf_counter() - began
    return {"seconds": taken, "differences": len(found.differences), "chunks": sum(reads)}


def fifty(newest: str) -> dict:
    """Make fifty backups, each with some edits, and take them into the index."""
    import random

    from keepsort.core.snapshot import Draft
    from keepsort.server.history.feeding import catch_up
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record, open_snapshot
    from keepsort.server.systems.models import System

    rng = random.Random(5)
    record = Record.objects.get(kind=Record.Kind.BACKUP)
    tree = open_snapshot(record)
    schema = bytes(record.schema)
    for number in range(1, _BACKUPS):
        draft = Draft(tree)
        for _ in range(_EDITS):
            path = ("flat", f"relay-{rng.randrange(100_000):06}")
            obj = draft.get(path)
            if obj is not None:
                obj.attributes["label"] = f"edited {number}"
                draft.put(path, obj)
        root = draft.finish().root
        pk = _record(root, schema, Record.Kind.BACKUP, 0, days=(_BACKUPS - number) / 10)
        tree = open_snapshot(find_record(pk))
    began = time.perf_counter()
    catch_up(System.objects.get())
    print(f"taken into the index in {time.perf_counter() - began:.0f} s", file=sys.stderr)
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("analyze")
    return {}


if __name__ == "__main__":
    if sys.argv[1] != "reference":
        django.setup()
    print(json.dumps(globals()[sys.argv[1]](*sys.argv[2:])))
