"""From picks to previews, and from a preview to a run."""

import json
from dataclasses import dataclass

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.plan import Pick, Policy
from keepsort.core.snapshot import FormerName
from keepsort.server import tasks
from keepsort.server.accounts.roles import MayLook, MayRestore
from keepsort.server.api import restoring
from keepsort.server.api.asking import View, person, read_terms
from keepsort.server.api.running import run_brief
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.api.shapes.records import (
    RunBriefAnswer,
)
from keepsort.server.api.shapes.restoring import (
    AgainShape,
    AskRunShape,
    ElsewhereShape,
    PicksShape,
    PlanAnswer,
    TrayAnswer,
)
from keepsort.server.events.notify import tell
from keepsort.server.problems import Problem
from keepsort.server.restores import engine, previewing
from keepsort.server.restores.records import find_plan
from keepsort.server.retention.needs import note_picked
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import find_record
from keepsort.server.sorting.comparing import Terms, joined, save_names, saved_names
from keepsort.server.sorting.showing import Showing
from keepsort.server.systems.models import System


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

    @extend_schema(operation_id="tray", request=PicksShape, responses=shape_of(TrayAnswer))
    def post(self, request: Request) -> Response:
        """Return what the picks would do, and what they need."""
        asked = _asked(request)
        found, plan, offered = previewing.draft_plan(
            asked.backup, asked.look, asked.picks, asked.policy, asked.terms, asked.others
        )
        showing = Showing(found.left, found.right)
        return answer(
            TrayAnswer(
                steps=[restoring.step(showing, s) for s in plan.steps],
                findings=[restoring.finding(found.left.schema, f) for f in plan.findings],
                offers=offered,
            )
        )


class Plans(View):
    """Previews."""

    @extend_schema(
        operation_id="preview", request=PicksShape, responses={201: shape_of(PlanAnswer)}
    )
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
        return answer(restoring.plan(plan), status=201)


class Elsewhere(View):
    """Previews of putting things into another place."""

    @extend_schema(
        operation_id="elsewhere",
        request=ElsewhereShape,
        responses={201: shape_of(PlanAnswer)},
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
        return answer(restoring.plan(plan), status=201)


class OnePlan(View):
    """One preview."""

    writers = MayRestore

    @extend_schema(operation_id="plan", responses=shape_of(PlanAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return a preview."""
        return answer(restoring.plan(find_plan(number)))

    @extend_schema(
        operation_id="restore", request=AskRunShape, responses={202: shape_of(RunBriefAnswer)}
    )
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
        return answer(run_brief(run), status=202)


class PlanAgain(View):
    """The same picks, on a new look."""

    @extend_schema(
        operation_id="preview_again", request=AgainShape, responses={201: shape_of(PlanAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Preview again what a plan was made of; live is looked at anew."""
        data = AgainShape(data=request.data)
        data.is_valid(raise_exception=True)
        renamed = [FormerName(**one) for one in data.validated_data["renamed"]]
        found = find_plan(number)
        plan = previewing.preview_again(found, person(request), renamed)
        if renamed and data.validated_data["remember"]:
            save_names(found.system, joined(saved_names(found.system), renamed))
            tell("record", 0, found.system_id)
        return answer(restoring.plan(plan), status=201)
