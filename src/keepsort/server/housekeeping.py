"""Letting go of what has had its time, beside everything else that goes on.

Looks, previews that were not carried out, pasted lists, finished work and sessions have a life
time. Chunks are collected by mark and sweep: what any record, or the index, stands on stays, and
so does what was counted on since the oldest snapshot that is still being made was begun.
"""

from datetime import datetime, timedelta
from time import sleep

from django.conf import settings
from django.contrib.sessions.models import Session
from django.utils import timezone

from keepsort.core.snapshot import ChunkMissing, reachable
from keepsort.server.history.roots import kept_roots
from keepsort.server.locks import Space, alone
from keepsort.server.logs import log
from keepsort.server.messages.telling import forget_old
from keepsort.server.restores.models import PlanRecord
from keepsort.server.retention.needs import PLANS_FOR
from keepsort.server.snapshots.models import Construction, Work
from keepsort.server.snapshots.services import drop_old_looks
from keepsort.server.sorting.models import PastedList, SharedComparison, Tallied
from keepsort.server.statements import delete_unneeded
from keepsort.server.store.models import Chunk
from keepsort.server.store.postgres import FRESH_SECONDS, PostgresStore
from keepsort.server.systems.models import System

_LISTS_FOR, _WORK_FOR = timedelta(days=30), timedelta(days=7)
_COMPARISONS_FOR = timedelta(days=2)
#: Trees that are only made to compare stand on chunks for so long without being a record.
_SLACK = timedelta(seconds=FRESH_SECONDS + 3600)
_MADE_WITHIN = 2 * timedelta(seconds=settings.LONGEST_LOOK_SECONDS)
_STEP = 500
_REST_SECONDS = 0.02


def tidy() -> int:
    """Let go of everything that has had its time; return how many chunks were collected."""
    now = timezone.now()
    with alone(Space.COLLECTOR, 0) as held:
        if not held:
            return 0
        _retire(now)
        return _collect(now)


def _retire(now: datetime) -> None:
    PlanRecord.objects.filter(runs=None, made_at__lt=now - PLANS_FOR).delete()
    PastedList.objects.filter(made_at__lt=now - _LISTS_FOR).delete()
    System.every.filter(is_file=True, records__file__keep_until__lt=now).delete()
    # a file that was being opened when its process ended left only this
    System.every.filter(is_file=True, records=None, added_at__lt=now - _MADE_WITHIN).delete()
    Tallied.objects.filter(made_at__lt=now - _LISTS_FOR).delete()
    SharedComparison.objects.filter(used_at__lt=now - _COMPARISONS_FOR).delete()
    forget_old(now)
    Session.objects.filter(expire_date__lt=now).delete()
    ended = Work.objects.filter(
        state__in=[Work.State.DONE, Work.State.FAILED, Work.State.CANCELLED],
        asked_at__lt=now - _WORK_FOR,
    )
    newest = Work.objects.order_by("system_id", "-pk").distinct("system_id")
    ended.exclude(pk__in=list(newest.values_list("pk", flat=True))).delete()
    # no look takes so long: who made these is dead
    Construction.objects.filter(started_at__lt=now - _MADE_WITHIN).delete()
    for system in System.objects.all():
        drop_old_looks(system)


def _collect(now: datetime) -> int:
    oldest = Construction.objects.order_by("started_at").values_list("started_at", flat=True)
    before = min([now, *oldest[:1]]) - _SLACK
    try:
        marked = _marked()
    except ChunkMissing as error:
        # what is damaged is not made worse: nothing is taken away until it is seen to
        log.error("a chunk that a record stands on is missing; none are collected", error=error)
        return 0
    count = 0
    # what others are packed against goes after them, so from the deepest up
    for depth in range(_deepest(), -1, -1):
        after = b""
        while True:
            rows = Chunk.objects.filter(
                depth=depth, address__gt=after, used_at__lt=before
            ).order_by("address")
            some = [bytes(a) for a in rows.values_list("address", flat=True)[:_STEP]]
            if not some:
                break
            after = some[-1]
            count += _sweep([a for a in some if a not in marked], before)
            sleep(_REST_SECONDS)
    if count:
        log.info("chunks collected", count=count)
    return count


def _marked() -> set[bytes]:
    """Return the addresses of all chunks that something stands on."""
    roots, seen = kept_roots()
    for root in roots:
        for _ in reachable(PostgresStore(), [root], seen):
            sleep(0)  # let other threads go before
    return seen


def _deepest() -> int:
    return Chunk.objects.order_by("-depth").values_list("depth", flat=True).first() or 0


def _sweep(addresses: list[bytes], before: datetime) -> int:
    """Delete chunks, but none that was counted on since, or that another is packed against."""
    if not addresses:
        return 0
    return delete_unneeded(Chunk, addresses, before)
