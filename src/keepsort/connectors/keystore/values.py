"""Values by what they look like: JSON objects, numbers, booleans, texts, bytes.

Typing must never change a byte. Where a typed value written anew would differ from what is stored
(a number with a zero at its end, JSON with spaces), the exact text is kept beside it, as `written`.
"""

import json
import math
import re
from collections.abc import Iterator, Sequence
from typing import Any

import msgspec

from keepsort.core.model import Attributes, ConfigObject, Path, Value, unsound
from keepsort.core.plan import Edit, Unfit

_NUMBER = re.compile(rb"-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?")
_decode = msgspec.json.Decoder().decode
_encode = msgspec.json.Encoder(order="deterministic").encode
_FIXED: dict[bytes, Value] = {b"true": True, b"false": False}
_LONGEST_NUMBER = 40
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


class KeyComposer:
    """Keeps a value and its exact text in agreement; keys hold no parts."""

    def parts(self, kind: str, attributes: Attributes) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield nothing: a value is picked by its own keys."""
        return iter(())

    def edited(
        self, kind: str, live: Attributes, backup: Attributes, edits: Sequence[Edit]
    ) -> Attributes:
        """Refuse: keys hold no parts."""
        raise Unfit("A key holds no parts.")

    def settled(
        self, kind: str, live: Attributes, wanted: Attributes, backup: Attributes
    ) -> Attributes:
        """Return the wanted value with the text that spells it: the backup's, or in live's way."""
        if "value" not in wanted:
            return wanted
        if typed(stored(wanted)).get("value") == wanted["value"] and "written" in wanted:
            return wanted
        value = wanted["value"]
        if value == backup.get("value"):
            if "written" in backup:
                return {**wanted, "written": backup["written"]}
            return _without(wanted)
        text = live.get("written")
        if isinstance(value, dict) and isinstance(text, str) and text.startswith("{"):
            return typed(_in_the_way_of(text, value).encode())
        return _without(wanted)


def _without(attributes: Attributes) -> Attributes:
    return {name: value for name, value in attributes.items() if name != "written"}


def _in_the_way_of(text: str, value: dict[str, Any]) -> str:
    """Write a JSON object with the order, indent and spaces of an earlier text of it."""
    indent = re.match(r"\{\r?\n([ \t]+)", text)
    comma = ", " if re.search(r",[ ]", text) else ","
    colon = ": " if re.search(r"\":[ ]", text) else ":"
    return json.dumps(
        _in_order_of(json.loads(text), value),
        ensure_ascii=text.isascii() and "\\u" in text,
        indent=indent[1] if indent else None,
        separators=("," if indent else comma, colon),
    ) + ("\n" if text.endswith("\n") else "")


def _in_order_of(before: Any, value: Any) -> Any:
    if not isinstance(before, dict) or not isinstance(value, dict):
        return value
    known = [key for key in before if key in value]
    added = [key for key in value if key not in before]
    return {key: _in_order_of(before.get(key), value[key]) for key in [*known, *added]}


COMPOSER = KeyComposer()
