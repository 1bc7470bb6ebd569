"""Tables that spreadsheet programs open: CSV (RFC 4180) and workbooks (ISO/IEC 29500).

They have a row for each value (path, kind, attribute, value), or a row for each object with a
column for each attribute. What could be taken for a formula is made harmless.
"""

import csv
import io
from collections.abc import Callable, Iterable, Iterator
from itertools import chain
from typing import IO, Literal, TypeVar
from zipfile import BadZipFile, ZipFile

from openpyxl import Workbook, load_workbook
from openpyxl.cell import WriteOnlyCell

from keepsort.core.model import Value
from keepsort.files.cells import SECRET, cell, cells, joined
from keepsort.files.exported import TOLD, Batch, Line, Manifest
from keepsort.files.naming import read_name, read_place, write_name, write_place
from keepsort.files.opened import BadFile, Opened
from keepsort.files.plain_values import NoValue
from keepsort.files.zips import check_listing

Layout = Literal["values", "objects"]
#: What a spreadsheet program would take for a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_VALUES = ["path", "kind", "attribute", "value"]
_OBJECTS = ["path", "kind"]
_MOST_COLUMNS, _MOST_ROWS, _LONGEST_CELL = 4096, 1_048_576, 32_767
_LONGEST_FIELD = 16 << 20
_MOST_MEMBERS, _MOST_UNPACKED = 2000, 512 << 20

Rows = Iterator[tuple[int, list[str]]]
#: A cell, and of which object and attribute where it may be too long for some.
Row = list[str | int | float]


class Uncarried(ValueError):
    """A format cannot carry this at all; the text says why."""


def write_csv(out: IO[bytes], batch: Batch) -> int:
    """Write a table (RFC 4180) with a row for each value; return how many objects it tells of."""
    return _write_csv(out, batch, "values")


def write_wide_csv(out: IO[bytes], batch: Batch) -> int:
    """Write a table (RFC 4180) with a row for each object."""
    return _write_csv(out, batch, "objects")


def _write_csv(out: IO[bytes], batch: Batch, layout: Layout) -> int:
    counted = _Counting(batch.lines)
    text = io.TextIOWrapper(out, encoding="utf-8", newline="", write_through=True)
    rows = csv.writer(text)
    defused = 0
    for row in _rows(counted, batch, layout):
        safe = [_safe(one) for one in row]
        defused += safe != row
        rows.writerow(safe)
    text.detach()
    _tell(batch, layout)
    if defused:
        batch.left_out.formats.append(f"{defused} rows look like formulas; a ' stands before them")
    return counted.count


def write_xlsx(out: IO[bytes], batch: Batch) -> int:
    """Write a workbook with a row for each value, and a sheet that tells what it is of."""
    return _write_xlsx(out, batch, "values")


def write_wide_xlsx(out: IO[bytes], batch: Batch) -> int:
    """Write a workbook with a row for each object."""
    return _write_xlsx(out, batch, "objects")


def _write_xlsx(out: IO[bytes], batch: Batch, layout: Layout) -> int:
    book = Workbook(write_only=True)
    counted = _Counting(batch.lines)
    sheet = book.create_sheet(layout)
    for number, row in enumerate(_rows(counted, batch, layout, _LONGEST_CELL), 1):
        if number > _MOST_ROWS:
            raise Uncarried(f"A sheet holds no more than {_MOST_ROWS} rows.")
        made = []
        for one in row:
            made.append(WriteOnlyCell(sheet, value=one))
            if isinstance(one, str):
                made[-1].data_type = "s"  # never a formula
        sheet.append(made)
    _tell(batch, layout)
    about = book.create_sheet("about")
    manifest = batch.manifest
    for name in TOLD:
        one = WriteOnlyCell(about, value=cell(str(getattr(manifest, name)))[:_LONGEST_CELL])
        one.data_type = "s"
        about.append([name, one])
    for told in batch.left_out.formats:
        about.append(["not in it", told[:_LONGEST_CELL]])
    book.save(out)
    return counted.count


def _tell(batch: Batch, layout: Layout) -> None:
    lists = "empty lists, " if layout == "values" else ""
    batch.left_out.formats.append(
        f"ids, facts, {lists}and whether a value is a text, a number or a part of a list"
    )


class _Counting:
    def __init__(self, lines: Iterable[Line]) -> None:
        self._lines, self.count = lines, 0

    def __iter__(self) -> Iterator[Line]:
        for line in self._lines:
            self.count += 1
            yield line


def _rows(
    lines: Iterable[Line], batch: Batch, layout: Layout, longest: int | None = None
) -> Iterator[Row]:
    def kept(line: Line, name: str, text: str) -> bool:
        if longest is None or len(text) <= longest:
            return True
        place = batch.schema.notation.write(line.path)
        batch.left_out.formats.append(f"{place}: {name}, too long for a cell")
        return False

    if layout == "values":
        yield list(_VALUES)
        for line in lines:
            place = write_place(line.path)
            kind = write_name(line.kind, "")
            if not any(cells(value) for value in line.attributes.values()):
                yield [place, kind, "", ""]  # it is there, though nothing of it has a cell
            for name, value in line.attributes.items():
                for one, text in zip(_elements(value), cells(value), strict=True):
                    if kept(line, name, text):
                        yield [place, kind, write_name(name, ""), _native(one, text)]
        return
    held = list(lines)
    names = sorted({name for line in held for name in line.attributes})
    if len(names) > _MOST_COLUMNS - len(_OBJECTS):
        raise Uncarried(f"It would have more than {_MOST_COLUMNS} columns; take a row a value.")
    yield [*_OBJECTS, *map(_heading, names)]
    for line in held:
        row: Row = [write_place(line.path), write_name(line.kind, "")]
        for name in names:
            text = joined(line.attributes[name]) if name in line.attributes else ""
            row.append(_native(line.attributes.get(name), text) if kept(line, name, text) else "")
        yield row


def _heading(name: str) -> str:
    """Write the name of an attribute so that it is told from the columns that all tables have."""
    return f"\\u{{{ord(name[0]):x}}}{name[1:]}" if name in _OBJECTS else write_name(name, "")


def _elements(value: Value) -> list[Value]:
    return value if isinstance(value, list) else [value]


def _native(value: Value, text: str) -> str | int | float:
    """Return a number where every program reads it back as the same one; else the text."""
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) < 1 << 53:
        return value
    return text


def _safe(one: str | int | float) -> str | int | float:
    """Put a ' before what a spreadsheet program would take for a formula."""
    if isinstance(one, str) and one.lstrip("'").startswith(_FORMULA):
        return "'" + one
    return one


def _unsafe(text: str) -> str:
    return text[1:] if text.startswith("'") and text[1:].lstrip("'").startswith(_FORMULA) else text


def read_csv(file: IO[bytes]) -> Opened:
    """Open a table. Commas, semicolons and tabs may stand between cells. Raises `BadFile`."""
    csv.field_size_limit(_LONGEST_FIELD)
    text = io.TextIOWrapper(file, encoding="utf-8-sig", newline="", errors="strict")
    try:
        head = text.readline(1 << 20)
        delimiter = next(
            (mark for mark in ",;\t" if head.count(mark) and _is_head(head, mark)), ","
        )
        reader = csv.reader(chain([head], text), delimiter=delimiter, strict=True)

        def rows() -> Rows:
            try:
                for row in reader:
                    if len(row) > _MOST_COLUMNS:
                        raise BadFile(
                            f"line {reader.line_num}: it has more than {_MOST_COLUMNS} columns."
                        )
                    yield reader.line_num, [_unsafe(one) for one in row]
            except csv.Error as error:
                raise BadFile(f"line {reader.line_num}: {error}.") from None
            except UnicodeDecodeError:
                raise BadFile(f"after line {reader.line_num}: it is not UTF-8.") from None

        return _opened(rows(), Manifest(format="csv"))
    except UnicodeDecodeError:
        raise BadFile("line 1: it is not UTF-8; save it as CSV in UTF-8.") from None


def is_table(head: str) -> bool:
    """Tell whether a first line is that of a table of objects."""
    return any(_is_head(head, mark) for mark in ",;\t")


def _is_head(head: str, mark: str) -> bool:
    names = [name.strip().strip('"') for name in head.rstrip("\r\n").split(mark)]
    return names[:2] == _OBJECTS


def read_xlsx(file: IO[bytes]) -> Opened:
    """Open a workbook: its first sheet. Formulas are never worked out. Raises `BadFile`."""
    try:
        _check_workbook(file)
        book = load_workbook(file, read_only=True, data_only=True, keep_links=False)
        sheet = book.worksheets[0]
        manifest = Manifest(format="xlsx")
        if "about" in book.sheetnames:
            for row in book["about"].iter_rows(max_row=20, max_col=2, values_only=True):
                if row[0] in TOLD:
                    setattr(manifest, row[0], str(row[1] or ""))

        def rows() -> Rows:
            most = {"max_col": _MOST_COLUMNS, "max_row": _MOST_ROWS}
            for number, row in enumerate(sheet.iter_rows(**most, values_only=True), 1):
                yield number, ["" if one is None else _shown(one) for one in row]

        return _opened(rows(), manifest)
    except BadFile:
        raise
    except Exception as error:
        # a broken workbook meets errors of the ZIP, of XML and of what reads both
        raise BadFile(f"It is no whole workbook ({type(error).__name__}: {error}).") from None


def _shown(value: object) -> str:
    if isinstance(value, bool | int | float):
        return cell(int(value) if isinstance(value, float) and value.is_integer() else value)
    return str(value)


def _check_workbook(file: IO[bytes]) -> None:
    """See that a workbook unpacks to what can be held, and declares no entities."""
    check_listing(file)
    try:
        with ZipFile(file) as packed:
            members = packed.infolist()
            if len(members) > _MOST_MEMBERS:
                raise BadFile(f"It has more than {_MOST_MEMBERS} members.")
            if sum(info.file_size for info in members) > _MOST_UNPACKED:
                raise BadFile(f"It unpacks to more than {_MOST_UNPACKED >> 20} MiB.")
            for info in members:
                if info.filename.endswith((".xml", ".rels")):
                    with packed.open(info) as member:
                        start = member.read(1 << 16).replace(b"\0", b"")
                    if b"<!DOCTYPE" in start or b"<!ENTITY" in start:
                        raise BadFile(f"{info.filename} declares entities, which none needs.")
    except (BadZipFile, OSError, NotImplementedError, RuntimeError) as error:
        raise BadFile(f"It is no whole workbook: {error}.") from None
    file.seek(0)


def _opened(rows: Rows, manifest: Manifest) -> Opened:
    number, head = next(rows, (1, []))
    while head and not head[-1]:
        head.pop()
    if head == _VALUES:
        lines = _by_values(rows)
    elif head[:2] == _OBJECTS and len(set(head)) == len(head):
        lines = _by_objects(rows, head)
    else:
        raise BadFile(
            f"line {number}: a table begins with path, kind, attribute, value, or with path, kind "
            "and attributes, each once."
        )
    return Opened(manifest, lines, cells=True)


_T = TypeVar("_T")


def _understood(number: int, text: str, read: Callable[[str], _T]) -> _T:
    try:
        return read(text)
    except NoValue as error:
        raise BadFile(f"line {number}: {error}.") from None


def _by_values(rows: Rows) -> Iterator[Line]:
    line: Line | None = None
    for number, row in rows:
        place, kind, name, value = (row + [""] * 4)[:4]
        if not place and not any(row):
            continue
        path = _understood(number, place, read_place)
        if line is None or line.path != path:
            if line is not None:
                yield line
            line = Line(path, _understood(number, kind, read_name))
        if name and value != SECRET:
            line.attributes.setdefault(_understood(number, name, read_name), []).append(value)
    if line is not None:
        yield line


def _by_objects(rows: Rows, head: list[str]) -> Iterator[Line]:
    names = [_understood(1, name, read_name) for name in head[2:]]
    for number, row in rows:
        if not any(row):
            continue
        place, kind = (row + [""] * 2)[:2]
        told = zip(names, row[2:], strict=False)
        yield Line(
            _understood(number, place, read_place),
            _understood(number, kind, read_name),
            attributes={name: value for name, value in told if value not in ("", SECRET)},
        )
