"""One form for equal content, so that equal objects have equal digests."""

from collections.abc import Callable
from hashlib import blake2b

import msgspec

from keepsort.core.model.kinds import AttributeSpec, Schema
from keepsort.core.model.matching import Matching, prepared
from keepsort.core.model.objects import Attributes, Value

DIGEST_SIZE = 24
_encode = msgspec.msgpack.Encoder(order="deterministic").encode
Form = Callable[[Value], Value]


def digest(data: bytes) -> bytes:
    """Hash bytes with BLAKE2b (RFC 7693), 24 bytes long."""
    return blake2b(data, digest_size=DIGEST_SIZE).digest()


def identical(one: Value, other: Value) -> bool:
    """Tell whether two values are the same down to their types: 1 is neither 1.0 nor True.

    This is the one rule of equality: compare, plans and edits of texts go by it.
    """
    if type(one) is not type(other):
        return False
    if isinstance(one, list):
        return len(one) == len(other) and all(map(identical, one, other))
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(identical(v, other[k]) for k, v in one.items())
    if isinstance(one, float):
        return one.hex() == float(other).hex()
    return bool(one == other)


def canonical_form(spec: AttributeSpec) -> Form | None:
    """Return what gives a value the one form that all equal values share; None where it has it.

    Sets are sorted and numbers plain. What has that form already is returned itself.
    """
    if spec.shape == "set":
        return _sorted_numbers if spec.number else _sorted_set
    return _plain_number if spec.number else None


def canonical_value(spec: AttributeSpec, value: Value) -> Value:
    """Return `value` in the one form that all equal values share."""
    form = canonical_form(spec)
    return value if form is None else form(value)


def canonical_attributes(schema: Schema, kind: str, attributes: Attributes) -> Attributes:
    """Return the attributes with every value canonical."""
    return {n: canonical_value(schema.spec(kind, n), v) for n, v in attributes.items()}


def comparable_value(spec: AttributeSpec, value: Value) -> Value:
    """Return the form of a value by which the system itself tells equal from different."""
    return canonical_value(spec, meant(spec, value))


def meant(spec: AttributeSpec, value: Value) -> Value:
    """Return a value with its texts in the form that all share which mean the same."""
    return value if spec.means == "literal" else _prepared(spec.means, value)


def _prepared(matching: Matching, value: Value) -> Value:
    if isinstance(value, list):
        return [_prepared(matching, v) for v in value]
    return prepared(matching, value) if isinstance(value, str) else value


def rule_key(spec: AttributeSpec, value: Value) -> Value:
    """Return the form of an element by which the system itself says that it has it already."""
    if spec.secret or not isinstance(value, str):
        return value
    return prepared("fold" if spec.fold else spec.matching, value)


def object_digest(schema: Schema, kind: str, attributes: Attributes) -> str:
    """Digest what counts of one object, as hex; name, identity and children stay out of it."""
    comparable = {n: comparable_value(schema.spec(kind, n), v) for n, v in attributes.items()}
    return digest(_encode([kind, comparable])).hex()


def _sorted_set(value: Value) -> Value:
    if not isinstance(value, list) or len(value) < 2:
        return value
    try:
        ordered = sorted(value)
    except TypeError:
        ordered = value
    if ordered is not value and type(ordered[0]) is str:  # as all are, or they could not be sorted
        if len(set(ordered)) < len(ordered):
            ordered = sorted(set(ordered))
        return value if ordered == value else ordered
    # mixed or nested: any total order will do, as long as it is always the same
    return [v for _, v in sorted({_encode(v): v for v in value}.items())]


def _sorted_numbers(value: Value) -> Value:
    return _sorted_set(_plain_number(value))


def _plain_number(value: Value) -> Value:
    if isinstance(value, float):
        return int(value) if value.is_integer() and -(2**53) < value < 2**53 else value
    if isinstance(value, list):
        return [_plain_number(v) for v in value]
    return value
