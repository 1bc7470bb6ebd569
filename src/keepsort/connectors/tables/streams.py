"""Reads tables side by side, so that each row is followed by all that hangs on it.

Every table comes in the order of the keys of what its rows hang on, so that none has to be held:
those that hang on a row are those that come next.
"""

from collections.abc import Iterator, Mapping
from typing import Any

import psycopg

from keepsort.connectors.errors import OddAnswer
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import ABOVE, OWN, Row, Rows
from keepsort.connectors.tables.session import fetched
from keepsort.connectors.tables.values import quoted


class Stream:
    """The rows of one table, one after the other."""

    def __init__(self, rows: Rows, found: Iterator[tuple[str | None, ...]]) -> None:
        self.rows = rows
        self._found = map(rows.read, found)
        self.head: Row | None = next(self._found, None)

    def advance(self) -> None:
        """Go on to the next row."""
        self.head = next(self._found, None)

    def beneath(self, above: Key | None) -> Iterator[Row]:
        """Yield the rows that come next and hang on one row, or on none."""
        while (row := self.head) is not None and row.above == above:
            self.advance()
            yield row


class Streams:
    """The rows of all tables, or of those that hang on one row."""

    def __init__(
        self,
        rows: Mapping[str, Rows],
        cursor: psycopg.Cursor[Any],
        top: tuple[str, Key] | None = None,
    ) -> None:
        self._rows = rows
        self._cursor = cursor
        self._top = top
        self._streams: dict[str, Stream] = {}
        self.below: dict[str, list[Rows]] = {name: [] for name in rows}
        for one in rows.values():
            if one.place.parent is not None:
                self.below[one.place.parent.target].append(one)

    def of(self, name: str) -> Stream:
        """Return the rows of a table, as far as they have not been read yet."""
        found = self._streams.get(name)
        if found is None:
            rows = self._rows[name]
            found = self._streams[name] = Stream(rows, fetched(self._cursor, self._query(rows)))
        return found

    def see_all_read(self, where: str) -> None:
        """Raise `OddAnswer` where a row did not come when what it hangs on was told."""
        for name, stream in self._streams.items():
            if stream.head is not None:
                raise OddAnswer(where, "a PostgreSQL server", f"rows of {name} out of order")

    def _query(self, rows: Rows) -> str:
        """Return SQL of a table in the order of what its rows hang on, the topmost first."""
        order = [f"{OWN}.{quoted(column)}" for column in rows.table.key]
        joins: list[str] = []
        condition = ""
        alias, parent = OWN, rows.place.parent
        while parent is not None:
            upper = f"{ABOVE}{len(joins)}"
            pairs = zip(parent.columns, parent.target_columns, strict=True)
            on = " and ".join(f"{upper}.{quoted(b)} = {alias}.{quoted(a)}" for a, b in pairs)
            above = self._rows[parent.target]
            joins.append(f"left join {above.table.sql} {upper} on {on}")
            order = [f"{upper}.{quoted(column)}" for column in above.table.key] + order
            if self._top is not None and parent.target == self._top[0]:
                key = zip(above.table.key, self._top[1], strict=True)
                held = [f"{upper}.{quoted(c)} = {above.literal(c, text)}" for c, text in key]
                condition = f" where {' and '.join(held)}"
                break
            alias, parent = upper, above.place.parent
        own_parent = rows.place.parent
        columns = (
            rows.columns(f"{ABOVE}0", own_parent.target_columns)
            if own_parent is not None
            else rows.columns()
        )
        return (
            f"select {columns} from {rows.table.sql} {OWN} {' '.join(joins)}{condition} "
            f"order by {', '.join(order)}"
        )
