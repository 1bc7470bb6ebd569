"""Steps as the operations of one transaction (RFC 7047, section 5.2)."""

import json
from collections.abc import Sequence
from typing import Any

from keepsort.connectors.base import Ready, SecretKeeper
from keepsort.connectors.errors import Refused
from keepsort.connectors.ovsdb.columns import Column, Table, hung, let_go, write_value
from keepsort.connectors.ovsdb.objects import Translation
from keepsort.connectors.ovsdb.rows import Rows, holding, id_in
from keepsort.connectors.ovsdb.wire import Operation
from keepsort.core.model import Attributes, Path, Value, identical
from keepsort.core.model.masks import MARK, MASK
from keepsort.core.model.notation import read_slash, write_slash
from keepsort.core.plan import Step


class Transaction:
    """The operations that carry out some steps, all of them or none.

    keeps_ids: whether the server takes the id that a new row is to have.
    """

    def __init__(
        self, translation: Translation, rows: Rows, keeper: SecretKeeper, keeps_ids: bool
    ) -> None:
        self._translation = translation
        self._tables = translation.tables
        self._rows = rows
        self._keeper = keeper
        self._keeps_ids = keeps_ids
        #: what names the rows that steps have made, or moved, by where they stand then
        self._came: dict[Path, Any] = {}
        self._gone: set[str] = set()
        self._kinds: dict[Path, str] = {}

    def operations(self, ready: Sequence[Ready]) -> list[Operation]:
        """Return what to ask for. Raises `Refused`."""
        steps = [step for step, _ in ready]
        made = self._made(steps)
        guards: list[Operation] = []
        changes: list[Operation] = []
        hangs: dict[Path, dict[str, list[Path]]] = {}
        lets_go: dict[tuple[str, str], list[str]] = {}

        def hang(place: Path, column: str) -> None:
            hangs.setdefault(place[:-1], {}).setdefault(column, []).append(place)

        for step, seen in ready:
            if step.action == "create":
                hang(step.path, self.column_for(step))
                continue
            id = self._id(step.path)
            guards.append(self._unchanged(id, seen.version or ""))
            held = self._rows.held.get(id)
            if step.action == "delete":
                self._gone.add(id)
                if held is not None:
                    lets_go.setdefault((held.above, held.column), []).append(id)
                # the server looks for what refers to a row before it collects what nothing holds
                changes.append(_of_row("delete", self._rows.table_of[id], id))
                continue
            if step.to is not None and step.to[:-1] != step.path[:-1] and held is not None:
                lets_go.setdefault((held.above, held.column), []).append(id)
                hang(step.to, held.column)
            row = self._changed(step)
            if row:
                changes.append({**_of_row("update", step.kind, id), "row": row})
        for step in made.values():
            changes.append(self._insert(step, hangs.pop(step.path, {})))
        for above, columns in hangs.items():
            for column, places in columns.items():
                if column:
                    id = self._id(above)
                    guards.append(self._hanging(id, column))
                    lost = lets_go.pop((id, column), [])
                    changes.append(self._mutation(id, column, places, lost))
        for (above_id, column), lost in lets_go.items():
            if above_id not in self._gone:
                changes.append(self._mutation(above_id, column, [], lost))
        return [*guards, *changes]

    def _made(self, steps: Sequence[Step]) -> dict[Path, Step]:
        """Note what names the rows that are to come, or to stand elsewhere."""
        made = {step.path: step for step in steps if step.action == "create"}
        self._kinds = {path: step.kind for path, step in made.items()}
        for number, step in enumerate(steps):
            if step.action == "create":
                # what comes from another switch has no id, but may be called by one
                kept = (step.identity or id_in(step.path[-1])) if self._keeps_ids else None
                named = ["uuid", kept] if kept else ["named-uuid", f"row{number}"]
                self._came[step.path] = named
            elif step.to is not None and (moved := self._rows.ids.at(step.path)):
                self._came[step.to] = ["uuid", moved]
        return made

    def _id(self, path: Path) -> str:
        id = self._rows.ids.at(path)
        if not id:
            raise Refused(f"{write_slash(path)}, which should hold it, does not exist.")
        return id

    def _unchanged(self, id: str, version: str) -> Operation:
        wait = _of_row("wait", self._rows.table_of[id], id)
        rows = [{"_version": ["uuid", version]}]
        return {**wait, "timeout": 0, "columns": ["_version"], "until": "==", "rows": rows}

    def _hanging(self, id: str, column: str) -> Operation:
        """Guard what hangs beneath a row already: nobody may have put the same there meanwhile."""
        wait = _of_row("wait", self._rows.table_of[id], id)
        rows = [{column: self._rows.row[id][column]}]
        return {**wait, "timeout": 0, "columns": [column], "until": "==", "rows": rows}

    def column_for(self, step: Step) -> str:
        """Return the column that a new object hangs on; empty at the top. Raises `Refused`."""
        columns = columns_for(self._tables, self._kind_at(step.path[:-1]), step.kind)
        if columns:
            return columns[0].name
        if self._tables[step.kind].root:
            return ""
        above = write_slash(step.path[:-1])
        raise Refused(f"Nothing of {above} holds a {self._translation.schema.label(step.kind)}.")

    def _kind_at(self, path: Path) -> str:
        if path in self._kinds:
            return self._kinds[path]
        return self._rows.table_of.get(self._rows.ids.at(path) or "", "")

    def _insert(self, step: Step, hangs: dict[str, list[Path]]) -> Operation:
        table = self._tables[step.kind]
        row = self._row(table, step.after or {}, list(step.after or {}))
        if table.named_by:
            row[table.named_by] = step.path[-1]
        for column, places in hangs.items():
            row[column] = hung(table.columns[column], self._new(places))
        kind, value = self._came[step.path]
        return {
            "op": "insert", "table": step.kind, "row": row,
            ("uuid" if kind == "uuid" else "uuid-name"): value,
        }  # fmt: skip

    def _new(self, places: list[Path]) -> list[tuple[str, Any]]:
        return [(_map_key(place), self._came[place]) for place in places]

    def _mutation(self, id: str, name: str, come: list[Path], go: list[str]) -> Operation:
        """Hang rows on a column and let others go, in this order: some may not be empty."""
        kind = self._rows.table_of[id]
        column = self._tables[kind].columns[name]
        mutations = []
        if come:
            mutations.append([name, "insert", hung(column, self._new(come))])
        if go:
            lost = [(self._rows.held[one].key, ["uuid", one]) for one in go]
            mutations.append([name, "delete", let_go(column, lost)])
        return {**_of_row("mutate", kind, id), "mutations": mutations}

    def _changed(self, step: Step) -> dict[str, Any]:
        return self._row(self._tables[step.kind], step.after or {}, _differing(step))

    def _row(self, table: Table, after: Attributes, names: list[str]) -> dict[str, Any]:
        row = {}
        for name in names:
            column = table.columns.get(name)
            if column is None:
                raise Refused(f"The server's table {table.name} has no column {name}.")
            row[name] = write_value(column, self._with_secrets(after.get(name)), self._named)
        return row

    def _named(self, text: str) -> Any:
        """Return what names the row that a reference is to. Raises `Refused`."""
        if not text.startswith("/"):
            return ["uuid", text]
        path = read_slash(text)
        if path in self._came:
            return self._came[path]
        id = self._rows.ids.at(path)
        if not id:
            raise Refused(f"It names {text}, which does not exist.")
        return ["uuid", id]

    def _with_secrets(self, value: Value) -> Value:
        if not isinstance(value, dict):
            return value
        return {key: self._revealed(key, one) for key, one in value.items()}

    def _revealed(self, key: str, value: Value) -> Value:
        found = MARK.fullmatch(value) if isinstance(value, str) else None
        if found is None:
            return value
        kept = self._keeper.reveal(found[1])
        if kept is None:
            raise Refused(f"The value of {key} was never kept.", "Set it by hand afterwards.")
        return kept.decode()


def columns_for(tables: dict[str, Table], above: str, kind: str) -> list[Column]:
    """Return the columns of one table on which rows of another can hang."""
    if above not in tables:
        return []
    columns = holding(tables, tables[above])
    return [c for c in columns if c.holds is not None and c.holds.table == kind]


def _map_key(place: Path) -> str:
    return place[-1].rpartition(" ")[2]


def _differing(step: Step) -> list[str]:
    before, after = step.before or {}, step.after or {}
    names = sorted(before.keys() | after.keys())
    return [name for name in names if not identical(before.get(name), after.get(name))]


def _of_row(op: str, table: str, id: str) -> Operation:
    return {"op": op, "table": table, "where": [["_uuid", "==", ["uuid", id]]]}


def shown(translation: Translation, rows: Rows, step: Step) -> str:
    """Write a step as the operations that carry it out; paths stand for the ids of rows."""
    table = translation.tables.get(step.kind)
    if table is None:
        return f"nothing can be asked for: the server has no table {step.kind}"
    own = [["_uuid", "==", _shown_id(step.path)]]
    operations: list[Operation] = []
    after = step.after or {}
    row = {
        name: write_value(table.columns[name], _masked(after.get(name)), _shown_reference)
        for name in _differing(step)
        if name in table.columns
    }
    if step.action == "create":
        named = {table.named_by: step.path[-1]} if table.named_by else {}
        operations.append({"op": "insert", "table": step.kind, "row": {**named, **row}})
        operations += _shown_hanging(translation, rows, step, step.path, "insert")
    else:
        wait = {"op": "wait", "table": step.kind, "where": own, "timeout": 0}
        version = [{"_version": ["uuid", "as it was read"]}]
        operations.append({**wait, "columns": ["_version"], "until": "==", "rows": version})
        if step.action == "delete":
            held = _shown_hanging(translation, rows, step, step.path, "delete")
            operations += [*held, {"op": "delete", "table": step.kind, "where": own}]
        else:
            if step.to is not None:
                operations += _shown_hanging(translation, rows, step, step.to, "insert")
                operations += _shown_hanging(translation, rows, step, step.path, "delete")
            if row:
                operations.append({"op": "update", "table": step.kind, "where": own, "row": row})
    return "\n".join(map(_lines, operations))


def _lines(operation: Operation) -> str:
    """Write an operation as JSON, the columns of its row on lines of their own."""
    apart = {"mutations": "\n  "}
    told = [f"{apart.get(k, '')}{_json(k)}: {_json(v)}" for k, v in operation.items() if k != "row"]
    if "row" in operation:
        row = [f"  {_json(k)}: {_json(v)}" for k, v in operation["row"].items()]
        told.append('"row": {\n' + ",\n".join(row) + "}")
    return "{" + ", ".join(told) + "}"


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)


def _shown_hanging(
    translation: Translation, rows: Rows, step: Step, path: Path, way: str
) -> list[Operation]:
    """Return what hangs a row on the one above it; nothing where that one is still to come."""
    above = rows.table_of.get(rows.ids.at(path[:-1]) or "", "")
    where = [["_uuid", "==", _shown_id(path[:-1])]]
    written = hung if way == "insert" else let_go
    row = [(_map_key(path), _shown_id(path))]
    return [
        {"op": "mutate", "table": above, "where": where,
         "mutations": [[column.name, way, written(column, row)]]}
        for column in columns_for(translation.tables, above, step.kind)[:1]
    ]  # fmt: skip


def _shown_id(path: Path) -> list[str]:
    return ["uuid", write_slash(path)]


def _shown_reference(text: str) -> list[str]:
    return ["uuid", text]


def _masked(value: Value) -> Value:
    if not isinstance(value, dict):
        return value
    return {k: MASK if isinstance(v, str) and MARK.fullmatch(v) else v for k, v in value.items()}
