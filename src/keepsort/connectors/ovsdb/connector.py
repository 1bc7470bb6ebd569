"""The OVSDB connector: rows of a database as a tree of objects, and back (RFC 7047)."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property
from typing import Any

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
from keepsort.connectors.errors import Changed, Misconfigured, NoSuchBranch, Refused
from keepsort.connectors.ovsdb import switch
from keepsort.connectors.ovsdb.checking import Checking, unsound
from keepsort.connectors.ovsdb.columns import read_tables
from keepsort.connectors.ovsdb.new_names import names_for
from keepsort.connectors.ovsdb.objects import Translation, top_object
from keepsort.connectors.ovsdb.requests import Transaction, shown
from keepsort.connectors.ovsdb.rows import Rows
from keepsort.connectors.ovsdb.wire import Client, Operation
from keepsort.core.model import Attributes, ConfigObject, Path
from keepsort.core.model.notation import write_slash
from keepsort.core.plan import Finding, Step
from keepsort.core.snapshot import Snapshot

_PROBE = "11111111-2222-4333-8444-555555555555"


def open_ovsdb(endpoint: Endpoint, secrets: SecretKeeper) -> "Ovsdb":
    """Connect to a database. Raises a `ConnectorError`."""
    return Ovsdb(endpoint, secrets)


class Ovsdb:
    """One database of one server."""

    def __init__(self, endpoint: Endpoint, keeper: SecretKeeper) -> None:
        self._database = endpoint.options.get("database") or switch.DATABASE
        self._keeper = keeper
        facts = _facts(options.listed(endpoint, "facts"))
        if self._database == switch.DATABASE:
            for table, columns in switch.SET_BY_SYSTEM.items():
                facts.setdefault(table, set()).update(columns)
        secrets = frozenset(options.listed(endpoint, "secrets", "psk"))
        self._client = Client(endpoint)
        self._schema = self._client.schema(self._database)
        try:
            tables = read_tables(self._schema)
            self._translation = Translation(tables, facts, secrets, keeper)
        except (ValueError, LookupError, TypeError, AttributeError) as error:
            raise self._client.odd(f"its schema: {error}") from None
        self._known: Rows | None = None

    def close(self) -> None:
        """Let go of the connection."""
        self._client.close()

    def describe(self) -> Description:
        """Return what the database is."""
        version = self._schema.get("version", "")
        return Description(
            software=f"OVSDB, {self._database} {version}".strip(),
            schema=self._translation.schema,
            promises=Promises(
                compare_and_set="server", atomic=True, rename=True, stable_identity=True
            ),
            depth_first=True,
        )

    @cached_property
    def _keeps_ids(self) -> bool:
        """Tell whether the server gives a new row the id that it is to have; nothing is written."""
        root = next((t for t in self._translation.tables.values() if t.root and not t.most), None)
        if root is None:
            return False
        row = {"op": "insert", "table": root.name, "row": {}, "uuid": _PROBE}
        answers = self._client.transact(self._database, [row, {"op": "abort"}])
        return not (isinstance(answers[0], dict) and answers[0].get("error"))

    # Reading

    def _look(self) -> Rows:
        """Read all rows as they are at one moment: one transaction of selects."""
        tables = self._translation.tables
        asked: list[Operation] = [{"op": "select", "table": table, "where": []} for table in tables]
        answers = self._client.transact(self._database, asked)
        try:
            found = {t: a["rows"] for t, a in zip(tables, answers, strict=False)}
            self._known = Rows(tables, found)
        except (ValueError, LookupError, TypeError, AttributeError) as error:
            raise self._client.odd(f"its rows: {error}") from None
        return self._known

    def _rows(self) -> Rows:
        return self._known or self._look()

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the rows of a branch as they stood at one moment, each with all beneath it."""
        rows = self._look()
        id = rows.ids.at(branch)
        if branch and not id:
            raise NoSuchBranch(f"The database has no {write_slash(branch)}.")
        yield branch, self._translation.object(rows, id) if id else top_object()
        for one in rows.ids.depth_first(id or ""):
            yield rows.ids.path(one), self._translation.object(rows, one)

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen rows as they are now, each with its version (`_version`, section 3.2)."""
        rows = self._looked_again(paths) or self._look()
        return [self._seen(rows, path) for path in paths]

    def _looked_again(self, paths: Sequence[Path]) -> Rows | None:
        """Read only some rows again, and those that hold them; None where all must be read.

        That is where one has come, gone, or got another place or name since the last look.
        """
        rows = self._known
        wanted = {path[:depth] for path in paths for depth in range(len(path) + 1)}
        ids = [id for place in wanted if (id := rows.ids.at(place))] if rows else []
        known = len(ids) + (rows is not None and not rows.ids.top)
        if rows is None or known < len(wanted) or len(ids) > len(rows.row) / 4:
            return None
        asked: list[Operation] = [
            {"op": "select", "table": rows.table_of[id], "where": [["_uuid", "==", ["uuid", id]]]}
            for id in ids
        ]
        answers = self._client.transact(self._database, asked)
        try:
            found = [answer["rows"] for answer in answers[: len(ids)]]
        except (LookupError, TypeError) as error:
            raise self._client.odd(f"its rows: {error}") from None
        if any(len(one) != 1 for one in found):
            return None
        now = {id: row for id, (row,) in zip(ids, found, strict=True)}
        if not all(rows.stands_alike(id, row) for id, row in now.items()):
            return None
        rows.row.update(now)
        return rows

    def _seen(self, rows: Rows, path: Path) -> Seen:
        id = rows.ids.at(path)
        if not id:
            return Seen(None) if path else Seen(top_object())
        return Seen(self._translation.object(rows, id), str(rows.row[id]["_version"][1]))

    # Writing

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for what the schema does not take, and for what would be cut off."""
        keeps_ids = self._keeps_ids_of(steps)
        checking = Checking(self._translation, self._rows(), self._keeper, keeps_ids)
        return list(checking.plan(steps))

    def _keeps_ids_of(self, steps: Iterable[Step]) -> bool:
        """Tell whether new rows keep their ids; the server is asked only where some come."""
        return any(step.action == "create" for step in steps) and self._keeps_ids

    def names_for(self, places: Sequence[Path], taken: Callable[[Path], bool]) -> list[str]:
        """Return what new rows are called."""
        longest = switch.LONGEST_NAME if self._database == switch.DATABASE else None
        return names_for(self._rows(), places, taken, longest)

    def called(self, kind: str, attributes: Attributes, place: Path) -> Attributes:
        """Return the same: a name is told by the place alone."""
        return attributes

    def render(self, step: Step) -> str:
        """Write a step as the operations that carry it out, secrets masked."""
        return shown(self._translation, self._rows(), step)

    def groups(self, steps: Sequence[Step]) -> list[list[Step]]:
        """Put all steps into one transaction."""
        return [list(steps)] if steps else []

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out steps in one transaction, guarded by the versions of all their rows."""
        keeps_ids = self._keeps_ids_of(step for step, _ in ready)
        transaction = Transaction(self._translation, self._rows(), self._keeper, keeps_ids)
        answers = self._client.transact(self._database, transaction.operations(ready))
        for answer in answers:
            if isinstance(answer, dict) and answer.get("error"):
                raise _refused(answer)
        return [""] * len(ready)

    # Soundness

    def validate(self, tree: Snapshot) -> list[Problem]:
        """List values out of range, names twice, mirrors without an output, queues without QoS."""
        return list(unsound(self._translation.tables, tree))


def _refused(answer: dict[str, Any]) -> Exception:
    error, details = str(answer["error"]), str(answer.get("details", ""))[:500]
    if error == "timed out":
        return Changed("A row was changed by somebody at this very moment.")
    return Refused(f"The server refuses it ({error}): {details}")


def _facts(columns: tuple[str, ...]) -> dict[str, set[str]]:
    """Read columns written ``Table.column``. Raises `Misconfigured`."""
    found: dict[str, set[str]] = {}
    for one in columns:
        table, _, column = one.partition(".")
        if not (table and column):
            raise Misconfigured(f"{one!r} is no column.", "Write Table.column.")
        found.setdefault(table, set()).add(column)
    return found
