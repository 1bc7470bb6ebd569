"""Values by what they look like: JSON objects, numbers, booleans, texts, bytes.

Typing must never change a byte. Where a typed value written anew would differ from what is stored
(a number with a zero at its end, JSON with spaces), the exact text is kept beside it, as `written`.
"""

import math
import re
from collections.abc import Iterator
from typing import Any

import msgspec

from keepsort.core.compare.values import equal_values
from keepsort.core.model import (
    Attributes,
    AttributeSpec,
    Path,
    Value,
    identical,
    unsound,
)
from keepsort.core.plan import ABSENT, Edit, Plain, Unfit
from keepsort.formats import NotParsed, Place, opening

_NUMBER = re.compile(rb"-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?")
_decode = msgspec.json.Decoder().decode
_encode = msgspec.json.Encoder(order="deterministic").encode
_FIXED: dict[bytes, Value] = {b"true": True, b"false": False}
_LONGEST_NUMBER = 40
_VALUE = AttributeSpec(shape="text", number=True, label="value")
#: Only JSON with so many digits in a row may hold a number that is too large.
_LARGE = re.compile(rb"\d{19}")


def typed(raw: bytes) -> Attributes:
    """Return the attributes of a key that stores these bytes."""
    first = raw[:1]
    if first == b"{":
        try:
            value = _decode(raw)
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
            return {"value": _text(raw)}
        if _LARGE.search(raw) and unsound(value):
            return {"value": _text(raw)}
        return _exact(value, raw)
    if first in b"-0123456789" and len(raw) <= _LONGEST_NUMBER and _NUMBER.fullmatch(raw):
        number: float = int(raw) if raw.lstrip(b"-").isdigit() else float(raw)
        if not math.isfinite(number):
            return {"value": _text(raw)}
        if isinstance(number, float) and number.is_integer() and abs(number) < 2**53:
            number = int(number)
        if isinstance(number, int) and abs(number) >= 2**63:
            return {"value": _text(raw)}
        return _exact(number, raw)
    if raw in _FIXED:
        return {"value": _FIXED[raw]}
    return {"value": _text(raw)}


def stored(attributes: Attributes) -> bytes:
    """Return the bytes that a key with these attributes stores."""
    if "written" in attributes:
        return str(attributes["written"]).encode()
    return _plain(attributes.get("value", ""))


def _plain(value: Value) -> bytes:
    if isinstance(value, bytes):
        return value
    if isinstance(value, str):
        return value.encode()
    if isinstance(value, bool):
        return b"true" if value else b"false"
    return _encode(value) if isinstance(value, dict | list) else repr(value).encode()


def _exact(value: Value, raw: bytes) -> Attributes:
    if _plain(value) == raw:
        return {"value": value}
    return {"value": value, "written": raw.decode()}


def _text(raw: bytes) -> Value:
    try:
        return raw.decode()
    except UnicodeDecodeError:
        return raw


class KeyComposer(Plain):
    """Keeps a value and its exact text in agreement; keys hold no parts."""

    def settled(
        self, kind: str, live: Attributes, wanted: Attributes, backup: Attributes
    ) -> Attributes:
        """Return the wanted value with the text that spells it.

        Of JSON, only the bytes of what is picked are replaced, and by the backup's own. Raises
        `Unfit` where that cannot be done.
        """
        if "value" not in wanted or identical(wanted, backup):
            return wanted
        spelt = typed(stored(wanted)).get("value")
        if "written" in wanted and _means_the_same(spelt, wanted["value"]):
            return wanted
        value, now = wanted["value"], live.get("value")
        if isinstance(value, dict) and isinstance(now, dict) and stored(live)[:1] == b"{":
            return _with_members(live, value, backup)
        if _means_the_same(value, backup.get("value")) and "written" in backup:
            return {**wanted, "written": backup["written"]}
        return _without(wanted)


def _without(attributes: Attributes) -> Attributes:
    return {name: value for name, value in attributes.items() if name != "written"}


def _means_the_same(one: Value, other: Value) -> bool:
    return equal_values(_VALUE, one, other)


def _with_members(live: Attributes, wanted: dict[str, Any], backup: Attributes) -> Attributes:
    """Return a JSON object with some members as they are written in the backup."""
    text, source = stored(live).decode(), stored(backup).decode()
    try:
        origin = {place.path: place for place in opening.places("json", source)}
    except NotParsed:
        origin = {}
    edits = list(_edits(live["value"], wanted, origin))
    found = typed(opening.edited("json", text, source, edits).encode())
    if not _means_the_same(found.get("value"), wanted):
        raise Unfit("What is picked of the value cannot be put in place alone. Pick all of it.")
    return found


def _edits(
    now: dict[str, Any], wanted: dict[str, Any], origin: dict[Path, Place], at: Path = ()
) -> Iterator[Edit]:
    """Yield what leads from one object to another, in values as the format reads them."""
    for key in dict.fromkeys([*now, *wanted]):
        path = (*at, key)
        if key not in wanted:
            yield Edit(path, ABSENT)
        elif key in now and _means_the_same(now[key], wanted[key]):
            continue
        elif isinstance(now.get(key), dict) and isinstance(wanted[key], dict):
            yield from _edits(now[key], wanted[key], origin, path)
        else:
            inner = [p for p in origin if p[: len(path)] == path]
            if not inner:
                raise Unfit(f"{'/'.join(path)} is not in the backup's value.")
            yield from (Edit(p, origin[p].value) for p in inner)


COMPOSER = KeyComposer()
