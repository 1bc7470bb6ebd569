"""Where rows stand in the tree, as far as somebody asked: each is found by what it hangs on."""

from collections.abc import Collection, Iterable, Iterator, Mapping
from itertools import islice
from typing import Any, TypeVar

import psycopg

from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import Rows
from keepsort.connectors.tables.session import texts
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
        """Learn where all rows stand that others hang on, or name."""
        wanted = {one.place.parent.target for one in self._rows.values() if one.place.parent}
        wanted |= {f.target for one in self._rows.values() for f in one.place.references.values()}
        for name, rows in self._rows.items():  # what others hang on comes first
            if name not in wanted or rows.table.unread or not rows.table.key:
                continue
            known = self._known.setdefault(name, {})
            for key, title, above in map(
                rows.read_place, texts(self._cursor, rows.selected_places)
            ):
                known[key] = rows.path(self._above(rows, above), key, title)

    def learn(self, table: str, keys: Collection[Key]) -> None:
        """Learn where some rows stand, and all that they hang on."""
        rows, known = self._rows[table], self._known.setdefault(table, {})
        unknown = {key for key in keys if key not in known}
        if not unknown or rows.table.unread or not rows.table.key:
            return
        found: list[tuple[Key, str | None, Key | None]] = []
        for some in portions(unknown):
            among = rows.among(rows.table.key, some)
            query = f"{rows.selected_places} where {among}"
            found += map(rows.read_place, texts(self._cursor, query))
        if rows.place.parent is not None:
            self.learn(rows.place.parent.target, {above for _, _, above in found if above})
        for key, title, above in found:
            known[key] = rows.path(self._above(rows, above), key, title)

    def of(self, table: str, key: Key | None) -> Path | None:
        """Return where a row stands; None where that is not known."""
        return self._known.get(table, {}).get(key) if key is not None else None

    def all_of(self, table: str) -> Collection[Path]:
        """Return where all rows of a table stand that are known."""
        return self._known.get(table, {}).values()

    def _above(self, rows: Rows, above: Key | None) -> Path:
        parent = rows.place.parent
        return (self.of(parent.target, above) or ()) if parent is not None else ()


def portions(keys: Iterable[T]) -> Iterator[list[T]]:
    """Divide keys so that each part can be asked for at once."""
    rest = iter(keys)
    while some := list(islice(rest, _AT_ONCE)):
        yield some
