"""Values as JSON has them, and back: nothing is lost, and a person can read it.

Bytes are ``{"$base64": "…"}``; what JSON has no number for is ``{"$number": "inf"}``; a secret that
is left out is ``{"$secret": "left out"}``, and one that is sealed ``{"$secret": "sealed", "value":
"…"}``; a map with a key that begins with ``$`` has one more ``$`` before it. See
``docs/archive-format.md``.
"""

from base64 import b64decode, b64encode
from binascii import Error as Base64Error
from math import isfinite

import msgspec

from keepsort.core.model import Value

_BYTES, _NUMBER, _SECRET, _NULL = "$base64", "$number", "$secret", "$null"
_NO_JSON = ("inf", "-inf", "nan")
_LEFT_OUT: dict[str, Value] = {_SECRET: "left out"}


class Secret(msgspec.Struct, frozen=True):
    """Stands for a secret in what goes out.

    sealed: what it is encrypted to, in base64; empty where it is left out.
    """

    sealed: str = ""


LEFT_OUT = Secret()


class NoValue(ValueError):
    """What should stand for a value stands for none."""


def to_plain(value: Value) -> Value:
    """Return what JSON writes for a value."""
    if isinstance(value, str):
        return value
    if isinstance(value, bytes):
        return {_BYTES: b64encode(value).decode()}
    if isinstance(value, float) and not isfinite(value):
        return {_NUMBER: str(value)}
    if isinstance(value, list | tuple):
        return [to_plain(v) for v in value]
    if isinstance(value, dict):
        return {("$" + k if k.startswith("$") else k): to_plain(v) for k, v in value.items()}
    if isinstance(value, Secret):
        return {_SECRET: "sealed", "value": value.sealed} if value.sealed else dict(_LEFT_OUT)
    return value


def from_plain(value: Value) -> Value:
    """Return the value that JSON stands for. Raises `NoValue`."""
    if isinstance(value, list):
        return [from_plain(v) for v in value]
    if not isinstance(value, dict):
        return value
    if set(value) == {_BYTES} and isinstance(value[_BYTES], str):
        return from_base64(value[_BYTES])
    if set(value) == {_NUMBER} and value[_NUMBER] in _NO_JSON:
        return float(value[_NUMBER])
    if value == {_NULL: True}:
        return None
    if value == _LEFT_OUT:
        return LEFT_OUT
    if value.get(_SECRET) == "sealed" and set(value) == {_SECRET, "value"}:
        if isinstance(value["value"], str) and value["value"]:
            return Secret(value["value"])
        raise NoValue("a sealed secret holds nothing")
    if any(k.startswith("$") and not k.startswith("$$") for k in value):
        raise NoValue(f"{next(k for k in value if k.startswith('$'))} is no mark that is known")
    return {(k[1:] if k.startswith("$$") else k): from_plain(v) for k, v in value.items()}


def without_null(value: Value) -> Value:
    """Return a plain value for formats that have no null: ``{"$null": true}`` stands for it."""
    if value is None:
        return {_NULL: True}
    if isinstance(value, list):
        return [without_null(v) for v in value]
    if isinstance(value, dict):
        return {k: without_null(v) for k, v in value.items()}
    return value


def from_base64(text: str) -> bytes:
    """Return the bytes that base64 stands for (RFC 4648, section 4). Raises `NoValue`."""
    try:
        return b64decode(text, validate=True)
    except (Base64Error, ValueError):
        raise NoValue("what should be base64 is not") from None
