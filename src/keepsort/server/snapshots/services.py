"""Looking at live systems, and keeping what was seen."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from time import monotonic
from typing import Any

import msgspec
from django.conf import settings
from django.db.models import ProtectedError
from django.utils import timezone

from keepsort.connectors.applying import read
from keepsort.connectors.base import Connector, Description, Incremental, Waiting
from keepsort.connectors.errors import StartAgain
from keepsort.core.compare import compare
from keepsort.core.compare.choices import kept
from keepsort.core.compare.gaps import filled_tree
from keepsort.core.model import ConfigObject, Path, Schema
from keepsort.core.model.canonical import digest
from keepsort.core.model.notation import write_slash
from keepsort.core.snapshot import (
    Choice,
    Chunk,
    Draft,
    Root,
    Snapshot,
    SnapshotBuilder,
    StreamError,
    Taking,
)
from keepsort.core.snapshot.reader import PageCache
from keepsort.core.soundness import unsound
from keepsort.server import cycle_collector, reading
from keepsort.server.accounts.models import User
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.problems import NotFound, Problem
from keepsort.server.schedules.models import Schedule
from keepsort.server.snapshots.models import Construction, Record
from keepsort.server.store.postgres import PostgresStore
from keepsort.server.systems.models import System
from keepsort.server.systems.services import opened, successors

_ATTEMPTS = 3
#: How many looks are kept of a system, and how many where they are new.
_LOOKS_KEPT, _LOOKS_MOST = 3, 12
_LOOKED_AT = timedelta(minutes=15)
_PROBLEMS_KEPT = 2000
_PROBED = 200
_REPORT_EVERY = 500
_PAGES_APART = 256

_cache = PageCache(PostgresStore(), size=8192)
_decode_schema = msgspec.msgpack.Decoder(Schema).decode
_encode = msgspec.msgpack.Encoder(order="deterministic").encode

Progress = Callable[[int], None]
#: The first problems, as records keep them, and how many there are.
Problems = tuple[list[dict[str, Any]], int]


def open_snapshot(record: Record) -> Snapshot:
    """Return the tree a record stands for; pages are shared by all that are open."""
    return open_tree(root_of(record), bytes(record.schema))


def root_of(record: Record) -> Root:
    """Return where the tree of a record begins."""
    return Root(
        significant=bytes(record.significant),
        facts=bytes(record.facts) if record.facts is not None else None,
        total=record.objects_count,
        at=tuple(record.at),
    )


def open_apart(record: Record) -> Snapshot:
    """Return the tree of a record for who reads all of it once: it takes no others' pages away."""
    tree = open_snapshot(record)
    return Snapshot(tree.store, tree.root, tree.schema, PageCache(tree.store, size=_PAGES_APART))


def open_tree(root: Root, schema: bytes) -> Snapshot:
    """Return the tree beneath a root in the store, read with the schema at an address."""
    return Snapshot(_cache.store, root, _cache.load(schema, _decode_schema), _cache)


def written_branch(system: System, at: Sequence[str]) -> str:
    """Write a branch of a system as people write it; empty for the whole."""
    known = system.records.first() if at else None
    if known is None:
        return write_slash(tuple(at)) if at else ""
    return open_snapshot(known).schema.notation.write(tuple(at))


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
    """Return the newest record of one kind that holds this branch, and not less than others do."""
    return Record.objects.filter(system=system, kind=kind, at=list(at), narrowed=False).first()


def choice_of(record: Record) -> Choice:
    """Return what a record took."""
    return msgspec.convert(record.choice, Choice)


def usual_choice(system: System, kind: str = Record.Kind.BACKUP) -> Choice:
    """Return what records of a system take, where nothing else is said; looks take all."""
    return msgspec.convert(system.choice, Choice) if kind == Record.Kind.BACKUP else Choice()


@dataclass(frozen=True)
class Taken:
    """What a backup is to be.

    choice: what it takes. narrowed: that is less than backups of its system take.
    """

    choice: Choice
    narrowed: bool = False
    schedule: Schedule | None = None
    pinned: bool = False


def take(
    system: System,
    kind: str,
    *,
    branch: Path = (),
    by: User | None = None,
    note: str = "",
    taken_at: datetime | None = None,
    progress: Progress | None = None,
    waits: Callable[[str], None] | None = None,
    taking: Taken | None = None,
) -> Record:
    """Look at the live system and keep what is seen as a record.

    progress: is called with the number of objects seen; what it raises ends the look.
    waits: is called with what is waited for, as long as that lasts.
    Raises a `ConnectorError`; nothing is kept then.
    """
    started = monotonic()
    taken = taking or Taken(usual_choice(system, kind))
    newer = _built_on(system, branch, taken.choice)
    with constructing(newer), opened(system) as connector, cycle_collector.paused():
        if waits is not None and isinstance(connector, Waiting):
            connector.tell = waits
        description = connector.describe()
        before = open_snapshot(newer) if newer else None
        only = Taking(taken.choice, description.schema.names, branch) if taken.choice else None
        tree, new_bytes = _observed(connector, description, before, branch, progress, only)
        backup = _before(system, branch, taken)
        if backup is not None:
            tree = with_hidden(connector, backup, tree, taken.choice)
        problems, problem_count = _problems(connector, kind, backup, tree, taken.choice)
        changes = _changes(backup, tree, taken.choice)
        schema, stored = keep_schema(description.schema)
        record = Record.objects.create(
            system=system, kind=kind, by=by, note=note, at=list(branch),
            taken_at=taken_at or timezone.now(), seconds=round(monotonic() - started, 3),
            significant=tree.root.significant, facts=tree.root.facts, schema=schema,
            software=description.software, objects_count=tree.root.total,
            stored_bytes=new_bytes + stored, changes=changes,
            problems=problems, problem_count=problem_count,
            choice=msgspec.to_builtins(taken.choice), narrowed=taken.narrowed,
            schedule=taken.schedule, pinned=taken.pinned,
        )  # fmt: skip
    drop_old_looks(system)
    return record


def _built_on(system: System, branch: Path, choice: Choice) -> Record | None:
    """Return the newest record that took the same, and of which all can be read."""
    same = Record.objects.filter(system=system, at=list(branch), damage_count=0)
    return same.filter(choice=msgspec.to_builtins(choice)).first()


def _before(system: System, branch: Path, taken: Taken) -> Record | None:
    """Return the backup before one that is being made, of the same branch, taking the same."""
    same = Record.objects.filter(
        system=system, kind=Record.Kind.BACKUP, at=list(branch), narrowed=taken.narrowed,
        damage_count=0,
    )  # fmt: skip
    if taken.narrowed:
        same = same.filter(choice=msgspec.to_builtins(taken.choice))
    return same.first()


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
    only: Taking | None,
) -> tuple[Snapshot, int]:
    """Return the live tree and how many bytes of it were new to the store."""
    # what stands beneath an object that is of a kind that is taken now is not told as changed
    told = only is None or not only.by_kind
    if isinstance(connector, Incremental) and before is not None and told:
        changed = None
        if before.schema == description.schema:
            changed = connector.observe_since(before, branch)
        if changed is not None:
            return _changed(before, changed, only)
    until = monotonic() + settings.LONGEST_LOOK_SECONDS
    for attempt in range(_ATTEMPTS):
        builder = SnapshotBuilder(
            _cache.store, description.schema,
            depth_first=description.depth_first, previous=before, at=branch,
        )  # fmt: skip
        try:
            stream = connector.observe(branch)
            for path, obj in only.stream(stream) if only is not None else stream:
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


def _changed(
    before: Snapshot, changed: list[tuple[Path, ConfigObject | None]], only: Taking | None
) -> tuple[Snapshot, int]:
    """Return the tree as it is after changes, and how many bytes of it were new to the store."""
    draft = Draft(before)
    come = {path: obj.kind for path, obj in changed if obj is not None}

    def kind_at(path: Path) -> str | None:
        node = before.find(path) if path not in come else None
        return node.entry.kind if node is not None else come.get(path)

    for path, obj in changed:
        if obj is not None and (only is None or only.takes(path, kind_at)):
            draft.put(path, obj)
        elif only is None or draft.has(path):
            draft.remove(path)
    return draft.finish(), draft.stored_bytes


def _too_long(count: int) -> Problem:
    return Problem(
        f"It took longer than {settings.LONGEST_LOOK_SECONDS // 60} minutes to read; {count} "
        "objects were read by then, and nothing was kept.",
        "Take a branch alone, or see why the system is so slow.",
        504,
    )


def _changes(backup: Record | None, tree: Snapshot, choice: Choice) -> dict[str, int]:
    """Return how a tree differs from a backup, by state; choice: what the tree took."""
    if backup is None:
        return {}
    known = successors(backup.system)
    left = filled_tree(open_snapshot(backup), tree, backup.gaps)
    return kept(compare(left, tree, successors=known), choice_of(backup), choice).tally


def _problems(
    connector: Connector, kind: str, backup: Record | None, tree: Snapshot, choice: Choice
) -> Problems:
    """Return what is unsound in a backup, and how much; what did not change is not asked again."""
    if kind != Record.Kind.BACKUP:
        return [], 0
    if backup is not None and bytes(backup.significant) == tree.root.significant:
        return backup.problems, backup.problem_count
    found = [(p.path, p.text) for p in connector.validate(tree) if tree.find(p.path) is not None]
    return problems_of(tree, found, choice)


def problems_of(tree: Snapshot, found: list[tuple[Path, str]], choice: Choice) -> Problems:
    """Return what is unsound in a tree, with what its system found; choice: what it took."""
    told = {path for path, _ in found}
    # what the system itself said of an object is not said of it in other words
    found = [*found, *((p.path, p.text) for p in unsound(tree, choice) if p.path not in told)]
    first = [{"path": list(path), "text": text} for path, text in found[:_PROBLEMS_KEPT]]
    return first, len(found)


def keep_schema(schema: Schema) -> tuple[bytes, int]:
    """Keep the kinds that a record is read by; return their address, and the bytes newly stored."""
    raw = _encode(schema)
    address = digest(raw)
    there = _cache.store.has_many([address])
    return address, 0 if there else _cache.store.put_many([Chunk(address, raw)])


def with_hidden(connector: Connector, record: Record, tree: Snapshot, choice: Choice) -> Snapshot:
    """Mark what the backup knows and the account cannot see now as unreadable, not as gone."""
    backup = open_snapshot(record)
    found = kept(compare(backup, tree), choice_of(record), choice)
    missing = [d for d in found.differences if d.state == "missing"]
    paths = {backup.schema.names.keys(d.path) for d in missing}
    topmost = [d.path for d in missing if backup.schema.names.keys(d.path[:-1]) not in paths]
    draft: Draft | None = None
    for path, now in zip(topmost, read(connector, topmost[:_PROBED]), strict=False):
        if now is not None and now.unreadable is not None:
            draft = draft or Draft(tree)
            with suppress(KeyError):
                draft.put(path, now)
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
