"""Values as the cells of a table show them, and what an edited cell stands for.

A cell does not tell a number from a text that looks like one. So a cell is understood beside the
value that the object has: one that is as that value would be written means that value.
"""

import json
import re
from typing import Any

import msgspec

from keepsort.core.compare.gaps import NOTHING, Nothing
from keepsort.core.model import AttributeSpec, Value
from keepsort.files.plain_values import LEFT_OUT, NoValue, Secret, from_plain, to_plain

SECRET = "(secret, left out)"  # noqa: S105 - it stands for one
_UNSEEN = re.compile(r"[\x00-\x08\x0b-\x1f\x7f\u2028\u2029\ufffe\uffff]")

#: What a table says of an attribute: a cell, or a cell for each of its elements.
Told = str | list[str | bytes]


def cell(value: Value) -> str:
    """Write one value that is no list, or an element of one."""
    if isinstance(value, str):
        return json.dumps(value) if _UNSEEN.search(value) or _is_quoted(value) else value
    if isinstance(value, Secret):
        return SECRET
    return msgspec.json.encode(to_plain(value)).decode()


def _is_quoted(text: str) -> bool:
    return len(text) > 1 and text[0] == text[-1] == '"'


def cells(value: Value) -> list[str]:
    """Write a value, with a cell for each element of a list."""
    return [cell(one) for one in value] if isinstance(value, list) else [cell(value)]


def joined(value: Value) -> str:
    """Write a value in one cell; elements of a list stand on lines of their own where they can."""
    if not isinstance(value, list):
        return cell(value)
    rows = [one for one in value if isinstance(one, str) and one and "\n" not in cell(one)]
    if rows and len(rows) == len(value) and not rows[0].startswith("["):
        return "\n".join(map(cell, rows))
    return msgspec.json.encode(to_plain(value)).decode()


def raw_fitted(told: list[str | bytes], now: Value | Nothing, spec: AttributeSpec) -> Value:
    """Return what values without a type stand for: texts and bytes mean the same where equal."""
    values = now if isinstance(now, list) else [now]
    known = {_raw(one): one for one in values if isinstance(one, str | bytes)}
    sample = next(iter(known.values()), None)
    found = [
        known.get(_raw(one), _raw(one) if isinstance(sample, bytes) else one) for one in told
    ]  # fmt: skip
    is_list = isinstance(now, list) or (now is NOTHING and spec.shape in ("set", "sequence"))
    return found if is_list or len(found) != 1 else found[0]


def fitted(told: Told, now: Value | Nothing, spec: AttributeSpec) -> Value:
    """Return what cells stand for in an object of which the attribute is `now`."""
    if isinstance(told, str):
        if now is not NOTHING and joined(now) == told:
            return now
        if isinstance(now, list) or (now is NOTHING and spec.shape in ("set", "sequence")):
            found = _decoded(told) if told.startswith("[") else None
            if isinstance(found, list):
                return found
            told = list(told.split("\n")) if told else []
        else:
            return _typed(told, now, spec)
    if now is not NOTHING and [_raw(one) for one in told] == list(map(_raw, _written(now))):
        return now
    if not isinstance(now, list) and len(told) == 1 and spec.shape not in ("set", "sequence"):
        return _typed(told[0], now, spec)
    known = (
        {_raw(text): one for text, one in zip(_written(now), now, strict=True)}
        if isinstance(now, list)
        else {}
    )
    sample = now[0] if isinstance(now, list) and now else NOTHING
    return [
        known[_raw(one)] if _raw(one) in known else _typed(one, sample, spec) for one in told
    ]  # fmt: skip


def _written(value: Value) -> list[str | bytes]:
    values = value if isinstance(value, list) else [value]
    return [one if isinstance(one, bytes) else cell(one) for one in values]


def _raw(text: str | bytes) -> bytes:
    return text if isinstance(text, bytes) else text.encode("utf-8", "surrogatepass")


def _typed(told: str | bytes, sample: Value | Nothing, spec: AttributeSpec) -> Value:
    """Read a cell as the type that the value has, where it can be one of that type."""
    if isinstance(told, bytes):
        return told
    if told == SECRET:
        return LEFT_OUT
    if isinstance(sample, bytes):
        found = _decoded(told)
        return found if isinstance(found, bytes) else told.encode()
    if _is_quoted(told) and isinstance(found := _decoded(told), str):
        return found
    if told.startswith('{"$') or not isinstance(sample, str | Nothing) or spec.number:
        return found if (found := _decoded(told, NOTHING)) is not NOTHING else told
    return told


def _decoded(text: str, default: Any = None) -> Value:
    try:
        return from_plain(json.loads(text, parse_constant=lambda _: None))
    except (ValueError, NoValue, RecursionError):
        return default
