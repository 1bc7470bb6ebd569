"""JSON (RFC 8259): objects as sections; everything else, arrays too, as values."""

import json
import re

from keepsort.core.model import Path
from keepsort.formats.places import NotParsed, Place, Span, line_number

_SPACE = re.compile(r"[ \t\r\n]*")
_DEEPEST = 200


def places(text: str) -> list[Place]:
    """Read the members of all objects. Raises `NotParsed`."""
    try:
        value = json.loads(text)
    except json.JSONDecodeError as error:
        raise NotParsed(error.lineno, error.msg) from None
    except RecursionError:
        raise NotParsed(1, "it is nested too deep") from None
    if not isinstance(value, dict):
        raise NotParsed(1, "it holds no object")
    found: list[Place] = []
    _object(text, _skip(text, 0), (), found)
    return found


def _skip(text: str, at: int) -> int:
    found = _SPACE.match(text, at)
    assert found is not None
    return found.end()


_decoder = json.JSONDecoder()


def _object(text: str, at: int, path: Path, found: list[Place]) -> int:
    """Read the members of the object that begins at a position; return where it ends."""
    if len(path) > _DEEPEST:
        raise NotParsed(line_number(text, at), "it is nested too deep")
    at = _skip(text, at + 1)
    seen = set()
    while text[at] != "}":
        name, colon = _decoder.raw_decode(text, at)
        if name in seen:
            raise NotParsed(line_number(text, at), f"the name {name!r} comes again")
        seen.add(name)
        start = _skip(text, _skip(text, colon) + 1)
        place = (*path, name)
        number = len(found)
        if text[start] == "{":
            stop = _object(text, start, place, found)
            here = Place(
                place, Span(at, stop), section=True, inside=start + 1, joint="comma",
                held=Span(start, stop),
            )  # fmt: skip
        else:
            value, stop = _decoder.raw_decode(text, start)
            here = Place(place, Span(at, stop), value, held=Span(start, stop), joint="comma")
        found.insert(number, here)
        at = _skip(text, stop)
        if text[at] == ",":
            at = _skip(text, at + 1)
    return at + 1
