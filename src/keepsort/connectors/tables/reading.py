"""Reads the rows of a database as objects."""

import json
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import psycopg

from keepsort.connectors.base import SecretKeeper, Seen
from keepsort.connectors.errors import NoSuchBranch, Refused
from keepsort.connectors.tables import names
from keepsort.connectors.tables.arrangement import AS_A_SET, FOLDER, ROWS, TOP, Place
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import OWN, Row, Rows, Texts
from keepsort.connectors.tables.session import Session, texts
from keepsort.connectors.tables.streams import Streams
from keepsort.connectors.tables.values import quoted
from keepsort.connectors.tables.whereabouts import Whereabouts, portions
from keepsort.core.model import Attributes, ConfigObject, Path, Value, is_beneath
from keepsort.core.model.notation import write_slash

#: More rows that nothing tells apart are not read as one object.
_MOST_TOGETHER = 20_000
Told = Iterator[tuple[Path, ConfigObject]]


class Reading:
    """What can be read of one database."""

    def __init__(self, session: Session, places: Mapping[str, Place], keeper: SecretKeeper) -> None:
        self._session = session
        self._keeper = keeper
        self.rows = {name: Rows(place) for name, place in places.items()}

    # All, or a branch

    def observe(self, branch: Path = ()) -> Told:
        """Yield the rows of a branch as they all stood at one moment, each with all beneath it."""
        with self._session.reading() as cursor:
            where = Whereabouts(self.rows, cursor)
            where.learn_all()
            if len(branch) < 2:
                yield from self._within(branch, self._all(cursor, where))
            else:
                yield from self._branch(cursor, where, branch)

    def _within(self, branch: Path, found: Told) -> Told:
        if not branch:
            yield (), ConfigObject(name="", kind=TOP)
            yield from found
            return
        some = False
        for path, one in found:
            if is_beneath(path, branch):
                some = True
                yield path, one
        if not some:
            raise NoSuchBranch(f"The database has no {write_slash(branch)}.")

    def _all(self, cursor: psycopg.Cursor[Any], where: Whereabouts) -> Told:
        streams = Streams(self.rows, cursor)
        # those that hang on no row come when all others have been told
        roots = [one for one in self.rows.values() if one.place.parent is None]
        others = [one for one in self.rows.values() if one.place.parent is not None]
        for rows in (*roots, *others):
            if rows.table.unread:
                yield (rows.table.name,), self._unread(rows)
            elif not rows.table.key:
                yield (rows.table.name,), self._together(cursor, rows)
            else:
                yield from self._told(streams, where, rows, None, ())
        streams.see_all_read(self._session.where)

    def _told(
        self, streams: Streams, where: Whereabouts, rows: Rows, above: Key | None, at: Path
    ) -> Told:
        """Yield the rows of a table that hang on one row, each with all that hangs on it."""
        folder: Path | None = None
        for row in streams.of(rows.table.name).beneath(above):
            path = rows.path(at, row.key, row.name)
            if folder is None:
                folder = path[:-1]
                yield folder, ConfigObject(name=rows.table.name, kind=FOLDER)
            yield path, self._object(rows, row, where, path)
            yield from self._beneath(streams, where, rows, row.key, path)

    def _beneath(
        self, streams: Streams, where: Whereabouts, rows: Rows, key: Key, path: Path
    ) -> Told:
        for below in streams.below[rows.table.name]:
            if below.table.unread:
                yield (*path, below.table.name), self._unread(below)
            else:
                yield from self._told(streams, where, below, key, path)

    def _branch(self, cursor: psycopg.Cursor[Any], where: Whereabouts, branch: Path) -> Told:
        """Yield a row with all that hangs on it, or those of one table that hang on a row."""
        top = branch if len(branch) % 2 == 0 else branch[:-1]
        table, key = self._called(top)
        [seen] = self._rows_at(cursor, where, [top])
        if table is None or seen.found is None:
            raise NoSuchBranch(f"The database has no {write_slash(branch)}.")
        streams = Streams(self.rows, cursor, (table, key))
        if top == branch:
            yield top, seen.found
            yield from self._beneath(streams, where, self.rows[table], key, top)
            return
        rows = next((one for one in streams.below[table] if one.table.name == branch[-1]), None)
        some = False
        if rows is not None and rows.table.unread:
            some = True
            yield branch, self._unread(rows)
        elif rows is not None:
            for one in self._told(streams, where, rows, key, top):
                some = True
                yield one
        if not some:
            raise NoSuchBranch(f"The database has no {write_slash(branch)}.")

    def _asked(
        self, cursor: psycopg.Cursor[Any], where: Whereabouts, rows: Rows, condition: str
    ) -> list[Row]:
        """Return the rows for which a condition holds, and learn where all stands they name."""
        found = list(map(rows.read, texts(cursor, f"{rows.selected} where {condition}")))
        parent = rows.place.parent
        if parent is not None:
            where.learn(parent.target, {row.above for row in found if row.above is not None})
        for _, foreign, at in rows.references:
            named = {(text,) for row in found if (text := row.texts[at]) is not None}
            where.learn(foreign.target, named)
        return found

    # Some

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen objects as they are at one moment; the version of a row is its `xmin`."""
        try:
            with self._session.reading() as cursor:
                where = Whereabouts(self.rows, cursor)
                rows = [path for path in paths if path and len(path) % 2 == 0]
                found = dict(zip(rows, self._rows_at(cursor, where, rows), strict=True))
                return [
                    found[path] if path in found else self._holder(cursor, where, path)
                    for path in paths
                ]
        except Refused:
            if len(paths) == 1:  # what it is called by is no key of such a table
                return [Seen(None)]
            return [seen for path in paths for seen in self.look([path])]

    def _rows_at(
        self, cursor: psycopg.Cursor[Any], where: Whereabouts, paths: Sequence[Path]
    ) -> list[Seen]:
        wanted: dict[str, set[Key]] = {}
        found: dict[Path, Seen] = {}
        for path in paths:
            table, key = self._called(path)
            if table is None:
                continue
            if self.rows[table].table.unread:
                why = self.rows[table].table.unread
                unread = ConfigObject(name=path[-1], kind=table, unreadable=why)
                found[path] = Seen(unread)
            else:
                wanted.setdefault(table, set()).add(key)
        for table, keys in wanted.items():
            rows = self.rows[table]
            for some in portions(keys):
                among = rows.among(rows.table.key, some)
                for row in self._asked(cursor, where, rows, among):
                    path = where.path(rows, row)
                    found[path] = Seen(self._object(rows, row, where, path), row.version)
        return [found.get(path, Seen(None)) for path in paths]

    def _called(self, path: Path) -> tuple[str | None, Key]:
        """Return which row a path means; no table where it can be none."""
        rows = self.rows.get(path[-2]) if len(path) > 1 else None
        known = names.read(path[-1], len(rows.table.key)) if rows is not None else None
        if rows is None or known is None or not rows.table.key:
            return None, ()
        try:
            rows.among(rows.table.key, [known[1]])
        except ValueError:
            return None, ()
        return rows.table.name, known[1]

    def _holder(self, cursor: psycopg.Cursor[Any], where: Whereabouts, path: Path) -> Seen:
        """Return the top, or what holds rows of a table, as far as there are any."""
        if not path:
            return Seen(ConfigObject(name="", kind=TOP))
        rows = self.rows.get(path[-1])
        if rows is None:
            return Seen(None)
        above = path[:-1]
        parent = rows.place.parent
        if above:
            table, key = self._called(above)
            if parent is None or table != parent.target:
                return Seen(None)
            [seen] = self._rows_at(cursor, where, [above])
            if seen.found is None:
                return Seen(None)
            condition = "true" if rows.table.unread else rows.among(rows.above_columns, [key])
        else:
            hanging = [f"{quoted(name)} is null" for name in rows.above_columns]
            condition = " or ".join(hanging) if hanging else "true"
        if rows.table.unread:
            return Seen(self._unread(rows))
        if not rows.table.key:
            return Seen(self._together(cursor, rows))
        cursor.execute(f"select exists (select from {rows.table.sql} {OWN} where {condition})")
        [some] = cursor.fetchone() or [False]
        return Seen(ConfigObject(name=path[-1], kind=FOLDER) if some else None)

    # Objects

    def _object(self, rows: Rows, row: Row, where: Whereabouts, path: Path) -> ConfigObject:
        name, kind = path[-1], rows.table.name
        identity = f"{kind} {','.join(row.key)}"
        try:
            attributes = self._attributes(rows, row, where, at_top=len(path) == 2)
            facts = _read(rows.facts, row.texts)
        except ValueError as error:
            why = f"the row cannot be understood: {error}"
            return ConfigObject(name=name, kind=kind, identity=identity, unreadable=why)
        return ConfigObject(
            name=name, kind=kind, identity=identity, attributes=attributes, facts=facts
        )

    def _attributes(self, rows: Rows, row: Row, where: Whereabouts, at_top: bool) -> Attributes:
        found = _read(rows.plain, row.texts)
        for name, at in rows.hidden:
            if (text := row.texts[at]) is not None:
                found[name] = self._keeper.digest(text.encode())
        for name, foreign, at in rows.references:
            if (key := row.texts[at]) is not None and name in rows.named:
                path = where.of(foreign.target, (key,))
                column, told = rows.named[name]
                found[name] = write_slash(path) if path else column.type.read(row.texts[told])
        if at_top:  # where it stands does not say what it hangs on
            for name, text in rows.hanging(row):
                if name in rows.place.apart:
                    found[name] = rows.value(name, text)
        if row.name is not None and not names.is_name(row.name):
            found[rows.place.named_by] = rows.value(rows.place.named_by, row.name)
        return found

    def _unread(self, rows: Rows) -> ConfigObject:
        return ConfigObject(name=rows.table.name, kind=FOLDER, unreadable=rows.table.unread)

    def _together(self, cursor: psycopg.Cursor[Any], rows: Rows) -> ConfigObject:
        """Return the rows of a table as one set, since nothing tells one from another."""
        kind = f"{rows.table.name} {AS_A_SET}"
        columns = rows.place.told
        selected = ", ".join(c.type.selected(quoted(c.name)) for c in columns) or "''"
        limit = _MOST_TOGETHER + 1
        found = list(texts(cursor, f"select {selected} from {rows.table.sql} limit {limit}"))
        if len(found) > _MOST_TOGETHER:
            why = f"it has no key, and more than {_MOST_TOGETHER} rows"
            return ConfigObject(name=rows.table.name, kind=kind, unreadable=why)
        counted = Counter(
            json.dumps(
                {c.name: v for c, v in zip(columns, one, strict=False) if v is not None},
                ensure_ascii=False,
            )
            for one in found
        )  # fmt: skip
        told = sorted(t if count == 1 else f"{t} ×{count}" for t, count in counted.items())
        return ConfigObject(name=rows.table.name, kind=kind, attributes={ROWS: told})


def _read(
    columns: Sequence[tuple[str, Callable[[str | None], Value] | None, int]], row: Texts
) -> Attributes:
    found: Attributes = {}
    for name, read, at in columns:
        text = row[at]
        if text is not None:
            value = text if read is None else read(text)
            if value is not None:
                found[name] = value
    return found
