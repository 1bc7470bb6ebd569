"""Choosing some of the differences of a comparison: by what they are, not by what matters."""

from collections.abc import Callable
from fnmatch import fnmatchcase

import msgspec

from keepsort.core.compare.comparison import Comparison, Difference
from keepsort.core.model import Path
from keepsort.core.model.notation import write_slash


class Filter(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which differences are shown. What is left empty lets everything through.

    states: kinds of difference. kinds: kinds of object.
    attributes: patterns for names of attributes, with ``*`` and ``?``; one must differ.
    text: part of a name, letter case aside.
    """

    states: frozenset[str] = frozenset()
    kinds: frozenset[str] = frozenset()
    attributes: tuple[str, ...] = ()
    text: str = ""

    def lets_through(self, difference: Difference) -> bool:
        """Tell whether a difference is shown."""
        if self.states and difference.state not in self.states:
            return False
        if self.kinds and difference.kind not in self.kinds:
            return False
        if self.attributes and not any(
            fnmatchcase(name.lower(), pattern.lower())
            for name in difference.attributes
            for pattern in self.attributes
        ):
            return False
        return not self.text or self.text.casefold() in difference.node.entry.name.casefold()


def filtered(
    comparison: Comparison,
    by: Filter,
    *,
    among: frozenset[Path] | None = None,
    since: Comparison | None = None,
) -> Comparison:
    """Return a comparison with only the differences that all filters let through.

    among: paths, in the form that compares; only objects at these are shown.
    since: a comparison of an older state with the same right side; only objects that differ in it
        too have changed since.
    """
    tests: list[Callable[[Difference], bool]] = []
    keys = comparison.names.keys
    if by != Filter():
        tests.append(by.lets_through)
    if among is not None:
        tests.append(lambda d: keys(d.path) in among)
    if since is not None:
        later = {keys(d.path) for d in since.differences}
        later |= {keys(d.live_path) for d in since.differences if d.live_path is not None}
        tests.append(lambda d: keys(d.path) in later or keys(d.live_path or d.path) in later)
    if not tests:
        return comparison
    return comparison.chosen(lambda d: all(test(d) for test in tests))


def match_names(
    comparison: Comparison, wanted: list[list[str]]
) -> tuple[frozenset[Path], list[str]]:
    """Find the differing objects that a list names; return their paths and what was not found.

    wanted: for each line of the list the texts it may be known by, the whole line first. A text
        may be a name, a path in the system's notation or with slashes, the value of a name
        (``Imke Farrow`` for ``cn=Imke Farrow``), or an identity.

    Paths are in the form that compares. The first line is passed over if it has several texts and
    none of them is found: it is the heading of a table.
    """
    by_text: dict[str, set[Path]] = {}
    notation = comparison.left.schema.notation
    for key, difference in zip(comparison.keys, comparison.differences, strict=True):
        entry = difference.node.entry
        texts = {entry.name, entry.name.partition("=")[2], notation.write(difference.path)}
        texts |= {write_slash(difference.path), entry.identity or ""}
        for text in texts:
            if text:
                by_text.setdefault(_folded(text), set()).add(key)
    found: set[Path] = set()
    missing = []
    for number, line in enumerate(wanted):
        matches = next((m for text in line if (m := by_text.get(_folded(text)))), None)
        if matches:
            found |= matches
        elif number or len(line) == 1:
            missing.append(line[0])
    return frozenset(found), missing


def _folded(text: str) -> str:
    return " ".join(text.casefold().split())
