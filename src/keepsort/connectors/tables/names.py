"""What a row is called in the tree: by its name, and always by its key, so that it is the only one.

``Pip · 12`` is the row with key 12 that is named Pip; ``12`` is one without a name that could stand
there. Several parts of a key are set apart by commas. The key can be read back from what a row is
called, whatever the name.
"""

import re

_BETWEEN = " · "
_LONGEST = 120
#: How a part of a key is written that is an empty text.
_EMPTY = "\\-"
_SPECIAL = re.compile(r"[\\,·]")
_PART = re.compile(r"(?:[^\\,]|\\.)*", re.DOTALL)
Key = tuple[str, ...]


def is_name(text: str | None) -> bool:
    """Tell whether a row can be called by a text: it is short, and one line."""
    return text is not None and 0 < len(text) <= _LONGEST and text.isprintable()


def called(name: str | None, key: Key) -> str:
    """Return what a row is called."""
    # most keys are a number, and there is nothing to be written otherwise
    written = key[0] if len(key) == 1 and key[0].isalnum() else _written(key)
    return f"{name}{_BETWEEN}{written}" if name is not None and is_name(name) else written


def _written(key: Key) -> str:
    return ",".join(_SPECIAL.sub(r"\\\g<0>", part) or _EMPTY for part in key)


def read(text: str, parts: int) -> tuple[str | None, Key] | None:
    """Return the name and the key that a row is called by; None where it is no such name.

    parts: of how many columns the key is.
    """
    name, between, written = text.rpartition(_BETWEEN)
    found: list[str] = []
    at = 0
    while True:
        part = _PART.match(written, at)
        assert part is not None
        plain = re.sub(r"\\(.)", r"\1", part[0], flags=re.DOTALL)
        found.append("" if part[0] == _EMPTY else plain)
        at = part.end() + 1
        if at > len(written):
            break
    key = tuple(found)
    own = name if between else None
    return (own, key) if len(key) == parts and called(own, key) == text else None
