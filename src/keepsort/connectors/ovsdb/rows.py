"""Rows of a database as they hang on each other: which object each is, and where it stands.

A row stands beneath the row that holds it by a strong reference. Rows of root tables that nothing
holds stand at the top; where there is a root table of one row, that row is the top itself.
"""

import re
from typing import Any

import msgspec

from keepsort.connectors.ids import Ids
from keepsort.connectors.ovsdb.columns import Column, Table, rows_in
from keepsort.core.model.notation import write_slash

Row = dict[str, Any]
_CALLED_BY_ID = re.compile(r" ([0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12})$")


class Held(msgspec.Struct, frozen=True):
    """How a row hangs on another: on which column, and by which key where that is a map."""

    above: str
    column: str
    key: str


class Rows:
    """All rows of a database at one moment."""

    def __init__(self, tables: dict[str, Table], found: dict[str, list[Row]]) -> None:
        self.tables = tables
        self._holding = {name: holding(tables, table) for name, table in tables.items()}
        self.table_of: dict[str, str] = {}
        self.row: dict[str, Row] = {}
        self.held: dict[str, Held] = {}
        for table, rows in found.items():
            for row in rows:
                id = str(row["_uuid"][1])
                self.table_of[id], self.row[id] = table, row
        self.ids = Ids(self._top())
        self._hang()
        self._place()

    def _top(self) -> str:
        """Return the id of the row that is the top; empty where there is none of its kind."""
        for name, table in self.tables.items():
            if table.root and table.most == 1:
                return next((i for i, t in self.table_of.items() if t == name), "")
        return ""

    def _hang(self) -> None:
        for id in sorted(self.row):
            for column in self._holding[self.table_of[id]]:
                for key, other in rows_in(column, self.row[id].get(column.name, ["set", []])):
                    if other in self.row:  # the first that holds it is where it stands
                        self.held.setdefault(other, Held(id, column.name, key))

    def _place(self) -> None:
        above: dict[str, list[str]] = {}
        for id, held in self.held.items():
            above.setdefault(held.above, []).append(id)
        top = self.ids.top
        tops = [i for i in self.row if i not in self.held and i != top]
        self._name(top, [*above.get(top, ()), *tops] if top else tops)
        for id, ids in above.items():
            if id != top:
                self._name(id, ids)

    def _name(self, above: str, ids: list[str]) -> None:
        """Give the rows beneath one their names, and with these their places."""
        names: dict[str, list[str]] = {}
        for id in ids:
            names.setdefault(self.name(id), []).append(id)
        for name, same in names.items():
            for id in same:
                self.ids.put(id, above, name if len(same) == 1 else f"{name} {id}")

    def name(self, id: str) -> str:
        """Return what a row is called among its siblings."""
        table = self.tables[self.table_of[id]]
        row, held = self.row[id], self.held.get(id)
        if table.named_by:
            return str(row[table.named_by])
        own = naming(table)
        if own and isinstance(row.get(own), str) and row[own]:
            return f"{table.name} {row[own]}"
        if held is not None:
            column = self.tables[self.table_of[held.above]].columns[held.column]
            if column.is_map:
                return f"{table.name} {held.key}"
            if column.most == 1:
                return table.name
        return f"{table.name} {id}"

    def written(self, id: str) -> str:
        """Return how a reference to a row is written; its bare id where the row is not here."""
        return write_slash(self.ids.path(id)) if id in self.ids else id

    def stands_alike(self, id: str, row: Row) -> bool:
        """Tell whether a row as it is now is called so, holds the same, and names known rows."""
        table, before = self.tables[self.table_of[id]], self.row[id]
        own = naming(table)
        if own and row.get(own) != before.get(own):
            return False
        held = {column.name for column in self._holding[table.name]}
        for name, column in table.columns.items():
            if row.get(name) == before.get(name):
                continue
            last = column.value or column.key
            if name in held or (
                last.table and any(other not in self.row for _, other in rows_in(column, row[name]))
            ):
                return False
        return True


def id_in(name: str) -> str | None:
    """Return the id that a row is called by; None where it has a name."""
    found = _CALLED_BY_ID.search(name)
    return found[1] if found else None


def naming(table: Table) -> str:
    """Return the column that a row is called by; empty where there is none."""
    if table.named_by:
        return table.named_by
    for name in ("name", "target"):
        column = table.columns.get(name)
        if column is not None and column.is_single and column.key.type == "string":
            return name
    return ""


def holding(tables: dict[str, Table], table: Table) -> list[Column]:
    """Return the columns on which other rows hang: those of tables that are no roots."""
    return [
        column
        for column in table.columns.values()
        if column.holds is not None and not tables[column.holds.table].root
    ]
