"""Tables and columns as a server's schema has them (RFC 7047, section 3.2)."""

from collections.abc import Callable
from functools import cached_property
from typing import Any

import msgspec

from keepsort.core.model import Value

#: An atom of the protocol: a text, number or truth, or what names a row.
Atom = Any


class Base(msgspec.Struct, frozen=True):
    """What a key or a value of a column may be.

    table: the table that it names rows of; empty where it names none. strong: the row that is
        named cannot go away while it is named, and goes with the last that names it.
    """

    type: str
    table: str = ""
    strong: bool = False
    low: float | None = None
    high: float | None = None
    choices: tuple[Any, ...] = ()

    def fits(self, value: Any) -> bool:
        """Tell whether a value is one of those allowed."""
        if self.choices and value not in self.choices:
            return False
        if isinstance(value, bool) or not isinstance(value, int | float):
            return True
        return (self.low is None or value >= self.low) and (self.high is None or value <= self.high)

    @property
    def told(self) -> str:
        """What is allowed, for people."""
        if self.choices:
            return "one of " + ", ".join(str(choice) for choice in self.choices)
        if self.high is None:
            return f"at least {self.low:g}"
        return f"between {self.low:g} and {self.high:g}" if self.low is not None else "less"


class Column(msgspec.Struct, frozen=True, dict=True):
    """One column. value: what its keys are mapped to, where it is a map."""

    name: str
    key: Base
    value: Base | None
    least: int
    most: int
    mutable: bool
    ephemeral: bool

    @cached_property
    def holds(self) -> Base | None:
        """What names the rows that hang on this column, where it names any strongly."""
        last = self.value or self.key
        return last if last.table and last.strong else None

    @property
    def is_map(self) -> bool:
        """Tell whether it maps keys to values."""
        return self.value is not None

    @property
    def is_single(self) -> bool:
        """Tell whether it holds one value at most."""
        return self.most == 1 and self.value is None


class Table(msgspec.Struct, frozen=True):
    """One table. root: its rows stay though nothing names them. named_by: the column whose values
    are names that no two rows share; empty where there is none."""

    name: str
    columns: dict[str, Column]
    root: bool
    most: int | None
    named_by: str


def read_tables(schema: dict[str, Any]) -> dict[str, Table]:
    """Read the tables of a schema. Raises ValueError, KeyError or TypeError."""
    tables = {}
    for name, told in schema["tables"].items():
        columns = {c: _column(c, about) for c, about in told["columns"].items()}
        unique = [index[0] for index in told.get("indexes", []) if len(index) == 1]
        tables[name] = Table(
            name, columns, bool(told.get("isRoot")), told.get("maxRows"),
            "name" if "name" in unique else "",
        )  # fmt: skip
    return tables


def _column(name: str, about: dict[str, Any]) -> Column:
    kind = about["type"]
    shape = kind if isinstance(kind, dict) else {"key": kind}
    most = shape.get("max", 1)
    return Column(
        name, _base(shape["key"]), _base(shape["value"]) if "value" in shape else None,
        shape.get("min", 1), 1 << 62 if most == "unlimited" else int(most),
        bool(about.get("mutable", True)), bool(about.get("ephemeral")),
    )  # fmt: skip


def _base(about: Any) -> Base:
    if isinstance(about, str):
        return Base(about)
    choices = about.get("enum", ())
    if isinstance(choices, list) and choices[:1] == ["set"]:
        choices = choices[1]
    elif not isinstance(choices, list | tuple):
        choices = (choices,)
    low = about.get("minInteger", about.get("minReal"))
    high = about.get("maxInteger", about.get("maxReal"))
    strong = about.get("refType", "strong") == "strong"
    return Base(about["type"], about.get("refTable", ""), strong, low, high, tuple(choices))


def atoms(datum: Any) -> list[Any]:
    """Return the atoms of a set, or the pairs of a map, as the protocol writes them."""
    if isinstance(datum, list) and datum[:1] in (["set"], ["map"]):
        return list(datum[1])
    return [datum]


def rows_in(column: Column, datum: Any) -> list[tuple[str, str]]:
    """Return the ids of the rows that a column names, each with its key where it is a map."""
    found = []
    for one in atoms(datum):
        key, named = (str(one[0]), one[1]) if column.is_map else ("", one)
        found.append((key, str(named[1])))
    return found


def read_value(column: Column, datum: Any, name: Callable[[str], str]) -> Value:
    """Return what a column holds as a value; None where it holds nothing.

    name: what a row is called, by its id.
    """
    found = atoms(datum)
    if column.value is not None:
        value = column.value
        return {str(_atom(column.key, k, name)): _atom(value, v, name) for k, v in found} or None
    values = [_atom(column.key, one, name) for one in found]
    if column.is_single:
        return values[0] if values else None
    return sorted(values, key=lambda v: (str(type(v)), v)) or None


def _atom(base: Base, atom: Atom, name: Callable[[str], str]) -> Value:
    if base.type == "uuid":
        return name(str(atom[1])) if base.table else str(atom[1])
    return float(atom) if base.type == "real" else atom


def write_value(column: Column, value: Value, row: Callable[[str], Atom]) -> Any:
    """Return a value as the protocol writes it. row: what names the row that is called so."""
    if value is None:
        if column.is_map:
            return ["map", []]
        return ["set", []]
    if column.value is not None:
        pairs = [
            [_written(column.key, written_key(column, k), row), _written(column.value, v, row)]
            for k, v in value.items()
        ]
        return ["map", pairs]
    if column.is_single:
        return _written(column.key, value, row)
    return ["set", [_written(column.key, one, row) for one in value]]


def written_key(column: Column, text: str) -> Any:
    """Return a key of a map as the protocol writes it."""
    return int(text) if column.key.type == "integer" else text


def hung(column: Column, rows: list[tuple[str, Any]]) -> Any:
    """Return what hangs rows on a column. rows: the key of each, where it is a map, and its id."""
    if column.is_map:
        return ["map", [[written_key(column, key), id] for key, id in rows]]
    return ["set", [id for _, id in rows]]


def let_go(column: Column, rows: list[tuple[str, Any]]) -> Any:
    """Return what takes rows off a column; of a map their keys do."""
    return ["set", [written_key(column, key) if column.is_map else id for key, id in rows]]


def _written(base: Base, value: Value, row: Callable[[str], Atom]) -> Atom:
    if base.type == "uuid":
        return row(value) if base.table else ["uuid", value]
    return value
