"""Keys as paths. Every key has one path, and every path one key.

A key is split at its slashes. A part that is empty is named ``%``; bytes that are not UTF-8,
control characters, and a ``%`` that could be taken for one of these are written as ``%`` and two
hex digits.
"""

from keepsort.connectors.percent import PercentNames
from keepsort.core.model import Path

_parts = PercentNames(r"[\x00-\x1f\x7f\udc80-\udcff]|%(?=[0-9A-Fa-f]{2}|$)")


class Names:
    """Turns keys beneath a prefix into paths, and back."""

    def __init__(self, prefix: str) -> None:
        if prefix and not prefix.endswith("/"):
            prefix += "/"
        self.prefix = prefix.encode()

    def path(self, key: bytes) -> Path:
        """Return the path of a key beneath the prefix."""
        rest = key[len(self.prefix) :]
        if rest.isascii():
            text = rest.decode("ascii")
            if text.isprintable() and "%" not in text and "//" not in text and text[-1:] != "/":
                names = tuple(text.split("/"))
                if names[0]:
                    return names
        return tuple(_name(part) for part in rest.split(b"/"))

    def key(self, path: Path) -> bytes:
        """Return the key at a path; the root is the prefix itself."""
        return self.prefix + b"/".join(_part(name) for name in path)

    def beneath(self, path: Path) -> bytes:
        """Return what the keys of everything beneath a path begin with."""
        return self.key(path) + b"/" if path else self.prefix

    def span(self, path: Path) -> tuple[bytes, bytes]:
        """Return the range of the keys of everything beneath a path, as the protocol asks for it.

        The first key there can be is one zero byte; an empty one names no key.
        """
        start = self.beneath(path)
        return start or b"\0", after_all(start)


def after_all(prefix: bytes) -> bytes:
    """Return the end of the range of keys that begin with `prefix`, as the protocol asks for it."""
    stripped = prefix.rstrip(b"\xff")
    if not stripped:
        return b"\0"  # to the end of all keys
    return stripped[:-1] + bytes([stripped[-1] + 1])


def _name(part: bytes) -> str:
    return _parts.written(part) if part else "%"


def _part(name: str) -> bytes:
    return _parts.meant(name) if name != "%" else b""
