"""Formats whose parts are lines: sections in brackets, `key = value`, `key value`, blocks."""

import re
from collections import Counter, defaultdict
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from keepsort.core.model import Path
from keepsort.formats.places import Line, NotParsed, Place, Span, line_number, lines_of, numbered

_SECTION = re.compile(r"[ \t]*\[(?P<name>[^\]\n]+)\][ \t]*(?:[;#].*)?")
_SIGN = re.compile(r"[=:]")
_LONE = re.compile(r"(?P<key>[\w.\-/@*]+)[ \t]*")
#: A line that reads as a key of its own, though it is indented like one that goes on.
_LIKE_A_KEY = re.compile(r"[\w.\- ]+ = \S.*")
_WORDS = re.compile(r"[ \t]*(?P<key>[A-Za-z_][\w.\-]*)(?:[ \t]*=[ \t]*|[ \t]+|$)(?P<value>.*)")
_COMMENTS = ("#", ";", "!")
_BLOCKS = ("match", "host")
_BLOCK_LINE = re.compile(
    r"^[ \t]*(?:host[ \t]+\S|match[ \t]+(?:all|user|group|host|originalhost|localuser|address"
    r"|localaddress|localport|rdomain|canonical|final|exec|tagged|version|sessiontype)\b)",
    re.IGNORECASE | re.MULTILINE,
)


@dataclass
class _Written:
    """A key as it is written: its lines, where its value is, and what that is."""

    whole: Span
    held: Span
    value: str | None


@dataclass
class _Sections:
    """Sections, blocks and keys in the order in which they begin."""

    order: list[Path] = field(default_factory=list)
    keys: dict[Path, list[_Written]] = field(default_factory=lambda: defaultdict(list))
    #: of each section: where it begins, where its last line ends, where its first part would be
    bounds: dict[Path, list[int]] = field(default_factory=dict)
    braces: set[Path] = field(default_factory=set)
    families: Counter[Path] = field(default_factory=Counter)
    called: dict[Path, str] = field(default_factory=dict)

    def open(self, above: Path, name: str, start: int, stop: int) -> Path:
        """Open a section; of several with one name, the later ones bear numbers."""
        self.families[(*above, name)] += 1
        path = (*above, numbered(name, self.families[(*above, name)]))
        self.called[path] = name
        self.bounds[path] = [start, stop, stop]
        self.order.append(path)
        return path

    def add(self, path: Path, written: _Written) -> None:
        """Add a line of a key."""
        if path not in self.keys:
            self.order.append(path)
        self.keys[path].append(written)

    def reach(self, section: Path, stop: int) -> None:
        """Let sections go on to a place."""
        for depth in range(1, len(section) + 1):
            self.bounds[section[:depth]][1] = stop

    def places(self, listed: bool) -> list[Place]:
        """Return all parts; listed: whether a key holds the list of its lines' values."""
        found = []
        for path in self.order:
            if path in self.bounds:
                start, stop, inside = self.bounds[path]
                name = self.called[path]
                family = name if self.families[(*path[:-1], name)] > 1 else ""
                place = Place(path, Span(start, stop), section=True, inside=inside, family=family)
                found.append(replace(place, swallows=path not in self.braces))
            if path in self.keys:
                found.append(_key(path, self.keys[path], listed))
        return found


def _key(path: Path, found: list[_Written], listed: bool) -> Place:
    if len(found) == 1 and not listed:
        one = found[0]
        return Place(path, one.whole, one.value, held=one.held, inline=one.value is not None)
    lines = [Line(one.whole, one.value or "") for one in found]
    whole = Span(lines[0].span.start, lines[-1].span.stop)
    return Place(path, whole, [line.value for line in lines], lines=lines)


def ini(text: str) -> list[Place]:
    """Read sections in brackets with `key = value` or `key: value` beneath them.

    A line that is indented further than the key before it, or follows a backslash, goes on with
    its value. A key that comes again in one section holds a list, a section that comes again bears
    a number, and braces hold sections of their own. Raises `NotParsed`.
    """
    found = _Sections()
    section: Path = ()
    open_braces: list[int] = []
    last: _Written | None = None
    indent = 0
    for start, stop, line in lines_of(text):
        bare = line.strip()
        if not bare or bare.startswith(_COMMENTS):
            continue
        own = len(line) - len(line.lstrip(" \t"))
        header = _SECTION.fullmatch(line)
        continued = last is not None and text[last.whole.start : last.whole.stop].rstrip(
            "\r\n"
        ).endswith("\\")
        if last is not None and (continued or own > indent) and not open_braces:
            if not continued and (header or (last.value and _LIKE_A_KEY.fullmatch(bare))):
                why = "it may go on with the value above it, or be a part of its own"
                raise NotParsed(line_number(text, start), why)
            last.whole = Span(last.whole.start, stop)
            last.held = Span(last.held.start, start + len(line.rstrip()))
            last.value = f"{last.value or ''}\n{bare}"
            found.reach(section, stop)
            continue
        if header and not open_braces:
            section, last = found.open((), header["name"].strip(), start, stop), None
            continue
        if bare == "}" and open_braces:
            open_braces.pop()
            found.reach(section, stop)
            section, last = section[:-1], None
            continue
        pair = _pair(line, own)
        lone = None if pair or not section else _LONE.fullmatch(line, own)
        if pair is None and lone is None:
            raise NotParsed(line_number(text, start), "neither a section, nor a key with a value")
        if pair and pair.value == "{":
            section, last = found.open(section, pair.key, start, stop), None
            found.braces.add(section)
            open_braces.append(start)
            found.reach(section, stop)
            continue
        if pair:
            held = Span(start + pair.at, start + pair.at + len(pair.value))
            last = _Written(Span(start, stop), held, pair.value)
            found.add((*section, pair.key), last)
        elif lone:
            end = start + lone.end("key")
            last = _Written(Span(start, stop), Span(end, end), None)
            found.add((*section, lone["key"]), last)
        indent = own
        found.reach(section, stop)
    if open_braces:
        raise NotParsed(line_number(text, open_braces[-1]), "a brace is never closed")
    return found.places(listed=False)


class _Pair(NamedTuple):
    """A key and its value, and where on the line that begins."""

    key: str
    value: str
    at: int


def _pair(line: str, own: int) -> _Pair | None:
    """Divide a line at its first sign; a pattern that did this could be made to take very long."""
    sign = _SIGN.search(line, own)
    if sign is None or sign.start() == own or line[own].isspace():
        return None
    rest = line[sign.end() :]
    value = rest.strip(" \t")
    at = sign.end() + len(rest) - len(rest.lstrip(" \t"))
    return _Pair(line[own : sign.start()].rstrip(" \t"), value, at)


def settings(text: str) -> list[Place]:
    """Read lines of `key value` or `key = value`; a key holds the list of its lines' values.

    Raises `NotParsed` for what has a structure of another kind, like braces.
    """
    found = _Sections()
    for start, stop, line in lines_of(text):
        words = _words(text, start, line)
        if words is not None:
            found.add((words["key"],), _written(start, stop, words))
    return found.places(listed=True)


def ssh(text: str) -> list[Place]:
    """Read the settings of OpenSSH: lines of keys and values, and blocks that a line opens.

    What follows a ``Match`` or ``Host`` line belongs to it until the next one. Letter case of keys
    does not count there, so they are named in lower case. Raises `NotParsed`.
    """
    found = _Sections()
    block: Path = ()
    for start, stop, line in lines_of(text):
        words = _words(text, start, line)
        if words is None:
            continue
        key = words["key"].lower()
        if key in _BLOCKS:
            name = f"{key.capitalize()} {' '.join(words['value'].split())}"
            block = found.open((), name, start, stop)
        else:
            found.add((*block, key), _written(start, stop, words))
            found.reach(block, stop)
    return found.places(listed=True)


def _words(text: str, start: int, line: str) -> re.Match[str] | None:
    bare = line.strip()
    if not bare or bare.startswith(_COMMENTS):
        return None
    words = _WORDS.fullmatch(line.rstrip(" \t"))
    if words is None or bare.endswith(("{", "}", "\\", ";")) or bare.startswith("["):
        raise NotParsed(line_number(text, start), "not a key with a value")
    return words


def _written(start: int, stop: int, words: re.Match[str]) -> _Written:
    held = Span(start + words.start("value"), start + words.end("value"))
    return _Written(Span(start, stop), held, words["value"])


def conf(text: str) -> list[Place]:
    """Read a text as sections in brackets where it has any, else as lines of keys and values."""
    if re.search(r"^[ \t]*\[[^\]\n]+\][ \t]*\r?$", text, re.MULTILINE):
        return ini(text)
    if _BLOCK_LINE.search(text):
        return ssh(text)
    return settings(text)
