"""Carries steps out through a connector.

Each step is judged by what live is: what it leaves behind stands there already, what it expects
stands there and it is written, or it meets something else. The connector is only asked to look and
to write; the versions that it was judged by go along, so that the system itself can refuse.
"""

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Literal

import msgspec

from keepsort.connectors.base import Connector, Description, Grouping, Ready, Seen
from keepsort.connectors.errors import Changed, Conflict
from keepsort.core.model import ConfigObject, Path, Schema
from keepsort.core.plan import Step, threaded
from keepsort.core.plan.rehearsal import holds, is_done

#: How often a group is judged anew where something changed under it: the system itself may be
#: putting references right at this very moment.
_ATTEMPTS = 3
Sight = Mapping[Path, Seen]
Judgement = Literal["done", "write", "conflict", "in the way"]
NOTHING_SEEN: Sight = MappingProxyType({})


class Outcome(msgspec.Struct, frozen=True):
    """What became of a step.

    already: live was as the step leaves it, so nothing was written.
    report: what the system said about it, for the run's report; empty where nothing.
    """

    already: bool = False
    report: str = ""


def read(connector: Connector, paths: Sequence[Path]) -> list[ConfigObject | None]:
    """Return chosen objects as they are now; None for those that do not exist."""
    return [seen.found for seen in connector.look(paths)]


def grouped(connector: Connector, steps: Sequence[Step]) -> list[list[Step]]:
    """Divide steps, in their order, into groups that are written together."""
    if isinstance(connector, Grouping):
        return connector.groups(steps)
    return [[step] for step in steps]


def look_ahead(connector: Connector, described: Description, steps: Sequence[Step]) -> Sight:
    """Look at once at what several steps begin with, none of which needs another.

    Only where the server refuses to write what has changed since: elsewhere each object is looked
    at right before it is written.
    """
    if described.promises.compare_and_set != "server" or len(steps) < 2:
        return NOTHING_SEEN
    return _seen(connector, steps)


def carry_out(
    connector: Connector,
    described: Description,
    steps: Sequence[Step],
    sight: Sight = NOTHING_SEEN,
) -> list[Outcome]:
    """Carry out one group of steps, all of them or none. Raises `Conflict`.

    sight: what was looked at ahead, which counts where the server knows its version.
    """
    for _ in range(_ATTEMPTS - 1):
        try:
            return _attempt(connector, described, steps, sight)
        except Changed:
            sight = NOTHING_SEEN
    return _attempt(connector, described, steps, sight)


def _attempt(
    connector: Connector, described: Description, steps: Sequence[Step], sight: Sight
) -> list[Outcome]:
    threads = threaded(described.schema, steps)
    wholes = [thread.whole for thread in threads]
    said: list[Judgement] = ["conflict"]
    if all(_counts(step, sight.get(step.path)) for step in wholes):
        said = [judged(described, step, sight[step.path].found, None) for step in wholes]
    if "conflict" in said:  # or it has followed a step that was carried out since
        sight = _seen(connector, wholes)
        said = [_judged_now(described, step, sight) for step in wholes]
    ready: dict[int, Ready] = {}
    for thread, one in zip(threads, said, strict=True):
        if one == "write":
            seen = sight[thread.whole.path]
            ready.update((at, Ready(steps[at], seen)) for at in thread.places)
    reports = dict.fromkeys(range(len(steps)), "")
    if ready:
        order = sorted(ready)
        told = connector.write([ready[at] for at in order])
        reports.update(zip(order, told, strict=True))
    return [Outcome(at not in ready, report) for at, report in reports.items()]


def _judged_now(described: Description, step: Step, sight: Sight) -> Judgement:
    """Judge a step by a look that was taken right now. Raises `Conflict`."""
    here = sight[step.path].found
    there = sight[step.to].found if step.to is not None else None
    said = judged(described, step, here, there)
    if said == "conflict":
        name = described.schema.notation.write(step.path)
        raise Conflict(f"{name} is not what the preview showed.", here)
    if said == "in the way":
        name = described.schema.notation.write(step.final_path)
        raise Conflict(f"{name} exists, and would be overwritten.", there)
    return said


def judged(
    described: Description, step: Step, here: ConfigObject | None, there: ConfigObject | None
) -> Judgement:
    """Tell what is to become of a step by what stands where it begins and where a move ends."""
    schema = described.schema
    if step.to is not None:
        keys = schema.names.keys
        if keys(step.path) == keys(step.to):  # the same place, its name spelt another way
            if there is not None and there.name == step.to[-1] and is_done(schema, step, there):
                return "done"
        elif here is None:
            return "done" if is_done(schema, step, there) else "conflict"
        elif there is not None and not described.promises.moves_in_parts:
            return "in the way"
        return "write" if holds(schema, step, here) else "conflict"
    here = _standing(schema, step, here)
    if is_done(schema, step, here):
        return "done"
    return "write" if holds(schema, step, here) else "conflict"


def _standing(schema: Schema, step: Step, here: ConfigObject | None) -> ConfigObject | None:
    """Return what stands at a place; what is there only by what it holds leaves room."""
    implied = here is not None and schema.is_implied(here.kind) and step.action == "create"
    return None if implied and not schema.is_implied(step.kind) else here


def _counts(step: Step, seen: Seen | None) -> bool:
    """Tell whether what was looked at ahead is as good as looking now."""
    if seen is None or step.to is not None:
        return False
    return seen.found is None or seen.version is not None


def _seen(connector: Connector, steps: Sequence[Step]) -> dict[Path, Seen]:
    paths = {place: None for step in steps for place in (step.path, step.to) if place is not None}
    return dict(zip(paths, connector.look(list(paths)), strict=True))
