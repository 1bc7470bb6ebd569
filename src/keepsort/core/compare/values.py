"""Comparing values by what they mean."""

from types import NoneType
from typing import Literal

import msgspec

from keepsort.core.compare.maps import MapChange, map_changes
from keepsort.core.compare.sequences import Change, ElementMove, lined_up, moved_elements
from keepsort.core.model import Attributes, AttributeSpec, Schema, Value
from keepsort.core.model.canonical import comparable_value, identical, meant


class AttributeDifference(msgspec.Struct, frozen=True):
    """One attribute on both sides.

    state: ``missing`` live, ``extra`` live, ``changed`` or ``same``.
    only_left, only_right, both: elements of a set.
    stretches: lines of a text or elements of a sequence, in order.
    moved: elements of a sequence that only stand elsewhere.
    keys: for a map, its values by the keys that lead to them.
    """

    name: str
    state: Literal["same", "changed", "missing", "extra"]
    left: Value
    right: Value
    only_left: list[Value] = []
    only_right: list[Value] = []
    both: list[Value] = []
    stretches: list[Change] = []
    moved: list[ElementMove] = []
    keys: list[MapChange] = []


_PLAIN = frozenset({str, int, bool, bytes, NoneType})


def equal_values(spec: AttributeSpec, left: Value, right: Value) -> bool:
    """Tell whether two values mean the same."""
    if type(left) is type(right) and left == right and type(left) in _PLAIN:
        return True  # most are, and have no second form to look for
    if spec.orders and isinstance(left, list) and isinstance(right, list):
        return in_common(left, right) == in_common(right, left)
    return identical(comparable_value(spec, left), comparable_value(spec, right))


def in_common(names: list[Value], others: list[Value]) -> list[Value]:
    """Return those names that the other order has too."""
    there = set(others)
    return [name for name in names if name in there]


def differing_names(schema: Schema, kind: str, left: Attributes, right: Attributes) -> list[str]:
    """List the attributes that differ, sorted."""
    return sorted(
        name
        for name in left.keys() | right.keys()
        if name not in left
        or name not in right
        or not equal_values(schema.spec(kind, name), left[name], right[name])
    )


def compare_attributes(
    schema: Schema, kind: str, left: Attributes, right: Attributes
) -> list[AttributeDifference]:
    """Compare all attributes of two objects in detail, sorted by name."""
    return [
        _compare_one(name, schema.spec(kind, name), left, right)
        for name in sorted(left.keys() | right.keys())
    ]


def _compare_one(
    name: str, spec: AttributeSpec, left: Attributes, right: Attributes
) -> AttributeDifference:
    a, b = left.get(name), right.get(name)
    if name not in right:
        return AttributeDifference(name, "missing", a, None, only_left=_listed(a))
    if name not in left:
        return AttributeDifference(name, "extra", None, b, only_right=_listed(b))
    if equal_values(spec, a, b):
        return AttributeDifference(name, "same", a, b, both=_listed(a))
    if spec.shape == "set" or (isinstance(a, list) and isinstance(b, list) and spec.secret):
        only_left, only_right, both = split_set(spec, _listed(a), _listed(b))
        return AttributeDifference(name, "changed", a, b, only_left, only_right, both)
    if spec.shape == "text" and isinstance(a, str) and isinstance(b, str):
        stretches = lined_up(a.splitlines(keepends=True), b.splitlines(keepends=True))
        return AttributeDifference(name, "changed", a, b, stretches=stretches)
    if spec.shape == "sequence" and isinstance(a, list) and isinstance(b, list):
        stretches = lined_up(a, b)
        moved = moved_elements(stretches)
        return AttributeDifference(name, "changed", a, b, stretches=stretches, moved=moved)
    if isinstance(a, dict) and isinstance(b, dict):
        keys = map_changes(a, b, lambda one, two: equal_values(spec, one, two))
        return AttributeDifference(name, "changed", a, b, keys=keys)
    return AttributeDifference(name, "changed", a, b)


def _listed(value: Value) -> list[Value]:
    return value if isinstance(value, list) else []


def element_key(spec: AttributeSpec, value: Value) -> bytes:
    """Return the form by which elements of a set are the same element."""
    return msgspec.msgpack.encode(meant(spec, value))


def split_set(
    spec: AttributeSpec, left: list[Value], right: list[Value]
) -> tuple[list[Value], list[Value], list[Value]]:
    """Split the elements of two sets into those only left, only right, and in both."""
    in_left = {element_key(spec, v): v for v in left}
    in_right = {element_key(spec, v): v for v in right}
    return (
        [v for k, v in in_left.items() if k not in in_right],
        [v for k, v in in_right.items() if k not in in_left],
        [v for k, v in in_left.items() if k in in_right],
    )
