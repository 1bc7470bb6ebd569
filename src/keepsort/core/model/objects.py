"""The object, its path and its values."""

from math import isfinite
from typing import Any

import msgspec

_DEEPEST = 100

#: null, bool, int, float, str, bytes, list or map (with str keys) of the same; see `unsound`.
Value = Any
Attributes = dict[str, Value]
#: Names from the system's root (which is the empty path) down to an object.
Path = tuple[str, ...]


class ConfigObject(msgspec.Struct, kw_only=True):
    """One object of a system's configuration, without its children.

    name: what tells it from its siblings.
    kind: the name of a `Kind` in the schema that travels with the tree.
    identity: the system's own stable id, where it has one; it outlives moves and renames.
    attributes: what counts in compare and restore.
    facts: read-only or volatile things, only ever shown.
    unreadable: why the object, and all beneath it, could not be read; None where it could.
    """

    name: str
    kind: str
    identity: str | None = None
    attributes: Attributes = {}
    facts: Attributes = {}
    unreadable: str | None = None


def is_beneath(path: Path, branch: Path) -> bool:
    """Tell whether `path` is `branch` itself or lies under it (both in one form of names)."""
    return path[: len(branch)] == branch


def unsound(value: Value, depth: int = 0) -> str:
    """Say why a value cannot be kept and compared; return nothing where it can.

    Strings are Unicode, whole numbers have 64 bits, others are finite, and what is nested ends.
    """
    if isinstance(value, str):
        return "" if value.isascii() or _is_unicode(value) else "half a surrogate pair is no letter"
    if isinstance(value, float):
        return "" if isfinite(value) else f"{value} is no number that can be compared"
    if isinstance(value, int):
        return "" if -(1 << 63) <= value < 1 << 64 else "a whole number has more than 64 bits"
    if isinstance(value, list | dict):
        if depth > _DEEPEST:
            return "it is nested too deep"
        inner = [*value, *value.values()] if isinstance(value, dict) else value
        return next((why for v in inner if (why := unsound(v, depth + 1))), "")
    return ""


def _is_unicode(text: str) -> bool:
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True
