"""Rows as objects, and the schema of a database as that of a tree."""

from typing import Any

from keepsort.connectors.base import SecretKeeper
from keepsort.connectors.ovsdb import switch
from keepsort.connectors.ovsdb.columns import Column, Table, read_value
from keepsort.connectors.ovsdb.rows import Rows, holding
from keepsort.core.model import (
    Attributes,
    AttributeSpec,
    ConfigObject,
    Kind,
    Schema,
    Value,
)
from keepsort.core.model.masks import mark

#: The kind of the top where no row is the top.
TOP = "database"


class Translation:
    """How the rows of one database are told as objects.

    facts: columns that the system sets by itself, by table. secrets: keys in maps whose values are
        never shown.
    """

    def __init__(
        self,
        tables: dict[str, Table],
        facts: dict[str, set[str]],
        secrets: frozenset[str],
        keeper: SecretKeeper,
    ) -> None:
        self.tables = tables
        self._facts = facts
        self._secrets = secrets
        self._keeper = keeper
        self._held = {n: {c.name for c in holding(tables, t)} for n, t in tables.items()}
        self._told = {name: self._columns(table) for name, table in tables.items()}
        self.schema = self._schema()

    def _columns(self, table: Table) -> list[tuple[Column, bool]]:
        """Return the columns that are told, and of each whether it is a fact.

        The name, and that on which other rows hang, is seen from where the objects stand.
        """
        facts = self._facts.get(table.name, ())
        apart = {*self._held[table.name], table.named_by}
        told = [c for c in table.columns.values() if c.name not in apart]
        return [(column, column.ephemeral or column.name in facts) for column in told]

    def _schema(self) -> Schema:
        kinds = {TOP: Kind(TOP, "database", icon="folder", renamable=False)}
        for name, table in self.tables.items():
            kinds[name] = Kind(
                name,
                switch.LABELS.get(name, name),
                attributes={
                    c.name: self._spec(name, c) for c, fact in self._told[name] if not fact
                },
                renamable=False,
                holds=tuple(
                    column.holds.table
                    for column in holding(self.tables, table)
                    if column.holds is not None and column.least
                ),
            )
        return Schema(kinds=kinds)

    def _spec(self, table: str, column: Column) -> AttributeSpec:
        last = column.value or column.key
        shape: Any = "map" if column.is_map else "single" if column.is_single else "set"
        return AttributeSpec(
            shape=shape,
            number=last.type in ("integer", "real"),
            reference=bool(last.table),
            read_only=not column.mutable,
            unit=switch.UNITS.get(table, {}).get(column.name, ""),
        )

    def object(self, rows: Rows, id: str) -> ConfigObject:
        """Return a row as an object; one that cannot be understood is kept as such."""
        path, table, row = rows.ids.path(id), rows.table_of[id], rows.row[id]
        name = path[-1] if path else ""
        attributes: Attributes = {}
        facts: Attributes = {}
        try:
            for column, fact in self._told[table]:
                if column.name not in row:
                    continue
                value = read_value(column, row[column.name], rows.written)
                if value is not None and fact:
                    facts[column.name] = value
                elif value is not None:
                    attributes[column.name] = self._without_secrets(value)
        except (ValueError, LookupError, TypeError) as error:
            why = f"the row cannot be understood: {error}"
            return ConfigObject(name=name, kind=table, identity=id, unreadable=why)
        return ConfigObject(name=name, kind=table, identity=id, attributes=attributes, facts=facts)

    def _without_secrets(self, value: Value) -> Value:
        if not isinstance(value, dict):
            return value
        return {
            key: mark(self._keeper.digest(str(v).encode())) if key in self._secrets else v
            for key, v in value.items()
        }


def top_object() -> ConfigObject:
    """Return the top of a database none of whose rows is the top."""
    return ConfigObject(name="", kind=TOP)
