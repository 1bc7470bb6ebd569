"""Steps as SQL: what is shown is what is sent, but for secrets."""

from collections.abc import Callable, Mapping

from keepsort.connectors.tables import names
from keepsort.connectors.tables.arrangement import Place
from keepsort.connectors.tables.catalogue import Column, ForeignKey
from keepsort.connectors.tables.rows import Rows
from keepsort.connectors.tables.values import NULL, quoted, string
from keepsort.core.model import Attributes, Path, Value
from keepsort.core.model.notation import read_slash
from keepsort.core.plan import Step

#: Returns the SQL of a secret by its digest and its column.
Reveal = Callable[[str, Column], str]
_BETWEEN = "\n   and "


def statements(rows: Mapping[str, Rows], step: Step, reveal: Reveal) -> list[str]:
    """Return the statements of a step; the first of them writes one row, or the step failed.

    There are none where the row stays as it is, since only what it names is called otherwise.
    Raises ValueError where something in it cannot be written.
    """
    own = rows[step.kind]
    table = own.table.sql
    if step.action == "create":
        new = contents(rows, own.place, step.path, step.after or {}, reveal)
        return [_insert(own, new), *_numbers(own.place)]
    before = contents(rows, own.place, step.path, step.before or {}, reveal)
    guard = _guard(own.place, before)
    if step.action == "delete":
        return [f"delete from {table}\n where {guard};"]
    after = contents(rows, own.place, step.final_path, step.after or {}, reveal)
    changed = {name: sql for name, sql in after.items() if sql != before[name]}
    if not changed:  # a row that it names is called otherwise now, and stays the same row
        return []
    given = ",\n       ".join(f"{quoted(name)} = {sql}" for name, sql in changed.items())
    return [f"update {table}\n   set {given}\n where {guard};"]


def _insert(rows: Rows, new: Mapping[str, str]) -> str:
    columns = rows.table.columns
    given = {name: sql for name, sql in new.items() if sql != NULL or not columns[name].not_null}
    over = any(columns[name].identity for name in given)
    return (
        f"insert into {rows.table.sql} ({', '.join(map(quoted, given))})\n"
        f"{'overriding system value ' if over else ''}values ({', '.join(given.values())});"
    )


def _guard(place: Place, before: Mapping[str, str]) -> str:
    """Return SQL that holds for the row only as long as it is as it was previewed."""
    told = [name for name in before if name not in place.secrets]
    ordered = sorted(told, key=lambda name: name not in place.table.key)
    return _BETWEEN.join(place.table.columns[n].type.same(n, before[n]) for n in ordered)


def _numbers(place: Place) -> list[str]:
    """Return what lets the numbers that a table gives by itself go on after those it has."""
    found = []
    for column in place.table.columns.values():
        if column.sequence:
            name, sequence = quoted(column.name), string(column.sequence)
            found.append(
                f"select setval({sequence}, max({name})) from {place.table.sql}\n"
                f"having max({name}) > coalesce(pg_sequence_last_value({sequence}), 0);"
            )
    return found


def contents(
    rows: Mapping[str, Rows], place: Place, path: Path, attributes: Attributes, reveal: Reveal
) -> dict[str, str]:
    """Return what each column of a row holds, as SQL: by its attributes and where it stands."""
    found: dict[str, str] = {}
    for column in place.told:
        value = attributes.get(column.name)
        foreign = place.references.get(column.name)
        if value is not None and column.name in place.secrets:
            found[column.name] = reveal(str(value), column)
        elif foreign is not None and (key := named(rows, foreign, value)) is not None:
            found[column.name] = rows[place.table.name].literal(column.name, key[0])
        else:
            found[column.name] = column.type.literal(value)
    found |= _carried(rows, place, path, attributes)
    return found


def _carried(
    rows: Mapping[str, Rows], place: Place, path: Path, attributes: Attributes
) -> dict[str, str]:
    """Return what columns hold that are told by where a row stands, and what it is called."""
    own = rows[place.table.name]
    carried: dict[str, str | None] = {}
    if place.named_by in place.apart:
        called = names.read(path[-1], len(place.table.key))
        carried[place.named_by] = called[0] if called is not None else None
    if place.parent is not None:
        above = key_at(rows, path[:-2]) if len(path) > 2 else None
        parts = above or (None,) * len(place.parent.columns)
        carried |= dict(zip(place.parent.columns, parts, strict=True))
    found = {}
    for name in sorted(place.apart):
        text = carried.get(name)
        column = place.table.columns[name]
        found[name] = (
            own.literal(name, text)
            if text is not None
            else column.type.literal(attributes.get(name))
        )
    return found


def key_at(rows: Mapping[str, Rows], path: Path) -> names.Key | None:
    """Return the key of the row that a path means; None where it can be none."""
    own = rows.get(path[-2]) if len(path) > 1 else None
    called = names.read(path[-1], len(own.table.key)) if own is not None else None
    return called[1] if called is not None else None


def named(rows: Mapping[str, Rows], foreign: ForeignKey, value: Value) -> names.Key | None:
    """Return the key of the row that a reference names by where it stands."""
    if not isinstance(value, str) or not value.startswith("/"):
        return None
    path = read_slash(value)
    return key_at(rows, path) if path[-2:-1] == (foreign.target,) else None
