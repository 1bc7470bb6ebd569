"""Exports that other programs open at once: a JSON document, and a table of values as CSV."""

import csv
import io
from collections.abc import Iterable
from typing import IO

import msgspec

from keepsort.core.model import Schema, Value
from keepsort.formats.exported import LeftOut, Line

#: What a spreadsheet program would take for a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_HEADING = ("path", "kind", "attribute", "value")


def write_json(out: IO[bytes], lines: Iterable[Line], manifest: dict[str, Value]) -> int:
    """Write one JSON document (RFC 8259): what it is of, and a list of objects; return how many."""
    head = msgspec.json.format(msgspec.json.encode(manifest), indent=1).rstrip(b"\n}").rstrip()
    out.write(head + b',\n "objects": [')
    count = 0
    for line in lines:
        out.write((b",\n  " if count else b"\n  ") + msgspec.json.encode(line))
        count += 1
    out.write(b"\n ]\n}\n")
    return count


def write_csv(out: IO[bytes], lines: Iterable[Line], schema: Schema, left_out: LeftOut) -> int:
    """Write a table (RFC 4180), a row for each value; return how many objects it tells of.

    A value that is no text is written as JSON. What a spreadsheet program would take for a formula
    has a ``'`` before it.
    """
    count, defused = 0, 0
    text = io.TextIOWrapper(out, encoding="utf-8", newline="", write_through=True)
    rows = csv.writer(text)
    rows.writerow(_HEADING)
    for line in lines:
        count += 1
        place = schema.notation.write(line.path)
        if not line.attributes:
            rows.writerow([_safe(place), _safe(line.kind), "", ""])
        for name, value in line.attributes.items():
            for one in value if isinstance(value, list) else [value]:
                written = one if isinstance(one, str) else msgspec.json.encode(one).decode()
                row = [_safe(cell) for cell in (place, line.kind, name, written)]
                defused += row[3] != written
                rows.writerow(row)
    text.detach()
    left_out.formats.append(
        "ids, facts, and whether a value is a text, a number or a part of a list"
    )
    if defused:
        left_out.formats.append(f"{defused} values that look like formulas have a ' before them")
    return count


def _safe(cell: str) -> str:
    return "'" + cell if cell.startswith(_FORMULA) else cell
