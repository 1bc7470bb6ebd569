"""Making a backup: with a look at the room there is, and past what cannot be read any more."""

from collections.abc import Callable
from datetime import datetime

from keepsort.core.model import Path
from keepsort.core.snapshot import ChunkMissing
from keepsort.server.accounts.models import User
from keepsort.server.snapshots.expecting import check_space, expected
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import Progress, Taken, take, usual_choice
from keepsort.server.snapshots.verifying import mend, verify_system
from keepsort.server.systems.models import System


def back_up(
    system: System,
    branch: Path = (),
    *,
    by: User | None = None,
    note: str = "",
    taken_at: datetime | None = None,
    progress: Progress | None = None,
    waits: Callable[[str], None] | None = None,
    taking: Taken | None = None,
) -> Record:
    """Back up a system or a branch of it; see `take` for what is given.

    Where one before cannot be read, it is found out which, and none of these is built on. What was
    damaged and is in the new one is whole again afterwards.
    Raises `Problem` or a `ConnectorError`; nothing is kept then.
    """
    taken = taking or Taken(usual_choice(system))
    check_space(expected(system, branch, taken.choice))

    def made() -> Record:
        return take(
            system, Record.Kind.BACKUP, branch=branch, by=by, note=note, taken_at=taken_at,
            progress=progress, waits=waits, taking=taken,
        )  # fmt: skip

    try:
        record = made()
    except ChunkMissing:
        verify_system(system, None, progress)
        record = made()
    mend(record)
    return record
