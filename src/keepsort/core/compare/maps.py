"""Maps side by side, key by key, also where maps hold maps."""

from collections.abc import Callable
from typing import Literal

import msgspec

from keepsort.core.model import Value

KeyPath = tuple[str, ...]
#: Tells whether two values mean the same.
Equal = Callable[[Value, Value], bool]


class MapChange(msgspec.Struct, frozen=True):
    """One value in a map, named by the keys that lead to it; `number` counts those that differ."""

    keys: KeyPath
    state: Literal["same", "changed", "missing", "extra"]
    left: Value
    right: Value
    number: int = 0


def map_changes(left: Value, right: Value, equal: Equal) -> list[MapChange]:
    """List the values of two maps in order of their keys; maps within both are entered."""
    found: list[MapChange] = []
    _walk((), left, right, equal, found)
    number = 0
    for position, change in enumerate(found):
        if change.state != "same":
            number += 1
            found[position] = msgspec.structs.replace(change, number=number)
    return found


def with_keys(left: Value, right: Value, numbers: set[int], equal: Equal) -> Value:
    """Return the right map with the numbered values as they are on the left."""
    result = _copied(right)
    for change in map_changes(left, right, equal):
        if change.number in numbers and change.number:
            holder = result
            for key in change.keys[:-1]:
                holder = holder.setdefault(key, {})
            if change.state in ("missing", "changed"):
                holder[change.keys[-1]] = change.left
            else:
                holder.pop(change.keys[-1], None)
    return result


def _walk(
    at: KeyPath, left: dict[str, Value], right: dict[str, Value], equal: Equal, out: list[MapChange]
) -> None:
    for key in sorted(left.keys() | right.keys()):
        place = (*at, key)
        if key not in right:
            out.append(MapChange(place, "missing", left[key], None))
        elif key not in left:
            out.append(MapChange(place, "extra", None, right[key]))
        elif equal(left[key], right[key]):
            out.append(MapChange(place, "same", left[key], right[key]))
        elif isinstance(left[key], dict) and isinstance(right[key], dict):
            _walk(place, left[key], right[key], equal, out)
        else:
            out.append(MapChange(place, "changed", left[key], right[key]))


def _copied(value: Value) -> Value:
    return {k: _copied(v) for k, v in value.items()} if isinstance(value, dict) else value
