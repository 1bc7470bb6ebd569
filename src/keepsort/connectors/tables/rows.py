"""How the rows of one table are asked for, and read."""

from collections.abc import Iterable, Sequence
from functools import cached_property
from itertools import islice
from typing import NamedTuple

from keepsort.connectors.tables import names
from keepsort.connectors.tables.arrangement import Place
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.values import quoted
from keepsort.core.model import Path, Value


class Row(NamedTuple):
    """A row, as texts.

    above: the key of the row that it hangs on; None where it hangs on none.
    hanging: what its columns hold that say so. names: keys of rows that it names, by column.
    """

    version: str
    key: Key
    name: str | None
    above: Key | None
    hanging: tuple[str | None, ...]
    names: dict[str, str | None]
    told: Sequence[str | None]
    facts: Sequence[str | None]


class Rows:
    """The rows of one table."""

    def __init__(self, place: Place) -> None:
        self.place = place
        self.table = place.table
        self._parent = place.parent
        self._facts = [c for c in self.table.columns.values() if place.is_fact(c)]

    @cached_property
    def above_columns(self) -> tuple[str, ...]:
        """The columns that name the row above, in the order of that table's key."""
        return self._parent.columns if self._parent is not None else ()

    @cached_property
    def selected(self) -> str:
        """SQL of all that is read of a row."""
        texts = [*self.table.key, *([self.place.named_by] if self.place.named_by else [])]
        texts += [*self.above_columns, *self.place.references]
        columns = [f"{quoted(name)}::text" for name in texts]
        columns += [c.type.selected(c.name) for c in (*self.place.told, *self._facts)]
        return f"select xmin::text, {', '.join(columns)} from {self.table.sql}"

    @cached_property
    def selected_places(self) -> str:
        """SQL of what says where a row stands."""
        named = [self.place.named_by] if self.place.named_by else []
        columns = [f"{quoted(name)}::text" for name in (*self.table.key, *named)]
        columns += [f"{quoted(name)}::text" for name in self.above_columns]
        return f"select {', '.join(columns)} from {self.table.sql}"

    def read(self, found: Sequence[str | None]) -> Row:
        """Read what `selected` gave."""
        rest = iter(found[1:])
        key, name, hanging = self._where(rest)
        named = dict(zip(self.place.references, rest, strict=False))
        told = tuple(islice(rest, len(self.place.told)))
        return Row(
            found[0] or "", key, name, self._above(hanging), hanging, named, told, tuple(rest)
        )

    def read_place(self, found: Sequence[str | None]) -> tuple[Key, str | None, Key | None]:
        """Read what `selected_places` gave: key, name, and the key of what it hangs on."""
        key, name, hanging = self._where(iter(found))
        return key, name, self._above(hanging)

    def _where(
        self, rest: "Iterable[str | None]"
    ) -> tuple[Key, str | None, tuple[str | None, ...]]:
        values = iter(rest)
        key = tuple(text or "" for text in islice(values, len(self.table.key)))
        name = next(values) if self.place.named_by else None
        return key, name, tuple(islice(values, len(self.above_columns)))

    def _above(self, hanging: tuple[str | None, ...]) -> Key | None:
        """Return the key of the row above, in the order of its table's key."""
        whole = tuple(text for text in hanging if text is not None)
        return whole if self._parent is not None and len(whole) == len(hanging) else None

    def among(self, columns: Sequence[str], keys: Iterable[Key]) -> str:
        """Return SQL that holds for rows whose columns have one of some keys.

        Raises ValueError where a key cannot be one of theirs.
        """
        lists = []
        for key in keys:
            values = [self.literal(name, part) for name, part in zip(columns, key, strict=True)]
            lists.append(values[0] if len(values) == 1 else f"({', '.join(values)})")
        names_sql = [quoted(name) for name in columns]
        left = names_sql[0] if len(names_sql) == 1 else f"({', '.join(names_sql)})"
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

    @property
    def facts(self) -> Sequence[str]:
        """Names of the columns that are only told."""
        return [column.name for column in self._facts]
