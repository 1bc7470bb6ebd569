"""What to ask of a directory so that an entry becomes as it should be."""

from collections.abc import Callable, Set
from typing import Literal, NamedTuple

from keepsort.core.compare.values import differing_names, split_set
from keepsort.core.model import Attributes, Schema, Value

ToBytes = Callable[[str, Value], bytes]


class Modification(NamedTuple):
    """One part of a modify request (RFC 4511, section 4.6)."""

    operation: Literal["add", "delete", "replace"]
    attribute: str
    values: list[bytes]


def modifications(
    schema: Schema,
    kind: str,
    before: Attributes,
    after: Attributes,
    to_bytes: ToBytes,
    held: Set[str] = frozenset(),
) -> list[Modification]:
    """Return the smallest changes that lead from `before` to `after`.

    Only values that change are named, so that values somebody adds meanwhile stay. Attributes
    without an equality rule can only be replaced as a whole.
    held: attributes, lower case, of which the entry's own name holds a value that stays.
    """
    found: list[Modification] = []
    for name in differing_names(schema, kind, before, after):
        spec = schema.spec(kind, name)
        old, new = _listed(before.get(name)), _listed(after.get(name))
        if spec.replace_only and old and new:
            found.append(Modification("replace", name, [to_bytes(name, v) for v in new]))
            continue
        gone, come, _ = split_set(spec, old, new)
        if gone and spec.replace_only and name.lower() not in held:
            found.append(Modification("delete", name, []))
        elif gone:
            found.append(Modification("delete", name, [to_bytes(name, v) for v in gone]))
        if come:
            found.append(Modification("add", name, [to_bytes(name, v) for v in come]))
    return found


def _listed(value: Value) -> list[Value]:
    if value is None:
        return []
    return value if isinstance(value, list) else [value]
