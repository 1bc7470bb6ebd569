"""The key text: objects as lines that a person reads, edits, and cuts pieces out of.

The format is described in ``docs/key-text.md``. Everything about an object stands beneath the line
that names its place, so a piece of a file is a file; whatever spans lines is closed, so a piece
that was cut short is told and not taken for a shorter value.
"""

import json
from base64 import b64encode
from collections.abc import Iterator
from typing import IO

from keepsort.core.model import Attributes, Path, Value
from keepsort.files.exported import TOLD, Batch, Line, Manifest, Sealing
from keepsort.files.naming import read_name, read_place, write_name, write_place
from keepsort.files.opened import LONGEST_LINE, BadFile, Opened
from keepsort.files.plain_values import LEFT_OUT, NoValue, Secret, from_base64

_HEAD = "# Keep Sort key text, version 1"
_WIDE, _WRAP = 100, 76
_DEEP = 40


def write(out: IO[bytes], batch: Batch) -> int:
    """Write a batch as key text, an object at a time; return how many objects it holds."""
    out.write(f"{_HEAD}\n".encode())
    for name in TOLD:
        told = str(getattr(batch.manifest, name))
        if told:
            out.write(f"#: {name}: {write_name(told, '')}\n".encode())
    sealing = batch.manifest.sealing
    if sealing is not None:
        held = f"{sealing.n} {sealing.r} {sealing.p} {sealing.salt} {sealing.check}"
        out.write(f"#: sealing: {held}\n".encode())
    count = 0
    for line in batch.lines:
        out.write("\n".join(_object(line)).encode() + b"\n")
        count += 1
    for path, name in batch.left_out.secrets:
        out.write(f"# left out, a secret: {write_place(path)} {write_name(name, '')}\n".encode())
    return count


def _object(line: Line) -> Iterator[str]:
    yield f"\n[{write_name(line.kind, ']')}] {write_place(line.path)}"
    if line.id is not None:
        yield f"  !id {_quoted(line.id)}"
    if line.unreadable is not None:
        yield f"  !unreadable {_quoted(line.unreadable)}"
    for name, value in line.attributes.items():
        yield from _value(f"{write_name(name, ':')}:", value, "  ")


def _value(head: str, value: Value, indent: str) -> Iterator[str]:
    inner = indent + "  "
    if isinstance(value, str):
        yield from _text(head, value, indent)
    elif value is None:
        yield f"{indent}{head} nothing"
    elif isinstance(value, bool):
        yield f"{indent}{head} yes/no {'yes' if value else 'no'}"
    elif isinstance(value, int | float):
        yield f"{indent}{head} number {value!r}"
    elif isinstance(value, bytes):
        told = b64encode(value).decode()
        if 0 < len(told) <= _WRAP:
            yield f"{indent}{head} bytes {told}"
        else:
            yield f"{indent}{head} bytes"
            yield from (f"{inner}= {told[at : at + _WRAP]}" for at in range(0, len(told), _WRAP))
            yield f"{inner}."
    elif isinstance(value, Secret):
        yield f"{indent}{head} secret {value.sealed or 'left out'}"
    elif isinstance(value, dict):
        yield f"{indent}{head} map"
        for name, one in value.items():
            yield from _value(f"{write_name(name, ':')}:", one, inner)
        yield f"{inner}."
    else:
        yield f"{indent}{head} list"
        for one in value:
            yield from _value("-", one, inner)
        yield f"{inner}."


def _text(head: str, text: str, indent: str) -> Iterator[str]:
    if "\n" not in text and len(text) <= _WIDE:
        yield f"{indent}{head} text {_quoted(text)}"
        return
    yield f"{indent}{head} text"
    for row in text.split("\n"):
        for at in range(0, max(1, len(row)), _WIDE):
            piece = _quoted(row[at : at + _WIDE], leading=True)
            yield f"{indent}  {'+' if at else '|'} {piece}".rstrip(" ")
    yield f"{indent}  ."


def _quoted(text: str, leading: bool = False) -> str:
    """Write a text on one line: as it is, or as a JSON string where that could be misread.

    leading: spaces before it are seen to belong to it.
    """
    if not text:
        return "" if leading else '""'
    plain = text.isprintable() if "\t" not in text else text.replace("\t", "").isprintable()
    edges = text[-1] in " \t" or (not leading and text[0] in " \t")
    return json.dumps(text) if not plain or edges or text.lstrip()[:1] == '"' else text


def _unquoted(text: str) -> str:
    if text[:1] != '"' and text.lstrip()[:1] != '"':
        return text
    try:
        found = json.loads(text)
    except ValueError:
        found = None
    if not isinstance(found, str):
        raise NoValue(f"{text[:60]} begins with a quote and does not end as a text in quotes")
    return found


def is_key_text(start: str) -> bool:
    """Tell whether a file that begins like this is, or was cut out of, a key text."""
    if start.startswith(_HEAD[: _HEAD.index(",")]):
        return True
    rows = (row.strip() for row in start.splitlines()[:400])
    return any(row.startswith("[") and "] /" in row and not row.endswith("]") for row in rows)


def read(file: IO[bytes]) -> Opened:
    """Open a key text. Raises `BadFile` with the line; what has no place is passed over, told."""
    manifest = Manifest(format="keepsort-key-text")
    rows = _rows(file)
    for number, row in rows:
        if row.startswith("#:"):
            name, _, told = row[2:].strip().partition(": ")
            if name == "sealing":
                manifest.sealing = _sealing(told, number)
            elif name in TOLD:
                try:
                    setattr(manifest, name, read_name(told))
                except NoValue as error:
                    raise BadFile(f"line {number}: {error}.") from None
        elif row and not row.startswith("#"):
            break
    else:
        number, row = 0, ""
    reader = _Reader(rows, (number, row))
    return Opened(manifest, reader.lines(), passed_over=reader.passed_over)


def _sealing(told: str, number: int) -> Sealing:
    parts = told.split()
    try:
        return Sealing(
            n=int(parts[0]), r=int(parts[1]), p=int(parts[2]), salt=parts[3], check=parts[4]
        )
    except (ValueError, IndexError):
        raise BadFile(f"line {number}: it does not tell how secrets are sealed.") from None


def _rows(file: IO[bytes]) -> Iterator[tuple[int, str]]:
    """Yield lines with their numbers, without their ends and without what is before them."""
    number = 0
    while raw := file.readline(LONGEST_LINE + 1):
        number += 1
        if len(raw) > LONGEST_LINE:
            raise BadFile(f"line {number} is longer than {LONGEST_LINE} bytes.")
        try:
            row = raw.decode("utf-8-sig" if number == 1 else "utf-8")
        except UnicodeDecodeError:
            raise BadFile(f"line {number} is not UTF-8.") from None
        yield number, row.rstrip("\r\n").lstrip(" \t")


class _Cut(Exception):
    """A value that spans lines is not closed; what came instead is put back."""


class _Reader:
    """Reads objects off lines; each method takes the lines that it is about."""

    def __init__(self, rows: Iterator[tuple[int, str]], first: tuple[int, str]) -> None:
        self._rows = rows
        self._number, self._row = first
        self.passed_over: list[str] = []

    def _next(self) -> None:
        self._number, self._row = next(self._rows, (0, ""))

    def lines(self) -> Iterator[Line]:
        """Yield the objects in the order of the file."""
        begun = self._number
        while self._number and not self._row.startswith("["):
            self._next()
        if self._number != begun:
            until = f"to {self._number - 1}" if self._number else "on"
            self._pass_over(begun, f"lines {begun} {until} stand beneath no place")
        while self._number:
            yield self._object()

    def _pass_over(self, number: int, text: str) -> None:
        if len(self.passed_over) < 100:
            self.passed_over.append(text if text.startswith("line") else f"line {number}: {text}")

    def _object(self) -> Line:
        number = self._number
        try:
            kind, close, place = self._row[1:].partition("]")
            if not close:
                raise NoValue("a place is written [kind] /its/place")
            line = Line(read_place(place.strip()), read_name(kind))
            self._next()
            while self._number and not self._row.startswith("["):
                number = self._number
                self._told(line)
        except NoValue as error:
            raise BadFile(f"line {number}: {error}.") from None
        return line

    def _told(self, line: Line) -> None:
        """Read one thing that is told of an object."""
        row = self._row
        if not row or row.startswith("#"):
            self._next()
        elif row.startswith("!id "):
            line.id = _unquoted(row[4:])
            self._next()
        elif row.startswith("!unreadable "):
            line.unreadable = _unquoted(row[12:])
            self._next()
        else:
            self._attribute(line.attributes, line.path)

    def _attribute(self, found: Attributes, place: Path) -> None:
        number = self._number
        name, colon, rest = self._row.partition(":")
        if not colon:
            raise NoValue(f"{self._row[:60]!r} is neither a place nor NAME: TYPE VALUE")
        name = read_name(name)
        if name in found:
            raise NoValue(f"{name} comes twice in {write_place(place)}")
        try:
            found[name] = self._typed(rest.strip(" \t"), 0)
        except _Cut:
            text = f"{name} of {write_place(place)} is cut off, so it is left aside"
            self._pass_over(number, text)

    def _typed(self, told: str, depth: int) -> Value:
        """Read a value of which the type, and what follows it on the line, is given."""
        kind, _, rest = told.partition(" ")
        if kind == "text":
            if rest:
                self._next()
                return _unquoted(rest)
            return "".join(self._block("|+"))[1:]
        if kind == "bytes":
            if rest:
                self._next()
                return from_base64(rest.strip())
            return from_base64("".join(self._block("=")))
        if kind in ("list", "map") and not rest:
            if depth > _DEEP:
                raise NoValue("it is nested too deep")
            return self._list(depth) if kind == "list" else self._map(depth)
        self._next()
        return _simple(kind, rest.strip(), told)

    def _block(self, marks: str) -> Iterator[str]:
        """Yield what stands on the lines of a text or of bytes, up to the one that closes it."""
        self._next()
        while self._row != ".":
            mark = self._row[:1]
            if not mark or mark not in marks:
                if self._row.startswith("#"):
                    self._next()
                    continue
                raise _Cut
            rest = self._row[2:] if self._row[1:2] == " " else self._row[1:]
            yield ("\n" if mark == "|" else "") + (rest.strip() if mark == "=" else _unquoted(rest))
            self._next()
        self._next()

    def _list(self, depth: int) -> list[Value]:
        found: list[Value] = []
        self._next()
        while self._row != ".":
            if self._row.startswith("#") or (self._number and not self._row):
                self._next()
            elif self._row.startswith("- "):
                found.append(self._typed(self._row[2:].strip(" \t"), depth + 1))
            else:
                raise _Cut
        self._next()
        return found

    def _map(self, depth: int) -> dict[str, Value]:
        found: dict[str, Value] = {}
        self._next()
        while self._row != ".":
            name, colon, rest = self._row.partition(":")
            if self._row.startswith("#") or (self._number and not self._row):
                self._next()
            elif not colon or self._row.startswith("["):
                raise _Cut
            elif (key := read_name(name)) in found:
                raise NoValue(f"{key} comes twice in a map")
            else:
                found[key] = self._typed(rest.strip(" \t"), depth + 1)
        self._next()
        return found


def _simple(kind: str, rest: str, told: str) -> Value:
    """Read a value that stands on one line."""
    if kind == "nothing":
        return None
    if kind == "yes/no" and rest in ("yes", "no"):
        return rest == "yes"
    if kind == "number":
        try:
            return int(rest) if rest.lstrip("-").isdigit() and rest.isascii() else float(rest)
        except ValueError:
            raise NoValue(f"{rest[:40]!r} is no number") from None
    if kind == "secret" and rest:
        return LEFT_OUT if rest == "left out" else Secret(rest)
    raise NoValue(
        f"{told[:40]!r} is no type and value; types are text, number, yes/no, nothing, bytes, "
        "list, map and secret"
    )
