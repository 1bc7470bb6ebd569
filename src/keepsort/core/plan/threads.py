"""Steps that happen together, as what becomes of each object from before to after all of them.

An object may be moved and then changed, and what it stands beneath may move too, so that no single
step says where it stands before all of them, and where after.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import msgspec

from keepsort.core.model import Path, Schema, is_beneath
from keepsort.core.plan.steps import Step


@dataclass(frozen=True)
class Thread:
    """What becomes of one object.

    whole: from before the first step of all to after the last; places: of its own steps, among all.
    """

    whole: Step
    places: tuple[int, ...]


def threaded(schema: Schema, steps: Sequence[Step]) -> list[Thread]:
    """Divide steps, in their order, into threads, in the order of their first steps.

    What comes to a place that another object has left, or is taken from, is met by what stands
    there before all of them: whoever judges it will take that for a conflict.
    """
    if len(steps) < 2 or _each_alone(schema, steps):
        return [Thread(step, (place,)) for place, step in enumerate(steps)]
    keys = schema.names.keys
    #: where each object stands now that a step has met, and its steps
    met: dict[Path, list[int]] = {}
    ended: list[list[int]] = []
    began: dict[int, Path] = {}
    moves: list[tuple[Path, Path]] = []
    for place, step in enumerate(steps):
        here = keys(step.path)
        own = met.pop(here, [])
        if not own:
            began[place] = _before(schema, step.path, moves)
        own.append(place)
        if step.to is not None:
            beneath = [path for path in met if is_beneath(path, here)]
            for path in beneath:
                met[keys((*step.to, *path[len(here) :]))] = met.pop(path)
            moves.append((step.path, step.to))
        if (other := met.get(keys(step.final_path))) is not None:
            ended.append(other)
        met[keys(step.final_path)] = own
    found = []
    for own in (*ended, *met.values()):
        end = steps[own[-1]].final_path
        for step in steps[own[-1] + 1 :]:
            if step.to is not None and is_beneath(keys(end), keys(step.path)):
                end = (*step.to, *end[len(step.path) :])
        start = began[own[0]] if steps[own[0]].action != "create" else end
        whole = _whole([steps[place] for place in own], start, end)
        found.append(Thread(whole, tuple(own)))
    return sorted(found, key=lambda thread: thread.places)


def _each_alone(schema: Schema, steps: Sequence[Step]) -> bool:
    """Tell whether there is a step for each object, and nothing moves."""
    places = {schema.names.keys(step.path) for step in steps}
    return len(places) == len(steps) and all(step.to is None for step in steps)


def _before(schema: Schema, path: Path, moves: list[tuple[Path, Path]]) -> Path:
    """Return where an object stood before moves of what it stands beneath."""
    keys = schema.names.keys
    for here, there in reversed(moves):
        if is_beneath(keys(path), keys(there)):
            path = (*here, *path[len(there) :])
    return path


def _whole(own: Sequence[Step], began: Path, end: Path) -> Step:
    first, last = own[0], own[-1]
    if len(own) == 1 and first.path == began and first.final_path == end:
        return first
    was = first.was_kind or first.kind
    action = first.action if last.after is not None else last.action
    if first.before is not None and last.after is not None:
        action = "move" if began != end else "update"
    return msgspec.structs.replace(
        first, action=action, path=began, to=end if action == "move" else None, kind=last.kind,
        was_kind=was if was != last.kind and last.after is not None else None, after=last.after,
        stands_for=next((step.stands_for for step in own if step.stands_for), None),
    )  # fmt: skip
