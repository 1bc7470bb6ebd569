"""Formats whose parts are lines: sections in brackets, `key = value`, `key value`."""

import re
from collections import defaultdict

from keepsort.core.model import Path
from keepsort.formats.places import Line, NotParsed, Place, Span, line_number

_SECTION = re.compile(r"[ \t]*\[(?P<name>[^\]\n]+)\][ \t]*(?:[;#].*)?")
_PAIR = re.compile(r"(?P<key>[^=:\n\s][^=:\n]*?)[ \t]*(?P<sign>[=:])[ \t]*(?P<value>.*?)[ \t]*")
_WORDS = re.compile(
    r"[ \t]*(?P<key>[A-Za-z_][\w.\-]*)(?:[ \t]*=[ \t]*|[ \t]+|$)(?P<value>.*?)[ \t]*"
)
_COMMENTS = ("#", ";", "!")


def _split(text: str) -> list[tuple[int, int, str]]:
    """Return every line: where it begins, where it ends with its line end, and what it says."""
    found, at = [], 0
    for line in text.splitlines(keepends=True):
        found.append((at, at + len(line), line.rstrip("\r\n")))
        at += len(line)
    return found


def ini(text: str) -> list[Place]:
    """Read sections in brackets with `key = value` or `key: value` beneath them.

    A line that is indented goes on with the value before it. A key that comes again in one section
    holds a list. Raises `NotParsed`.
    """
    places: list[Place] = []
    keys: dict[tuple[str, ...], list[tuple[Span, Span, str]]] = defaultdict(list)
    order: list[tuple[str, ...]] = []
    section: tuple[str, ...] = ()
    bounds: dict[tuple[str, ...], list[int]] = {}
    last: tuple[str, ...] | None = None
    for start, stop, line in _split(text):
        bare = line.strip().lstrip("\ufeff")
        if not bare or bare.startswith(_COMMENTS):
            continue
        header = _SECTION.fullmatch(line.lstrip("\ufeff"))
        if header:
            section, last = (header["name"].strip(),), None
            if section in bounds:
                raise NotParsed(line_number(text, start), f"section {section[0]} comes again")
            bounds[section] = [start, stop, stop]
            order.append(section)
            continue
        if line[0] in " \t" and last is not None:
            whole, held, value = keys[last][-1]
            grown = Span(held.start, start + len(line.rstrip()))
            keys[last][-1] = (Span(whole.start, stop), grown, f"{value}\n{bare}")
        else:
            pair = _PAIR.fullmatch(line.lstrip(" \t\ufeff"))
            if pair is None:
                why = "neither a section, nor a key with a value"
                raise NotParsed(line_number(text, start), why)
            shift = start + len(line) - len(line.lstrip(" \t\ufeff"))
            last = (*section, pair["key"])
            if last not in keys:
                order.append(last)
            held = Span(shift + pair.start("value"), shift + pair.end("value"))
            keys[last].append((Span(start, stop), held, pair["value"]))
        if section:
            bounds[section][1] = stop
    for path in order:
        if path in bounds:
            start, stop, inside = bounds[path]
            places.append(Place(path, Span(start, stop), section=True, inside=inside))
        if path in keys:
            places.append(_key(path, keys[path]))
    return places


def _key(path: tuple[str, ...], found: list[tuple[Span, Span, str]]) -> Place:
    if len(found) == 1:
        whole, held, value = found[0]
        return Place(path, whole, value, held=held)
    return _repeated(path, [Line(whole, value) for whole, _, value in found])


def settings(text: str) -> list[Place]:
    """Read lines of `key value` or `key = value`; a key holds the list of its lines' values.

    Raises `NotParsed` for what has a structure of another kind, like braces.
    """
    found: dict[str, list[Line]] = {}
    for start, stop, line in _split(text):
        bare = line.strip().lstrip("\ufeff")
        if not bare or bare.startswith(_COMMENTS):
            continue
        words = _WORDS.fullmatch(line.lstrip("\ufeff"))
        if words is None or bare.endswith(("{", "}", "\\", ";")) or bare.startswith("["):
            raise NotParsed(line_number(text, start), "not a key with a value")
        found.setdefault(words["key"], []).append(Line(Span(start, stop), words["value"]))
    return [_repeated((key,), lines) for key, lines in found.items()]


def _repeated(path: Path, lines: list[Line]) -> Place:
    whole = Span(lines[0].span.start, lines[-1].span.stop)
    return Place(path, whole, [line.value for line in lines], lines=lines)


def conf(text: str) -> list[Place]:
    """Read a text as sections in brackets where it has any, else as lines of keys and values."""
    if re.search(r"^[ \t]*\[[^\]\n]+\][ \t]*$", text, re.MULTILINE):
        return ini(text)
    return settings(text)
