"""The shapes of backups, looks, systems and work."""

from dataclasses import dataclass, field
from datetime import datetime

from rest_framework import serializers

from keepsort.core.compare import State
from keepsort.core.model import Path
from keepsort.core.snapshot import Choice
from keepsort.server.api.shapes.base import Shape, path_field, texts_field
from keepsort.server.restores.models import Run
from keepsort.server.snapshots.models import Record, Work


@dataclass(kw_only=True)
class RecordAnswer:
    """A backup or a look.

    scheduled: when its schedule is due; else empty.
    left_out: what it left out by choice, in words.
    file: the name of the file it was opened from; else empty.
    """

    id: int
    system: int
    kind: Record.Kind
    taken_at: datetime
    by: str
    note: str
    pinned: bool
    at: Path
    at_written: str
    software: str
    objects: int
    stored_bytes: int
    seconds: float
    changes: dict[str, int]
    problem_count: int
    problems: list[str]
    imported: bool
    baseline: bool
    scheduled: str
    narrowed: bool
    left_out: list[str]
    damage_count: int
    verified_at: datetime | None
    file: str


@dataclass(kw_only=True)
class AsideAnswer:
    """An object of a file that has no place in the system, with what is beneath it."""

    written: str
    count: int
    why: str


class ChoiceShape(Shape):
    """What backups take: kinds that are out, and places that are in or out, as patterns."""

    kinds_out = serializers.ListField(
        child=serializers.CharField(max_length=200), default=list, max_length=500
    )
    places = serializers.ListField(
        child=serializers.CharField(max_length=1000), default=list, max_length=200
    )
    places_out = serializers.ListField(
        child=serializers.CharField(max_length=1000), default=list, max_length=200
    )


@dataclass(kw_only=True)
class WorkAnswer:
    """A backup or a look on its way.

    expected: as many as the one before saw; 0 if unknown.
    """

    id: int
    system: int
    kind: Work.Kind
    at: Path
    at_written: str
    state: Work.State
    objects_seen: int
    expected: int
    started_at: datetime | None
    waits: str
    cancel_asked: bool
    message: str
    result: int | None


class FullChoice(Choice, frozen=True, omit_defaults=False):
    """What backups take, with nothing left out."""


class AskWorkShape(Shape):
    """A request for a backup or a look."""

    kind = serializers.ChoiceField(choices=["backup", "look"])
    at = path_field(default=list)
    note = serializers.CharField(max_length=400, allow_blank=True, default="")
    pinned = serializers.BooleanField(default=False)


@dataclass(kw_only=True)
class RunBriefAnswer:
    """A run in a list.

    undone_by: where all is taken back.
    taken_back: numbers of the steps that are taken back.
    planned: how many objects it was to change, create and remove.
    names: the first of them.
    """

    id: int
    system: int
    system_name: str
    plan: int
    state: Run.State
    outcome: str
    interrupted: bool
    undoes: int | None
    undone_by: int | None
    taken_back: list[int]
    by: str
    started_at: datetime
    finished_at: datetime | None
    steps: int
    done: int
    written: int
    planned: dict[str, int]
    names: list[str]
    message: str
    waits: str
    waits_until: datetime | None
    wait_minutes: int
    cancel_asked: bool


@dataclass(kw_only=True)
class SampleAnswer:
    """One of the objects that differ."""

    path: Path
    name: str
    state: State


@dataclass(kw_only=True)
class NextTimeAnswer:
    """A schedule in passing."""

    id: int
    words: str
    at_written: str
    next_at: datetime | None


@dataclass(kw_only=True)
class ChoosableAnswer:
    """What can be chosen for one restore; default: what holds where nothing is."""

    name: str
    label: str
    choices: list[str]
    default: str


@dataclass(kw_only=True)
class SystemAnswer:
    """A system with what Watch shows of it.

    urgent: patterns of what is urgent when it differs.
    minor: patterns of what is minor.
    kept: the newest backup of a branch, kept by hand.
    """

    id: int
    name: str
    connector: str
    connector_label: str
    address: str
    objects: int = 0
    backups: list[RecordAnswer] = field(default_factory=list)
    look: RecordAnswer | None = None
    rules_saved: bool = False
    choices: list[ChoosableAnswer] = field(default_factory=list)
    tags: list[str] = field(default_factory=list)
    urgent: list[str] = field(default_factory=list)
    minor: list[str] = field(default_factory=list)
    sample: list[SampleAnswer] = field(default_factory=list)
    work: list[WorkAnswer] = field(default_factory=list)
    failed: WorkAnswer | None = None
    runs: list[RunBriefAnswer] = field(default_factory=list)
    baseline: RecordAnswer | None = None
    off_baseline: dict[str, int] = field(default_factory=dict)
    kept: RecordAnswer | None = None
    schedules: list[NextTimeAnswer] = field(default_factory=list)
    trouble: str = ""


class WatchedShape(Shape):
    """How a system is watched: words to group it by, what is urgent of it, and what is minor.

    A pattern that begins with a slash is of a place and all beneath it; another one of an
    attribute, `attribute` or `kind:attribute`.
    """

    tags = serializers.ListField(child=serializers.CharField(max_length=40), max_length=20)
    urgent = texts_field(max_length=200)
    minor = texts_field(max_length=200)


@dataclass(kw_only=True)
class BriefRecordAnswer:
    """A backup or a look, named in passing.

    file: the name of the file it was opened from; else empty.
    """

    id: int
    kind: Record.Kind
    taken_at: datetime
    note: str
    file: str


class RecordChangeShape(Shape):
    """What can be changed of a backup."""

    note = serializers.CharField(max_length=400, allow_blank=True, required=False)
    pinned = serializers.BooleanField(required=False)
    baseline = serializers.BooleanField(required=False)
