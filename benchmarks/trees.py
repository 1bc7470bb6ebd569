"""A made-up plant of a million objects: streams of it, and what differs between two states."""

import random
from collections.abc import Iterator

from keepsort.core.model import AttributeSpec, ConfigObject, Kind, Path, Schema

SCHEMA = Schema(
    kinds={"unit": Kind("unit", "unit"), "hall": Kind("hall", "hall", "folder-tree")},
    attributes={
        "tags": AttributeSpec(shape="set"),
        "notes": AttributeSpec(shape="text"),
        "value": AttributeSpec(number=True),
    },
)
OBJECTS = 1_000_000
FLAT = 100_000
_WORDS = [
    "pump",
    "reef",
    "limit",
    "chiller",
    "lagoon",
    "setpoint",
    "auto",
    "kelp",
    "tank",
    "valve",
    "skimmer",
    "heater",
    "sensor",
    "tide",
    "quarantine",
    "feeder",
    "light",
    "filter",
    "ozone",
    "salinity",
    "turtle",
    "seal",
    "night",
    "day",
    "alarm",
    "delay",
]


def stream(changed: frozenset[int] = frozenset()) -> Iterator[tuple[Path, ConfigObject]]:
    """Yield a million objects, branch by branch; those whose numbers are given differ.

    A third of what is changed has another value, a third is gone (leaves only), and beside the
    last third stands an object that was not there.
    """
    yield (), ConfigObject(name="", kind="hall", attributes={"label": "Plant"})
    number = 1
    for path, leaf in _places():
        obj = _object(number, path[-1], leaf)
        change = number % 3 if number in changed else -1
        number += 1
        if change == 0 or (change > 0 and not leaf):
            obj.attributes["value"] = -1.5
        if change != 1 or not leaf:
            yield path, obj
        if change == 2 and leaf:
            name = f"{path[-1]}-more"
            yield (*path[:-1], name), _object(number, name, True)


def _places() -> Iterator[tuple[Path, bool]]:
    """Yield a million paths, parents first: one flat container, the rest at depth 3 to 6."""
    yield ("flat",), False
    for n in range(FLAT):
        yield ("flat", f"relay-{n:06}"), True
    left = OBJECTS - FLAT - 2
    area = 0
    while True:
        area += 1
        for path, leaf in _area(f"area-{area:03}"):
            if left == 0:
                return
            left -= 1
            yield path, leaf


def _area(area: str) -> Iterator[tuple[Path, bool]]:
    yield (area,), False
    for h in range(20):
        hall = f"hall-{h:02}"
        yield (area, hall), False
        for t in range(40):
            tank = f"tank-{t:02}"
            yield (area, hall, tank), False
            for u in range(40):
                unit = f"{_WORDS[(u + t) % len(_WORDS)]}-{u:02}"
                deep = u % 20 == 0
                yield (area, hall, tank, unit), not deep
                if deep:
                    yield (area, hall, tank, unit, "loop"), False
                    for p in range(4):
                        yield (area, hall, tank, unit, "loop", f"part-{p}"), True


def _object(number: int, name: str, leaf: bool) -> ConfigObject:
    # a multiplicative hash is random enough, and takes no time to speak of
    noise = number * 0x9E3779B97F4A7C15 & 0xFFFFFFFFFFFFFFFF
    words = [_WORDS[noise >> shift & 15] for shift in range(0, 30, 5)]
    return ConfigObject(
        name=name,
        kind="unit" if leaf else "hall",
        attributes={
            "label": f"{words[0]} {words[1]} {number}",
            "value": (noise >> 40) % 10_000 / 4,
            "unit": words[2][:3],
            "tags": words[3:],
            "enabled": number % 7 != 0,
            "serial": f"{noise >> 24:010x}",
            "address": f"192.0.2.{number % 254 + 1}",
            "notes": (
                f"Checked on day {number % 365} by the {words[4]} crew.\n"
                f"Keep the {words[5]} below {noise % 400 / 10} before the season.\n"
                "Ask the control room before it is switched off.\n"
            ),
        },
    )


def numbers_changed(count: int = 1000) -> frozenset[int]:
    """Return numbers of objects that differ, spread over the whole tree."""
    return frozenset(random.Random(7).sample(range(2, OBJECTS - 1), count))
