"""Systems and their backups: what there is of them, and what people have said of them."""

import msgspec
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.compare import Rules
from keepsort.core.compare.importance import Importance
from keepsort.core.snapshot import FormerName
from keepsort.server import tasks
from keepsort.server.api import writing
from keepsort.server.api.asking import View, person, read_rules
from keepsort.server.api.shapes.comparing import FullRules, RulesShape
from keepsort.server.api.shapes.derived import answer, full, shape_of
from keepsort.server.api.shapes.records import (
    AskWorkShape,
    RecordAnswer,
    RecordChangeShape,
    SystemAnswer,
    WatchedShape,
    WorkAnswer,
)
from keepsort.server.api.shapes.restoring import (
    FormerNamesShape,
    PlaceAnswer,
)
from keepsort.server.attention.items import all_systems
from keepsort.server.events.notify import tell
from keepsort.server.snapshots.baseline import set_baseline
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import find_record, newest, open_snapshot
from keepsort.server.sorting.comparing import save_names
from keepsort.server.systems.models import System


class Systems(View):
    """All systems, as Watch shows them."""

    @extend_schema(operation_id="systems", responses=shape_of(SystemAnswer)(many=True))
    def get(self, request: Request) -> Response:
        """List the systems."""
        return answer(writing.systems(all_systems()))


class SystemRecords(View):
    """All backups of one system."""

    @extend_schema(operation_id="records", responses=shape_of(RecordAnswer)(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List all backups of a system."""
        system = get_object_or_404(System, pk=number)
        found = system.records.filter(kind=Record.Kind.BACKUP).select_related("by", "schedule")
        return answer([writing.record(r) for r in found])


class SystemPlaces(View):
    """Where something could be put."""

    @extend_schema(operation_id="places", responses=shape_of(PlaceAnswer)(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List the objects that hold others, in the newest look at a system or its backup."""
        system = get_object_or_404(System, pk=number)
        record = newest(system, Record.Kind.LOOK) or newest(system, Record.Kind.BACKUP)
        return answer(writing.places(open_snapshot(record)) if record else [])


class SystemWork(View):
    """Backups and looks on their way."""

    @extend_schema(
        operation_id="ask_work", request=AskWorkShape, responses={202: shape_of(WorkAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Ask for a backup or a look; a worker makes it."""
        system = get_object_or_404(System, pk=number)
        data = AskWorkShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        work = tasks.begin_work(system=system, by=person(request), **asked)
        return answer(writing.work(work), status=202)


class OneWork(View):
    """One backup or look on its way, or what came of it."""

    @extend_schema(operation_id="work", responses=shape_of(WorkAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return how far it is."""
        return answer(writing.work(get_object_or_404(Work, pk=number)))


class OneRecord(View):
    """One backup."""

    @extend_schema(operation_id="record", responses=shape_of(RecordAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return a backup or a look."""
        return answer(writing.record(find_record(number)))

    @extend_schema(
        operation_id="change_record",
        request=RecordChangeShape,
        responses=shape_of(RecordAnswer),
    )
    def patch(self, request: Request, number: int) -> Response:
        """Change the note of a backup, or pin it."""
        record = find_record(number, Record.Kind.BACKUP)
        data = RecordChangeShape(data=request.data)
        data.is_valid(raise_exception=True)
        changes = dict(data.validated_data)
        if "baseline" in changes:
            set_baseline(record, changes.pop("baseline"))
        for name, value in changes.items():
            setattr(record, name, value)
        record.save(update_fields=list(changes))
        tell("record", record.pk, record.system_id)
        return answer(writing.record(record))


class SystemWatched(View):
    """How a system is watched."""

    @extend_schema(operation_id="save_watched", request=WatchedShape, responses=WatchedShape)
    def put(self, request: Request, number: int) -> Response:
        """Save its tags, what is urgent of it and what is minor; they hold for everybody."""
        system = get_object_or_404(System, pk=number)
        data = WatchedShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        system.tags = list(dict.fromkeys(tag.strip() for tag in asked["tags"] if tag.strip()))
        importance = Importance(tuple(asked["urgent"]), tuple(asked["minor"]))
        system.importance = msgspec.to_builtins(importance)
        system.save(update_fields=["tags", "importance"])
        tell("record", 0, system.pk)
        return Response({**asked, "tags": system.tags})


class SystemNames(View):
    """What attributes of a system were called formerly, as somebody has said."""

    @extend_schema(operation_id="former_names", responses=FormerNamesShape)
    def get(self, request: Request, number: int) -> Response:
        """List former names."""
        return Response({"names": get_object_or_404(System, pk=number).former_names})

    @extend_schema(
        operation_id="save_former_names",
        request=FormerNamesShape,
        responses=FormerNamesShape,
    )
    def put(self, request: Request, number: int) -> Response:
        """Save former names for a system; they hold for everybody who looks at it."""
        system = get_object_or_404(System, pk=number)
        data = FormerNamesShape(data=request.data)
        data.is_valid(raise_exception=True)
        save_names(system, [FormerName(**one) for one in data.validated_data["names"]])
        tell("record", 0, system.pk)
        return Response({"names": system.former_names})


class SystemRules(View):
    """The ignore rules saved for a system."""

    @extend_schema(operation_id="save_rules", request=RulesShape, responses=shape_of(FullRules))
    def put(self, request: Request, number: int) -> Response:
        """Save ignore rules for a system; they hold for everybody who looks at it."""
        system = get_object_or_404(System, pk=number)
        data = RulesShape(data=request.data)
        data.is_valid(raise_exception=True)
        rules = read_rules(data.validated_data)
        system.rules = {} if rules == Rules() else msgspec.to_builtins(rules)
        system.save(update_fields=["rules"])
        tell("record", 0, system.pk)
        return answer(full(FullRules, rules))
