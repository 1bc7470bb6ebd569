"""Objects as sections of an INI file: a section a place, an attribute a line.

There is no standard of INI; this is what Python's configparser and most others read. A value is a
text as it stands, or JSON where it is none, or could be misread.
"""

import configparser
import io
import json
from collections.abc import Iterator
from typing import IO

import msgspec

from keepsort.core.model import Value
from keepsort.files.exported import TOLD, Batch, Line, Manifest
from keepsort.files.naming import read_name, read_place, write_name, write_place
from keepsort.files.opened import BadFile, Opened
from keepsort.files.plain_values import NoValue, from_plain, to_plain

MOST_BYTES = 64 << 20
_KIND, _ID, _UNREADABLE = "!kind", "!id", "!unreadable"


def write(out: IO[bytes], batch: Batch) -> int:
    """Write a batch as sections; return how many objects it holds."""
    out.write(b"; Keep Sort objects\n")
    for name in TOLD:
        told = str(getattr(batch.manifest, name))
        if told:
            out.write(f"; {name}: {write_name(told, '')}\n".encode())
    count = 0
    for line in batch.lines:
        rows = [f"\n[{write_place(line.path, '[]')}]", f"{_KIND} = {_value(line.kind)}"]
        if line.id is not None:
            rows.append(f"{_ID} = {_value(line.id)}")
        if line.unreadable is not None:
            rows.append(f"{_UNREADABLE} = {_value(line.unreadable)}")
        for name, value in line.attributes.items():
            rows.append(f"{write_name(name, '=:')} = {_value(value)}")
        out.write("\n".join(rows).encode() + b"\n")
        count += 1
    for path, name in batch.left_out.secrets:
        out.write(f"; left out, a secret: {write_place(path)} {write_name(name, '')}\n".encode())
    batch.left_out.formats.append("facts")
    return count


def _value(value: Value) -> str:
    if isinstance(value, str) and value and value.isprintable() and value == value.strip():
        try:
            json.loads(value)
        except (ValueError, RecursionError):
            if value[0] not in '"[{;#':
                return value
    return (
        json.dumps(to_plain(value))
        if isinstance(value, str)
        else (msgspec.json.encode(to_plain(value)).decode())
    )


def read(file: IO[bytes]) -> Opened:
    """Open a file of sections. Raises `BadFile`."""
    raw = file.read(MOST_BYTES + 1)
    if len(raw) > MOST_BYTES:
        raise BadFile(f"It is longer than {MOST_BYTES >> 20} MiB, the most that is read of INI.")
    parser = configparser.RawConfigParser(
        delimiters=("=",), comment_prefixes=(";", "#"), default_section="\0",
        empty_lines_in_values=False,
    )  # fmt: skip
    parser.optionxform = str  # type: ignore[assignment,method-assign]
    try:
        text = raw.decode("utf-8-sig")
        parser.read_file(io.StringIO(text, newline=None))
    except UnicodeDecodeError as error:
        line = raw.count(b"\n", 0, error.start) + 1
        raise BadFile(f"line {line}: it is not UTF-8.") from None
    except configparser.Error as error:
        raise BadFile(f"{' '.join(str(error).split())}.") from None
    manifest = Manifest(format="ini")
    for row in text.splitlines()[:20]:
        name, colon, told = row.lstrip("; ").partition(": ")
        if row.startswith("; ") and colon and name in TOLD:
            setattr(manifest, name, told)
    return Opened(manifest, _lines(parser))


def _lines(parser: configparser.RawConfigParser) -> Iterator[Line]:
    for section in parser.sections():
        try:
            line = Line(read_place(section), "")
            for name, told in parser.items(section):
                _read(line, name, told)
        except NoValue as error:
            raise BadFile(f"[{section[:80]}]: {error}.") from None
        yield line


def _read(line: Line, name: str, told: str) -> None:
    value: Value = told
    try:
        value = from_plain(json.loads(told))
    except RecursionError:
        raise NoValue("a value is nested too deep") from None
    except NoValue:
        raise
    except ValueError:
        if told[:1] in ('"', "[", "{"):
            raise NoValue(f"{name} begins as JSON and is none") from None
    if name in (_KIND, _ID, _UNREADABLE):
        if not isinstance(value, str):
            raise NoValue(f"{name} is no text")
        field = {_KIND: "kind", _ID: "id", _UNREADABLE: "unreadable"}[name]
        setattr(line, field, value)
    else:
        line.attributes[read_name(name)] = value
