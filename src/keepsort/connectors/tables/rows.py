"""How the rows of one table are asked for, and read."""

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from typing import NamedTuple

from keepsort.connectors.tables import names
from keepsort.connectors.tables.arrangement import Place
from keepsort.connectors.tables.catalogue import Column
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.values import quoted
from keepsort.core.model import Path, Value

Texts = Sequence[str | None]
#: How the table itself is called in what is asked, and the one that its rows hang on.
OWN, ABOVE = "own", "above"


class Row(NamedTuple):
    """A row: its key, its name, the key of the row that it hangs on, and all of it as texts."""

    key: Key
    name: str | None
    above: Key | None
    texts: Texts

    @property
    def version(self) -> str:
        """What the database tells states of the row apart by."""
        return self.texts[0] or ""


class Rows:
    """The rows of one table.

    Of each is asked: its version, its key, its name, the key of the row above, what its own columns
    say of that, the keys that it names, and what is told of it.
    """

    def __init__(self, place: Place) -> None:
        self.place = place
        self.table = place.table
        count = len(self.table.key)
        parts = len(self.above_columns)
        self._key = slice(1, count + 1)
        self._name = count + 1 if place.named_by else 0
        at = count + 1 + bool(place.named_by)
        self._above = slice(at, at + parts)
        self._hanging = slice(at + parts, at + 2 * parts)
        at += 2 * parts
        own = set(place.references) | place.secrets
        self.references = [(n, f, at + i) for i, (n, f) in enumerate(place.references.items())]
        at += len(place.references)
        told = [(column, at + i) for i, column in enumerate(place.told)]
        #: attributes that are read by themselves: name, how, and where the text is
        self.plain = [(c.name, _reader(c), i) for c, i in told if c.name not in own]
        self.hidden = [(c.name, i) for c, i in told if c.name in place.secrets]
        self.named = {c.name: (c, i) for c, i in told if c.name in place.references}
        facts = [c for c in self.table.columns.values() if place.is_fact(c)]
        self.facts = [(c.name, _reader(c), at + len(told) + i) for i, c in enumerate(facts)]
        self._facts = facts

    @property
    def above_columns(self) -> tuple[str, ...]:
        """The columns that name the row above, in the order of that foreign key."""
        return self.place.parent.columns if self.place.parent is not None else ()

    def columns(self, above: str = OWN, above_columns: Sequence[str] | None = None) -> str:
        """Return SQL of all that is asked of a row.

        above: the table that has the key of the row above, where that is joined; else the row's own
            columns say it.
        """
        place = self.place
        hanging = [f"{OWN}.{quoted(name)}::text" for name in self.above_columns]
        names_above = self.above_columns if above_columns is None else above_columns
        found = [f"{OWN}.xmin::text"]
        found += [f"{OWN}.{quoted(name)}::text" for name in self.table.key]
        found += [f"{OWN}.{quoted(place.named_by)}::text"] if place.named_by else []
        found += [f"{above}.{quoted(name)}::text" for name in names_above]
        found += hanging
        found += [f"{OWN}.{quoted(name)}::text" for name in place.references]
        found += [c.type.selected(f"{OWN}.{quoted(c.name)}") for c in (*place.told, *self._facts)]
        return ", ".join(found)

    @cached_property
    def selected(self) -> str:
        """SQL that asks for rows."""
        return f"select {self.columns()} from {self.table.sql} {OWN}"

    @cached_property
    def selected_places(self) -> str:
        """SQL of what says where a row stands."""
        named = [self.place.named_by] if self.place.named_by else []
        columns = (*self.table.key, *named, *self.above_columns)
        texts = [f"{OWN}.{quoted(name)}::text" for name in columns]
        return f"select '', {', '.join(texts)} from {self.table.sql} {OWN}"

    def read(self, found: Texts) -> Row:
        """Read what was asked for, or what says where a row stands."""
        name = found[self._name] if self._name else None
        above = found[self._above]
        whole = above if above and None not in above else None
        return Row(tuple(found[self._key]), name, whole, found)  # type: ignore[arg-type]

    def hanging(self, row: Row) -> list[tuple[str, str]]:
        """Return what the row's own columns say of the row that it hangs on."""
        texts = zip(self.above_columns, row.texts[self._hanging], strict=True)
        return [(name, text) for name, text in texts if text is not None]

    def among(self, columns: Sequence[str], keys: Iterable[Key]) -> str:
        """Return SQL that holds for rows whose columns have one of some keys.

        Raises ValueError where a key cannot be one of theirs.
        """
        return self.holding(
            columns,
            [
                [self.literal(name, part) for name, part in zip(columns, key, strict=True)]
                for key in keys
            ],
        )

    def holding(self, columns: Sequence[str], values: Iterable[Sequence[str]]) -> str:
        """Return SQL that holds for rows whose columns have one of some values, given as SQL."""
        lists = [one[0] if len(one) == 1 else f"({', '.join(one)})" for one in values]
        texts = [f"{OWN}.{quoted(name)}" for name in columns]
        left = texts[0] if len(texts) == 1 else f"({', '.join(texts)})"
        return f"{left} in ({', '.join(lists)})"

    def literal(self, column: str, text: str | None) -> str:
        """Return a text as the value that a column has by it. Raises ValueError."""
        kind = self.table.columns[column].type
        return kind.literal(kind.read(text))

    def path(self, above: Path, key: Key, name: str | None) -> Path:
        """Return where a row stands that hangs on the row at `above`; at the top where empty."""
        return (*above, self.table.name, names.called(name, key))

    def value(self, column: str, text: str | None) -> Value:
        """Return what a text of a column is as a value. Raises ValueError."""
        return self.table.columns[column].type.read(text)


def _reader(column: Column) -> Callable[[str | None], Value] | None:
    """Return what reads values of a column; None where they are the texts that they come as."""
    kind = column.type
    if kind.form == "whole" and not kind.is_list:
        return int  # type: ignore[return-value]
    return None if kind.form in ("plain", "json") and not kind.is_list else kind.read
