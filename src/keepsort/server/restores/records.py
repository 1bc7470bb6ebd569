"""Finding plans and runs, and what removing a system takes with it."""

from django.db import transaction

from keepsort.core.model import Path
from keepsort.server import reading
from keepsort.server.pick_notation import read_path
from keepsort.server.problems import NotFound, Problem
from keepsort.server.restores.models import PlanRecord, Run
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import newest, open_snapshot
from keepsort.server.systems.models import System
from keepsort.server.systems.services import opened


def find_plan(number: str | int) -> PlanRecord:
    """Return a plan by its number. Raises `NotFound`."""
    found = PlanRecord.objects.select_related("system", "look", "backup")
    plan = found.filter(pk=_number(number)).first()
    if plan is None:
        raise NotFound(f"There is no plan {number}.", "Preview first.")
    return plan


def find_run(number: str | int) -> Run:
    """Return a run by its number. Raises `NotFound`."""
    found = Run.objects.select_related("system", "plan", "plan__backup", "plan__look")
    run = found.filter(pk=_number(number)).first()
    if run is None:
        raise NotFound(f"There is no run {number}.", "See them with: keepsort runs.")
    return run


def _number(text: str | int) -> int:
    """Read the number of a plan or run; 0, which none has, where it is no number."""
    try:
        return reading.number(text)
    except Problem:
        return 0


@transaction.atomic
def remove_system(system: System) -> int:
    """Remove a system with all that was kept of it; return how many backups that were."""
    if Run.objects.filter(system=system).exclude(state=Run.State.FINISHED).exists():
        raise Problem(f"A run on {system} has not finished.", "Wait for it, or resume it.", 409)
    count = system.records.filter(kind=Record.Kind.BACKUP).count()
    Run.objects.filter(system=system).delete()
    PlanRecord.objects.filter(system=system).delete()
    system.delete()
    return count


def branch_path(system: System, text: str) -> Path:
    """Read the path of a branch of the live system; nothing need have been kept of it yet."""
    if text in ("", "/"):
        return ()
    record = newest(system, Record.Kind.BACKUP) or newest(system, Record.Kind.LOOK)
    if record is not None:
        tree = open_snapshot(record)
        path = read_path(tree, text)
        node = tree.find(path)
        return node.path if node else path
    with opened(system) as connector:
        schema = connector.describe().schema
    found = schema.notation.read(text)
    if found is None and not text.startswith("/"):
        raise Problem(f"{text!r} is no path of this system.")
    from keepsort.core.model.notation import read_slash

    return found if found is not None else read_slash(text)
