"""Where rows stand in the tree, as far as somebody asked: each is found by what it hangs on."""

from collections.abc import Collection, Iterable, Iterator, Mapping
from itertools import islice
from typing import Any, TypeVar

import psycopg

from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import Row, Rows
from keepsort.connectors.tables.session import fetched, texts
from keepsort.core.model import Path

_AT_ONCE = 500
T = TypeVar("T")


class Whereabouts:
    """Paths of rows by their keys, as they stand in one transaction."""

    def __init__(self, rows: Mapping[str, Rows], cursor: psycopg.Cursor[Any]) -> None:
        self._rows = rows
        self._cursor = cursor
        self._known: dict[str, dict[Key, Path]] = {}

    def learn_all(self) -> None:
        """Learn where all rows stand that others name, and what those hang on."""
        wanted = {f.target for one in self._rows.values() for f in one.place.references.values()}
        for name in list(wanted):
            parent = self._rows[name].place.parent
            while parent is not None and parent.target not in wanted:
                wanted.add(parent.target)
                parent = self._rows[parent.target].place.parent
        for name, rows in self._rows.items():  # what others hang on comes first
            if name in wanted and not rows.table.unread and rows.table.key:
                known = self._known.setdefault(name, {})
                for row in map(rows.read, fetched(self._cursor, rows.selected_places)):
                    known[row.key] = self.path(rows, row)

    def learn(self, table: str, keys: Collection[Key]) -> None:
        """Learn where some rows stand, and all that they hang on."""
        rows, known = self._rows[table], self._known.setdefault(table, {})
        unknown = {key for key in keys if key not in known}
        if not unknown or rows.table.unread or not rows.table.key:
            return
        found: list[Row] = []
        for some in portions(unknown):
            among = rows.among(rows.table.key, some)
            query = f"{rows.selected_places} where {among}"
            found += map(rows.read, texts(self._cursor, query))
        if rows.place.parent is not None:
            self.learn(rows.place.parent.target, {row.above for row in found if row.above})
        for row in found:
            known[row.key] = self.path(rows, row)

    def of(self, table: str, key: Key | None) -> Path | None:
        """Return where a row stands; None where that is not known."""
        return self._known.get(table, {}).get(key) if key is not None else None

    def path(self, rows: Rows, row: Row) -> Path:
        """Return where a row stands, by what is known of the row that it hangs on."""
        parent = rows.place.parent
        above = self.of(parent.target, row.above) if parent is not None else None
        return rows.path(above or (), row.key, row.name)


def portions(keys: Iterable[T]) -> Iterator[list[T]]:
    """Divide keys so that each part can be asked for at once."""
    rest = iter(keys)
    while some := list(islice(rest, _AT_ONCE)):
        yield some
