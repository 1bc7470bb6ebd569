"""How tables hang beneath each other, what their rows are called, and what is told of them."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from keepsort.connectors.errors import Misconfigured
from keepsort.connectors.tables.catalogue import Column, ForeignKey, Table
from keepsort.core.model import AttributeSpec, Kind, Schema

#: The kind of what holds the rows of one table; it is there as long as it holds some.
FOLDER = "rows"
TOP = "database"
#: What is added to the name of a table to name its rows as a whole, where nothing tells them apart.
AS_A_SET = "together"
ROWS = "rows"
_NAMES = ("name", "title", "label")


@dataclass(frozen=True)
class Place:
    """One table in the tree.

    parent: what its rows hang on; None where they stand at the top.
    named_by: the column that its rows are called by; empty where they are called by their key.
    references: columns that are told as references to rows of other tables.
    facts: columns that are only told.
    """

    table: Table
    parent: ForeignKey | None = None
    named_by: str = ""
    facts: frozenset[str] = frozenset()
    secrets: frozenset[str] = frozenset()
    references: Mapping[str, ForeignKey] = field(default_factory=dict)

    @cached_property
    def apart(self) -> frozenset[str]:
        """Columns that are seen from where a row stands, so that they are no attributes."""
        own = {self.named_by, *(self.parent.columns if self.parent is not None else ())}
        return frozenset(own - {*self.table.key, ""})

    @cached_property
    def told(self) -> tuple[Column, ...]:
        """Columns that are attributes."""
        columns = self.table.columns.values()
        return tuple(c for c in columns if c.name not in self.apart and not self.is_fact(c))

    def is_fact(self, column: Column) -> bool:
        """Tell whether a column is only told, since the database sets it by itself."""
        return column.generated or column.name in self.facts


@dataclass(frozen=True)
class Choices:
    """What a person has said about tables, each by the name of the table."""

    beneath: Mapping[str, str] = field(default_factory=dict)
    named_by: Mapping[str, str] = field(default_factory=dict)
    facts: Mapping[str, frozenset[str]] = field(default_factory=dict)
    secrets: Mapping[str, frozenset[str]] = field(default_factory=dict)
    formerly: Mapping[str, Mapping[str, str]] = field(default_factory=dict)


def arrange(tables: Mapping[str, Table], choices: Choices) -> dict[str, Place]:
    """Find each table its place; those that others hang on come first. Raises `Misconfigured`."""
    _check(tables, choices)
    parents: dict[str, ForeignKey] = {}
    for name, table in tables.items():
        for one in _candidates(tables, table, choices.beneath.get(name)):
            if not _leads_to(parents, one.target, name):
                parents[name] = one
                break
    places: dict[str, Place] = {}

    def put(name: str) -> None:
        if name in places:
            return
        parent = parents.get(name)
        if parent is not None:
            put(parent.target)
        table = tables[name]
        if parent is not None and places[parent.target].table.unread and not table.unread:
            why = f"it hangs on rows of {parent.target}, which cannot be read"
            table = replace(table, unread=why)
        places[name] = Place(
            table, parent, _named_by(table, choices.named_by.get(name)),
            choices.facts.get(name, frozenset()), choices.secrets.get(name, frozenset()),
            _references(tables, table, parent),
        )  # fmt: skip

    for name in tables:
        put(name)
    return places


def _check(tables: Mapping[str, Table], choices: Choices) -> None:
    """See that what was said is of tables and columns that there are."""
    said = [(t, c) for given in (choices.beneath, choices.named_by) for t, c in given.items()]
    said += [(t, c) for given in (choices.facts, choices.secrets) for t in given for c in given[t]]
    said += [(t, c) for t, given in choices.formerly.items() for c in given]
    for name, column in said:
        table = tables.get(name)
        if table is not None and column and column not in table.columns:
            known = ", ".join(table.columns)
            raise Misconfigured(f"Table {name} has no column {column}.", f"It has: {known}.")


def _candidates(tables: Mapping[str, Table], table: Table, chosen: str | None) -> list[ForeignKey]:
    """Return the ways up from a table, the likeliest first."""
    ways = [one for one in table.foreign if table.key and one.target != table.name]
    found = [
        ordered for one in ways if (ordered := one.in_order_of(tables[one.target].key)) is not None
    ]
    if chosen is not None:
        return [one for one in found if chosen in one.columns]

    def likely(one: ForeignKey) -> tuple[bool, bool, bool]:
        owned = one.on_delete == "cascade"
        in_key = set(one.columns) <= set(table.key)
        needed = all(table.columns[column].not_null for column in one.columns)
        return (not owned, not in_key, not needed)

    return sorted(found, key=likely)


def _references(
    tables: Mapping[str, Table], table: Table, parent: ForeignKey | None
) -> dict[str, ForeignKey]:
    """Return the columns of which each alone names a row; those of the key are told as they are."""
    found: dict[str, ForeignKey] = {}
    for one in table.foreign:
        alone = len(one.columns) == 1 and one.columns[0] not in table.key and one != parent
        if alone and one.target_columns == tables[one.target].key:
            found.setdefault(one.columns[0], one)
    return found


def _leads_to(parents: Mapping[str, ForeignKey], name: str, goal: str) -> bool:
    while name != goal and name in parents:
        name = parents[name].target
    return name == goal


def _named_by(table: Table, chosen: str | None) -> str:
    if chosen is not None:
        return chosen
    wanted = (*_NAMES, f"{table.own_name}_name")
    found = [name for name in wanted if name in table.columns]
    return next((n for n in found if n not in table.key and not table.columns[n].generated), "")


def schema_of(places: Mapping[str, Place], formerly: Mapping[str, Mapping[str, str]]) -> Schema:
    """Return the schema of the tree that the tables are told as."""
    kinds = {
        TOP: Kind(TOP, "database", icon="folder", renamable=False),
        FOLDER: Kind(FOLDER, "rows", icon="folder", implied=True, renamable=False),
    }
    for name, place in places.items():
        label = name.replace("_", " ")
        if not place.table.key:
            kind = f"{name} {AS_A_SET}"
            specs = {ROWS: AttributeSpec(shape="set", read_only=True)}
            kinds[kind] = Kind(kind, f"rows of {label}", attributes=specs, renamable=False)
            continue
        specs = {
            column.name: _spec(place, column, formerly.get(name, {}).get(column.name))
            for column in place.told
        }
        kinds[name] = Kind(name, label, attributes=specs, renamable=False, reuses_ids=True)
    return Schema(kinds=kinds)


def _spec(place: Place, column: Column, formerly: str | None) -> AttributeSpec:
    secret = column.name in place.secrets
    reference = column.name in place.references
    return AttributeSpec(
        shape="single" if secret or reference else column.type.shape,
        number=column.type.is_number and not reference,
        matching="literal" if reference else column.type.matching,
        secret=secret,
        reference=reference,
        required=column.not_null and not column.filled,
        formerly=(formerly,) if formerly else (),
    )
