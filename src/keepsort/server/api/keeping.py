"""The views of what backups take, and whether they are whole."""

from dataclasses import dataclass
from datetime import datetime

import msgspec
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.snapshot import Choice
from keepsort.server import reading, tasks
from keepsort.server.api.asking import KeptView, View, person
from keepsort.server.api.shapes.base import Shape
from keepsort.server.api.shapes.derived import answer, full, shape_of
from keepsort.server.api.shapes.records import ChoiceShape, FullChoice, WorkAnswer
from keepsort.server.api.writing import work
from keepsort.server.events.notify import tell
from keepsort.server.snapshots import working
from keepsort.server.snapshots.expecting import Expected, expected
from keepsort.server.snapshots.kinds import kinds_of
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import find_record, newest, open_snapshot, usual_choice
from keepsort.server.sorting.tallying import tallied
from keepsort.server.systems.models import System

_TOLD = 200


@dataclass(kw_only=True)
class KindAnswer:
    """How much of a backup a kind of object is; bytes: before they are packed."""

    name: str
    label: str
    objects: int
    bytes: int


@dataclass(kw_only=True)
class PlaceTextAnswer:
    """Something about an object of a backup."""

    path: str
    text: str


@dataclass(kw_only=True)
class StandingAnswer:
    """How a backup stands: how much of it each kind is, and what is wrong with it."""

    kinds: list[KindAnswer]
    problems: list[PlaceTextAnswer]
    problem_count: int
    damage: list[PlaceTextAnswer]
    damage_count: int


class KeepingShape(Shape):
    """What backups of a system take, when it is reminded of, and how often they are read again."""

    choice = ChoiceShape()
    remind_days = serializers.IntegerField(min_value=1, max_value=3650)
    verify_days = serializers.IntegerField(min_value=0, max_value=3650)


@dataclass(kw_only=True)
class KeepingAnswer:
    """What backups of a system take, when it is reminded of, and how often they are read again."""

    choice: FullChoice
    remind_days: int
    verify_days: int


@dataclass(kw_only=True)
class ApartAnswer:
    """How live differs from a backup: what was looked at when; null where nobody has."""

    differs: dict[str, int] | None
    looked_at: datetime | None


class Apart(View):
    """How far a backup is from live."""

    @extend_schema(operation_id="apart", responses=shape_of(ApartAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Count what differs between a backup and the newest look at the whole of its system."""
        found = find_record(number, Record.Kind.BACKUP)
        look = newest(found.system, Record.Kind.LOOK)
        if look is None:
            return answer(ApartAnswer(differs=None, looked_at=None))
        return answer(ApartAnswer(differs=tallied(found, look).counts, looked_at=look.taken_at))


class Standing(View):
    """How one backup stands."""

    @extend_schema(operation_id="standing", responses=shape_of(StandingAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Tell what is in it, and what is wrong with it."""
        found = find_record(number, Record.Kind.BACKUP)
        schema = open_snapshot(found).schema
        problems = [
            PlaceTextAnswer(path=schema.notation.write(tuple(p["path"])), text=p["text"])
            for p in found.problems[:_TOLD]
        ]
        return answer(
            StandingAnswer(
                kinds=_kinds(found),
                problems=problems,
                problem_count=found.problem_count,
                damage=[PlaceTextAnswer(**one) for one in found.damage[:_TOLD]],
                damage_count=found.damage_count,
            )
        )


def _kinds(record: Record) -> list[KindAnswer]:
    schema = open_snapshot(record).schema
    found = kinds_of(record) if not record.damage_count else {}
    return [
        KindAnswer(name=kind, label=schema.label(kind), objects=count, bytes=size)
        for kind, (count, size) in sorted(found.items(), key=lambda one: -one[1][1])
    ]


def _verify(system: System, of: Record | None, request: Request) -> Response:
    made = tasks.begin_work(system=system, kind=Work.Kind.VERIFY, of=of, by=person(request))
    return answer(work(made), status=202)


class VerifyRecord(View):
    """Reading one backup again."""

    @extend_schema(
        operation_id="verify_backup", request=None, responses={202: shape_of(WorkAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Ask for all that it stands on to be read and hashed."""
        found = find_record(number, Record.Kind.BACKUP)
        return _verify(found.system, found, request)


class VerifySystem(View):
    """Reading all backups of a system again."""

    @extend_schema(
        operation_id="verify_system", request=None, responses={202: shape_of(WorkAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Ask for all that they stand on to be read and hashed."""
        return _verify(get_object_or_404(System, pk=number), None, request)


class WorkCancel(View):
    """Ending work."""

    @extend_schema(operation_id="cancel_work", request=None, responses=shape_of(WorkAnswer))
    def post(self, request: Request, number: int) -> Response:
        """End a backup, a look or a reading; nothing of it is kept."""
        found = get_object_or_404(Work, pk=number)
        working.cancel(found)
        found.refresh_from_db()
        return answer(work(found))


class Keeping(KeptView):
    """What backups of a system take, and how often they are read again."""

    @extend_schema(operation_id="keeping", responses=shape_of(KeepingAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return it."""
        return answer(_keeping(get_object_or_404(System, pk=number)))

    @extend_schema(
        operation_id="save_keeping", request=KeepingShape, responses=shape_of(KeepingAnswer)
    )
    def put(self, request: Request, number: int) -> Response:
        """Change it for the backups from now on."""
        system = get_object_or_404(System, pk=number)
        data = KeepingShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        system.choice = msgspec.to_builtins(msgspec.convert(asked["choice"], Choice))
        system.remind_days, system.verify_days = asked["remind_days"], asked["verify_days"]
        system.save(update_fields=["choice", "remind_days", "verify_days"])
        tell("record", 0, system.pk)
        return answer(_keeping(system))


class SystemKinds(View):
    """The kinds of object of a system."""

    @extend_schema(operation_id="system_kinds", responses=shape_of(KindAnswer)(many=True))
    def get(self, request: Request, number: int) -> Response:
        """Tell how much each kind took the last time that all was looked at."""
        system = get_object_or_404(System, pk=number)
        record = system.records.filter(at=[], choice={}, damage_count=0).first()
        return answer(_kinds(record) if record is not None else [])


def _keeping(system: System) -> KeepingAnswer:
    return KeepingAnswer(
        choice=full(FullChoice, usual_choice(system)), remind_days=system.remind_days,
        verify_days=system.verify_days,
    )  # fmt: skip


class ExpectedView(View):
    """What a backup is going to take."""

    @extend_schema(
        operation_id="expected",
        parameters=[OpenApiParameter("at", OpenApiTypes.STR, description="A branch, as JSON.")],
        responses=shape_of(Expected),
    )
    def get(self, request: Request, number: int) -> Response:
        """Tell it from those before, with the room there is."""
        system = get_object_or_404(System, pk=number)
        at = reading.path(request.query_params.get("at", ""))
        return answer(expected(system, at, usual_choice(system)))
