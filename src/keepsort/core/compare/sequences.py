"""Sequences and texts side by side: stretches, numbered where they differ, each to be picked."""

from typing import Literal

import msgspec

from keepsort.core.compare.text import Hunk, diff
from keepsort.core.model import Value


class Change(msgspec.Struct, frozen=True):
    """A stretch of lines or elements on both sides; `number` counts from 1 where they differ."""

    state: Literal["same", "changed", "missing", "extra"]
    left: list[Value]
    right: list[Value]
    left_start: int
    right_start: int
    number: int = 0


class ElementMove(msgspec.Struct, frozen=True):
    """An element of a sequence that stands elsewhere; positions count from 0."""

    left: int
    right: int


def lined_up(left: list[Value], right: list[Value]) -> list[Change]:
    """Line two sequences up, stretch by stretch."""
    keys_left = [_hashable(v) for v in left]
    keys_right = [_hashable(v) for v in right]
    found: list[Change] = []
    at_left = at_right = 0
    ending = Hunk(len(left), len(left), len(right), len(right))
    for number, hunk in enumerate([*diff(keys_left, keys_right), ending], 1):
        if hunk.left_start > at_left:
            same_left, same_right = (
                left[at_left : hunk.left_start],
                right[at_right : hunk.right_start],
            )
            found.append(Change("same", same_left, same_right, at_left, at_right))
        a = left[hunk.left_start : hunk.left_stop]
        b = right[hunk.right_start : hunk.right_stop]
        if a or b:
            state: Literal["changed", "missing", "extra"] = (
                "changed" if a and b else "missing" if a else "extra"
            )
            found.append(Change(state, a, b, hunk.left_start, hunk.right_start, number))
        at_left, at_right = hunk.left_stop, hunk.right_stop
    return found


def with_hunks(left: list[Value], right: list[Value], numbers: set[int]) -> list[Value]:
    """Return the right sequence with the numbered hunks as they are on the left."""
    result: list[Value] = []
    for stretch in lined_up(left, right):
        result.extend(stretch.left if stretch.number in numbers else stretch.right)
    return result


def moved_elements(stretches: list[Change]) -> list[ElementMove]:
    """Pair elements that left one place of a sequence with equal ones that came to another."""
    waiting: dict[bytes | str, list[int]] = {}
    for stretch in stretches:
        if stretch.state != "same":
            for offset, value in enumerate(stretch.right):
                waiting.setdefault(_hashable(value), []).append(stretch.right_start + offset)
    found = []
    for stretch in stretches:
        if stretch.state != "same":
            for offset, value in enumerate(stretch.left):
                places = waiting.get(_hashable(value))
                if places:
                    found.append(ElementMove(stretch.left_start + offset, places.pop(0)))
    return found


def unified(left: list[str], right: list[str], numbers: set[int] | None = None) -> str:
    """Write hunks as a unified diff (POSIX, `diff -u`) without context that turns left into right.

    numbers: only these hunks; all where None. Lines are given with their line ends; a last line
    without one is marked as the format asks.
    """
    out = ["--- backup\n", "+++ live\n"]
    shift = 0
    for stretch in lined_up(left, right):
        if stretch.state == "same" or (numbers is not None and stretch.number not in numbers):
            if stretch.state != "same":
                shift += len(stretch.left) - len(stretch.right)
            continue
        a, b = len(stretch.left), len(stretch.right)
        # an empty side is named by the line before it
        one = stretch.left_start + (a > 0)
        two = stretch.right_start + shift + (b > 0)
        out.append(f"@@ -{one},{a} +{two},{b} @@\n")
        out += [_marked("-", line) for line in stretch.left]
        out += [_marked("+", line) for line in stretch.right]
    return "".join(out)


def _marked(sign: str, line: str) -> str:
    if line.endswith("\n"):
        return sign + line
    return f"{sign}{line}\n\\ No newline at end of file\n"


def _hashable(value: Value) -> bytes | str:
    return value if isinstance(value, str) else msgspec.msgpack.encode(value)
