"""The views of the API: systems, backups, picks, plans and runs."""

import json
from dataclasses import dataclass

import msgspec
from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.compare import Rules
from keepsort.core.compare.importance import Importance
from keepsort.core.plan import Pick, Policy
from keepsort.server import tasks
from keepsort.server.accounts.roles import MayLook, MayRestore
from keepsort.server.api import restoring, writing
from keepsort.server.api.asking import AFTER, View, number_of, person, read_rules, read_terms
from keepsort.server.api.running import run_brief, run_briefs
from keepsort.server.api.shapes.comparing import RulesShape
from keepsort.server.api.shapes.records import (
    AskWorkShape,
    RecordChangeShape,
    RecordShape,
    RunBriefShape,
    SystemShape,
    WatchedShape,
    WorkShape,
)
from keepsort.server.api.shapes.restoring import (
    AskRunShape,
    AskTrialShape,
    AskUndoShape,
    ChangeRunShape,
    ElsewhereShape,
    JournalShape,
    PicksShape,
    PlaceShape,
    PlanShape,
    RunShape,
    TrayShape,
    TriedShape,
)
from keepsort.server.attention.items import all_systems
from keepsort.server.events.notify import tell
from keepsort.server.problems import Problem
from keepsort.server.restores import engine, previewing, undoing
from keepsort.server.restores.models import Run
from keepsort.server.restores.records import find_plan, find_run
from keepsort.server.restores.trying import try_out
from keepsort.server.retention.needs import note_picked
from keepsort.server.snapshots.baseline import set_baseline
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import find_record, newest, open_snapshot
from keepsort.server.sorting.comparing import Terms
from keepsort.server.sorting.showing import Showing
from keepsort.server.systems.models import System


class Systems(View):
    """All systems, as Watch shows them."""

    @extend_schema(operation_id="systems", responses=SystemShape(many=True))
    def get(self, request: Request) -> Response:
        """List the systems."""
        return Response(writing.systems(all_systems()))


class SystemWork(View):
    """Backups and looks on their way."""

    @extend_schema(operation_id="ask_work", request=AskWorkShape, responses={202: WorkShape})
    def post(self, request: Request, number: int) -> Response:
        """Ask for a backup or a look; a worker makes it."""
        system = get_object_or_404(System, pk=number)
        data = AskWorkShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        work = tasks.begin_work(system=system, by=person(request), **asked)
        return Response(writing.work(work), status=202)


class OneWork(View):
    """One backup or look on its way, or what came of it."""

    @extend_schema(operation_id="work", responses=WorkShape)
    def get(self, request: Request, number: int) -> Response:
        """Return how far it is."""
        return Response(writing.work(get_object_or_404(Work, pk=number)))


class OneRecord(View):
    """One backup."""

    @extend_schema(operation_id="record", responses=RecordShape)
    def get(self, request: Request, number: int) -> Response:
        """Return a backup or a look."""
        return Response(writing.record(find_record(number)))

    @extend_schema(
        operation_id="change_record",
        request=RecordChangeShape,
        responses=RecordShape,
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
        return Response(writing.record(record))


@dataclass
class _Asked:
    """What is picked, on which two records, compared by which terms."""

    backup: Record
    look: Record
    picks: list[Pick]
    others: list[tuple[Pick, Record]]
    policy: Policy
    terms: Terms
    chosen: dict[str, str]


def _asked(request: Request) -> _Asked:
    data = PicksShape(data=request.data)
    data.is_valid(raise_exception=True)
    asked = json.loads(json.dumps(data.validated_data))
    own, others = previewing.divided(asked["picks"], asked["backup"])
    backup = find_record(asked["backup"])
    if own or others:
        note_picked({r.pk: r for r in (backup, *(record for _, record in others))}.values())
    return _Asked(
        backup, find_record(asked["look"]), own, others,
        asked["policy"], read_terms(asked["terms"]), asked["chosen"],
    )  # fmt: skip


class Tray(View):
    """What the tray shows; nothing is kept and the system is not asked."""

    writers = MayLook

    @extend_schema(operation_id="tray", request=PicksShape, responses=TrayShape)
    def post(self, request: Request) -> Response:
        """Return what the picks would do, and what they need."""
        asked = _asked(request)
        found, plan, offered = previewing.draft_plan(
            asked.backup, asked.look, asked.picks, asked.policy, asked.terms, asked.others
        )
        showing = Showing(found.left, found.right)
        offers = [
            {
                "path": list(o.path),
                "attribute": o.attribute,
                "part": o.part,
                "target": list(o.target),
            }
            for o in offered
        ]
        return Response(
            {
                "steps": [restoring.step(showing, s) for s in plan.steps],
                "findings": [restoring.finding(found.left.schema, f) for f in plan.findings],
                "offers": offers,
            }
        )


class Plans(View):
    """Previews."""

    @extend_schema(operation_id="preview", request=PicksShape, responses={201: PlanShape})
    def post(self, request: Request) -> Response:
        """Preview what is picked."""
        asked = _asked(request)
        if asked.look.kind != Record.Kind.LOOK:
            raise Problem("This compares two backups.", "Compare with live to restore.")
        plan = previewing.preview(
            asked.backup, asked.picks, asked.policy,
            look=asked.look, by=person(request), terms=asked.terms, others=asked.others,
            chosen=asked.chosen,
        )  # fmt: skip
        return Response(restoring.plan(plan), status=201)


class Elsewhere(View):
    """Previews of putting things into another place."""

    @extend_schema(
        operation_id="elsewhere",
        request=ElsewhereShape,
        responses={201: PlanShape},
    )
    def post(self, request: Request) -> Response:
        """Plan to put branches of a backup elsewhere; the target is looked at anew."""
        data = ElsewhereShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        plan = previewing.preview_elsewhere(
            find_record(asked["backup"]), [tuple(path) for path in asked["paths"]],
            get_object_or_404(System, pk=asked["system"]), tuple(asked["at"]), asked["clash"],
            by=person(request),
        )  # fmt: skip
        return Response(restoring.plan(plan), status=201)


class SystemPlaces(View):
    """Where something could be put."""

    @extend_schema(operation_id="places", responses=PlaceShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List the objects that hold others, in the newest look at a system or its backup."""
        system = get_object_or_404(System, pk=number)
        record = newest(system, Record.Kind.LOOK) or newest(system, Record.Kind.BACKUP)
        return Response(writing.places(open_snapshot(record)) if record else [])


class OnePlan(View):
    """One preview."""

    writers = MayRestore

    @extend_schema(operation_id="plan", responses=PlanShape)
    def get(self, request: Request, number: int) -> Response:
        """Return a preview."""
        return Response(restoring.plan(find_plan(number)))

    @extend_schema(operation_id="restore", request=AskRunShape, responses={202: RunBriefShape})
    def post(self, request: Request, number: int) -> Response:
        """Carry the plan out; a worker does it."""
        data = AskRunShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        with transaction.atomic():
            run = engine.start(
                find_plan(number), asked["confirmed"], person(request), asked["on_failure"],
                asked["answers"], asked["wait_minutes"],
            )  # fmt: skip
            tasks.ask_run(run)
        return Response(run_brief(run), status=202)


class PlanAgain(View):
    """The same picks, on a new look."""

    @extend_schema(operation_id="preview_again", request=None, responses={201: PlanShape})
    def post(self, request: Request, number: int) -> Response:
        """Preview again what a plan was made of; live is looked at anew."""
        plan = previewing.preview_again(find_plan(number), person(request))
        return Response(restoring.plan(plan), status=201)


class Runs(View):
    """All runs."""

    @extend_schema(operation_id="runs", responses=RunBriefShape(many=True))
    def get(self, request: Request) -> Response:
        """List runs, newest first."""
        found = Run.objects.select_related("system", "plan", "by")[:200]
        return Response(run_briefs(found))


class OneRun(View):
    """One run."""

    writers = MayRestore

    @extend_schema(operation_id="run", responses=RunShape)
    def get(self, request: Request, number: int) -> Response:
        """Return a run with its journal."""
        return Response(restoring.run(find_run(number)))

    @extend_schema(operation_id="change_run", request=ChangeRunShape, responses=RunBriefShape)
    def patch(self, request: Request, number: int) -> Response:
        """Change how long a run waits for its system."""
        data = ChangeRunShape(data=request.data)
        data.is_valid(raise_exception=True)
        engine.change_wait(find_run(number), data.validated_data["wait_minutes"])
        return Response(run_brief(find_run(number)))


class CancelRun(View):
    """Cancelling a run."""

    writers = MayRestore

    @extend_schema(operation_id="cancel_run", request=None, responses=RunBriefShape)
    def post(self, request: Request, number: int) -> Response:
        """Cancel a run before its next step; what was begun is looked at first."""
        engine.cancel(find_run(number))
        return Response(run_brief(find_run(number)))


class TryOut(View):
    """Seeing that what was restored works."""

    writers = MayRestore

    @extend_schema(operation_id="try_out", request=AskTrialShape, responses=TriedShape)
    def post(self, request: Request, number: int) -> Response:
        """Use once what a step has written, as its kind says it can be."""
        data = AskTrialShape(data=request.data)
        data.is_valid(raise_exception=True)
        said = try_out(find_run(number), data.validated_data["step"], person(request))
        return Response({"said": said})


class RunJournal(View):
    """What changes of a run while it is carried out."""

    @extend_schema(operation_id="journal", parameters=[AFTER], responses=JournalShape)
    def get(self, request: Request, number: int) -> Response:
        """Return a run with its journal, without its plan, which stays as it is."""
        after = number_of(request, "after", 0) if "after" in request.query_params else None
        return Response(restoring.journal(find_run(number), after))


class UndoRun(View):
    """The way back from a run."""

    @extend_schema(operation_id="undo", request=AskUndoShape, responses={201: PlanShape})
    def post(self, request: Request, number: int) -> Response:
        """Preview the way back, from all or from chosen steps."""
        data = AskUndoShape(data=request.data)
        data.is_valid(raise_exception=True)
        plan = undoing.preview_undo(find_run(number), person(request), data.validated_data["steps"])
        return Response(restoring.plan(plan), status=201)


class SystemRecords(View):
    """All backups of one system."""

    @extend_schema(operation_id="records", responses=RecordShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List all backups of a system."""
        system = get_object_or_404(System, pk=number)
        found = system.records.filter(kind=Record.Kind.BACKUP).select_related("by", "schedule")
        return Response([writing.record(r) for r in found])


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


class SystemRules(View):
    """The ignore rules saved for a system."""

    @extend_schema(operation_id="save_rules", request=RulesShape, responses=RulesShape)
    def put(self, request: Request, number: int) -> Response:
        """Save ignore rules for a system; they hold for everybody who looks at it."""
        system = get_object_or_404(System, pk=number)
        data = RulesShape(data=request.data)
        data.is_valid(raise_exception=True)
        rules = read_rules(data.validated_data)
        system.rules = {} if rules == Rules() else msgspec.to_builtins(rules)
        system.save(update_fields=["rules"])
        tell("record", 0, system.pk)
        return Response(msgspec.to_builtins(writing.FullRules.of(rules)))
