"""Runs: how far they are, what came of them, and what takes them back."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server.accounts.roles import MayRestore
from keepsort.server.api import restoring
from keepsort.server.api.asking import AFTER, View, number_of, person
from keepsort.server.api.running import run_brief, run_briefs
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.api.shapes.records import (
    RunBriefAnswer,
)
from keepsort.server.api.shapes.restoring import (
    AskTrialShape,
    AskUndoShape,
    ChangeRunShape,
    JournalAnswer,
    PlanAnswer,
    RunAnswer,
    TriedAnswer,
)
from keepsort.server.restores import engine, undoing
from keepsort.server.restores.models import Run
from keepsort.server.restores.records import find_run
from keepsort.server.restores.trying import try_out


class Runs(View):
    """All runs."""

    @extend_schema(operation_id="runs", responses=shape_of(RunBriefAnswer)(many=True))
    def get(self, request: Request) -> Response:
        """List runs, newest first."""
        found = Run.objects.select_related("system", "plan", "by")[:200]
        return answer(run_briefs(found))


class OneRun(View):
    """One run."""

    writers = MayRestore

    @extend_schema(operation_id="run", responses=shape_of(RunAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return a run with its journal."""
        return answer(restoring.run(find_run(number)))

    @extend_schema(
        operation_id="change_run", request=ChangeRunShape, responses=shape_of(RunBriefAnswer)
    )
    def patch(self, request: Request, number: int) -> Response:
        """Change how long a run waits for its system."""
        data = ChangeRunShape(data=request.data)
        data.is_valid(raise_exception=True)
        engine.change_wait(find_run(number), data.validated_data["wait_minutes"])
        return answer(run_brief(find_run(number)))


class CancelRun(View):
    """Cancelling a run."""

    writers = MayRestore

    @extend_schema(operation_id="cancel_run", request=None, responses=shape_of(RunBriefAnswer))
    def post(self, request: Request, number: int) -> Response:
        """Cancel a run before its next step; what was begun is looked at first."""
        engine.cancel(find_run(number))
        return answer(run_brief(find_run(number)))


class TryOut(View):
    """Seeing that what was restored works."""

    writers = MayRestore

    @extend_schema(operation_id="try_out", request=AskTrialShape, responses=shape_of(TriedAnswer))
    def post(self, request: Request, number: int) -> Response:
        """Use once what a step has written, as its kind says it can be."""
        data = AskTrialShape(data=request.data)
        data.is_valid(raise_exception=True)
        said = try_out(find_run(number), data.validated_data["step"], person(request))
        return answer(TriedAnswer(said=said))


class RunJournal(View):
    """What changes of a run while it is carried out."""

    @extend_schema(operation_id="journal", parameters=[AFTER], responses=shape_of(JournalAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return a run with its journal, without its plan, which stays as it is."""
        after = number_of(request, "after", 0) if "after" in request.query_params else None
        return answer(restoring.journal(find_run(number), after))


class UndoRun(View):
    """The way back from a run."""

    @extend_schema(operation_id="undo", request=AskUndoShape, responses={201: shape_of(PlanAnswer)})
    def post(self, request: Request, number: int) -> Response:
        """Preview the way back, from all or from chosen steps."""
        data = AskUndoShape(data=request.data)
        data.is_valid(raise_exception=True)
        plan = undoing.preview_undo(find_run(number), person(request), data.validated_data["steps"])
        return answer(restoring.plan(plan), status=201)
