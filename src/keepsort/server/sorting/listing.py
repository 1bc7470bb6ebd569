"""Lists that people paste: one name, path or id a line, or a CSV that has them in a column."""

import csv
import json
from hashlib import blake2b

from keepsort.server.problems import NotFound, Problem
from keepsort.server.sorting.models import PastedList

_MOST_LINES = 20_000
_LONGEST_LINE = 4000


def keep_list(text: str) -> PastedList:
    """Keep a pasted list. Raises `Problem` if it is empty or too long."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if not lines:
        raise Problem("The list is empty.", "Paste names, paths or ids, one a line.")
    if len(lines) > _MOST_LINES:
        raise Problem(f"The list has {len(lines)} lines.", f"Paste {_MOST_LINES} at the most.")
    long = next((n for n, line in enumerate(lines, 1) if len(line) > _LONGEST_LINE), None)
    if long is not None:
        raise Problem(
            f"Line {long} of the list is too long to be a name.", "Check what was copied."
        )
    read = [_texts(line) for line in lines]
    digest = blake2b(json.dumps(read).encode(), digest_size=16).hexdigest()
    return PastedList.objects.get_or_create(digest=digest, defaults={"lines": read})[0]


def find_list(number: int) -> list[list[str]]:
    """Return the lines of a list. Raises `NotFound`."""
    found = PastedList.objects.filter(pk=number).first()
    if found is None:
        raise NotFound("There is no such list.", "Paste it again.")
    lines: list[list[str]] = found.lines
    return lines


def _texts(line: str) -> list[str]:
    """Return a line and, where it has several cells, each of them."""
    for delimiter in ("\t", ";", ","):
        if delimiter in line:
            cells = next(csv.reader([line], delimiter=delimiter, skipinitialspace=True))
            return [line, *(cell.strip() for cell in cells if cell.strip())]
    return [line.strip('"')]
