"""Parts of the benchmark of keeping that run in processes of their own."""

import gc
import json
import sys
import time
from collections.abc import Iterable, Iterator
from datetime import timedelta
from hashlib import blake2b
from itertools import islice
from typing import Any

import django


def _record(root: Any, days_ago: float, system: Any) -> Any:
    import msgspec
    from django.utils import timezone

    from benchmarks.trees import SCHEMA
    from keepsort.core.model.canonical import digest
    from keepsort.core.snapshot import Chunk
    from keepsort.server.snapshots.models import Record
    from keepsort.server.store.postgres import PostgresStore

    raw = msgspec.msgpack.Encoder(order="deterministic").encode(SCHEMA)
    store = PostgresStore()
    if not store.has_many([digest(raw)]):
        store.put_many([Chunk(digest(raw), raw)])
    return Record.objects.create(
        system=system, kind="backup", taken_at=timezone.now() - timedelta(days=days_ago),
        significant=root.significant, facts=root.facts, schema=digest(raw), software="bench",
        objects_count=root.total, stored_bytes=0, seconds=0,
    )  # fmt: skip


def _halls(count: int, changed: frozenset[int] = frozenset()) -> Iterator[tuple]:
    """Yield a plant of halls with a thousand units each."""
    from keepsort.core.model import ConfigObject

    yield (), ConfigObject(name="", kind="hall", attributes={"label": "Plant"})
    for number in range(count - 1):
        hall = f"hall-{number // 1000:04}"
        if number % 1000 == 0:
            yield (hall,), ConfigObject(name=hall, kind="hall", attributes={"label": hall})
        name = f"unit-{number % 1000:04}"
        note = f"limit {number % 40} of the {number * 7919 % 1009}th probe"
        attributes = {"value": -number if number in changed else number, "notes": note}
        yield (hall, name), ConfigObject(name=name, kind="unit", attributes=attributes)


def _built(stream: Iterable[tuple], previous: Any = None) -> Any:
    from benchmarks.trees import SCHEMA
    from keepsort.core.snapshot import SnapshotBuilder
    from keepsort.server.store.postgres import PostgresStore

    builder = SnapshotBuilder(PostgresStore(), SCHEMA, depth_first=True, previous=previous)
    for path, obj in stream:
        builder.add(path, obj)
    return builder.finish()


def _system() -> Any:
    from keepsort.server.migrating import migrate_if_needed
    from keepsort.server.systems.models import System

    migrate_if_needed()
    return System.objects.create(name="Plant", connector="directory", address="x")


def unchanged(address: str) -> dict:
    """Back up a live key store twice by its schedule; return what the second stored."""
    from keepsort.server.migrating import migrate_if_needed
    from keepsort.server.schedules.services import add_schedule, run_now
    from keepsort.server.schedules.times import every
    from keepsort.server.snapshots import working
    from keepsort.server.systems.services import add_system

    migrate_if_needed()
    system = add_system("Plant", "keystore", address, {"prefix": "/plant/"}, "", "")
    schedule = add_schedule(system, every("10m"))
    for _ in range(2):
        done = working.do(run_now(schedule).pk)
        assert done is not None
        assert done.state == "done", done.message
        record = done.result
    return {"stored_bytes": record.stored_bytes, "seconds": record.seconds}


def many(backups: str, objects: str) -> dict:
    """Keep many backups of one tree, each with three objects changed since the one before."""
    from keepsort.core.model import ConfigObject
    from keepsort.core.retention import Policy
    from keepsort.core.snapshot import Draft
    from keepsort.server.retention.services import save_policy

    system = _system()
    tree = _built(_halls(int(objects)))
    paths = [node.path for node in islice(tree.walk(), int(objects))]
    count = int(backups)
    for number in range(count):
        draft = Draft(tree)
        for n in range(3):
            path = paths[(number * 997 + n * 31_013) % len(paths)]
            found = tree.get(path)
            assert found is not None
            attributes = {**found.attributes, "note": f"changed in {number}"}
            draft.put(path, ConfigObject(name=found.name, kind=found.kind, attributes=attributes))
        tree = draft.finish()
        _record(tree.root, (count - number) / 4, system)
    save_policy(system, Policy(good=50, daily=60, weekly=30, monthly=12))
    return {}


def plan() -> dict:
    from keepsort.server.retention.services import plan as planned
    from keepsort.server.systems.models import System

    began = time.perf_counter()
    found = planned(System.objects.get())
    taken = time.perf_counter() - began
    assert found.goes
    assert found.freed is not None
    return {"seconds": taken, "goes": len(found.goes), "frees": found.freed}


def collect() -> dict:
    """Let go what the policy drops, and collect all of it."""
    from django.utils import timezone

    from keepsort.server import housekeeping
    from keepsort.server.retention.services import apply
    from keepsort.server.store.models import Chunk
    from keepsort.server.systems.models import System

    Chunk.objects.update(used_at=timezone.now() - timedelta(days=1))
    print("begun", flush=True)
    began = time.perf_counter()
    dropped = apply(System.objects.get())
    before = Chunk.objects.count()
    housekeeping._collect(timezone.now())
    taken = time.perf_counter() - began
    return {"seconds": taken, "dropped": len(dropped), "collected": before - Chunk.objects.count()}


def build(objects: str) -> dict:
    """Build a snapshot on the newest one, as a backup of a system that is read whole does."""
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import constructing, open_snapshot

    newest = Record.objects.first()
    assert newest is not None
    with constructing(newest):
        began = time.perf_counter()
        _built(_halls(int(objects), frozenset(range(0, 2_000, 97))), open_snapshot(newest))
        return {"seconds": time.perf_counter() - began}


def keep(objects: str) -> dict:
    from benchmarks.trees import stream

    system = _system()
    made = _built(islice(stream(), int(objects)))
    return {"record": _record(made.root, 0, system).pk}


def verify() -> dict:
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.verifying import verify as verified

    began = time.perf_counter()
    found = verified(list(Record.objects.select_related("system")))
    assert not found.damaged
    return {"seconds": time.perf_counter() - began, "chunks": found.checked}


def hash_() -> dict:
    """The reference: the same rows read from PostgreSQL, and hashed as they are there."""
    from django.db import connection

    from keepsort.server.store.models import Chunk

    began = time.perf_counter()
    count = 0
    with connection.cursor() as cursor:
        cursor.execute(f"select address, data from {Chunk._meta.db_table}")
        while rows := cursor.fetchmany(256):
            for _, data in rows:
                blake2b(data, digest_size=24).digest()
            count += len(rows)
    return {"seconds": time.perf_counter() - began, "chunks": count}


if __name__ == "__main__":
    django.setup()
    gc.collect()
    does = {
        "unchanged": unchanged, "many": many, "plan": plan, "collect": collect, "build": build,
        "keep": keep, "verify": verify, "hash": hash_,
    }  # fmt: skip
    print(json.dumps(does[sys.argv[1]](*sys.argv[2:])))
