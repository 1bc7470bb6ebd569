"""Whether runs of ours are why live is as it is."""

from keepsort.server.restores.models import Run
from keepsort.server.snapshots.models import Record
from keepsort.server.systems.models import System


def is_explained(system: System, backup: Record, look: Record) -> bool:
    """Tell whether runs alone have led from what a backup holds to what a look has seen.

    Each run must have begun where the one before ended, and the look must be as the last left it:
    whatever else was changed in between, by anybody, is not explained.
    """
    stands = bytes(backup.significant)
    runs = Run.objects.filter(
        system=system, started_at__gt=backup.taken_at, after__isnull=False, after__at=[]
    )
    for run in runs.select_related("plan__look", "after").order_by("pk"):
        if run.after is not None and bytes(run.plan.look.significant) == stands:
            stands = bytes(run.after.significant)
    return stands == bytes(look.significant) != bytes(backup.significant)
