"""The views of schedules."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

import msgspec
from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.model import Path
from keepsort.core.snapshot import Choice
from keepsort.server import tasks
from keepsort.server.api.asking import View, person
from keepsort.server.api.shapes.base import Shape
from keepsort.server.api.shapes.derived import answer, full, shape_of
from keepsort.server.api.shapes.records import ChoiceShape, FullChoice, WorkAnswer
from keepsort.server.api.writing import work
from keepsort.server.events.notify import tell
from keepsort.server.schedules import services
from keepsort.server.schedules.crossing import Crossing, crossing
from keepsort.server.schedules.models import Schedule
from keepsort.server.schedules.times import Timing, checked, coming, in_words
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import newest, open_snapshot, written_branch
from keepsort.server.snapshots.working import OPEN
from keepsort.server.systems.models import System


class TimingShape(Shape):
    """When: every so many minutes, or else by a cron expression in a time zone."""

    minutes = serializers.IntegerField(allow_null=True, default=None)
    cron = serializers.CharField(allow_blank=True, max_length=120, default="")
    zone = serializers.CharField(max_length=60, default="UTC")


class AskScheduleShape(TimingShape):
    """A schedule; choice: what its backups take, null for what those of the system do."""

    at = serializers.ListField(child=serializers.CharField(allow_blank=True), default=list)
    note = serializers.CharField(max_length=300, allow_blank=True, default="")
    choice = ChoiceShape(allow_null=True, default=None)


@dataclass(kw_only=True)
class TimesAnswer:
    """When a schedule would be due, and which references would cross what it keeps."""

    words: str
    next: list[datetime]
    crossing: list[Crossing]
    crossing_count: int


@dataclass(kw_only=True)
class ScheduleAnswer:
    """A schedule as it stands. running: the number of its backup that is being made."""

    id: int
    system: int
    minutes: int | None
    cron: str
    zone: str
    at: Path
    at_written: str
    note: str
    choice: FullChoice | None
    words: str
    paused: bool
    by: str
    made_at: datetime
    next: list[datetime]
    last: int | None
    last_at: datetime | None
    overdue_since: datetime | None
    passed_over_at: datetime | None
    running: int | None


class PauseShape(Shape):
    """Whether a schedule rests."""

    paused = serializers.BooleanField()


def told(found: Schedule) -> ScheduleAnswer:
    """Write a schedule."""
    timing = services.timing_of(found)
    last = services.last_made(found)
    running = found.work.filter(state__in=OPEN).first()
    now = timezone.now()
    choice = None
    if found.choice is not None:
        choice = full(FullChoice, msgspec.convert(found.choice, Choice))
    return ScheduleAnswer(
        id=found.pk,
        system=found.system_id,
        minutes=found.minutes,
        cron=found.cron,
        zone=found.zone,
        at=found.at,
        at_written=written_branch(found.system, found.at),
        note=found.note,
        choice=choice,
        words=in_words(timing),
        paused=found.paused,
        by=found.by.shown_name if found.by else "",
        made_at=found.made_at,
        next=[] if found.paused else coming(timing, now),
        last=last.pk if last else None,
        last_at=last.taken_at if last else None,
        overdue_since=services.overdue_by(found, now),
        passed_over_at=services.passed_over(found),
        running=running.pk if running else None,
    )


def _asked(request: Request) -> dict[str, Any]:
    data = AskScheduleShape(data=request.data)
    data.is_valid(raise_exception=True)
    asked = data.validated_data
    choice = asked["choice"]
    return {
        "timing": Timing(asked["minutes"], asked["cron"], asked["zone"]),
        "branch": tuple(asked["at"]),
        "note": asked["note"],
        "choice": None if choice is None else msgspec.convert(choice, Choice),
    }


class SystemSchedules(View):
    """The schedules of one system."""

    @extend_schema(operation_id="schedules", responses=shape_of(ScheduleAnswer)(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List them."""
        system = get_object_or_404(System, pk=number)
        found = system.schedules.select_related("by", "system")
        return answer([told(one) for one in found])

    @extend_schema(
        operation_id="add_schedule",
        request=AskScheduleShape,
        responses={201: shape_of(ScheduleAnswer)},
    )
    def post(self, request: Request, number: int) -> Response:
        """Let backups be made by themselves."""
        system = get_object_or_404(System, pk=number)
        made = services.add_schedule(system, by=person(request), **_asked(request))
        return answer(told(made), status=201)


class ScheduleTimes(View):
    """What a schedule would do, before it is kept."""

    @extend_schema(
        operation_id="schedule_times", request=AskScheduleShape, responses=shape_of(TimesAnswer)
    )
    def post(self, request: Request, number: int) -> Response:
        """Tell the next three times, and which references would cross."""
        system = get_object_or_404(System, pk=number)
        asked = _asked(request)
        timing = checked(asked["timing"])
        found, count = _crossing(system, asked["branch"], asked["choice"])
        return answer(
            TimesAnswer(
                words=in_words(timing),
                next=coming(timing, timezone.now()),
                crossing=found,
                crossing_count=count,
            )
        )


def _crossing(system: System, branch: Path, choice: Choice | None) -> tuple[list[Crossing], int]:
    record = newest(system, Record.Kind.LOOK) or newest(system, Record.Kind.BACKUP)
    if record is None or not (branch or choice):
        return [], 0
    return crossing(open_snapshot(record), branch, choice or Choice())


class OneSchedule(View):
    """One schedule."""

    @extend_schema(
        operation_id="change_schedule", request=AskScheduleShape, responses=shape_of(ScheduleAnswer)
    )
    def put(self, request: Request, number: int) -> Response:
        """Let it be due at other times, or keep something else."""
        found = services.find_schedule(number)
        return answer(told(services.change_schedule(found, **_asked(request))))

    @extend_schema(
        operation_id="pause_schedule", request=PauseShape, responses=shape_of(ScheduleAnswer)
    )
    def patch(self, request: Request, number: int) -> Response:
        """Let it rest, or go on."""
        data = PauseShape(data=request.data)
        data.is_valid(raise_exception=True)
        found = services.find_schedule(number)
        services.pause(found, data.validated_data["paused"])
        return answer(told(found))

    @extend_schema(operation_id="remove_schedule", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """Remove it; what it has kept stays."""
        found = services.find_schedule(number)
        found.delete()
        tell("record", 0, found.system_id)
        return Response(status=204)


class ScheduleRun(View):
    """A schedule's backup, besides its times."""

    @extend_schema(operation_id="run_schedule", request=None, responses={202: shape_of(WorkAnswer)})
    def post(self, request: Request, number: int) -> Response:
        """Ask for it now."""
        with transaction.atomic():
            made = services.run_now(services.find_schedule(number), person(request))
            tasks.ask_work(made)
        return answer(work(made), status=202)
