"""The connector for tables: rows of a database as a tree of objects, and back."""

from collections.abc import Callable, Iterator, Sequence

from keepsort.connectors import options
from keepsort.connectors.base import (
    Description,
    Endpoint,
    Problem,
    Promises,
    Ready,
    SecretKeeper,
    Seen,
)
from keepsort.connectors.errors import Misconfigured
from keepsort.connectors.tables.arrangement import Choices, Place, arrange, schema_of
from keepsort.connectors.tables.catalogue import read_catalogue
from keepsort.connectors.tables.checking import Checking
from keepsort.connectors.tables.new_keys import NewKeys
from keepsort.connectors.tables.reading import Reading
from keepsort.connectors.tables.rows import Rows
from keepsort.connectors.tables.session import Session
from keepsort.connectors.tables.writing import Writing
from keepsort.core.model import Attributes, ConfigObject, Path
from keepsort.core.plan import Finding, Right, Step, is_implied
from keepsort.core.snapshot import Snapshot


def open_tables(endpoint: Endpoint, secrets: SecretKeeper) -> "Tables":
    """Connect to a database. Raises a `ConnectorError`."""
    return Tables(endpoint, secrets)


class Tables:
    """The tables of one database."""

    def __init__(self, endpoint: Endpoint, keeper: SecretKeeper) -> None:
        choices = _choices(endpoint)
        without_triggers = options.one_of(endpoint, "triggers", ("on", "off")) == "off"
        tries = options.one_of(endpoint, "try", ("no", "yes")) == "yes"
        self._session = Session(endpoint)
        try:
            with self._session.reading() as cursor:
                self.tables, beside = read_catalogue(
                    cursor,
                    options.listed(endpoint, "schemas"),
                    options.listed(endpoint, "take"),
                    options.listed(endpoint, "leave"),
                )
            places = arrange(self.tables, choices)
            self._schema = schema_of(places, choices.formerly)
            self._reading = Reading(self._session, places, keeper)
            rows = self._reading.rows
            self._new_keys = NewKeys(rows)
            self._writing = Writing(self._session, rows, keeper, without_triggers)
            self._checking = Checking(
                self._session, rows, self._schema, keeper, self._writing,
                beside={name: Rows(Place(table)) for name, table in beside.items()},
                without_triggers=without_triggers, tries=tries,
            )  # fmt: skip
        except BaseException:
            self._session.close()
            raise

    def close(self) -> None:
        """Let go of the connection."""
        self._session.close()

    def describe(self) -> Description:
        """Return what the database is."""
        return Description(
            software=self._session.software,
            schema=self._schema,
            promises=Promises(
                compare_and_set="server", atomic=True, rename=True, stable_identity=True
            ),
            depth_first=True,
        )

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the rows of a branch as they all stood at one moment, parents first."""
        return self._reading.observe(branch)

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen rows as they are now, each with its version."""
        return self._reading.look(paths) if paths else []

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for what the database does not take, and for what it would do by itself."""
        return self._checking.plan(steps)

    def may_write(self, steps: Sequence[Step]) -> list[Right]:
        """Return what the database says of the account's privileges."""
        return list(self._checking.rights(steps))

    def names_for(self, places: Sequence[Path], taken: Callable[[Path], bool]) -> list[str]:
        """Return what new rows are called; those whose key is taken get the next one."""
        with self._session.reading() as cursor:
            return self._new_keys.names_for(cursor, places)

    def called(self, kind: str, attributes: Attributes, place: Path) -> Attributes:
        """Return what a new row holds: its key is told as values, too."""
        return self._new_keys.with_key(kind, attributes, place)

    def render(self, step: Step) -> str:
        """Write a step as SQL, secrets masked."""
        if is_implied(self._schema, step):
            return f"-- {step.path[-1]}: it comes and goes with the rows that it holds"
        try:
            return self._writing.shown(step)
        except (KeyError, ValueError) as error:
            return f"-- it cannot be written: {error}"

    def groups(self, steps: Sequence[Step]) -> list[list[Step]]:
        """Put all steps into one transaction."""
        return [list(steps)] if steps else []

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out steps in one transaction, each guarded by all that its row held."""
        self._writing.write([one for one in ready if not is_implied(self._schema, one.step)])
        return [""] * len(ready)

    def validate(self, tree: Snapshot) -> list[Problem]:
        """Return nothing: what the database holds meets its own constraints."""
        return []

    def rights(self) -> list[str]:
        """Return what the account may read and write."""
        tables = self.tables.values()
        told = [f"{one.name} cannot be read: {one.unread}." for one in tables if one.unread]
        read = [one for one in tables if not one.unread]
        told.append(f"It may read {len(read)} of {len(self.tables)} tables.")
        for way in ("insert", "update", "delete"):
            lacking = [one.name for one in read if way not in one.may]
            if lacking:
                told.append(f"It may not {way} rows of {', '.join(lacking)}.")
        without = [one.name for one in read if not one.key]
        if without:
            names = ", ".join(without)
            told.append(f"Nothing tells rows apart in {names}: these are compared as a whole.")
        return told


def _choices(endpoint: Endpoint) -> Choices:
    return Choices(
        beneath=_by_table(endpoint, "beneath"),
        named_by=_by_table(endpoint, "names"),
        facts=_columns(endpoint, "facts"),
        secrets=_columns(endpoint, "secrets"),
        formerly=_formerly(endpoint),
    )


def _by_table(endpoint: Endpoint, name: str) -> dict[str, str]:
    """Read ``table=column`` with commas between. Raises `Misconfigured`."""
    found = {}
    for one in options.listed(endpoint, name):
        table, equals, column = one.partition("=")
        if not equals or not table.strip():
            raise Misconfigured(f"{one!r} in {name} is no choice.", "Write table=column.")
        found[table.strip()] = column.strip()
    return found


def _columns(endpoint: Endpoint, name: str) -> dict[str, frozenset[str]]:
    """Read ``table.column`` with commas between. Raises `Misconfigured`."""
    found: dict[str, frozenset[str]] = {}
    for one in options.listed(endpoint, name):
        table, dot, column = one.rpartition(".")
        if not dot or not table or not column:
            raise Misconfigured(f"{one!r} in {name} is no column.", "Write table.column.")
        found[table] = found.get(table, frozenset()) | {column}
    return found


def _formerly(endpoint: Endpoint) -> dict[str, dict[str, str]]:
    """Read ``table.column=its former name`` with commas between. Raises `Misconfigured`."""
    found: dict[str, dict[str, str]] = {}
    for place, former in _by_table(endpoint, "formerly").items():
        table, dot, column = place.rpartition(".")
        if not dot or not former:
            raise Misconfigured(
                f"{place!r} in formerly is no column.", "Write table.column=its former name."
            )
        found.setdefault(table, {})[column] = former
    return found
