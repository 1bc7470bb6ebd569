"""The backup's writing of a part, with live's line ends and indentation."""

from keepsort.core.model import Path
from keepsort.core.plan import Unfit
from keepsort.formats.places import Place, Span

#: What can be done where a part cannot be put in place alone.
ELSE = "Pick its lines in the text instead."


def named(path: Path) -> str:
    """Write the path of a part for people."""
    return "/".join(path) or "the text"


class Spelling:
    """Writes parts of a backup's text as they stand in a live text."""

    def __init__(self, text: str, backup: str) -> None:
        self.text = text
        self.backup = backup

    def written(self, source: Place, column: int | None, span: Span | None = None) -> str:
        """Return a part as the backup writes it, with live's line ends and indentation."""
        raw = (span or source.whole).of(self.backup)
        if source.joint != "line":
            return raw
        return self.shifted(self.ended(raw), source, column)

    def shifted(self, raw: str, source: Place, column: int | None) -> str:
        """Return lines indented as far as live has it. Raises `Unfit`."""
        if source.column is None or column is None or source.column == column:
            return raw
        shift = column - source.column
        lines = raw.splitlines(keepends=True)
        if shift > 0:
            return "".join(" " * shift + line if line.strip() else line for line in lines)
        if any(line.strip() and line[:-shift].strip() for line in lines):
            raise Unfit(f"{named(source.path)} is indented in another way live. {ELSE}")
        return "".join(line[-shift:] if line.strip() else line for line in lines)

    def at_the_end(self, raw: str, stop: int, span: Span) -> str:
        """Return lines that may come to the end of the text: it ends as it did live."""
        other = self.text or span.of(self.backup)
        if stop < len(self.text) or other.endswith(("\n", "\r")):
            return raw
        return raw.removesuffix(self.line_end())

    def line_end(self) -> str:
        """Return how lines end in the live text."""
        text = self.text if "\n" in self.text else self.backup
        return "\r\n" if "\r\n" in text else "\n"

    def ended(self, raw: str) -> str:
        """Return lines with the line ends of the live text."""
        raw = raw.replace("\r\n", "\n")
        raw = raw if raw.endswith("\n") else raw + "\n"
        return raw.replace("\n", self.line_end())
