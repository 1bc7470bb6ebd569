"""Looking at live systems, and keeping what was seen."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import datetime, timedelta
from time import monotonic
from typing import Any

import msgspec
from django.conf import settings
from django.db.models import ProtectedError
from django.utils import timezone

from keepsort.connectors.base import Connector, Description, Incremental
from keepsort.connectors.errors import StartAgain
from keepsort.core.compare import compare
from keepsort.core.compare.gaps import filled_tree
from keepsort.core.model import Path, Schema
from keepsort.core.model.canonical import digest
from keepsort.core.snapshot import Chunk, Draft, Root, Snapshot, SnapshotBuilder, StreamError
from keepsort.core.snapshot.reader import PageCache
from keepsort.server import collecting, reading
from keepsort.server.accounts.models import User
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.problems import NotFound, Problem
from keepsort.server.snapshots.models import Construction, Record
from keepsort.server.store.postgres import PostgresStore
from keepsort.server.systems.models import System
from keepsort.server.systems.services import opened, successors

_ATTEMPTS = 3
#: How many looks are kept of a system, and how many where they are new.
_LOOKS_KEPT, _LOOKS_MOST = 3, 12
_LOOKED_AT = timedelta(minutes=15)
_PROBLEMS_KEPT = 100
_PROBED = 200
_REPORT_EVERY = 500
_PAGES_APART = 256

_cache = PageCache(PostgresStore(), size=8192)
_decode_schema = msgspec.msgpack.Decoder(Schema).decode
_encode = msgspec.msgpack.Encoder(order="deterministic").encode

Progress = Callable[[int], None]


def open_snapshot(record: Record) -> Snapshot:
    """Return the tree a record stands for; pages are shared by all that are open."""
    root = Root(
        significant=bytes(record.significant),
        facts=bytes(record.facts) if record.facts is not None else None,
        total=record.objects_count,
        at=tuple(record.at),
    )
    return open_tree(root, bytes(record.schema))


def open_apart(record: Record) -> Snapshot:
    """Return the tree of a record for who reads all of it once: it takes no others' pages away."""
    tree = open_snapshot(record)
    return Snapshot(tree.store, tree.root, tree.schema, PageCache(tree.store, size=_PAGES_APART))


def open_tree(root: Root, schema: bytes) -> Snapshot:
    """Return the tree beneath a root in the store, read with the schema at an address."""
    return Snapshot(_cache.store, root, _cache.load(schema, _decode_schema), _cache)


def find_record(number: int | str, kind: str | None = None) -> Record:
    """Return a record by its number. Raises `NotFound`."""
    found = Record.objects.select_related("system").filter(pk=record_number(number)).first()
    if found is None or (kind is not None and found.kind != kind):
        raise _no_record(number)
    return found


def record_number(text: int | str) -> int:
    """Read the number of a record, which need not be there. Raises `NotFound` if it is none."""
    try:
        return reading.number(text)
    except Problem:
        raise _no_record(str(text)[:40]) from None


def _no_record(number: int | str) -> NotFound:
    return NotFound(f"There is no backup {number}.", "See the list of the system's backups.")


def newest(system: System, kind: str, at: Path = ()) -> Record | None:
    """Return the newest record of one kind that holds exactly this branch."""
    return Record.objects.filter(system=system, kind=kind, at=list(at)).first()


def take(
    system: System,
    kind: str,
    *,
    branch: Path = (),
    by: User | None = None,
    note: str = "",
    taken_at: datetime | None = None,
    progress: Progress | None = None,
) -> Record:
    """Look at the live system and keep what is seen as a record.

    Raises a `ConnectorError`; nothing is kept then.
    """
    started = monotonic()
    newer = Record.objects.filter(system=system, at=list(branch)).first()
    with constructing(newer), opened(system) as connector, collecting.paused():
        description = connector.describe()
        before = open_snapshot(newer) if newer else None
        tree, new_bytes = _observed(connector, description, before, branch, progress)
        backup = newest(system, Record.Kind.BACKUP, branch)
        if backup is not None:
            tree = with_hidden(connector, open_snapshot(backup), tree)
        problems, problem_count = _problems(connector, kind, backup, tree)
        changes = _changes(backup, tree)
        schema, stored = keep_schema(description.schema)
        record = Record.objects.create(
            system=system, kind=kind, by=by, note=note, at=list(branch),
            taken_at=taken_at or timezone.now(), seconds=round(monotonic() - started, 3),
            significant=tree.root.significant, facts=tree.root.facts, schema=schema,
            software=description.software, objects_count=tree.root.total,
            stored_bytes=new_bytes + stored, changes=changes,
            problems=problems, problem_count=problem_count,
        )  # fmt: skip
    drop_old_looks(system)
    return record


@contextmanager
def constructing(previous: Record | None) -> Iterator[None]:
    """Keep what a snapshot counts on from being collected until it is a record itself."""
    made = Construction.objects.create(previous=previous)
    try:
        yield
    finally:
        # where the database has gone away, the collector takes it away when it is too old
        with suppress(*DATABASE_AWAY):
            made.delete()


def _observed(
    connector: Connector,
    description: Description,
    before: Snapshot | None,
    branch: Path,
    progress: Progress | None,
) -> tuple[Snapshot, int]:
    """Return the live tree and how many bytes of it were new to the store."""
    if isinstance(connector, Incremental) and before is not None:
        changed = None
        if before.schema == description.schema:
            changed = connector.observe_since(before, branch)
        if changed is not None:
            draft = Draft(before)
            for path, obj in changed:
                if obj is None:
                    draft.remove(path)
                else:
                    draft.put(path, obj)
            return draft.finish(), draft.stored_bytes
    until = monotonic() + settings.LONGEST_LOOK_SECONDS
    for attempt in range(_ATTEMPTS):
        builder = SnapshotBuilder(
            _cache.store, description.schema,
            depth_first=description.depth_first, previous=before, at=branch,
        )  # fmt: skip
        try:
            for path, obj in connector.observe(branch):
                builder.add(path, obj)
                if builder.count % _REPORT_EVERY == 0:
                    if progress:
                        progress(builder.count)
                    if monotonic() > until:
                        raise _too_long(builder.count)
            return builder.finish(), builder.stored_bytes
        except StartAgain:
            if attempt + 1 == _ATTEMPTS:
                raise
        except StreamError as error:
            raise Problem(
                f"What the system tells of itself makes no tree: {error}.",
                "Back up a branch that does not hold it, and tell who keeps this connector.",
                502,
            ) from None
    raise AssertionError("not reached")


def _too_long(count: int) -> Problem:
    return Problem(
        f"It took longer than {settings.LONGEST_LOOK_SECONDS // 60} minutes to read; {count} "
        "objects were read by then, and nothing was kept.",
        "Take a branch alone, or see why the system is so slow.",
        504,
    )


def _changes(backup: Record | None, tree: Snapshot) -> dict[str, int]:
    """Return how a tree differs from a backup, by state."""
    if backup is None:
        return {}
    known = successors(backup.system)
    left = filled_tree(open_snapshot(backup), tree, backup.gaps)
    return compare(left, tree, successors=known).tally


def _problems(
    connector: Connector, kind: str, backup: Record | None, tree: Snapshot
) -> tuple[list[dict[str, Any]], int]:
    """Return what is unsound in a backup, and how much; what did not change is not asked again."""
    if kind != Record.Kind.BACKUP:
        return [], 0
    if backup is not None and bytes(backup.significant) == tree.root.significant:
        return backup.problems, backup.problem_count
    found = connector.validate(tree)
    kept = [{"path": list(p.path), "text": p.text} for p in found[:_PROBLEMS_KEPT]]
    return kept, len(found)


def keep_schema(schema: Schema) -> tuple[bytes, int]:
    """Keep the kinds that a record is read by; return their address, and the bytes newly stored."""
    raw = _encode(schema)
    address = digest(raw)
    there = _cache.store.has_many([address])
    return address, 0 if there else _cache.store.put_many([Chunk(address, raw)])


def with_hidden(connector: Connector, backup: Snapshot, tree: Snapshot) -> Snapshot:
    """Mark what the backup knows and the account cannot see now as unreadable, not as gone."""
    missing = [d for d in compare(backup, tree).differences if d.state == "missing"]
    paths = {backup.schema.names.keys(d.path) for d in missing}
    topmost = [d.path for d in missing if backup.schema.names.keys(d.path[:-1]) not in paths]
    draft: Draft | None = None
    for path, found in zip(topmost, connector.read(topmost[:_PROBED]), strict=False):
        if found is not None and found.unreadable is not None:
            draft = draft or Draft(tree)
            with suppress(KeyError):
                draft.put(path, found)
    return draft.finish() if draft else tree


def drop_old_looks(system: System) -> None:
    """Forget looks that newer ones replace and that nothing stands on.

    Those of the last minutes stay for who may be looking at them, but not without end.
    """
    built_on = Construction.objects.exclude(previous=None).values("previous")
    looks = Record.objects.filter(system=system, kind=Record.Kind.LOOK, plans=None)
    looks = looks.exclude(pk__in=built_on)
    recent = timezone.now() - _LOOKED_AT
    stale = [
        number
        for place, (number, taken_at) in enumerate(looks.values_list("pk", "taken_at"))
        if place >= (_LOOKS_MOST if taken_at > recent else _LOOKS_KEPT)
    ]
    for number in stale:
        with suppress(ProtectedError):  # somebody has just begun to build on it, or to preview
            Record.objects.filter(pk=number).delete()
