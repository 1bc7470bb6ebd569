"""TOML 1.0: tables as sections, their keys with typed values."""

import re
import tomllib
from collections import Counter
from dataclasses import replace
from datetime import date, datetime, time
from typing import Any

from keepsort.core.model import Value
from keepsort.formats.numbers import exact_decimal
from keepsort.formats.places import NotParsed, Place, Span, line_number, line_stop

_HEADER = re.compile(
    r"[ \t]*(\[\[?)[ \t]*(?P<name>[^\s\]#\n](?:[^\n#\]]|\](?!\]?[ \t]*(?:\r?\n|#|$)))*)\]\]?"
    r"[ \t]*(?:#[^\n]*)?(?=\r?\n|$)"
)
_KEY = re.compile(
    r"""[ \t]*(?P<key>(?:[A-Za-z0-9_-]+|"(?:[^"\\\n]|\\.)*"|'[^'\n]*')
    (?:[ \t]*\.[ \t]*(?:[A-Za-z0-9_-]+|"(?:[^"\\\n]|\\.)*"|'[^'\n]*'))*)[ \t]*=[ \t]*""",
    re.VERBOSE,
)
_STRING = re.compile(
    r'"""(?:[^\\]|\\.)*?"{3,5}|' r"'''.*?'{3,5}|" r'"(?:[^"\\\n]|\\.)*"|' r"'[^'\n]*'", re.DOTALL
)
_LINE = re.compile(r"at line (\d+)")


def places(text: str) -> list[Place]:
    """Read tables and keys; tables of an array are told by their number. Raises `NotParsed`."""
    try:
        tomllib.loads(text.replace("\r\n", "\n"), parse_float=_decimal)
    except (ValueError, RecursionError) as error:
        line = _LINE.search(str(error))
        raise NotParsed(int(line[1]) if line else 1, str(error).split(" (at")[0]) from None
    found: list[Place] = []
    counts: Counter[str] = Counter()
    table: Place | None = None
    table_number = 0
    at = 0
    while at < len(text):
        header, key = _HEADER.match(text, at), _KEY.match(text, at)
        if header and not key:
            name = header["name"].rstrip(" \t")
            family = name if header[1] == "[[" else ""
            if family:
                counts[name] += 1
                name = f"{name}[{counts[name]}]"
            stop = line_stop(text, header.end())
            table = Place(
                (name,), Span(at, stop), section=True, inside=stop, swallows=True, family=family
            )
            table_number = len(found)
            found.append(table)
            at = stop
        elif key:
            end = _value_end(text, key.end())
            raw = text[key.end() : end].replace("\r\n", "\n")
            value = tomllib.loads(f"x = {raw}", parse_float=_decimal)["x"]
            whole = Span(at, line_stop(text, end))
            path = (table.path[0], key["key"]) if table else (key["key"],)
            found.append(Place(path, whole, _plain(value), held=Span(key.end(), end)))
            if table is not None:
                table = replace(table, whole=Span(table.whole.start, whole.stop))
                found[table_number] = table
            at = whole.stop
        else:
            at = line_stop(text, at)
    _see_all(text, found)
    return found


def _value_end(text: str, at: int) -> int:
    """Return where a value ends: at a comment or a line end outside of strings and brackets."""
    depth = 0
    while at < len(text):
        string = _STRING.match(text, at)
        if string:
            at = string.end()
            continue
        sign = text[at]
        if sign in "[{":
            depth += 1
        elif sign in "]}":
            depth -= 1
        elif sign == "#" and depth:
            at = text.find("\n", at)
            continue
        elif sign == "#" or (sign == "\n" and not depth):
            break
        at += 1
    return len(text[:at].rstrip())


def _see_all(text: str, found: list[Place]) -> None:
    many = Counter(place.path for place in found)
    if len(many) < len(found):
        again = next(p for p in found if many[p.path] > 1)
        raise NotParsed(line_number(text, again.whole.start), f"{again.path[-1]} comes again")


def _plain(value: Any) -> Value:
    """Return a value of ours; a quoted text that would mean more without quotes keeps them."""
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, list):
        return [_plain(v) for v in value]
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) >= 1 << 63:
        return str(value)
    if isinstance(value, str) and not isinstance(value, _Written) and _MEANS_MORE.fullmatch(value):
        return f'"{value}"'
    return str(value) if isinstance(value, _Written) else value


class _Written(str):
    """A number as it is written, where no number of ours holds it exactly."""

    __slots__ = ()


def _decimal(text: str) -> float | _Written:
    number = exact_decimal(text)
    return _Written(number) if isinstance(number, str) else number


#: Dates, times and numbers that are kept as texts.
_MEANS_MORE = re.compile(
    r"\d{4}-\d\d-\d\d(?:[Tt ].*)?|\d\d:\d\d(?::.*)?|[-+]?(?:inf|nan)|[-+]?[0-9][0-9_.eE+-]{16,}"
)
