"""From runs to the lines of lists."""

from collections.abc import Iterable
from datetime import datetime, timedelta

from django.db.models import Count, Q

from keepsort.server.api.shapes.records import RunBriefAnswer
from keepsort.server.restores.engine import is_interrupted
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.restores.undoing import taken_back

_PLANNED = ("changed", "created", "removed")


def run_brief(found: Run) -> RunBriefAnswer:
    """Write a run as lists show it."""
    return run_briefs([found])[0]


def run_briefs(runs: Iterable[Run]) -> list[RunBriefAnswer]:
    """Write runs as lists show them; what many cost is what one costs."""
    found = list(runs)
    numbers = [run.pk for run in found]
    counts: dict[int, dict[str, int]] = {
        one["run"]: {"steps": one["steps"], "done": one["done"], "written": one["written"]}
        for one in RunStep.objects.filter(run__in=numbers)
        .values("run")
        .annotate(
            steps=Count("pk"),
            done=Count("pk", filter=Q(state=RunStep.State.DONE)),
            written=Count("pk", filter=Q(wrote=True)),
        )
        .order_by("run")
    }
    undone = set(
        Run.objects.filter(plan__undoes__in=numbers, outcome="verified").values_list(
            "plan__undoes", flat=True
        )
    )
    return [
        _run_brief(run, counts.get(run.pk, {}), taken_back(run) if run.pk in undone else {})
        for run in found
    ]


def _run_brief(found: Run, counts: dict[str, int], back: dict[int, int]) -> RunBriefAnswer:
    written = counts.get("written", 0)
    taken = sorted(back)
    return RunBriefAnswer(
        id=found.pk,
        system=found.system_id,
        system_name=found.system.name,
        plan=found.plan_id,
        state=Run.State(found.state),
        outcome=found.outcome,
        interrupted=is_interrupted(found),
        undoes=found.plan.undoes_id,
        undone_by=max(back.values()) if back and len(taken) >= written else None,
        taken_back=taken,
        by=found.by.shown_name if found.by else "",
        started_at=found.started_at,
        finished_at=found.finished_at,
        steps=counts.get("steps", 0),
        done=counts.get("done", 0),
        written=written,
        planned={name: found.plan.summary.get(name, 0) for name in _PLANNED},
        names=found.plan.summary.get("names", []),
        message=found.message,
        waits=found.waits,
        waits_until=_waits_until(found),
        wait_minutes=found.wait_minutes,
        cancel_asked=found.cancel_asked,
    )


def _waits_until(found: Run) -> datetime | None:
    if found.waits_since is None or found.state == Run.State.FINISHED:
        return None
    return found.waits_since + timedelta(minutes=found.wait_minutes)
