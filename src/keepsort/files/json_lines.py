"""Objects as JSON has them, one at a time, checked."""

import json
from collections.abc import Callable
from typing import Any, TypeVar

import msgspec

from keepsort.files.exported import PLAIN, Line
from keepsort.files.opened import DEEPEST
from keepsort.files.plain_values import NoValue, from_plain

_T = TypeVar("_T")
_encode = msgspec.json.Encoder().encode
_decode = msgspec.json.Decoder(Line).decode


def read_line(raw: bytes) -> Line:
    """Read one object. Raises `NoValue` with what is wrong with it."""
    return checked(understood(raw, _decode))


def understood(raw: bytes, decode: Callable[[bytes], _T]) -> _T:
    """Decode JSON in which no key comes twice. Raises `NoValue`."""
    try:
        found = decode(raw)
        if _encode(found) != raw.strip():
            json.loads(raw, object_pairs_hook=_once)
    except (msgspec.MsgspecError, ValueError) as error:
        raise NoValue(str(error)) from None
    except RecursionError:
        raise NoValue("it is nested too deep") from None
    return found


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        names = [name for name, _ in pairs]
        raise NoValue(f"the key {next(n for n in names if names.count(n) > 1)} comes twice")
    return found


def checked(line: Line) -> Line:
    """Return a line with its values as they are. Raises `NoValue`."""
    if len(line.path) > DEEPEST:
        raise NoValue(f"it lies more than {DEEPEST} levels deep")
    try:
        attributes = {
            name: value if type(value) in PLAIN else from_plain(value)
            for name, value in line.attributes.items()
        }
        facts = {name: from_plain(value) for name, value in line.facts.items()}
    except RecursionError:
        raise NoValue("it is nested too deep") from None
    return Line(line.path, line.kind, line.id, attributes, facts, line.unreadable)
