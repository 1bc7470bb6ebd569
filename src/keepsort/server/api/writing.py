"""From records to the shapes of the API."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any, Literal

from django.db.models import QuerySet, Window
from django.db.models.functions import RowNumber

from keepsort.connectors.registry import connector_types
from keepsort.core.snapshot import Snapshot
from keepsort.server.api.running import run_briefs
from keepsort.server.api.shapes.files import FileAnswer
from keepsort.server.api.shapes.records import (
    BriefRecordAnswer,
    ChoosableAnswer,
    NextTimeAnswer,
    RecordAnswer,
    RunBriefAnswer,
    SampleAnswer,
    SystemAnswer,
    WorkAnswer,
)
from keepsort.server.api.shapes.restoring import PlaceAnswer
from keepsort.server.attention.overview import Overview, overviews
from keepsort.server.files.models import OpenedFile
from keepsort.server.files.sealing import own_key
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.restores.models import Run
from keepsort.server.schedules.services import timing_of
from keepsort.server.schedules.times import in_words
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import choice_of, open_snapshot, written_branch
from keepsort.server.snapshots.working import OPEN
from keepsort.server.sorting.tallying import importance_of
from keepsort.server.systems.models import System
from keepsort.server.systems.services import choices_of

_BACKUPS_SHOWN = 60
_RUNS_SHOWN = 3
_PLACES = 500


def record(found: Record) -> RecordAnswer:
    """Write a backup or a look."""
    at = tuple(found.at)
    return RecordAnswer(
        id=found.pk,
        system=found.system_id,
        kind=Record.Kind(found.kind),
        taken_at=found.taken_at,
        by=found.by.shown_name if found.by else "",
        note=found.note,
        pinned=found.pinned,
        at=found.at,
        at_written=open_snapshot(found).schema.notation.write(at) if at else "",
        software=found.software,
        objects=found.objects_count,
        stored_bytes=found.stored_bytes,
        seconds=found.seconds,
        changes=found.changes,
        problem_count=found.problem_count,
        problems=[p["text"] for p in found.problems[:5]],
        imported=found.imported,
        baseline=found.baseline,
        scheduled=in_words(timing_of(found.schedule)) if found.schedule else "",
        narrowed=found.narrowed,
        left_out=_left_out(found),
        damage_count=found.damage_count,
        verified_at=found.verified_at,
        file=found.file.name if found.kind == Record.Kind.FILE else "",
    )


def _left_out(found: Record) -> list[str]:
    """Say what a backup left out by choice."""
    choice = choice_of(found)
    schema = open_snapshot(found).schema if choice else None
    told = [schema.label(kind) for kind in choice.kinds_out] if schema else []
    told += [f"all at {place}" for place in choice.places_out]
    return [*told, *([f"all but {', '.join(choice.places)}"] if choice.places else [])]


def file(found: OpenedFile) -> FileAnswer:
    """Write an opened file."""
    told = found.told
    connector = found.record.system.connector
    like = System.objects.filter(connector=connector) if connector else System.objects.all()
    signed: Literal["no", "here", "elsewhere"] = "no"
    if found.signed_by:
        signed = "here" if found.signed_by == own_key() else "elsewhere"
    return FileAnswer(
        id=found.record_id,
        name=found.name,
        form=found.form,
        bytes=found.size,
        sha256=found.sha256,
        system=told["system"],
        connector=connector,
        software=told["software"],
        taken_at=told["taken_at"],
        made_by=told["by"],
        note=told["note"],
        objects=found.record.objects_count,
        whole=found.whole,
        signed=signed,
        signed_by=found.signed_by,
        secrets=found.secrets,
        passed_over=found.passed_over,
        opened_at=found.opened_at,
        by=found.by.shown_name if found.by else "",
        keep_until=found.keep_until,
        fits=list(like.values_list("pk", flat=True)),
    )


def brief(found: Record) -> BriefRecordAnswer:
    """Write a backup or a look as it is named in passing."""
    return BriefRecordAnswer(
        id=found.pk, kind=Record.Kind(found.kind), taken_at=found.taken_at, note=found.note,
        file=found.file.name if found.kind == Record.Kind.FILE else "",
    )  # fmt: skip


def work(found: Work) -> WorkAnswer:
    """Write a backup or a look on its way."""
    return WorkAnswer(
        id=found.pk,
        system=found.system_id,
        kind=Work.Kind(found.kind),
        at=found.at,
        at_written=written_branch(found.system, found.at),
        state=Work.State(found.state),
        objects_seen=found.objects_seen,
        expected=found.expected,
        started_at=found.started_at,
        waits=found.waits,
        cancel_asked=found.cancel_asked,
        message=found.message,
        result=found.result_id,
    )


def systems(found: Sequence[System]) -> list[SystemAnswer]:
    """Write systems with their timelines and what is under way.

    Where that cannot be told of one, it says so itself, and hides nothing of the others.
    """
    watched = _Watched(found)
    return [_system_or_trouble(one, watched) for one in found]


def _system_or_trouble(found: System, watched: "_Watched") -> SystemAnswer:
    try:
        return _system(found, watched)
    except DATABASE_AWAY:
        raise
    except Exception as error:
        log.error("a system cannot be told of", system=found.pk, error=error)
        kind = type(error).__name__
        text = f"What is kept of it cannot be told ({kind}); the log says where."
        return SystemAnswer(
        id=found.pk, name=found.name, connector=found.connector, connector_label="",
        address=found.address, trouble=text,
    )  # fmt: skip


class _Watched:
    """What Watch shows of systems, asked of all at once."""

    def __init__(self, systems: Sequence[System]) -> None:
        numbers = [one.pk for one in systems]
        self.known = overviews(systems)
        backups = Record.objects.filter(system__in=numbers, kind=Record.Kind.BACKUP)
        told = backups.select_related("by", "schedule", "system")
        self.backups = _by_system(_first(told, _BACKUPS_SHOWN, "-taken_at", "-id"))
        by_hand = told.filter(schedule=None).exclude(at=[])
        self.kept = _by_system(_first(by_hand, 1, "-taken_at", "-id"))
        active = Work.objects.filter(system__in=numbers, state__in=OPEN)
        self.work = _by_system(active.select_related("system"))
        runs = Run.objects.filter(system__in=numbers).select_related("system", "plan", "by")
        shown = list(_first(runs, _RUNS_SHOWN, "-pk"))
        self.runs: dict[int, list[RunBriefAnswer]] = {}
        for run, brief_of_it in zip(shown, run_briefs(shown), strict=True):
            self.runs.setdefault(run.system_id, []).append(brief_of_it)


def _first(rows: QuerySet[Any], most: int, *order: str) -> QuerySet[Any]:
    """Return the first rows of each system, in an order."""
    number = Window(RowNumber(), partition_by="system_id", order_by=list(order))
    first: QuerySet[Any] = rows.annotate(rank=number).filter(rank__lte=most)
    return first.order_by("system_id", *order)


def _by_system(rows: Iterable[Any]) -> dict[int, list[Any]]:
    found: dict[int, list[Any]] = {}
    for row in rows:
        found.setdefault(row.system_id, []).append(row)
    return found


def _system(found: System, watched: _Watched) -> SystemAnswer:
    known = watched.known[found.pk]
    look, baseline = known.look, known.baseline
    backups = watched.backups.get(found.pk, [])
    types = connector_types()
    kept = next(iter(watched.kept.get(found.pk, [])), None)
    failed = known.failed
    return SystemAnswer(
        id=found.pk,
        name=found.name,
        connector=found.connector,
        connector_label=types[found.connector].label if found.connector in types else "",
        address=found.address,
        objects=look.objects_count if look else (backups[0].objects_count if backups else 0),
        backups=[record(b) for b in backups],
        look=_look(known, look) if look else None,
        rules_saved=bool(found.rules),
        tags=found.tags,
        choices=[
            ChoosableAnswer(
                name=one.name,
                label=one.label,
                choices=list(one.choices),
                default=found.options.get(one.name) or one.default,
            )
            for one in choices_of(found)
        ]
        if found.connector in types
        else [],
        urgent=list(importance_of(found).urgent),
        minor=list(importance_of(found).minor),
        sample=_sample(known),
        work=[work(w) for w in watched.work.get(found.pk, [])],
        failed=work(failed[0]) if failed else None,
        runs=watched.runs.get(found.pk, []),
        baseline=record(baseline) if baseline else None,
        off_baseline=known.tally(baseline, look).counts if baseline and look else {},
        kept=record(kept) if kept else None,
        schedules=[
            NextTimeAnswer(
                id=s.pk,
                words=in_words(timing_of(s)),
                at_written=written_branch(found, s.at),
                next_at=s.next_at,
            )
            for s in found.schedules.all()
        ],
        trouble="",
    )


def _look(known: Overview, look: Record) -> RecordAnswer:
    """Write a look, with how it differs from the newest backup; what rules hide does not count."""
    changes = known.tally(known.backup, look).counts if known.backup is not None else {}
    return replace(record(look), changes=changes)


def _sample(known: Overview) -> list[SampleAnswer]:
    """Write the first of the objects by which live differs from the newest backup."""
    if known.backup is None or known.look is None:
        return []
    return [
        SampleAnswer(path=one.path, name=one.name, state=one.state)
        for one in known.tally(known.backup, known.look).first
    ]


def places(tree: Snapshot) -> list[PlaceAnswer]:
    """Write the objects that hold others, the topmost ones of a large tree."""
    found: list[PlaceAnswer] = []
    level, holding = [tree.top()], set()
    while level and len(found) < _PLACES:
        found += [
            PlaceAnswer(path=n.path, written=tree.schema.notation.write(n.path)) for n in level
        ]
        below = [
            child
            for node in level
            if not tree.schema.parts_in(node.entry.kind)
            for child in tree.children(node)
        ]
        # what is empty now may hold something too, if others of its kind do
        holding |= {child.entry.kind for child in below if child.entry.children is not None}
        level = [child for child in below if child.entry.kind in holding]
    return found[:_PLACES]
