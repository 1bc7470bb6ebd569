"""One form for equal content, so that equal objects have equal digests."""

from hashlib import blake2b

import msgspec

from keepsort.core.model.kinds import AttributeSpec, Schema
from keepsort.core.model.objects import Attributes, Value

DIGEST_SIZE = 24
_encode = msgspec.msgpack.Encoder(order="deterministic").encode


_STRINGS = {str}


def digest(data: bytes) -> bytes:
    """Hash bytes with BLAKE2b (RFC 7693), 24 bytes long."""
    return blake2b(data, digest_size=DIGEST_SIZE).digest()


def canonical_value(spec: AttributeSpec, value: Value) -> Value:
    """Return `value` in the one form that all equal values share: sets sorted, numbers plain."""
    if spec.number and type(value) is not int:
        value = _plain_number(value)
    if spec.shape == "set" and isinstance(value, list):
        return _sorted_set(value)
    return value


def canonical_attributes(schema: Schema, kind: str, attributes: Attributes) -> Attributes:
    """Return the attributes with every value canonical."""
    return {n: canonical_value(schema.spec(kind, n), v) for n, v in attributes.items()}


def comparable_value(spec: AttributeSpec, value: Value) -> Value:
    """Return the form of a value by which the system itself tells equal from different."""
    if spec.fold and not spec.secret:
        value = folded(value)
    return canonical_value(spec, value)


def folded(value: Value) -> Value:
    """Return a value with letter case and runs of spaces taken out of its strings."""
    if isinstance(value, list):
        return [folded(v) for v in value]
    return " ".join(value.casefold().split()) if isinstance(value, str) else value


def object_digest(schema: Schema, kind: str, attributes: Attributes) -> str:
    """Digest what counts of one object, as hex; name, identity and children stay out of it."""
    comparable = {n: comparable_value(schema.spec(kind, n), v) for n, v in attributes.items()}
    return digest(_encode([kind, comparable])).hex()


def _sorted_set(values: list[Value]) -> list[Value]:
    if len(values) < 2:
        return values
    if set(map(type, values)) == _STRINGS:
        ordered = sorted(set(values))
        return values if ordered == values else ordered
    # mixed or nested: any total order will do, as long as it is always the same
    return [v for _, v in sorted({_encode(v): v for v in values}.items())]


def _plain_number(value: Value) -> Value:
    if isinstance(value, list):
        return [_plain_number(v) for v in value]
    if isinstance(value, float) and value.is_integer() and abs(value) < 2**53:
        return int(value)
    return value
