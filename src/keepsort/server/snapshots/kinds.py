"""How much of a backup each kind of object is."""

from keepsort.server import cycle_collector
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_apart


def kinds_of(record: Record) -> dict[str, tuple[int, int]]:
    """Return objects and bytes by kind, the bytes before they are packed; counted once."""
    if record.kinds is None:
        counts: dict[str, list[int]] = {}
        with cycle_collector.paused():
            for node in open_apart(record).walk():
                found = counts.setdefault(node.entry.kind, [0, 0])
                found[0] += 1
                found[1] += len(node.entry.attributes)
        record.kinds = counts
        Record.objects.filter(pk=record.pk).update(kinds=counts)
    return {kind: (count, size) for kind, (count, size) in record.kinds.items()}
