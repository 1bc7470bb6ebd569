"""All that wants attention in one order: what stands still, and each thing that differs."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime

from keepsort.core.compare.importance import MINOR, SERVICE, URGENT, USUAL
from keepsort.server.attention.items import Item, Level, all_systems, items_of, with_aside
from keepsort.server.attention.ours import is_explained
from keepsort.server.attention.overview import Overview, overviews
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.sorting.things import Thing
from keepsort.server.systems.models import System

#: So many things of one system are told; more of them are a number.
_EACH = 30
#: The order of what wants attention: smaller is more urgent.
_LEVELS = {"stop": 0, "unknown": 2, "confirm": 4, "note": 6}
_URGENCIES = {URGENT: 1, SERVICE: 3, USUAL: 5, MINOR: 7}
_LEVEL_OF: dict[int, Level] = {URGENT: "stop", SERVICE: "confirm", USUAL: "confirm", MINOR: "note"}


@dataclass(frozen=True)
class Ranked:
    """One thing that wants attention, and the object it is about where it is one that differs.

    since: when a look first saw it stand as it does; None where that is not known.
    seen: when it was looked at last. backup, look: numbers of what was compared.
    """

    item: Item
    rank: int
    thing: Thing | None = None
    since: datetime | None = None
    seen: datetime | None = None
    backup: int | None = None
    look: int | None = None


def ranked() -> list[Ranked]:
    """Return what wants attention, the most urgent first, and what was put aside after it.

    Where it can be told, each thing that differs stands there itself, in place of a number.
    """
    things, found = _all()
    with_things = {one.item.system for one in things}
    others = [
        Ranked(item, _LEVELS[item.level])
        for item in found
        if not (item.code == "differs" and item.system in with_things)
    ]
    told = [*things, *others]
    shown = with_aside([one.item for one in told])
    told = [replace(one, item=item) for one, item in zip(told, shown, strict=True)]
    return sorted(told, key=lambda one: (one.item.aside is not None, one.rank))


def is_known(system: int | None, code: str, stands: str) -> bool:
    """Tell whether something wants attention, as it stands: a thing, or all things in a number."""
    things, found = _all()
    every = [*(one.item for one in things), *found]
    return any((one.system, one.code, one.stands) == (system, code, stands) for one in every)


def _all() -> tuple[list[Ranked], list[Item]]:
    systems = all_systems()
    known = overviews(systems)
    things: list[Ranked] = []
    for system in systems:
        try:
            things += [*_things(system, known[system.pk])]
        except DATABASE_AWAY:
            raise
        except Exception as error:
            # that its things cannot be told is told among what wants attention
            log.error("things that differ cannot be told", system=system.pk, error=error)
    return things, items_of(systems, known)


def _things(system: System, known: Overview) -> Iterator[Ranked]:
    backup, look = known.backup, known.look
    if backup is None or look is None:
        return
    if known.ran and is_explained(system, backup, look):
        return
    found = known.tally(backup, look, with_things=True).things
    made = [_item(system, thing) for thing in found.first[:_EACH]]
    for item, thing in zip(made, found.first[:_EACH], strict=True):
        yield Ranked(
            item, _URGENCIES[thing.urgency], thing, known.since.get(thing.stands),
            look.taken_at, backup.pk, look.pk,
        )  # fmt: skip
    more = found.total - _EACH
    if more > 0:
        title = f"{system.name}: {more} more {'thing differs' if more == 1 else 'things differ'}"
        item = Item(
            "confirm", "more-differ", title, "They are told on Sort.", f"/sort/{system.pk}",
            found.first[0].stands, system=system.pk, system_name=system.name,
        )  # fmt: skip
        yield Ranked(item, _URGENCIES[USUAL])


def _item(system: System, thing: Thing) -> Item:
    address = f"/sort/{system.pk}"
    return Item(
        _LEVEL_OF[thing.urgency], f"thing-{thing.place}", f"{system.name}: {thing.name}",
        thing.written, address, thing.stands, [thing.written], system.pk, system.name,
    )  # fmt: skip
