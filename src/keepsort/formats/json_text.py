"""JSON (RFC 8259): objects as sections; everything else, arrays too, as values."""

import json
import re

from keepsort.core.model import Path, Value
from keepsort.formats.numbers import exact_decimal, exact_integer
from keepsort.formats.places import NotParsed, Place, Span, line_number

_SPACE = re.compile(r"[ \t\r\n]*")
_DEEPEST = 100


class _Number(str):
    """A number as it is written, where no number of ours holds it exactly."""

    __slots__ = ()


def _whole(text: str) -> int | _Number:
    number = exact_integer(text)
    return _Number(number) if isinstance(number, str) else number


def _decimal(text: str) -> float | _Number:
    number = exact_decimal(text)
    return _Number(number) if isinstance(number, str) else number


def _refuse(text: str) -> None:
    raise ValueError(f"{text} is no JSON")


_decoder = json.JSONDecoder(parse_int=_whole, parse_float=_decimal, parse_constant=_refuse)


def places(text: str) -> list[Place]:
    """Read the members of all objects. Raises `NotParsed`."""
    try:
        value = _decoder.decode(text)
    except json.JSONDecodeError as error:
        raise NotParsed(error.lineno, error.msg) from None
    except ValueError as error:
        raise NotParsed(1, str(error)) from None
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
                held=Span(start, stop), holds="comma",
            )  # fmt: skip
        else:
            value, stop = _decoder.raw_decode(text, start)
            here = Place(place, Span(at, stop), _kept(value), held=Span(start, stop), joint="comma")
        found.insert(number, here)
        at = _skip(text, stop)
        if text[at] == ",":
            at = _skip(text, at + 1)
    return at + 1


#: Texts that are written like numbers which are kept as texts.
_LIKE_A_NUMBER = re.compile(r"-?[0-9]+(?:\.[0-9]+)?(?:[eE][-+]?[0-9]+)?")


def _kept(value: Value) -> Value:
    """Return a value of ours: a text keeps its quotes where it could be taken for a number."""
    if isinstance(value, _Number):
        return str(value)
    if isinstance(value, str) and _LIKE_A_NUMBER.fullmatch(value):
        number = exact_decimal(value) if set(value) & set(".eE") else exact_integer(value)
        return f'"{value}"' if isinstance(number, str) else value
    if isinstance(value, list):
        return [_kept(v) for v in value]
    if isinstance(value, dict):
        return {k: _kept(v) for k, v in value.items()}
    return value
