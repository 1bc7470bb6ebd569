"""Names for what can be picked of an attribute, made of what it holds.

A hunk, an element of a set or a value in a map is named by a digest of its content, so that a pick
made on one look means the very same thing on a later one, or nothing. Where several hunks would
have one name, each also says which of how many it is: with one more or one fewer, none of the
names is known any longer, and nothing is taken for something else.
"""

from collections import Counter
from collections.abc import Sequence

import msgspec

from keepsort.core.compare.maps import MapChange
from keepsort.core.compare.sequences import Change
from keepsort.core.compare.values import AttributeDifference, element_key
from keepsort.core.model import AttributeSpec, Path, Value
from keepsort.core.model.canonical import digest

_encode = msgspec.msgpack.Encoder(order="deterministic").encode
#: Equal lines before and after a hunk that belong to its name.
_AROUND = 2
_LENGTH = 16


def hunk_names(stretches: Sequence[Change]) -> dict[int, str]:
    """Name every differing stretch of a text or sequence, by its number."""
    found = {}
    for place, stretch in enumerate(stretches):
        if stretch.number:
            before = stretches[place - 1].right[-_AROUND:] if place else []
            after = stretches[place + 1].right[:_AROUND] if place + 1 < len(stretches) else []
            found[stretch.number] = _name([before, stretch.left, stretch.right, after])
    return _told_apart(found)


def key_names(changes: Sequence[MapChange]) -> dict[int, str]:
    """Name every differing value of a map, by its number."""
    return {c.number: _name([c.keys, c.left, c.right, c.state]) for c in changes if c.number}


def element_name(spec: AttributeSpec, value: Value, side: str, place: Path) -> str:
    """Name an element of a set that one side has alone (``left`` or ``right``).

    place: the path of the object; a secret is named differently in every place, so that names do
        not tell who has the same one.
    """
    key = element_key(spec, value)
    return _name([side, key, list(place)] if spec.secret else [side, key])


def part_numbers(found: AttributeDifference) -> dict[str, int]:
    """Return the numbers of hunks, or of values in a map, by their names."""
    names = hunk_names(found.stretches) if found.stretches else key_names(found.keys)
    return {name: number for number, name in names.items()}


def _name(content: Value) -> str:
    return digest(_encode(content)).hex()[:_LENGTH]


def _told_apart(names: dict[int, str]) -> dict[int, str]:
    many = Counter(names.values())
    met: Counter[str] = Counter()
    found = {}
    for number, name in names.items():
        met[name] += 1
        again = f"-{met[name]}of{many[name]}" if many[name] > 1 else ""
        found[number] = name + again
    return found
