r"""Names and places within lines of text: what could be misread there is written ``\u{5c}``."""

import re

from keepsort.core.model import Path
from keepsort.files.opened import DEEPEST
from keepsort.files.plain_values import NoValue

_ESCAPE = re.compile(r"\\u\{([0-9a-fA-F]{1,6})\}")
_BEFORE = '[#!|+=-.";'


def write_name(name: str, special: str) -> str:
    """Write a name so that it holds none of some characters, and begins and ends visibly.

    A name without letters is ``\\u{}``.
    """
    if not name:
        return "\\u{}"
    if name.isalnum() and name.isascii():
        return name
    last = len(name) - 1
    return "".join(
        f"\\u{{{ord(c):x}}}"
        if c == "\\" or c in special or not c.isprintable()
        or (c == " " and place in (0, last)) or (place == 0 and c in _BEFORE)
        else c
        for place, c in enumerate(name)
    )  # fmt: skip


def read_name(text: str) -> str:
    """Read a name. Raises `NoValue`."""
    if "\\" not in text:
        return text
    if text == "\\u{}":
        return ""
    if "\\" in _ESCAPE.sub("", text):
        raise NoValue(f"{text[:80]!r} has a backslash that begins no \\u{{…}}")
    try:
        return _ESCAPE.sub(lambda found: chr(int(found[1], 16)), text)
    except (ValueError, OverflowError):
        raise NoValue(f"{text[:80]!r} has a \\u{{…}} that is no character") from None


def write_place(path: Path, special: str = "") -> str:
    """Write a place, from the root down."""
    return "/" + "/".join(write_name(name, "/" + special) for name in path)


def read_place(text: str) -> Path:
    """Read a place. Raises `NoValue`."""
    if not text.startswith("/"):
        raise NoValue(f"{text[:80]!r} is no place: places begin with /")
    names = text[1:].split("/") if text != "/" else []
    if len(names) > DEEPEST:
        raise NoValue(f"it lies more than {DEEPEST} levels deep")
    if "" in names:
        raise NoValue(f"{text[:80]!r} has an empty name in it")
    return tuple(map(read_name, names))
