"""Parts of the benchmark of files that run in processes of their own."""

import gc
import json
import sys
import time
from itertools import islice
from pathlib import Path

import django

from benchmarks.measuring import peak_bytes


def keep(count: str) -> dict:
    """Keep so many objects of a made-up plant as a backup."""
    import msgspec
    from django.utils import timezone

    from benchmarks.trees import SCHEMA, stream
    from keepsort.core.model.canonical import digest
    from keepsort.core.snapshot import Chunk, SnapshotBuilder
    from keepsort.server.migrating import migrate_if_needed
    from keepsort.server.snapshots.models import Record
    from keepsort.server.store.postgres import PostgresStore
    from keepsort.server.systems.models import System

    migrate_if_needed()
    system = System.objects.create(name=f"Plant {count}", connector="directory", address="x")
    store = PostgresStore()
    builder = SnapshotBuilder(store, SCHEMA, depth_first=True)
    for path, obj in islice(stream(), int(count)):
        builder.add(path, obj)
    root = builder.finish().root
    raw = msgspec.msgpack.Encoder(order="deterministic").encode(SCHEMA)
    store.put_many([Chunk(digest(raw), raw)])
    record = Record.objects.create(
        system=system, kind="backup", taken_at=timezone.now(), significant=root.significant,
        facts=root.facts, schema=digest(raw), software="bench", objects_count=root.total,
        stored_bytes=0, seconds=0,
    )  # fmt: skip
    return {"record": record.pk}


def write(number: str, form: str, file: str) -> dict:
    """Export a backup."""
    from keepsort.server.files.exporting import Wanted, export
    from keepsort.server.snapshots.services import find_record

    record = find_record(number)
    began = time.perf_counter()
    with Path(file).open("wb") as out:
        export(record, Wanted(), form, out)
    return {"seconds": time.perf_counter() - began}


def read(file: str) -> dict:
    """Check an archive and read every object, without keeping it."""
    from keepsort.files.archive import read as read_archive

    began = time.perf_counter()
    with Path(file).open("rb") as source:
        count = sum(1 for _ in read_archive(source).lines)
    return {"seconds": time.perf_counter() - began, "objects": count}


def open_(file: str) -> dict:
    """Open a file into the store."""
    from keepsort.server.files.opening import drop_file, open_file

    began = time.perf_counter()
    with Path(file).open("rb") as source:
        found = open_file(source, Path(file).name)
    taken = time.perf_counter() - began
    drop_file(found)
    return {"seconds": taken}


if __name__ == "__main__":
    django.setup()
    gc.collect()
    told = {"keep": keep, "write": write, "read": read, "open": open_}[sys.argv[1]](*sys.argv[2:])
    told["peak_bytes"] = peak_bytes()
    print(json.dumps(told))
