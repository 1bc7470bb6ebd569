"""YAML 1.2: mappings as sections; scalars and sequences as values.

Texts are read as the events of a parser, so that an alias keeps its own place. What readers of
YAML 1.1 and 1.2 take differently (``yes``, ``0644``) is kept as it is written; where such a text
is quoted, and so means itself, its quotes are part of the value.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import MarkedYAMLError, YAMLError
from ruamel.yaml.nodes import ScalarNode

from keepsort.core.model import Path, Value
from keepsort.formats.numbers import exact_decimal, exact_integer
from keepsort.formats.places import NotParsed, Place, Span, line_start, line_stop

#: Aliases can make a small text into a huge value; no configuration holds so much.
_MOST_NODES = 100_000
_DEEPEST = 100
_CORE = "tag:yaml.org,2002:"
#: Plain texts that YAML 1.1 takes as truth values, or as numbers to the base of 60.
_OLD = re.compile(r"(?:y|yes|no|n|on|off)|[-+]?[0-9][0-9_]*(?::[0-5]?[0-9])+(?:\.[0-9_]*)?", re.I)


@dataclass
class _Node:
    """What an event, or a run of them, stands for."""

    form: str
    start: int
    stop: int
    line: int
    text: str = ""
    tag: str | None = None
    plain: bool = False
    quoted: bool = False
    flow: bool = False
    anchor: str | None = None
    items: list[Any] = field(default_factory=list)


def places(text: str) -> list[Place]:
    """Read the keys of all mappings of one document. Raises `NotParsed`."""
    yaml = YAML(typ="safe", pure=True)
    try:
        root = _Building(text, yaml).root()
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        why = (error.problem or error.context or "not YAML").strip()
        raise NotParsed(mark.line + 1 if mark else 1, why) from None
    except NotParsed:
        raise
    except (YAMLError, ValueError, RecursionError) as error:
        raise NotParsed(1, str(error).splitlines()[0]) from None
    if root is None or (root.form == "scalar" and not root.text and root.plain):
        return []
    if root.form != "map" or root.flow:
        raise NotParsed(1, "it holds no mapping of keys")
    reader = _Reader(text, yaml)
    reader.mapping(root, ())
    return reader.found


class _Building:
    """Makes nodes of events."""

    def __init__(self, text: str, yaml: YAML) -> None:
        self._text = text
        self._events: Iterator[Any] = iter(yaml.parse(text))

    def root(self) -> _Node | None:
        found: _Node | None = None
        documents = 0
        for event in self._events:
            name = type(event).__name__
            if name == "DocumentStartEvent":
                documents += 1
                if documents > 1:
                    raise NotParsed(event.start_mark.line + 1, "it holds more than one document")
            elif name in ("ScalarEvent", "SequenceStartEvent", "MappingStartEvent", "AliasEvent"):
                found = self._node(event, 0)
        return found

    def _node(self, event: Any, depth: int) -> _Node:
        start, line = int(event.start_mark.index), event.start_mark.line + 1
        if depth > _DEEPEST:
            raise NotParsed(line, "it is nested too deep")
        name = type(event).__name__
        stop = int(event.end_mark.index)
        if name == "AliasEvent":
            return _Node("alias", start, stop, line, text=event.anchor)
        tag = str(event.tag) if event.tag is not None else None
        if name == "ScalarEvent":
            if event.style in ("|", ">"):
                stop = self._end_of_block(start, stop)
            return _Node(
                "scalar", start, max(start, stop), line, event.value, tag,
                plain=bool(event.implicit[0]), quoted=event.style in ("'", '"'),
                anchor=event.anchor,
            )  # fmt: skip
        form = "list" if name == "SequenceStartEvent" else "map"
        node = _Node(form, start, stop, line, tag=tag, flow=bool(event.flow_style))
        node.anchor = event.anchor
        for inner in self._events:
            if type(inner).__name__ in ("SequenceEndEvent", "MappingEndEvent"):
                node.stop = int(inner.end_mark.index)
                break
            node.items.append(self._node(inner, depth + 1))
        if form == "map":
            node.items = list(zip(node.items[::2], node.items[1::2], strict=True))
        if not node.flow and node.items:
            last = node.items[-1]
            node.stop = (last[1] if isinstance(last, tuple) else last).stop
        return node

    def _end_of_block(self, start: int, stop: int) -> int:
        """Return where the lines of a block scalar end; blank ones behind it are not its own."""
        written = self._text[start:stop]
        if "+" in written.partition("\n")[0]:
            return stop
        bare = start + len(written.rstrip())
        return min(stop, line_stop(self._text, bare))


class _Reader:
    def __init__(self, text: str, yaml: YAML) -> None:
        self.text = text
        self.found: list[Place] = []
        self._resolver = yaml.resolver
        self._anchors: dict[str, _Node] = {}
        self._nodes = 0

    def mapping(self, node: _Node, path: Path) -> int:
        """Read a mapping on lines of its own; return where its last line ends."""
        self._anchor(node)
        seen: set[str] = set()
        stop = node.start
        for key, value in node.items:
            name = self._name(key, seen)
            start = line_start(self.text, key.start)
            if self.text[start : key.start].strip():
                raise NotParsed(key.line, "a key does not begin its line")
            place = (*path, name)
            number = len(self.found)
            column = key.start - start
            if self._is_block(value, key):
                inside = line_start(self.text, value.items[0][0].start)
                stop = self.mapping(value, place)
                here = Place(place, Span(start, stop), section=True, inside=inside, column=column)
            else:
                held = Span(value.start, value.stop)
                if value.start == value.stop:  # nothing: its parser sees it behind comments
                    held = Span(colon := self.text.index(":", key.stop) + 1, colon)
                stop = held.stop
                if not self.text[:stop].endswith("\n"):
                    stop = line_stop(self.text, stop)
                here = self._valued(place, Span(start, stop), value, held, column)
            self.found.insert(number, here)
        return stop

    def _valued(
        self, place: Path, whole: Span, value: _Node, held: Span, column: int, joint: str = "line"
    ) -> Place:
        if value.form == "map" and value.flow and value.tag is None:
            self._flow(value, place)
            brace = self.text.index("{", value.start)
            return Place(
                place, whole, section=True, inside=brace + 1, held=held, joint=joint,
                column=column, holds="comma",
            )  # fmt: skip
        simple = value.form in ("scalar", "alias") or value.flow
        inline = simple and held.stop > held.start and "\n" not in held.of(self.text)
        return Place(
            place, whole, self._value(value, 0), held=held, joint=joint, column=column,
            inline=inline,
        )  # fmt: skip

    def _flow(self, node: _Node, path: Path) -> None:
        """Read a mapping within braces."""
        self._anchor(node)
        seen: set[str] = set()
        for key, value in node.items:
            place = (*path, self._name(key, seen))
            number = len(self.found)
            held = Span(value.start, max(value.stop, key.stop))
            whole = Span(key.start, held.stop)
            self.found.insert(number, self._valued(place, whole, value, held, 0, "comma"))

    def _name(self, key: _Node, seen: set[str]) -> str:
        name = key.text if key.form == "scalar" else ""
        if not name or name in seen:
            why = f"the key {name} comes again" if name else "a key is no plain name"
            raise NotParsed(key.line, why)
        seen.add(name)
        return name

    def _is_block(self, value: _Node, key: _Node) -> bool:
        """Tell a mapping on lines of its own."""
        if value.form != "map" or value.flow or not value.items or value.tag is not None:
            return False
        return "\n" in self.text[key.stop : value.items[0][0].start]

    def _anchor(self, node: _Node) -> None:
        if node.anchor is not None:
            self._anchors[node.anchor] = node

    def _value(self, node: _Node, depth: int) -> Value:
        self._nodes += 1
        if self._nodes > _MOST_NODES or depth > _DEEPEST:
            raise NotParsed(node.line, "its aliases make it too large")
        self._anchor(node)
        if node.form == "alias":
            target = self._anchors.get(node.text)
            if target is None:
                raise NotParsed(node.line, f"there is no anchor {node.text} before it")
            return self._value(target, depth + 1)
        if node.form == "scalar":
            return self._scalar(node)
        value: Value
        if node.form == "list":
            value = [self._value(v, depth + 1) for v in node.items]
        else:
            value = {k.text: self._value(v, depth + 1) for k, v in node.items}
        return value if node.tag in (None, "!") else {node.tag: value}

    def _scalar(self, node: _Node) -> Value:
        if node.tag not in (None, "!", f"{_CORE}str"):
            return f"{str(node.tag).replace(_CORE, '!!')} {node.text}"
        if not node.plain or node.tag is not None:
            return f'"{node.text}"' if node.quoted and self._is_ambiguous(node.text) else node.text
        kind = self._kind(node.text)
        if kind == "null":
            return None
        if kind == "bool":
            return node.text.lower() == "true"
        if kind == "int":
            return exact_integer(node.text)
        if kind == "float":
            return exact_decimal(node.text)
        return node.text

    def _kind(self, text: str) -> str:
        tag = self._resolver.resolve(ScalarNode, text, (True, False))
        return str(tag).removeprefix(_CORE)

    def _is_ambiguous(self, text: str) -> bool:
        """Tell whether a text is kept as it is written where it is not quoted, and means more."""
        kind = self._kind(text)
        if kind == "int":
            return isinstance(exact_integer(text), str)
        if kind == "float":
            return isinstance(exact_decimal(text), str)
        return kind in ("timestamp", "merge") or _OLD.fullmatch(text) is not None
