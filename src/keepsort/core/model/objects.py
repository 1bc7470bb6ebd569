"""The object, its path and its values."""

from typing import Any

import msgspec

#: null, bool, int, float, str, bytes, list or map (with str keys) of the same.
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
