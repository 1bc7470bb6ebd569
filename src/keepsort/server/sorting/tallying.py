"""How two records differ in sum: kept in the database, so that who watches compares nothing."""

from dataclasses import dataclass, field
from hashlib import blake2b

import msgspec

from keepsort.core.compare import Comparison, State
from keepsort.core.compare.importance import Importance
from keepsort.core.model import Path, is_beneath
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import newest
from keepsort.server.sorting.comparing import compared, contents
from keepsort.server.sorting.models import Spotted, Tallied
from keepsort.server.sorting.things import Thing, Things, things
from keepsort.server.systems.models import System
from keepsort.server.systems.services import newest_successor

_FIRST = 12
#: Of what is kept: what an older version has told is worked out anew.
_FORM = 4
_encode = msgspec.json.Encoder(order="deterministic").encode


class First(msgspec.Struct, frozen=True):
    """One of the first objects that differ. written: its place, as its system writes it."""

    path: Path
    written: str
    name: str
    state: State


@dataclass(frozen=True)
class Tally:
    """Objects by the way they differ, the first of them, and what differs as one would say it.

    things: none where nobody has asked for them.
    """

    counts: dict[str, int] = field(default_factory=dict)
    first: tuple[First, ...] = ()
    things: Things = field(default_factory=Things)


def tallied(left: Record, right: Record, *, with_things: bool = False) -> Tally:
    """Tell how two records differ by the rules saved for their system; worked out once.

    with_things: whether what differs is told thing by thing too, for which it has to be read.
    """
    key = key_of(left, right, newest_successor(right.system))
    row = Tallied.objects.filter(key=key).first()
    if row is not None and (row.things or not with_things):
        return read_tally(row)
    found = compared(left, right)
    told = things(found, importance_of(right.system)) if with_things else None
    row = Tallied(
        key=key, counts=found.tally, first=msgspec.to_builtins(_first(found)),
        things=msgspec.to_builtins(told) if told is not None else {},
    )  # fmt: skip
    Tallied.objects.bulk_create(
        [row], update_conflicts=with_things, ignore_conflicts=not with_things,
        unique_fields=["key"] if with_things else None,
        update_fields=["things"] if with_things else None,
    )  # fmt: skip
    return read_tally(row)


def importance_of(system: System) -> Importance:
    """Return what was said of a system to be urgent, and minor."""
    return msgspec.convert(system.importance, Importance)


def read_tally(row: Tallied) -> Tally:
    """Return the tally that a row holds."""
    first = msgspec.convert(row.first, tuple[First, ...])
    return Tally(row.counts, first, msgspec.convert(row.things, Things))


def key_of(left: Record, right: Record, successor: int) -> str:
    """Return what stands for two trees and for all that they are compared by.

    successor: number of the newest object of the system that was restored under another id.
    """
    system = right.system
    terms = (_FORM, system.pk, system.rules, system.former_names, system.importance, successor)
    told = contents(left) + contents(right) + _encode(terms)
    return blake2b(told, digest_size=24).hexdigest()


def _first(found: Comparison) -> list[First]:
    """Return the first objects that differ; what goes with a whole branch is told by that."""
    write = found.left.schema.notation.write
    told: list[First] = []
    within: Path | None = None
    for one in found.differences:
        # what stands in a branch that is gone or new, or is held by a file, is told by that
        if within is not None and is_beneath(one.path, within):
            continue
        whole = one.state in ("missing", "extra") or found.left.schema.parts_in(one.kind)
        within = one.path if whole else None
        told.append(First(one.path, write(one.path), one.node.entry.name or "/", one.state))
        if len(told) == _FIRST:
            break
    return told


def note_since(system: System, look: Record, first: tuple[Thing, ...]) -> None:
    """Note which look was the first to see each thing as it stands."""
    now = {one.stands for one in first}
    Spotted.objects.filter(system=system).exclude(stands__in=now).delete()
    Spotted.objects.bulk_create(
        [Spotted(system=system, stands=stands, since=look.taken_at) for stands in sorted(now)],
        ignore_conflicts=True,
    )


def tally_ahead(system: System) -> None:
    """Work out what Watch is going to ask for; what goes wrong is told when it is asked for."""
    look, backup = newest(system, Record.Kind.LOOK), newest(system, Record.Kind.BACKUP)
    baseline = system.records.filter(baseline=True).first()
    try:
        if look is not None and backup is not None:
            note_since(system, look, tallied(backup, look, with_things=True).things.first)
        for kept in {one.pk: one for one in (backup, baseline) if one is not None}.values():
            if look is not None:
                tallied(kept, look)
    except DATABASE_AWAY:
        raise
    except Exception as error:
        log.error("a tally could not be worked out ahead", system=system.pk, error=error)
