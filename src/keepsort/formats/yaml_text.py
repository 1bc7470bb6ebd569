"""YAML 1.2: block mappings as sections; scalars, sequences and flow collections as values."""

from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import MarkedYAMLError, YAMLError
from ruamel.yaml.nodes import MappingNode, Node, ScalarNode, SequenceNode

from keepsort.core.model import Path, Value
from keepsort.formats.places import NotParsed, Place, Span, line_number, line_start, line_stop

#: Aliases can make a small text into a huge value; no configuration holds so much.
_MOST_NODES = 100_000
_DEEPEST = 200


def places(text: str) -> list[Place]:
    """Read the keys of all block mappings of one document. Raises `NotParsed`."""
    yaml = YAML(typ="safe", pure=True)
    try:
        root = yaml.compose(text)
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        why = (error.problem or error.context or "not YAML").strip()
        raise NotParsed(mark.line + 1 if mark else 1, why) from None
    except (YAMLError, ValueError, RecursionError) as error:
        raise NotParsed(1, str(error).splitlines()[0]) from None
    if root is None:
        return []
    if not isinstance(root, MappingNode) or root.flow_style:
        raise NotParsed(1, "it holds no mapping of keys")
    reader = _Reader(text, yaml)
    reader.mapping(root, ())
    return reader.found


class _Reader:
    def __init__(self, text: str, yaml: YAML) -> None:
        self.text = text
        self.found: list[Place] = []
        self._yaml = yaml
        self._nodes = 0

    def mapping(self, node: Any, path: Path) -> int:
        """Read a block mapping; return where its last line ends."""
        if len(path) > _DEEPEST:
            raise NotParsed(node.start_mark.line + 1, "it is nested too deep")
        seen = set()
        stop = int(node.start_mark.index)
        for key, value in node.value:
            name = str(key.value) if isinstance(key, ScalarNode) else ""
            if not name or name in seen:
                why = f"the key {name} comes again" if name else "a key is no plain name"
                raise NotParsed(key.start_mark.line + 1, why)
            seen.add(name)
            start = line_start(self.text, key.start_mark.index)
            if self.text[start : key.start_mark.index].strip():
                raise NotParsed(key.start_mark.line + 1, "a key does not begin its line")
            place = (*path, name)
            number = len(self.found)
            if self._is_block(value, key):
                inside = line_start(self.text, value.start_mark.index)
                stop = self.mapping(value, place)
                here = Place(place, Span(start, stop), section=True, inside=inside)
            else:
                held = Span(value.start_mark.index, self._end(value))
                stop = held.stop
                if not self.text[:stop].endswith("\n"):
                    stop = line_stop(self.text, stop)
                here = Place(place, Span(start, stop), self._value(value, 0), held=held)
            self.found.insert(number, here)
        return stop

    def _is_block(self, value: Node, key: Node) -> bool:
        """Tell a mapping on lines of its own, which is not the target of an alias elsewhere."""
        return (
            isinstance(value, MappingNode)
            and not value.flow_style
            and bool(value.value)
            and value.start_mark.line > key.start_mark.line
            and value.start_mark.index > key.end_mark.index
            and not self.text[key.end_mark.index : value.start_mark.index].strip(": \t\r\n-#")
        )

    def _end(self, node: Node) -> int:
        """Return where what is written of a node ends; block collections end with their last."""
        if isinstance(node, SequenceNode | MappingNode) and not node.flow_style and node.value:
            last = node.value[-1]
            return self._end(last[1] if isinstance(last, tuple) else last)
        return max(int(node.end_mark.index), int(node.start_mark.index))

    def _value(self, node: Node, depth: int) -> Value:
        self._nodes += 1
        if self._nodes > _MOST_NODES or depth > _DEEPEST:
            raise NotParsed(node.start_mark.line + 1, "its aliases make it too large")
        if isinstance(node, SequenceNode):
            return [self._value(v, depth + 1) for v in node.value]
        if isinstance(node, MappingNode):
            return {str(k.value): self._value(v, depth + 1) for k, v in node.value}
        return self._scalar(node)

    def _scalar(self, node: Any) -> Value:
        tag = str(node.tag).rpartition(":")[2]
        constructor = self._yaml.constructor
        try:
            if tag == "null":
                return None
            if tag == "bool":
                return bool(constructor.construct_yaml_bool(node))
            if tag == "int":
                number = int(constructor.construct_yaml_int(node))
                return number if abs(number) < 2**63 else node.value
            if tag == "float":
                return float(constructor.construct_yaml_float(node))
        except (ValueError, KeyError):
            line = line_number(self.text, node.start_mark.index)
            raise NotParsed(line, f"{node.value!r} is no {tag}") from None
        return str(node.value)
