"""Reading numbers, texts, paths and lists that came from outside: strictly, and within bounds.

All that a request, an address or a command names goes through here, so that what is too large, too
deep or no text at all is refused in one way, before anything else sees it.
"""

import re
from typing import Any

import msgspec

from keepsort.core.model import Path
from keepsort.server.problems import Problem

#: What PostgreSQL keeps as a bigint.
MOST_NUMBER = 2**63 - 1
MOST_DEPTH = 64
MOST_NAMES, LONGEST_NAME = 500, 65_536
MOST_VALUES = 200_000
_NUMBER = re.compile(r"[0-9]{1,19}", re.ASCII)


def number(text: str | int, name: str = "It") -> int:
    """Read a whole number of 64 bits that is not negative. Raises `Problem`."""
    found = int(text) if _NUMBER.fullmatch(str(text)[:20]) else -1
    if not 0 <= found <= MOST_NUMBER:
        raise Problem(f"{name} is no whole number that can be.")
    return found


def json(data: bytes | str) -> Any:
    """Read JSON (RFC 8259) within bounds. Raises ValueError with what is wrong.

    Half a surrogate pair is no character, a zero byte is in no text, and what is nested too deep,
    has too many values, or numbers of more than 64 bits is refused.
    """
    try:
        found = msgspec.json.decode(data)
    except RecursionError:
        raise ValueError("it is nested too deep") from None
    except (msgspec.MsgspecError, UnicodeError) as error:
        raise ValueError(str(error)) from None
    _check(found)
    return found


def path(text: str) -> Path:
    """Read a path that is written as a JSON list of names. Raises `Problem`."""
    try:
        found = json(text or "[]")
    except ValueError as error:
        raise Problem(f"The path is no JSON list of names: {error}.") from None
    if not isinstance(found, list) or not all(isinstance(name, str) for name in found):
        raise Problem("The path is no JSON list of names.")
    if len(found) > MOST_NAMES or any(len(name) > LONGEST_NAME for name in found):
        raise Problem("The path is longer than any path of a system.")
    return tuple(found)


def _check(value: Any) -> None:
    waiting: list[tuple[Any, int]] = [(value, 0)]
    count = 0
    while waiting:
        one, depth = waiting.pop()
        count += 1
        if count > MOST_VALUES:
            raise ValueError(f"it has more than {MOST_VALUES} values")
        if isinstance(one, dict | list) and depth >= MOST_DEPTH:
            raise ValueError("it is nested too deep")
        if isinstance(one, str):
            _check_text(one)
        elif isinstance(one, int) and not -MOST_NUMBER <= one <= MOST_NUMBER:
            raise ValueError("a number in it has more than 64 bits")
        elif isinstance(one, list):
            waiting += [(v, depth + 1) for v in one]
        elif isinstance(one, dict):
            waiting += [(k, depth + 1) for k in one]
            waiting += [(v, depth + 1) for v in one.values()]


def _check_text(text: str) -> None:
    if "\0" in text:
        raise ValueError("a text in it has a zero byte")
