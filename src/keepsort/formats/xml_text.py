"""XML 1.0: elements as sections or values, attributes as ``@name``.

An element is called by its tag, and by its attribute ``name`` or ``id`` where it has one.

Texts with a document type are not opened: what they declare could make a small text huge.
"""

import re
from collections import Counter
from dataclasses import dataclass, field, replace
from html import unescape
from xml.parsers import expat

from keepsort.core.model import Path
from keepsort.formats.places import NotParsed, Place, Span, line_start, line_stop, numbered

_ATTRIBUTE = re.compile(r"\s+([^\s=/>]+)\s*=\s*(\"[^\"]*\"|'[^']*')")
_DEEPEST = 200


@dataclass
class _Element:
    path: Path
    start: int
    head: str
    inside: int
    names: Counter[str] = field(default_factory=Counter)
    places: list[Place] = field(default_factory=list)
    has_elements: bool = False


def places(text: str) -> list[Place]:
    """Read elements and attributes beneath the topmost element. Raises `NotParsed`."""
    return _Reader(text).read()


class _Reader:
    def __init__(self, text: str) -> None:
        self._text = text
        self._raw = text.encode()
        self._ascii = text.isascii()
        self._bytes = self._characters = 0
        self._open: list[_Element] = []
        self._found: list[Place] = []
        #: what elements are called without the numbers that tell them apart, and where
        self._called: dict[Path, tuple[Path, str]] = {}
        self._parser = expat.ParserCreate("utf-8")
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._parser.StartDoctypeDeclHandler = self._refuse

    def read(self) -> list[Place]:
        try:
            self._parser.Parse(self._raw, True)
        except expat.ExpatError as error:
            why = expat.errors.messages[error.code]
            raise NotParsed(error.lineno, why) from None
        found = sorted(self._found, key=lambda p: (p.whole.start, len(p.path)))
        many = Counter(self._called.values())
        return [
            replace(place, family=self._called[place.path][1])
            if many[self._called.get(place.path, ((), ""))] > 1
            else place
            for place in found
        ]

    def _refuse(self, *_: object) -> None:
        line = self._parser.CurrentLineNumber
        raise NotParsed(line, "it declares a document type, which is not read")

    def _position(self) -> int:
        index = self._parser.CurrentByteIndex
        if self._ascii:
            return index
        # the parser counts bytes and only goes forward: what it has passed is counted once
        self._characters += len(self._raw[self._bytes : index].decode())
        self._bytes = index
        return self._characters

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        start = self._position()
        inside = _head_stop(self._text, start)
        if self._open:
            above = self._open[-1]
            above.has_elements = True
            called = attributes.get("name") or attributes.get("id")
            name = f"{tag}[{called}]" if called else tag
            above.names[name] += 1
            path = (*above.path, numbered(name, above.names[name]))
            self._called[path] = (above.path, name)
        else:
            path = ()
        if len(path) > _DEEPEST:
            raise NotParsed(self._parser.CurrentLineNumber, "it is nested too deep")
        element = _Element(path, start, self._text[start:inside], inside)
        self._open.append(element)
        for found in _ATTRIBUTE.finditer(element.head):
            at = start + found.start()
            whole = Span(at, start + found.end())
            held = Span(start + found.start(2) + 1, start + found.end(2) - 1)
            value = unescape(held.of(self._text))
            element.places.append(
                Place((*path, f"@{found[1]}"), whole, value, held=held, joint="none")
            )

    def _end(self, tag: str) -> None:
        element = self._open.pop()
        text = self._text
        at = self._position()
        empty = element.head.endswith("/>")
        stop = element.inside if empty else text.index(">", at) + 1
        whole = Span(element.start, stop)
        before = text[line_start(text, whole.start) : whole.start]
        rest = text[whole.stop : line_stop(text, whole.stop)]
        joint = "none"
        if not before.strip() and not rest.strip():
            whole = Span(line_start(text, whole.start), line_stop(text, whole.stop))
            joint = "line"
        held = Span(element.inside, element.inside if empty else at)
        content = held.of(text)
        plain = not element.has_elements and "<" not in content and not empty
        self._found += element.places
        if not element.path:
            return
        if plain and not element.places:
            value = unescape(content)
            self._found.append(Place(element.path, whole, value, held=held, joint=joint))
            return
        inside = line_stop(text, element.inside) if element.has_elements else element.inside
        self._found.append(Place(element.path, whole, section=True, inside=inside, joint=joint))
        if plain and content.strip():
            place = Place((*element.path, "text"), held, unescape(content), held=held, joint="none")
            self._found.append(place)


def _head_stop(text: str, start: int) -> int:
    """Return where a start tag ends; a ``>`` in a quoted value is none."""
    quote = ""
    for at in range(start, len(text)):
        sign = text[at]
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "\"'":
            quote = sign
        elif sign == ">":
            return at + 1
    return len(text)
