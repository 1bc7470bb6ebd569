"""Keys for rows that are put beside those that have theirs now."""

from collections.abc import Mapping, Sequence
from typing import Any

import psycopg

from keepsort.connectors.errors import Refused
from keepsort.connectors.tables import names
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import OWN, Rows
from keepsort.connectors.tables.session import texts
from keepsort.connectors.tables.statements import key_at
from keepsort.connectors.tables.values import quoted
from keepsort.connectors.tables.whereabouts import portions
from keepsort.core.model import Attributes, Path
from keepsort.core.model.notation import write_slash


class NewKeys:
    """What rows are called that are to be made; it remembers what it has given."""

    def __init__(self, rows: Mapping[str, Rows]) -> None:
        self._rows = rows
        self._given: dict[str, set[Key]] = {}
        self._highest: dict[tuple[str, str], int] = {}

    def names_for(self, cursor: psycopg.Cursor[Any], places: Sequence[Path]) -> list[str]:
        """Return what rows are called, each by its own key where that is free.

        Raises `Refused` where no key can be found for one.
        """
        wanted = [self._wanted(place) for place in places]
        by_table: dict[str, list[Key]] = {}
        for place, one in zip(places, wanted, strict=True):
            if one is not None:
                by_table.setdefault(place[-2], []).append(one[1])
        taken = {table: self._taken(cursor, table, keys) for table, keys in by_table.items()}
        found = []
        for place, one in zip(places, wanted, strict=True):
            if one is None:
                found.append(place[-1])
                continue
            name, key = one
            given = self._given.setdefault(place[-2], set())
            if key in taken[place[-2]] or key in given:
                key = self._next(cursor, place, key)
            given.add(key)
            found.append(names.called(name, key))
        return found

    def with_key(self, table: str, attributes: Attributes, place: Path) -> Attributes:
        """Return what a row holds that is called by a key, with this key in it."""
        rows, key = self._rows.get(table), key_at(self._rows, place)
        if rows is None or key is None:
            return attributes
        pairs = zip(rows.table.key, key, strict=True)
        return attributes | {n: rows.value(n, text) for n, text in pairs if n in attributes}

    def _wanted(self, place: Path) -> tuple[str | None, Key] | None:
        """Return name and key that a row would have at a place; None where no row stands so."""
        rows = self._rows.get(place[-2]) if len(place) > 1 else None
        called = names.read(place[-1], len(rows.table.key)) if rows is not None else None
        if rows is None or called is None:
            return None
        name, key = called
        parent = rows.place.parent
        above = key_at(self._rows, place[:-2]) if parent is not None else None
        if parent is None or above is None:
            return called
        own = dict(zip(parent.columns, above, strict=True))
        # what the key says of the row above is that row's key, wherever this one stands
        return name, tuple(own.get(n, part) for n, part in zip(rows.table.key, key, strict=True))

    def _taken(self, cursor: psycopg.Cursor[Any], table: str, keys: list[Key]) -> set[Key]:
        rows = self._rows[table]
        columns = ", ".join(f"{OWN}.{quoted(name)}::text" for name in rows.table.key)
        found: set[Key] = set()
        for some in portions(dict.fromkeys(keys)):
            try:
                among = rows.among(rows.table.key, some)
            except ValueError as error:
                raise Refused(f"A key of {table} cannot be one: {error}.") from None
            query = f"select {columns} from {rows.table.sql} {OWN} where {among}"
            found |= {tuple(part or "" for part in one) for one in texts(cursor, query)}
        return found

    def _next(self, cursor: psycopg.Cursor[Any], place: Path, key: Key) -> Key:
        """Return the next key that no row has: a number that counts on, where there is one."""
        table = place[-2]
        rows = self._rows[table]
        parent = rows.place.parent
        fixed = set(parent.columns) if parent is not None else set()
        foreign = {name for one in rows.table.foreign for name in one.columns}
        for at, column in enumerate(rows.table.key):
            kind = rows.table.columns[column].type
            if column in fixed or column in foreign or kind.form != "whole" or kind.is_list:
                continue
            highest = self._highest.get((table, column))
            if highest is None:
                query = f"select max({quoted(column)})::text from {rows.table.sql}"
                [[last]] = list(texts(cursor, query))
                highest = int(last or 0)
            self._highest[table, column] = highest + 1
            return (*key[:at], str(highest + 1), *key[at + 1 :])
        raise Refused(
            f"The key of {write_slash(place)} is taken, and it is none that counts on. "
            "Free it, or take the row's place."
        )
