"""Values as JSON has them, and back: nothing is lost, and a person can read it.

Bytes are ``{"$base64": "…"}``; what JSON has no number for is ``{"$number": "inf"}``; a secret that
is left out is ``{"$secret": "left out"}``; a map with a key that begins with ``$`` has one more
``$`` before it. See ``docs/archive-format.md``.
"""

from base64 import b64decode, b64encode
from binascii import Error as Base64Error
from math import isfinite

from keepsort.core.model import Value

_BYTES, _NUMBER, _SECRET = "$base64", "$number", "$secret"
_NO_JSON = ("inf", "-inf", "nan")
LEFT_OUT: dict[str, Value] = {_SECRET: "left out"}


class NoValue(ValueError):
    """What should stand for a value stands for none."""


def to_plain(value: Value) -> Value:
    """Return what JSON writes for a value."""
    if isinstance(value, bytes):
        return {_BYTES: b64encode(value).decode()}
    if isinstance(value, float) and not isfinite(value):
        return {_NUMBER: str(value)}
    if isinstance(value, list | tuple):
        return [to_plain(v) for v in value]
    if isinstance(value, dict):
        return {("$" + k if k.startswith("$") else k): to_plain(v) for k, v in value.items()}
    return value


def from_plain(value: Value) -> Value:
    """Return the value that JSON stands for. Raises `NoValue`."""
    if isinstance(value, list):
        return [from_plain(v) for v in value]
    if not isinstance(value, dict):
        return value
    if set(value) == {_BYTES} and isinstance(value[_BYTES], str):
        try:
            return b64decode(value[_BYTES], validate=True)
        except Base64Error:
            raise NoValue("what should be base64 is not") from None
    if set(value) == {_NUMBER} and value[_NUMBER] in _NO_JSON:
        return float(value[_NUMBER])
    if any(k.startswith("$") and not k.startswith("$$") for k in value):
        raise NoValue(f"{next(k for k in value if k.startswith('$'))} is no mark that is known")
    return {(k[1:] if k.startswith("$$") else k): from_plain(v) for k, v in value.items()}


def is_left_out(value: Value) -> bool:
    """Tell whether a plain value says that a secret was left out."""
    return bool(value == LEFT_OUT)
