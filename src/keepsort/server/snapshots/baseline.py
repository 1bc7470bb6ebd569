"""The baseline: the good state of a system that others are measured by."""

from django.db import transaction

from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record


def set_baseline(record: Record, on: bool = True) -> None:
    """Make a backup the baseline of its system, in the place of the one before, or let it be none.

    Raises `Problem` where it is of a branch only, or not good.
    """
    if on and (record.at or record.narrowed):
        raise Problem(
            f"Backup {record.pk} holds only a part of the system.", "Take one that holds all of it."
        )
    if on and (record.problem_count or record.damage_count):
        raise Problem(
            f"Backup {record.pk} has problems, so it is no state to measure others by.",
            "Take a good one.",
            409,
        )
    with transaction.atomic():
        Record.objects.filter(system=record.system, baseline=True).update(baseline=False)
        record.baseline = on
        record.save(update_fields=["baseline"])
