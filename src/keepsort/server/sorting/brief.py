"""One value that became another, as short as the row of a tree has room for."""

import re

from keepsort.core.compare import AttributeDifference, Comparison, Difference, compare_attributes
from keepsort.core.model import AttributeSpec, Value
from keepsort.core.snapshot import Node, Snapshot
from keepsort.core.snapshot.encoding import Blob
from keepsort.server.sorting.showing import written

_LONGEST = 24
#: The type of attribute that a name of a directory begins with.
_TYPE = re.compile(r"^[A-Za-z][A-Za-z0-9-]*=")


def brief(comparison: Comparison, found: Difference) -> list[str] | None:
    """Return the two values where all that differs is one short value; None for anything else."""
    if found.left is None or found.right is None or len(found.attributes) != 1:
        return None
    name = found.attributes[0]
    kind = found.node.entry.kind
    spec = comparison.left.schema.spec(kind, name)
    if spec.secret or found.state != "changed":
        return None
    left, right = _own(comparison.left, found.left, name), _own(comparison.right, found.right, name)
    if left is None or right is None:
        return None
    both = compare_attributes(comparison.left.schema, kind, left, right)
    # that an object became one of another kind is told as if it were an attribute, and is none
    return brief_of(comparison, spec, both[0]) if both else None


def brief_of(
    comparison: Comparison, spec: AttributeSpec, one: AttributeDifference
) -> list[str] | None:
    """Return the two values of one attribute, where it is one short value that became another."""
    before, after = (_short(_named(comparison, spec, value)) for value in _two(one))
    if before is None or after is None or before == after:
        return None
    return [before, after]


def _own(tree: Snapshot, node: Node, name: str) -> dict[str, Value] | None:
    """Return the attribute of an object; None where it is so long that it lies apart."""
    found = tree.attributes(node.entry)
    if name not in found:
        return {}
    value = found[name]
    apart = any(isinstance(one, Blob) for one in (value if isinstance(value, list) else [value]))
    return None if apart else {name: value}


def _two(found: AttributeDifference) -> tuple[Value, Value]:
    if len(found.keys) == 1:
        return found.keys[0].left, found.keys[0].right
    if found.only_left or found.only_right:
        return found.only_left, found.only_right
    return found.left, found.right


def _named(comparison: Comparison, spec: AttributeSpec, value: Value) -> Value:
    """Return what a reference names by its name alone, and anything else as it is."""
    if isinstance(value, list) and len(value) == 1:
        [value] = value
    if not spec.reference or not isinstance(value, str):
        return value
    path = comparison.left.schema.notation_of(spec).read(value)
    return _TYPE.sub("", path[-1]) if path else value


def _short(value: Value) -> str | None:
    if isinstance(value, list):
        if len(value) > 1:
            return None
        value = value[0] if value else None
    if isinstance(value, dict | list | bytes):
        return None
    text = written(value)
    return text if len(text) <= _LONGEST and "\n" not in text else None
