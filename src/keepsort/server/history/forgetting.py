"""History and search forget what no backup holds any more."""

from itertools import pairwise

from django.db import transaction

from keepsort.server.history.models import Head, Indexed, Version
from keepsort.server.locks import Space, take_until_commit
from keepsort.server.systems.models import System


@transaction.atomic
def forget(system: System) -> int:
    """Forget versions of objects that stand only in backups that are gone; return how many.

    One that stands in what the index knows of the newest backup stays: the next may hold it.
    """
    take_until_commit(Space.INDEX_OF_SYSTEM, system.pk)
    head = Head.objects.filter(system=system).first()
    if head is None:
        return 0
    kept = list(
        Indexed.objects.filter(system=system).order_by("number").values_list("number", flat=True)
    )
    closed = Version.objects.filter(system=system).exclude(last=None)
    gone = 0
    # runs of numbers of which no backup is left
    for before, after in pairwise([0, *kept, head.number + 1]):
        if after - before > 1:
            between = closed.filter(first__gt=before, last__lt=after)
            gone += between._raw_delete(between.db)
    return gone
