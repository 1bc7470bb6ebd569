"""The views of the API."""

import json
from dataclasses import asdict

import msgspec
from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keepsort.core.compare import Comparison
from keepsort.core.compare.comparison import STATES
from keepsort.core.model import Path
from keepsort.core.plan import Pick, Policy
from keepsort.server import tasks
from keepsort.server.accounts.models import User
from keepsort.server.accounts.roles import MayLook, MayOperate, MayRestore
from keepsort.server.api import shapes, writing
from keepsort.server.events.notify import tell
from keepsort.server.picking import merged
from keepsort.server.problems import NotFound, Problem
from keepsort.server.restores import engine, previewing
from keepsort.server.restores.models import Run
from keepsort.server.restores.services import find_plan, find_run
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import find_record
from keepsort.server.sorting import levels
from keepsort.server.sorting.bench import Showing, bench
from keepsort.server.sorting.comparing import compared
from keepsort.server.systems.models import System

_OUTLINE_ROWS = 400
_PAGE_ROWS = 200
_SIDES = [
    OpenApiParameter("left", OpenApiTypes.INT, required=True),
    OpenApiParameter("right", OpenApiTypes.INT, required=True),
]
_PATH = OpenApiParameter("path", OpenApiTypes.STR, description="A path as a JSON list of names.")
_STATES = OpenApiParameter("states", OpenApiTypes.STR, description="States, commas between.")


class _View(APIView):
    """A view that anyone signed in may read and only some may write to."""

    writers: type[BasePermission] = MayOperate

    def get_permissions(self) -> list[BasePermission]:
        """Ask more of those who change something."""
        return [MayLook() if self.request.method in ("GET", "HEAD") else self.writers()]


def _user(request: Request) -> User:
    assert isinstance(request.user, User)
    return request.user


def _path(request: Request) -> Path:
    try:
        return msgspec.json.decode(request.query_params.get("path") or "[]", type=tuple[str, ...])
    except msgspec.MsgspecError:
        raise Problem("The path is no JSON list of names.") from None


def _number(request: Request, name: str, default: int) -> int:
    text = request.query_params.get(name, str(default))
    if not text.isdigit():
        raise Problem(f"{name} is no number.")
    return int(text)


def _states(request: Request) -> frozenset[str]:
    asked = frozenset(filter(None, request.query_params.get("states", "").split(",")))
    return asked & frozenset(STATES)


def _comparison(request: Request) -> tuple[Record, Record, Comparison]:
    left = find_record(request.query_params.get("left", ""))
    right = find_record(request.query_params.get("right", ""))
    return left, right, compared(left, right)


class Systems(_View):
    """All systems, as Watch shows them."""

    @extend_schema(operation_id="systems", responses=shapes.SystemShape(many=True))
    def get(self, request: Request) -> Response:
        """List the systems."""
        return Response([writing.system(s) for s in System.objects.all()])


class SystemWork(_View):
    """Backups and looks on their way."""

    @extend_schema(
        operation_id="ask_work", request=shapes.AskWorkShape, responses={202: shapes.WorkShape}
    )
    def post(self, request: Request, number: int) -> Response:
        """Ask for a backup or a look; a worker makes it."""
        system = get_object_or_404(System, pk=number)
        data = shapes.AskWorkShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        with transaction.atomic():
            work = Work.objects.create(system=system, by=_user(request), **asked)
            tasks.do_work.defer(work_id=work.pk)
        tell("work", work.pk, system.pk)
        return Response(writing.work(work), status=202)


class OneRecord(_View):
    """One backup."""

    @extend_schema(operation_id="record", responses=shapes.RecordShape)
    def get(self, request: Request, number: int) -> Response:
        """Return a backup or a look."""
        return Response(writing.record(find_record(number)))

    @extend_schema(
        operation_id="change_record",
        request=shapes.RecordChangeShape,
        responses=shapes.RecordShape,
    )
    def patch(self, request: Request, number: int) -> Response:
        """Change the note of a backup, or pin it."""
        record = find_record(number, Record.Kind.BACKUP)
        data = shapes.RecordChangeShape(data=request.data)
        data.is_valid(raise_exception=True)
        for name, value in data.validated_data.items():
            setattr(record, name, value)
        record.save(update_fields=list(data.validated_data))
        tell("record", record.pk, record.system_id)
        return Response(writing.record(record))


class CompareHead(_View):
    """Two records compared, in sum."""

    @extend_schema(operation_id="compare", parameters=_SIDES, responses=shapes.CompareHeadShape)
    def get(self, request: Request) -> Response:
        """Compare two records."""
        left, right, found = _comparison(request)
        return Response(
            {
                "left": writing.record(left),
                "right": writing.record(right),
                "tally": found.tally,
                "same": found.same,
                "hidden": len(found.hidden),
                "at": list(found.left.at),
                "top": found.left.schema.notation.write(found.left.at),
            }
        )


class CompareOutline(_View):
    """The merged tree, folded down to the differences."""

    @extend_schema(
        operation_id="outline", parameters=[*_SIDES, _STATES], responses=shapes.LevelShape
    )
    def get(self, request: Request) -> Response:
        """Return the tree opened as far as it fits."""
        _, _, found = _comparison(request)
        return Response(asdict(levels.outline(found, _states(request), _OUTLINE_ROWS)))


class CompareLevel(_View):
    """One level of the merged tree."""

    @extend_schema(
        operation_id="level",
        parameters=[
            *_SIDES, _PATH, _STATES,
            OpenApiParameter("only", OpenApiTypes.STR, enum=["differences", "all"]),
            OpenApiParameter("start", OpenApiTypes.INT),
        ],
        responses=shapes.LevelShape,
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        """Return one page of the rows right beneath a path."""
        _, _, found = _comparison(request)
        level = levels.level(
            found, _path(request), _states(request),
            only_differences=request.query_params.get("only") != "all",
            start=_number(request, "start", 0), limit=_PAGE_ROWS,
        )  # fmt: skip
        return Response(asdict(level))


class CompareObject(_View):
    """One object on both sides."""

    @extend_schema(operation_id="bench", parameters=[*_SIDES, _PATH], responses=shapes.BenchShape)
    def get(self, request: Request) -> Response:
        """Return an object attribute by attribute."""
        _, _, found = _comparison(request)
        shown = bench(found, _path(request))
        if shown is None:
            raise NotFound("Neither side has this object.", "Choose one in the tree.")
        return Response(asdict(shown))


class CompareNeighbour(_View):
    """The next difference, or the one before."""

    @extend_schema(
        operation_id="neighbour",
        parameters=[
            *_SIDES, _PATH, _STATES,
            OpenApiParameter("way", OpenApiTypes.STR, enum=["next", "previous"]),
        ],
        responses=shapes.NeighbourShape,
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        """Return where it is."""
        _, _, found = _comparison(request)
        forward = request.query_params.get("way") != "previous"
        difference = levels.neighbour(found, _path(request), forward, _states(request))
        return Response({"path": list(difference.path) if difference else None})


def _picks(request: Request) -> tuple[Record, Record, list[Pick], Policy]:
    data = shapes.PicksShape(data=request.data)
    data.is_valid(raise_exception=True)
    asked = json.loads(json.dumps(data.validated_data))
    picks = merged(msgspec.convert(asked["picks"], list[Pick]))
    return find_record(asked["backup"]), find_record(asked["look"]), picks, asked["policy"]


class Tray(_View):
    """What the tray shows; nothing is kept and the system is not asked."""

    writers = MayLook

    @extend_schema(operation_id="tray", request=shapes.PicksShape, responses=shapes.TrayShape)
    def post(self, request: Request) -> Response:
        """Return what the picks would do, and what they need."""
        backup, look, picks, policy = _picks(request)
        found, plan, offered = previewing.draft_plan(backup, look, picks, policy)
        showing = Showing(found.left, found.right)
        offers = [
            {
                "path": list(o.path),
                "attribute": o.attribute,
                "element": o.element,
                "target": list(o.target),
            }
            for o in offered
        ]
        return Response(
            {
                "steps": [writing.step(showing, s) for s in plan.steps],
                "findings": [writing.finding(found.left.schema, f) for f in plan.findings],
                "offers": offers,
            }
        )


class Plans(_View):
    """Previews."""

    @extend_schema(
        operation_id="preview", request=shapes.PicksShape, responses={201: shapes.PlanShape}
    )
    def post(self, request: Request) -> Response:
        """Preview what is picked."""
        backup, look, picks, policy = _picks(request)
        if look.kind != Record.Kind.LOOK:
            raise Problem("This compares two backups.", "Compare with live to restore.")
        plan = previewing.preview(backup, picks, policy, look=look, by=_user(request))
        return Response(writing.plan(plan), status=201)


class OnePlan(_View):
    """One preview."""

    writers = MayRestore

    @extend_schema(operation_id="plan", responses=shapes.PlanShape)
    def get(self, request: Request, number: int) -> Response:
        """Return a preview."""
        return Response(writing.plan(find_plan(number)))

    @extend_schema(
        operation_id="restore", request=shapes.AskRunShape, responses={202: shapes.RunBriefShape}
    )
    def post(self, request: Request, number: int) -> Response:
        """Carry the plan out; a worker does it."""
        data = shapes.AskRunShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        with transaction.atomic():
            run = engine.start(
                find_plan(number), asked["confirmed"], _user(request), asked["on_failure"]
            )
            tasks.do_run.defer(run_id=run.pk)
        return Response(writing.run_brief(run), status=202)


class Runs(_View):
    """All runs."""

    @extend_schema(operation_id="runs", responses=shapes.RunBriefShape(many=True))
    def get(self, request: Request) -> Response:
        """List runs, newest first."""
        found = Run.objects.select_related("system", "plan", "by")[:200]
        return Response([writing.run_brief(r) for r in found])


class OneRun(_View):
    """One run."""

    writers = MayRestore

    @extend_schema(operation_id="run", responses=shapes.RunShape)
    def get(self, request: Request, number: int) -> Response:
        """Return a run with its journal."""
        return Response(writing.run(find_run(number)))

    @extend_schema(operation_id="cancel_run", request=None, responses=shapes.RunBriefShape)
    def delete(self, request: Request, number: int) -> Response:
        """Cancel a run before its next step."""
        run = find_run(number)
        Run.objects.filter(pk=run.pk).update(cancel_asked=True)
        tell("run", run.pk, run.system_id)
        return Response(writing.run_brief(run))


class UndoRun(_View):
    """The way back from a run."""

    @extend_schema(operation_id="undo", request=None, responses={201: shapes.PlanShape})
    def post(self, request: Request, number: int) -> Response:
        """Preview the way back."""
        plan = previewing.preview_undo(find_run(number), _user(request))
        return Response(writing.plan(plan), status=201)


class SystemRecords(_View):
    """All backups of one system."""

    @extend_schema(operation_id="records", responses=shapes.RecordShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List all backups of a system."""
        system = get_object_or_404(System, pk=number)
        found = system.records.filter(kind=Record.Kind.BACKUP).select_related("by")
        return Response([writing.record(r) for r in found])
