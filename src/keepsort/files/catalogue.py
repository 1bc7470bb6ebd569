"""The formats there are, and telling which one a file is in by what it holds."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import IO

from keepsort.files import archive, documents, key_text, ldif, sections, tables
from keepsort.files.exported import Batch
from keepsort.files.opened import BadFile, Opened
from keepsort.files.zips import holds

_START = 1 << 16


@dataclass(frozen=True)
class Format:
    """One format.

    extension, media_type: what its files are called and sent as.
    seals: whether it can hold secrets that are sealed. ordered: whether objects come in their own
        order, where they have one.
    """

    name: str
    extension: str
    media_type: str
    write: Callable[[IO[bytes], Batch], int]
    read: Callable[[IO[bytes]], Opened]
    seals: bool = False
    ordered: bool = False


_XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
FORMATS: dict[str, Format] = {
    one.name: one
    for one in (
        Format("archive", "zip", "application/zip", archive.write, archive.read, True),
        Format(
            "text",
            "txt",
            "text/plain; charset=utf-8",
            key_text.write,
            key_text.read,
            True,
            ordered=True,
        ),
        Format("json", "json", "application/json", documents.write_json, documents.read_json, True),
        Format("yaml", "yaml", "application/yaml", documents.write_yaml, documents.read_yaml, True),
        Format("toml", "toml", "application/toml", documents.write_toml, documents.read_toml, True),
        Format("ini", "ini", "text/plain; charset=utf-8", sections.write, sections.read),
        Format("ldif", "ldif", "text/plain; charset=utf-8", ldif.write, ldif.read),
        Format("csv", "csv", "text/csv", tables.write_csv, tables.read_csv),
        Format("csv-objects", "csv", "text/csv", tables.write_wide_csv, tables.read_csv),
        Format("xlsx", "xlsx", _XLSX, tables.write_xlsx, tables.read_xlsx),
        Format("xlsx-objects", "xlsx", _XLSX, tables.write_wide_xlsx, tables.read_xlsx),
    )
}


def formats_of(file: IO[bytes]) -> list[str]:
    """Tell which formats a file may be in, by how it begins; it is left at its beginning.

    Raises `BadFile` where it is in none.
    """
    start = file.read(_START)
    file.seek(0)
    if start.startswith(b"PK\x03\x04"):
        return ["xlsx" if holds(file, "[Content_Types].xml") else "archive"]
    if start.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise BadFile("It is UTF-16; save it as UTF-8 and open it again.")
    if not start.strip():
        raise BadFile("It is empty.")
    text = start.removeprefix(b"\xef\xbb\xbf").decode("utf-8", "replace")
    if "\0" in text:
        raise BadFile("It is in no format that is known here: it is neither text nor a ZIP.")
    found = [name for name, matches in _MARKS.items() if matches(text)]
    if found:
        return found
    raise BadFile(
        "It is in no format that is known here. Known are: our archive, key text, JSON, YAML, TOML "
        "and INI of objects, LDIF, and tables as CSV or workbook."
    )


def _rows(text: str) -> list[str]:
    return [row.strip() for row in text.splitlines()[:400]]


_MARKS: dict[str, Callable[[str], bool]] = {
    "text": key_text.is_key_text,
    "json": lambda text: text.lstrip().startswith("{"),
    "ldif": ldif.is_ldif,
    "csv": lambda text: tables.is_table(text.partition("\n")[0]),
    "yaml": lambda text: any(row.startswith(("objects:", "format: ")) for row in _rows(text)),
    "toml": lambda text: any(row in ("[[objects]]",) or row.startswith("format = ")
                             for row in _rows(text)),
    "ini": lambda text: any(row.startswith("[/") and row.endswith("]") for row in _rows(text)),
}  # fmt: skip
