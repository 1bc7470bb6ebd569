"""Carries steps out in one transaction: rows are locked, seen to be the same, and written."""

from collections.abc import Mapping, Sequence
from typing import Any

import psycopg

from keepsort.connectors.base import Ready, SecretKeeper
from keepsort.connectors.errors import Changed, Conflict, ConnectorError, Refused
from keepsort.connectors.tables.catalogue import Column, Table, Trigger
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import OWN, Rows
from keepsort.connectors.tables.session import Session, texts, told
from keepsort.connectors.tables.statements import key_at, statements
from keepsort.connectors.tables.values import quoted
from keepsort.connectors.tables.whereabouts import portions
from keepsort.core.model import Path
from keepsort.core.model.masks import MASK
from keepsort.core.model.notation import write_slash
from keepsort.core.plan import Step

_SWITCHED = {"O": "enable trigger", "A": "enable always trigger"}


class Failed(Exception):
    """One step of some was not taken."""

    def __init__(self, step: Step, error: ConnectorError) -> None:
        super().__init__(str(error))
        self.step, self.error = step, error


class Writing:
    """What can be written to one database.

    without_triggers: whether triggers of tables that are written rest meanwhile.
    """

    def __init__(
        self,
        session: Session,
        rows: Mapping[str, Rows],
        keeper: SecretKeeper,
        without_triggers: bool,
    ) -> None:
        self._session = session
        self._rows = rows
        self._keeper = keeper
        self._without_triggers = without_triggers

    def write(self, ready: Sequence[Ready]) -> None:
        """Carry out steps, all or none. Raises `Changed`, `Refused` or another error."""
        try:
            with self._session.writing() as cursor:
                self._lock(cursor, ready)
                self._carry_out(cursor, [step for step, _ in ready])
        except Failed as failed:
            if isinstance(failed.error, Conflict):
                raise failed.error from None
            raise Refused(f"{write_slash(failed.step.path)}: {failed.error.args[0]}") from None

    def tried(self, steps: Sequence[Step]) -> Failed | None:
        """Carry steps out, and take all of it back at once; tell what the database refused."""
        try:
            with self._session.writing(keep=False) as cursor:
                self._carry_out(cursor, steps)
        except Failed as failed:
            return failed
        except Refused as error:  # what is only looked at when all has been written
            return Failed(steps[-1], error)
        return None

    def shown(self, step: Step) -> str:
        """Write a step as the SQL that carries it out, secrets masked."""
        found = statements(self._rows, step, lambda digest, column: f"'{MASK}'")
        return "\n".join(found) or "-- nothing is written: it names the same rows as before"

    def _lock(self, cursor: psycopg.Cursor[Any], ready: Sequence[Ready]) -> None:
        """Lock rows in the order of their keys, and see that each is what it was judged by."""
        wanted: dict[str, dict[Key, tuple[Path, str | None]]] = {}
        for step, seen in ready:
            key = key_at(self._rows, step.path)
            if seen.found is not None and key is not None:
                wanted.setdefault(step.path[-2], {})[key] = (step.path, seen.version)
        for table in sorted(wanted):
            rows = self._rows[table]
            key_columns = rows.table.key
            texts_of_key = ", ".join(f"{quoted(name)}::text" for name in key_columns)
            order = ", ".join(map(quoted, key_columns))
            found: dict[Key, str] = {}
            for some in portions(sorted(wanted[table])):
                cursor.execute(
                    f"select {texts_of_key}, xmin::text from {rows.table.sql} {OWN} "
                    f"where {rows.among(key_columns, some)} order by {order} for update"
                )
                found |= {tuple(row[:-1]): row[-1] for row in cursor.fetchall()}
            for key, (path, version) in wanted[table].items():
                if found.get(key) != version:
                    raise Changed(f"{write_slash(path)} was changed at this very moment.")

    def _carry_out(self, cursor: psycopg.Cursor[Any], steps: Sequence[Step]) -> None:
        resting = self._resting({step.kind for step in steps}) if self._without_triggers else []
        for table, trigger in resting:
            cursor.execute(f"alter table {table.sql} disable trigger {quoted(trigger.name)}")
        for step in steps:
            try:
                for place, statement in enumerate(statements(self._rows, step, self._revealed)):
                    cursor.execute(statement)
                    if place == 0 and cursor.rowcount != 1:
                        where = write_slash(step.path)
                        raise Changed(f"{where} is not as it was previewed any more.")
            except psycopg.Error as error:
                raise Failed(step, told(self._session.where, error)) from None
            except ValueError as error:
                raise Failed(step, Refused(f"It cannot be written: {error}.")) from None
            except ConnectorError as error:
                raise Failed(step, error) from None
        if resting:  # a table cannot be altered that something is still to be checked of
            cursor.execute("set constraints all immediate")
        for table, trigger in resting:
            way = _SWITCHED[trigger.state]
            cursor.execute(f"alter table {table.sql} {way} {quoted(trigger.name)}")

    def _resting(self, kinds: set[str]) -> list[tuple[Table, Trigger]]:
        return [
            (self._rows[kind].table, trigger)
            for kind in sorted(kinds)
            for trigger in self._rows[kind].table.triggers
            if trigger.state in _SWITCHED
        ]

    def _revealed(self, digest: str, column: Column) -> str:
        kept = self._keeper.reveal(digest)
        if kept is None:
            raise Refused(f"The secret in {column.name} was never kept, so it cannot be written.")
        return column.type.literal(column.type.read(kept.decode()))


def foreign_rows(
    cursor: psycopg.Cursor[Any],
    rows: Rows,
    columns: Sequence[str],
    values: Sequence[Sequence[str]],
) -> list[Key]:
    """Return the keys of rows of a table whose columns have some values, given as SQL."""
    selected = ", ".join(f"{quoted(name)}::text" for name in rows.table.key) or "''"
    found: list[Key] = []
    for some in portions(values):
        query = f"select {selected} from {rows.table.sql} {OWN} where {rows.holding(columns, some)}"
        found += [tuple(t or "" for t in one) for one in texts(cursor, f"{query} limit 1000")]
    return found
