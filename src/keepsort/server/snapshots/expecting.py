"""What a backup is going to take, as far as those before it tell."""

from dataclasses import dataclass

import msgspec

from keepsort.core.model import Path
from keepsort.core.snapshot import Choice
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.store.space import free_bytes
from keepsort.server.systems.models import System

_LAST = 5
#: What is not to be used up: PostgreSQL needs room to work.
_RESERVE_BYTES = 64 << 20


@dataclass(frozen=True)
class Expected:
    """What a backup is expected to take.

    known: whether there is one before it to tell from; else all but `free` is 0.
    bytes: new in the store, the most of the last ones. seconds: as long as the longest of them.
    free: bytes where PostgreSQL keeps its data; None where that is not known.
    """

    known: bool
    objects: int
    bytes: int
    seconds: float
    free: int | None


def expected(system: System, branch: Path, choice: Choice) -> Expected:
    """Tell what a backup of a branch is going to take."""
    same = Record.objects.filter(
        system=system, at=list(branch), choice=msgspec.to_builtins(choice), imported=False
    ).exclude(kind=Record.Kind.FILE)
    last = list(same[:_LAST])
    return Expected(
        bool(last),
        last[0].objects_count if last else 0,
        max((one.stored_bytes for one in last), default=0),
        max((one.seconds for one in last), default=0.0),
        free_bytes(),
    )


def check_space(found: Expected) -> None:
    """See that there is room for a backup. Raises `Problem`."""
    needed = found.bytes + _RESERVE_BYTES
    if found.free is not None and found.free < needed:
        raise Problem(
            f"Where PostgreSQL keeps its data, {found.free >> 20} MB are free; the backup may take "
            f"{needed >> 20} MB. Nothing was kept.",
            "Make room there, or delete backups that are not needed.",
            507,
        )
