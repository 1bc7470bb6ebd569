"""Ignore rules: what a person has said does not matter."""

import re
from fnmatch import fnmatchcase
from typing import Literal

import msgspec

from keepsort.core.model import AttributeSpec, Path, Value
from keepsort.core.model.notation import write_slash

_WILD = re.compile(r"([*?[])")
Space = Literal["", "ends", "runs", "all"]


def pattern_of(path: Path) -> str:
    """Return the pattern of `Rules.paths` that hides one place, and what is beneath it."""
    return _WILD.sub(r"[\1]", write_slash(path))


class Rules(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which differences are hidden. All are off by default.

    letter_case: upper and lower case letters are equal.
    space: white space at the ends of lines, also in runs, or none of it counts.
    blank_lines: empty lines of texts do not count.
    comments: lines of texts that begin with one of these marks do not count; ``;`` is a mark in
        texts of every kind, ``ini ;`` only in those of the kind ``ini``.
    order: the order of sequences does not count.
    attributes: patterns ``attribute`` or ``kind:attribute``, with ``*`` and ``?``.
    paths: patterns of slash paths; one that matches hides all beneath it too.
    """

    letter_case: bool = False
    space: Space = ""
    blank_lines: bool = False
    comments: tuple[str, ...] = ()
    order: bool = False
    attributes: tuple[str, ...] = ()
    paths: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return self != _NONE

    def hides_path(self, path: Path) -> bool:
        """Tell whether an object at `path` is hidden, by itself or with a branch."""
        if not self.paths:
            return False
        places = [write_slash(path[:depth]) for depth in range(1, len(path) + 1)]
        return any(fnmatchcase(place, pattern) for pattern in self.paths for place in places)

    def hides_attribute(self, kind: str, attribute: str) -> bool:
        """Tell whether an attribute is hidden whatever its values are."""
        for pattern in self.attributes:
            of_kind, colon, name = pattern.rpartition(":")
            if fnmatchcase(attribute, name) and (not colon or fnmatchcase(kind, of_kind)):
                return True
        return False

    @property
    def reduces(self) -> bool:
        """Tell whether any rule takes something out of values."""
        return bool(
            self.letter_case or self.space or self.blank_lines or self.comments or self.order
        )

    def reduced(self, kind: str, spec: AttributeSpec, value: Value) -> Value:
        """Return what is left of a value when all that does not count is taken out."""
        if spec.secret:
            return value
        if isinstance(value, list):
            reduced = [self.reduced(kind, spec, v) for v in value]
            return sorted(reduced, key=repr) if self.order or spec.shape == "set" else reduced
        if isinstance(value, dict):
            return {key: self.reduced(kind, spec, v) for key, v in value.items()}
        if not isinstance(value, str):
            return value
        if spec.shape != "text":
            return self._line(value)
        return self.reduced_lines(kind, value.splitlines())

    def reduced_lines(self, kind: str, lines: list[str]) -> list[str]:
        """Return what is left of lines of a text when all that does not count is taken out."""
        marks = self._marks(kind)
        return [self._line(line) for line in lines if self._counts(line, marks)]

    def _marks(self, kind: str) -> tuple[str, ...]:
        marks = []
        for comment in self.comments:
            of_kind, space, mark = comment.strip().rpartition(" ")
            if mark and (not space or fnmatchcase(kind, of_kind)):
                marks.append(mark)
        return tuple(marks)

    def _counts(self, line: str, marks: tuple[str, ...]) -> bool:
        bare = line.strip()
        if not bare:
            return not self.blank_lines
        return not (marks and bare.startswith(marks))

    def _line(self, line: str) -> str:
        if self.letter_case:
            line = line.casefold()
        if self.space == "ends":
            return line.strip()
        if self.space == "runs":
            return " ".join(line.split())
        if self.space == "all":
            return "".join(line.split())
        return line


_NONE = Rules()
