"""Where the parts of a text stand in it.

A format turns a text into places; everything else (reading values, setting, adding and taking out
parts) works on those, so a text is only ever changed by replacing stretches of it. What was not
asked for keeps its bytes: comments, order, quoting, line ends.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass, field

from keepsort.core.model import Path, Value, unsound


class NotParsed(ValueError):
    """The text is not of the format; says where, by its line (from 1), and why."""

    def __init__(self, line: int, why: str) -> None:
        super().__init__(f"line {line}: {why}")
        self.line, self.why = line, why


@dataclass(frozen=True)
class Span:
    """A stretch of a text."""

    start: int
    stop: int

    def of(self, text: str) -> str:
        """Return the stretch."""
        return text[self.start : self.stop]


@dataclass(frozen=True)
class Line:
    """One line of a key that stands on several."""

    span: Span
    value: str


@dataclass(frozen=True)
class Place:
    """One part of a text.

    path: from the top of the text down to it. value: what it holds; None for a section.
    whole: all of it, with what it holds; whole lines, unless `joint` says otherwise.
    held: where its value is written. inside: where the first part beneath it would be put.
    joint: what stands between it and its neighbours: nothing between lines, a comma, or no more
        than what `whole` begins with.
    lines: for a key that may stand on several lines, each of them.
    column: how far its first line is indented, where that counts. inline: whether `held` can be
        put in the place of another such value, on the same line. holds: the joint of what a
        section holds.
    swallows: whether all that follows a section, up to the next, would lie in it.
    family: what several parts of one name, told apart by their number alone, are called.
    """

    path: Path
    whole: Span
    value: Value = None
    section: bool = False
    held: Span | None = None
    inside: int = 0
    joint: str = "line"
    lines: list[Line] = field(default_factory=list)
    column: int | None = None
    inline: bool = True
    holds: str = "line"
    swallows: bool = False
    family: str = ""


Reader = Callable[[str], list[Place]]


_MARK = "\ufeff"


def unmarked(text: str) -> tuple[str, str]:
    """Divide a text into its byte order mark, which may be empty, and the rest."""
    return (_MARK, text[1:]) if text.startswith(_MARK) else ("", text)


def sound(read: Reader) -> Reader:
    """Return a reader that passes over a byte order mark, and refuses what cannot be kept.

    Places count from behind the mark.
    """

    def places(text: str) -> list[Place]:
        text = unmarked(text)[1]
        found = read(text)
        for place in found:
            why = unsound(place.path[-1]) or unsound(place.value)
            if why:
                raise NotParsed(line_number(text, place.whole.start), why)
        return found

    return places


def line_number(text: str, position: int) -> int:
    """Return the number of the line that a position is on, from 1."""
    return text.count("\n", 0, position) + 1


def line_start(text: str, position: int) -> int:
    """Return where the line of a position begins."""
    return text.rfind("\n", 0, position) + 1


def line_stop(text: str, position: int) -> int:
    """Return where the line of a position ends, its line end included."""
    found = text.find("\n", position)
    return len(text) if found < 0 else found + 1


def numbered(name: str, count: int) -> str:
    """Name one of several parts of one name: the second is ``name[2]``."""
    return name if count == 1 else f"{name}[{count}]"


def lines_of(text: str) -> list[tuple[int, int, str]]:
    """Return every line: where it begins, where it ends with its line end, and what it says."""
    found, at = [], 0
    for part in _LINE.finditer(text):
        if part[0]:
            found.append((at, part.end(), part[1]))
            at = part.end()
    return found


_LINE = re.compile(r"([^\r\n]*)(?:\r\n|\n|\r|$)")
