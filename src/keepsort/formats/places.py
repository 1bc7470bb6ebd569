"""Where the parts of a text stand in it.

A format turns a text into places; everything else (reading values, setting, adding and taking out
parts) works on those, so a text is only ever changed by replacing stretches of it. What was not
asked for keeps its bytes: comments, order, quoting, line ends.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

from keepsort.core.model import Path, Value, unsound


class NotParsed(ValueError):
    """The text is not of the format; says where, by its line (from 1), and why."""

    def __init__(self, line: int, why: str) -> None:
        super().__init__(f"line {line}: {why}")
        self.line = line


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
    """

    path: Path
    whole: Span
    value: Value = None
    section: bool = False
    held: Span | None = None
    inside: int = 0
    joint: str = "line"
    lines: list[Line] = field(default_factory=list)


Reader = Callable[[str], list[Place]]


def sound(read: Reader) -> Reader:
    """Return a reader that refuses texts with names and values that a backup cannot hold."""

    def places(text: str) -> list[Place]:
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
