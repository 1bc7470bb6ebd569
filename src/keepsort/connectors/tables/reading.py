"""Reads the rows of a database as objects."""

import json
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import psycopg

from keepsort.connectors.base import SecretKeeper, Seen
from keepsort.connectors.errors import NoSuchBranch, Refused
from keepsort.connectors.tables import names
from keepsort.connectors.tables.arrangement import AS_A_SET, FOLDER, ROWS, TOP, Place
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import Row, Rows
from keepsort.connectors.tables.session import Session, texts
from keepsort.connectors.tables.values import quoted
from keepsort.connectors.tables.whereabouts import Whereabouts, portions
from keepsort.core.model import Attributes, ConfigObject, Path, is_beneath
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
        """Yield the rows of a branch as they all stood at one moment, parents first."""
        with self._session.reading() as cursor:
            where = Whereabouts(self.rows, cursor)
            if len(branch) < 2:
                where.learn_all()
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
        folders: set[Path] = set()
        for name, rows in self.rows.items():
            parent = rows.place.parent
            if rows.table.unread:
                above = where.all_of(parent.target) if parent is not None else ()
                for path in ((), *above):
                    yield (*path, name), self._unread(rows)
            elif not rows.table.key:
                yield (name,), self._together(cursor, rows)
            else:
                for found in texts(cursor, rows.selected):
                    yield from self._told(rows, rows.read(found), where, folders)

    def _told(self, rows: Rows, row: Row, where: Whereabouts, folders: set[Path]) -> Told:
        """Yield a row, and what holds it if that was not told yet."""
        path = self._path(rows, row, where)
        if path[:-1] not in folders:
            folders.add(path[:-1])
            yield path[:-1], ConfigObject(name=path[-2], kind=FOLDER)
        yield path, self._object(rows, row, where, path)

    def _branch(self, cursor: psycopg.Cursor[Any], where: Whereabouts, branch: Path) -> Told:
        """Yield a row with all that hangs on it, or those of one table that hang on a row."""
        top = branch if len(branch) % 2 == 0 else branch[:-1]
        table, key = self._called(top)
        [seen] = self._rows_at(cursor, where, [top])
        if table is None or seen.found is None:
            raise NoSuchBranch(f"The database has no {write_slash(branch)}.")
        if top == branch:
            yield top, seen.found
        only = None if top == branch else branch[-1]
        some = top == branch
        for path, one in self._beneath(cursor, where, table, {key: top}, only):
            some = True
            yield path, one
        if not some:
            raise NoSuchBranch(f"The database has no {write_slash(branch)}.")

    def _beneath(
        self,
        cursor: psycopg.Cursor[Any],
        where: Whereabouts,
        table: str,
        above: Mapping[Key, Path],
        only: str | None = None,
    ) -> Told:
        """Yield what hangs on rows of a table, at any depth."""
        for name, rows in self.rows.items():
            parent = rows.place.parent
            if parent is None or parent.target != table or only not in (None, name):
                continue
            if rows.table.unread:
                for path in above.values():
                    yield (*path, name), self._unread(rows)
                continue
            folders: set[Path] = set()
            for some in portions(above):
                among = rows.among(rows.above_columns, some)
                below = self._asked(cursor, where, rows, among)
                for row in below:
                    yield from self._told(rows, row, where, folders)
                paths = {row.key: self._path(rows, row, where) for row in below}
                yield from self._beneath(cursor, where, name, paths)

    def _asked(
        self, cursor: psycopg.Cursor[Any], where: Whereabouts, rows: Rows, condition: str
    ) -> list[Row]:
        """Return the rows for which a condition holds, and learn where all stands they name."""
        found = list(map(rows.read, texts(cursor, f"{rows.selected} where {condition}")))
        parent = rows.place.parent
        if parent is not None:
            where.learn(parent.target, {row.above for row in found if row.above is not None})
        for column, foreign in rows.place.references.items():
            named = {(text,) for row in found if (text := row.names[column]) is not None}
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
                    path = self._path(rows, row, where)
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
        cursor.execute(f"select exists (select from {rows.table.sql} where {condition})")
        [some] = cursor.fetchone() or [False]
        return Seen(ConfigObject(name=path[-1], kind=FOLDER) if some else None)

    # Objects

    def _path(self, rows: Rows, row: Row, where: Whereabouts) -> Path:
        parent = rows.place.parent
        above = where.of(parent.target, row.above) if parent is not None else None
        return rows.path(above or (), row.key, row.name)

    def _object(self, rows: Rows, row: Row, where: Whereabouts, path: Path) -> ConfigObject:
        name, identity = path[-1], f"{rows.table.name} {','.join(row.key)}"
        try:
            attributes = self._attributes(rows, row, where, at_top=len(path) == 2)
            facts = {
                column: value
                for column, text in zip(rows.facts, row.facts, strict=True)
                if (value := rows.value(column, text)) is not None
            }
        except ValueError as error:
            why = f"the row cannot be understood: {error}"
            return ConfigObject(name=name, kind=rows.table.name, identity=identity, unreadable=why)
        return ConfigObject(
            name=name, kind=rows.table.name, identity=identity, attributes=attributes, facts=facts
        )

    def _attributes(self, rows: Rows, row: Row, where: Whereabouts, at_top: bool) -> Attributes:
        place = rows.place
        found: Attributes = {}
        for column, text in zip(place.told, row.told, strict=True):
            if text is None:
                continue
            if column.name in place.secrets:
                found[column.name] = self._keeper.digest(text.encode())
                continue
            foreign = place.references.get(column.name)
            named = row.names[column.name] if foreign is not None else None
            path = where.of(foreign.target, (named,)) if foreign and named is not None else None
            found[column.name] = write_slash(path) if path else column.type.read(text)
        if at_top:  # where it stands does not say what it hangs on
            for column_name, text in zip(rows.above_columns, row.hanging, strict=True):
                if text is not None and column_name in place.apart:
                    found[column_name] = rows.value(column_name, text)
        if row.name is not None and not names.is_name(row.name):
            found[place.named_by] = rows.value(place.named_by, row.name)
        return found

    def _unread(self, rows: Rows) -> ConfigObject:
        return ConfigObject(name=rows.table.name, kind=FOLDER, unreadable=rows.table.unread)

    def _together(self, cursor: psycopg.Cursor[Any], rows: Rows) -> ConfigObject:
        """Return the rows of a table as one set, since nothing tells one from another."""
        kind = f"{rows.table.name} {AS_A_SET}"
        columns = rows.place.told
        selected = ", ".join(c.type.selected(c.name) for c in columns) or "1"
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
