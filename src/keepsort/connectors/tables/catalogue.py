"""The tables of a database, as its own catalogue tells of them."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import psycopg

from keepsort.connectors.tables.values import Type, quoted


@dataclass(frozen=True)
class Column:
    """A column. filled: whether the database can give a value where none is written.

    sequence: what gives its next numbers, as SQL writes it; empty where nothing.
    """

    name: str
    type: Type
    not_null: bool = False
    filled: bool = False
    generated: bool = False
    identity: bool = False
    sequence: str = ""


@dataclass(frozen=True)
class ForeignKey:
    """Columns that name a row of a table.

    on_delete, on_update: what the database does with a row when the one that it names goes away, or
        is called otherwise.
    """

    columns: tuple[str, ...]
    target: str
    target_columns: tuple[str, ...]
    on_delete: str = "no action"
    on_update: str = "no action"

    def in_order_of(self, key: tuple[str, ...]) -> "ForeignKey | None":
        """Return it with its columns in the order of a key; None where it names by others."""
        if self.target_columns == key:
            return self
        if sorted(self.target_columns) != sorted(key):
            return None
        own = dict(zip(self.target_columns, self.columns, strict=True))
        return replace(self, columns=tuple(own[name] for name in key), target_columns=key)


@dataclass(frozen=True)
class Trigger:
    """Something the database does by itself when rows are written.

    state: ``O`` in ordinary sessions, ``A`` always, ``R`` in replicas, ``D`` never.
    """

    name: str
    actions: frozenset[str]
    state: str


@dataclass(frozen=True)
class Table:
    """A table, by the name that it has in the tree.

    key: columns that tell its rows apart; empty where nothing does.
    unread: why its rows cannot be read, or cannot all be; empty where they can.
    may: what the account may do: ``insert``, ``update``, ``delete``, and the columns that it may
        update or fill where not all of them.
    """

    name: str
    schema: str
    own_name: str
    columns: dict[str, Column]
    key: tuple[str, ...] = ()
    foreign: tuple[ForeignKey, ...] = ()
    triggers: tuple[Trigger, ...] = ()
    unread: str = ""
    may: frozenset[str] = frozenset()
    may_columns: dict[str, frozenset[str]] = field(default_factory=dict)

    @property
    def sql(self) -> str:
        """Its name as SQL writes it."""
        return quoted(self.schema, self.own_name)


_TABLES = """
select c.oid::int8, n.nspname, c.relname,
  has_schema_privilege(n.oid, 'usage'), has_table_privilege(c.oid, 'select'),
  row_security_active(c.oid),
  array_remove(array[
    case when has_table_privilege(c.oid, 'insert') then 'insert' end,
    case when has_table_privilege(c.oid, 'update') then 'update' end,
    case when has_table_privilege(c.oid, 'delete') then 'delete' end,
    case when pg_has_role(c.relowner, 'usage') then 'own' end], null)
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where c.relkind in ('r', 'p') and not c.relispartition and c.relpersistence <> 't'
  and n.nspname !~ '^pg_' and n.nspname <> 'information_schema'
order by n.nspname, c.relname limit 5000"""
_COLUMNS = """
select a.attrelid::int8, a.attname, format_type(a.atttypid, a.atttypmod),
  coalesce(e.typname, b.typname, t.typname), coalesce(e.oid, 0) <> 0, a.attnotnull, a.atthasdef,
  a.attgenerated <> '', a.attidentity <> '',
  coalesce(pg_get_serial_sequence(quote_ident(n.nspname) || '.' || quote_ident(c.relname),
    a.attname), ''),
  has_column_privilege(a.attrelid, a.attnum, 'select'),
  has_column_privilege(a.attrelid, a.attnum, 'insert'),
  has_column_privilege(a.attrelid, a.attnum, 'update'),
  coalesce(e.oid, 0) <> 0 or t.typtype in ('e', 'r', 'm', 'd') or exists (
    select from pg_operator o where o.oprname = '=' and o.oprleft = t.oid and o.oprright = t.oid)
    or t.typname = 'varchar'
from pg_attribute a
join pg_type t on t.oid = a.atttypid
left join pg_type b on t.typtype = 'd' and b.oid = t.typbasetype
left join pg_type e on e.oid = coalesce(b.typelem, t.typelem)
  and coalesce(b.typcategory, t.typcategory) = 'A'
join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace
where a.attrelid = any(%s::int8[]::oid[]) and a.attnum > 0 and not a.attisdropped
order by a.attrelid, a.attnum"""
_KEYS = """
select i.indrelid::int8, array(
  select a.attname::text from unnest(i.indkey::int2[]) with ordinality k(number, place)
  join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.number
  where k.place <= i.indnkeyatts order by k.place)
from pg_index i join pg_class c on c.oid = i.indexrelid
where i.indrelid = any(%s::int8[]::oid[]) and i.indisunique and i.indisvalid and i.indimmediate
  and i.indpred is null and i.indexprs is null
order by i.indrelid, not i.indisprimary, i.indnkeyatts, c.relname"""
_FOREIGN = """
select f.conrelid::int8, f.confrelid::int8, array(
  select a.attname::text from unnest(f.conkey) with ordinality k(number, place)
  join pg_attribute a on a.attrelid = f.conrelid and a.attnum = k.number order by k.place), array(
  select a.attname::text from unnest(f.confkey) with ordinality k(number, place)
  join pg_attribute a on a.attrelid = f.confrelid and a.attnum = k.number order by k.place),
  f.confdeltype, f.confupdtype
from pg_constraint f
where f.contype = 'f' and f.conparentid = 0 and f.conrelid = any(%s::int8[]::oid[])
order by f.conrelid, f.conkey, f.conname"""
_TRIGGERS = """
select tgrelid::int8, tgname, tgtype::int4, tgenabled
from pg_trigger where not tgisinternal and tgrelid = any(%s::int8[]::oid[])
order by tgrelid, tgname"""
_DOES = {"a": "no action", "r": "restrict", "c": "cascade", "n": "set null", "d": "set default"}
_ACTIONS = {4: "insert", 8: "delete", 16: "update"}


def read_catalogue(
    cursor: psycopg.Cursor[Any],
    schemas: Sequence[str],
    taken: Sequence[str],
    left: Sequence[str],
) -> tuple[dict[str, Table], dict[str, Table]]:
    """Read the tables there are, by the names that they have in the tree; and those left out.

    schemas: only those of these; all where empty. taken, left: names of tables that alone are
    taken, and that are left out.
    """
    cursor.execute(_TABLES)
    every = cursor.fetchall()
    found = [row for row in every if not schemas or row[1] in schemas]
    several = len({row[1] for row in found} - {"public"}) > 0
    names = {
        row[0]: row[2] if not several or row[1] == "public" else f"{row[1]}.{row[2]}"
        for row in found
    }
    names = {
        oid: name for oid, name in names.items()
        if (not taken or name in taken) and name not in left
    }  # fmt: skip
    beside = {row[0]: f"{row[1]}.{row[2]}" for row in every if row[0] not in names}
    called = names | beside
    ids = list(called)
    columns, hidden, may = _columns(cursor, ids)
    keys = _keys(cursor, ids, columns)
    foreign = _foreign(cursor, ids, names)
    triggers = _triggers(cursor, ids)
    tables: dict[str, Table] = {}
    others: dict[str, Table] = {}
    for oid, schema, own_name, enters, selects, guarded, rights in every:
        unread = ""
        if not (enters and selects):
            unread = "the account may not read this table"
        elif hidden.get(oid):
            unread = f"the account may not read its column {hidden[oid][0]}"
        elif guarded:
            unread = "row-level security may hide rows of it from this account"
        (tables if oid in names else others)[called[oid]] = Table(
            called[oid], schema, own_name, columns.get(oid, {}), keys.get(oid, ()),
            tuple(foreign.get(oid, ())), tuple(triggers.get(oid, ())), unread,
            frozenset(rights), may.get(oid, {}),
        )  # fmt: skip
    return tables, others


def _columns(
    cursor: psycopg.Cursor[Any], ids: list[int]
) -> tuple[
    dict[int, dict[str, Column]], dict[int, list[str]], dict[int, dict[str, frozenset[str]]]
]:
    cursor.execute(_COLUMNS, [ids])
    columns: dict[int, dict[str, Column]] = {}
    hidden: dict[int, list[str]] = {}
    may: dict[int, dict[str, frozenset[str]]] = {}
    for (
        oid,
        name,
        written,
        base,
        is_list,
        not_null,
        default,
        generated,
        identity,
        sequence,
        *rights,
    ) in cursor:
        seen, inserts, updates, comparable = rights
        columns.setdefault(oid, {})[name] = Column(
            name, Type(written, base, is_list, comparable), not_null, default or identity,
            generated, identity, sequence,
        )  # fmt: skip
        if not seen:
            hidden.setdefault(oid, []).append(name)
        allowed = {"insert": inserts, "update": updates}
        may.setdefault(oid, {})[name] = frozenset(way for way, may in allowed.items() if may)
    return columns, hidden, may


def _keys(
    cursor: psycopg.Cursor[Any], ids: list[int], columns: dict[int, dict[str, Column]]
) -> dict[int, tuple[str, ...]]:
    """Return the primary key of each table, else a unique one none of whose columns is empty."""
    cursor.execute(_KEYS, [ids])
    found: dict[int, tuple[str, ...]] = {}
    for oid, names in cursor:
        if oid not in found and all(columns[oid][name].not_null for name in names):
            found[oid] = tuple(names)
    return found


def _foreign(
    cursor: psycopg.Cursor[Any], ids: list[int], names: dict[int, str]
) -> dict[int, list[ForeignKey]]:
    cursor.execute(_FOREIGN, [ids])
    found: dict[int, list[ForeignKey]] = {}
    for oid, target, columns, target_columns, deleting, updating in cursor:
        if target in names:
            found.setdefault(oid, []).append(
                ForeignKey(
                    tuple(columns), names[target], tuple(target_columns), _DOES[deleting],
                    _DOES[updating],
                )
            )  # fmt: skip
    return found


def _triggers(cursor: psycopg.Cursor[Any], ids: list[int]) -> dict[int, list[Trigger]]:
    cursor.execute(_TRIGGERS, [ids])
    found: dict[int, list[Trigger]] = {}
    for oid, name, kind, state in cursor:
        actions = frozenset(action for bit, action in _ACTIONS.items() if kind & bit)
        found.setdefault(oid, []).append(Trigger(name, actions, state))
    return found
