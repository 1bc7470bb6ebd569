"""Comparisons that took a while, kept where all processes find them.

A worker compares each look with the newest backup, and several web servers may show the same. One
process makes a comparison, the others wait for it and read what it found. A lost row is made anew.
"""

from collections.abc import Callable
from hashlib import blake2b
from time import monotonic, sleep

import msgspec
import zstandard
from django.db.models import F, Sum, Window
from django.utils import timezone

from keepsort.core.compare import Comparison
from keepsort.core.compare.stored import restored, stored
from keepsort.core.snapshot import Snapshot
from keepsort.server import cycle_collector
from keepsort.server.locks import Space, alone
from keepsort.server.logs import log
from keepsort.server.sorting.models import SharedComparison

#: One that is made in less time is not worth a row.
WORTH_SECONDS = 0.15
#: Bytes of one row before it is packed, and of all rows.
_LARGEST, _ALL_BYTES = 64 << 20, 512 << 20
_WAIT_SECONDS = 60.0
#: Goes up whenever the bytes mean something else.
_FORM = 1
_SEEN_AGAIN_SECONDS = 600


def shared(
    key: bytes, trees: Callable[[], tuple[Snapshot, Snapshot]], make: Callable[[], Comparison]
) -> Comparison:
    """Return the comparison that a key stands for: as another process found it, or made here.

    trees: the two trees as they were compared; asked for where another process has compared them.
    Where one process is at it, the others wait for it; but not for ever.
    """
    name = blake2b(key, digest_size=24, salt=bytes([_FORM])).hexdigest()
    number = int(name[:7], 16)
    until = monotonic() + _WAIT_SECONDS
    while True:
        found = _read(name, trees)
        if found is not None:
            return found
        with alone(Space.COMPARISONS, number) as first:
            if first or monotonic() > until:
                # it may have been made between the look and the lock
                return _read(name, trees) or _made(name, make)
        sleep(0.05)


def _read(name: str, trees: Callable[[], tuple[Snapshot, Snapshot]]) -> Comparison | None:
    row = SharedComparison.objects.filter(key=name).first()
    if row is None:
        return None
    if (timezone.now() - row.used_at).total_seconds() > _SEEN_AGAIN_SECONDS:
        SharedComparison.objects.filter(pk=row.pk).update(used_at=timezone.now())
    try:
        data = zstandard.ZstdDecompressor().decompress(row.content, max_output_size=_LARGEST)
        with cycle_collector.paused():
            return restored(data, *trees())
    except (zstandard.ZstdError, msgspec.DecodeError) as error:
        log.warning("a comparison that was kept cannot be read", error=error)
        row.delete()
        return None


def _made(name: str, make: Callable[[], Comparison]) -> Comparison:
    began = monotonic()
    found = make()
    if monotonic() - began >= WORTH_SECONDS:
        data = stored(found)
        if len(data) <= _LARGEST:
            _keep(name, zstandard.ZstdCompressor(level=1).compress(data))
    return found


def _keep(name: str, content: bytes) -> None:
    """Keep a row; those that nobody has used for the longest time make room."""
    SharedComparison.objects.update_or_create(
        key=name, defaults={"content": content, "size": len(content), "used_at": timezone.now()}
    )
    newest = Window(Sum("size"), order_by=[F("used_at").desc(), F("pk").desc()])
    over = SharedComparison.objects.annotate(sum=newest).filter(sum__gt=_ALL_BYTES)
    SharedComparison.objects.filter(pk__in=list(over.values_list("pk", flat=True))).delete()
