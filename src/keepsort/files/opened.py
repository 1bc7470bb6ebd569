"""What is read from a file, whatever its format."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from keepsort.core.model import Schema
from keepsort.files.exported import Line, Manifest

#: No file that is opened may hold more, go deeper, or have longer lines.
MOST_OBJECTS = 20_000_000
DEEPEST = 64
LONGEST_LINE = 64 << 20


class BadFile(ValueError):
    """A file that cannot be trusted or understood; the text says where and why."""


@dataclass
class Opened:
    """A file that was opened; what it is of, and its objects.

    lines: every object, its values as they are; raises `BadFile` at the first that is none.
    schema: the kinds, where the file tells of them.
    cells: values are what a table shows; what they stand for is known beside the object itself.
    signed_by: the key, in base64, by which its checksums are signed; empty where they are not.
    passed_over: what was not understood and is left aside, with its place; grows while the lines
        are read.
    """

    manifest: Manifest
    lines: Iterator[Line]
    schema: Schema | None = None
    cells: bool = False
    signed_by: str = ""
    passed_over: list[str] = field(default_factory=list)
