"""Opening files: what they hold becomes a record that stands beside those of live systems."""

import hashlib
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from time import monotonic
from typing import IO

import msgspec
from django.db import transaction
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from keepsort.core.model import AttributeSpec, ConfigObject, Kind, Path, Schema, Value
from keepsort.core.model.masks import mark, unknown
from keepsort.core.plan.placing import PLACE
from keepsort.core.snapshot import Snapshot, SnapshotBuilder, StreamError
from keepsort.files.catalogue import FORMATS, formats_of
from keepsort.files.exported import IN_TEXT, TOLD, Line
from keepsort.files.ldif import DNS
from keepsort.files.opened import BadFile, Opened
from keepsort.files.plain_values import Secret
from keepsort.server import cycle_collector
from keepsort.server.accounts.models import User
from keepsort.server.files.models import OpenedFile
from keepsort.server.files.sealing import unsealing
from keepsort.server.problems import NotFound, Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import (
    constructing,
    keep_schema,
    open_snapshot,
    record_number,
)
from keepsort.server.store.postgres import PostgresStore
from keepsort.server.systems.models import System
from keepsort.server.systems.vault import Vault

_KEPT_FOR = timedelta(days=30)
_PASSED_OVER_KEPT = 100
_MOST_HELD = 2_000_000
#: Attributes of directories that are secret whatever a file says of them.
_DIRECTORY_SECRETS = ("userPassword", "krbPrincipalKey", "sambaNTPassword", "sambaLMPassword")


def open_file(
    source: IO[bytes],
    name: str,
    form: str = "",
    *,
    by: User | None = None,
    passphrase: str = "",
) -> OpenedFile:
    """Open a file, check it, and keep what it holds as a record. Nothing is kept of a bad one.

    source: can be read several times. form: its format; told by its content where empty.
    Raises `Problem` with the place of what is wrong.
    """
    try:
        form = form or _told_form(source)
        size, sha256 = _measured(source)
        return _Opening(source, name, form, passphrase).keep(by, size, sha256)
    except BadFile as error:
        what = f" as {form}" if form else ""
        raise Problem(
            f"{name} cannot be opened{what}: {error}", "Nothing was kept of it."
        ) from None


def _told_form(source: IO[bytes]) -> str:
    found = formats_of(source)
    if len(found) > 1:
        raise Problem(f"It could be {' or '.join(found)}.", "Say which: --format, or choose it.")
    return found[0]


def _measured(source: IO[bytes]) -> tuple[int, str]:
    found, size = hashlib.sha256(), 0
    while piece := source.read(1 << 20):
        found.update(piece)
        size += len(piece)
    source.seek(0)
    return size, found.hexdigest()


class _Opening:
    def __init__(self, source: IO[bytes], name: str, form: str, passphrase: str) -> None:
        self._source, self._name, self._form = source, name, form
        self._passphrase = passphrase
        self._unseal: Callable[[str], bytes] | None = None
        self._gaps: list[Path] = []
        self._secrets = 0
        self._vault: Vault
        self._schema: Schema
        self._sha256 = ""
        self._whole = False
        self._marked: set[str] = set()

    def keep(self, by: User | None, size: int, sha256: str) -> OpenedFile:
        """Read the file into a record, all of it or nothing."""
        started = monotonic()
        self._sha256 = sha256
        opened = self._read()
        manifest = opened.manifest
        if manifest.sealing is not None and self._passphrase:
            self._unseal = unsealing(manifest.sealing, self._passphrase)
        self._whole = (
            self._form == "archive" and len(manifest.branches) == 1 and not manifest.single
        )
        system = System.every.create(
            name=f"file {sha256[:16]} {timezone.now():%Y%m%d%H%M%S%f}"[:80],
            connector=manifest.connector[:40], address="", is_file=True,
        )  # fmt: skip
        try:
            with constructing(None), cycle_collector.paused():
                return self._kept(opened, system, by, size, started)
        except BaseException:
            system.delete()
            raise

    def _kept(
        self, opened: Opened, system: System, by: User | None, size: int, started: float
    ) -> OpenedFile:
        manifest = opened.manifest
        self._vault = Vault(system)
        self._schema = self._schema_of(opened)
        tree, stored = self._tree(opened)
        self._schema = _with_secrets(self._schema, self._marked)
        self._vault.flush()
        schema, _ = keep_schema(self._schema)
        told = {name: getattr(manifest, name) for name in TOLD}
        with transaction.atomic():
            record = Record.objects.create(
                system=system, kind=Record.Kind.FILE, by=by, note=manifest.note[:400],
                at=list(tree.at), taken_at=_moment(manifest.taken_at),
                significant=tree.root.significant, facts=tree.root.facts, schema=schema,
                software=manifest.software[:200],
                objects_count=_mentioned(tree, self._whole), stored_bytes=stored,
                seconds=round(monotonic() - started, 3),
                gaps=[list(path) for path in self._gaps],
            )  # fmt: skip
            return OpenedFile.objects.create(
                record=record, name=self._name[:200], form=self._form, size=size,
                sha256=self._sha256, told=told, whole=self._whole, cells=opened.cells,
                signed_by=opened.signed_by, secrets=self._secrets,
                passed_over=opened.passed_over[:_PASSED_OVER_KEPT], by=by,
                keep_until=timezone.now() + _KEPT_FOR,
            )  # fmt: skip

    def _read(self) -> Opened:
        self._source.seek(0)
        return FORMATS[self._form].read(self._source)

    def _schema_of(self, opened: Opened) -> Schema:
        """Return the kinds that the file tells of, or those of a system like the one it is of."""
        schema = opened.schema or Schema()
        if not schema.kinds:
            known = newest_schema(opened.manifest.connector)
            if known is not None:
                notation = schema.notation if schema.notation == DNS else known.notation
                schema = msgspec.structs.replace(known, notation=notation)
            elif opened.manifest.connector == "directory":
                hidden = {name: AttributeSpec(secret=True) for name in _DIRECTORY_SECRETS}
                schema = msgspec.structs.replace(schema, attributes=hidden)
        if self._whole:
            return schema
        kinds = {**schema.kinds, PLACE: Kind(PLACE, "place", implied=True)}
        return msgspec.structs.replace(schema, kinds=kinds)

    def _tree(self, opened: Opened) -> tuple[Snapshot, int]:
        """Build the tree of what the file holds."""
        expected = opened.manifest.objects
        try:
            if not self._whole:
                return self._built(_held(opened.lines), (), False, 0)
            at = opened.manifest.branches[0]
            try:
                return self._built(opened.lines, at, True, expected)
            except StreamError:  # what holds an object may stand anywhere before it
                self._secrets, self._gaps = 0, []
                return self._built(self._read().lines, at, False, expected)
        except StreamError as error:
            raise BadFile(f"its objects make no tree: {error}.") from None

    def _built(
        self, lines: Iterator[Line], at: Path, depth_first: bool, expected: int
    ) -> tuple[Snapshot, int]:
        builder = SnapshotBuilder(PostgresStore(), self._schema, at=at, depth_first=depth_first)
        for line in lines:
            builder.add(line.path, self._object(line))
        if expected and builder.count != expected:
            raise BadFile(f"it tells of {expected} objects and holds {builder.count}.")
        return builder.finish(), builder.stored_bytes

    def _object(self, line: Line) -> ConfigObject:
        secrets = self._secrets
        attributes = {
            name: self._value(line, name, value) for name, value in line.attributes.items()
        }
        if self._secrets > secrets:
            self._gaps.append(line.path)
        return ConfigObject(
            name=line.path[-1] if line.path else "", kind=line.kind, identity=line.id,
            attributes=attributes, facts=line.facts, unreadable=line.unreadable,
        )  # fmt: skip

    def _value(self, line: Line, name: str, value: Value) -> Value:
        """Return a value with what stands here for its secrets."""
        if self._schema.spec(line.kind, name).secret:
            if isinstance(value, list):
                return [self._secret(line, name, one, at) for at, one in enumerate(value)]
            return self._secret(line, name, value, 0)
        return self._without_secrets(line, name, value)

    def _secret(self, line: Line, name: str, value: Value, at: int) -> str:
        if isinstance(value, Secret):
            self._marked.add(name)
            return self._known(value.sealed) or self._unknown(line, name, at)
        raw = value if isinstance(value, bytes) else str(value).encode()
        return self._vault.digest(raw)

    def _known(self, sealed: str) -> str:
        if not sealed or self._unseal is None:
            return ""
        return self._vault.digest(self._unseal(sealed))

    def _unknown(self, line: Line, name: str, at: int) -> str:
        self._secrets += 1
        return unknown(repr((self._sha256, line.path, name, at)).encode())

    def _without_secrets(self, line: Line, name: str, value: Value) -> Value:
        if isinstance(value, Secret):
            return self._secret(line, name, value, 0)
        if isinstance(value, str):
            if "secret" not in value:
                return value
            return IN_TEXT.sub(
                lambda found: mark(
                    self._known(found[1] or "") or self._unknown(line, name, found.start())
                ),
                value,
            )
        if isinstance(value, list):
            if value and all(isinstance(one, Secret) for one in value):
                return [self._secret(line, name, one, at) for at, one in enumerate(value)]
            return [self._without_secrets(line, name, one) for one in value]
        if isinstance(value, dict):
            return {k: self._without_secrets(line, name, one) for k, one in value.items()}
        return value


def _with_secrets(schema: Schema, names: set[str]) -> Schema:
    """Return a schema by which attributes are secret of which a file says so."""
    known = {name: schema.attributes.get(name, AttributeSpec()) for name in names}
    secret = {name: msgspec.structs.replace(spec, secret=True) for name, spec in known.items()}
    return msgspec.structs.replace(schema, attributes={**schema.attributes, **secret})


def _held(lines: Iterator[Line]) -> Iterator[Line]:
    """Put lines in order, parents first, with a place for each that is only named by others."""
    held: dict[Path, Line] = {}
    for line in lines:
        if line.path in held:
            raise BadFile(f"/{'/'.join(line.path)} is told of twice.")
        held[line.path] = line
        if len(held) > _MOST_HELD:
            raise BadFile(
                f"It tells of more than {_MOST_HELD} objects; use the archive for so many."
            )
    if not held:
        raise BadFile("It tells of no object.")
    for path in list(held):
        for depth in range(len(path)):
            if path[:depth] not in held:
                held[path[:depth]] = Line(path[:depth], PLACE)
    for path in sorted(held, key=len):
        yield held[path]


def _mentioned(tree: Snapshot, whole: bool) -> int:
    if whole:
        return tree.root.total
    return sum(node.entry.kind != PLACE for node in tree.walk())


def _moment(text: str) -> datetime:
    """Return when a file says its content was taken; now where it does not, or says later."""
    try:
        found = parse_datetime(text)
    except ValueError:
        found = None
    if found is None:
        return timezone.now()
    found = found if found.tzinfo else timezone.make_aware(found)
    return min(found, timezone.now())


def newest_schema(connector: str) -> Schema | None:
    """Return the kinds that a system of this sort was last seen with; None where none was."""
    records = Record.objects.filter(system__is_file=False, system__connector=connector)
    record = records.exclude(kind=Record.Kind.FILE).first() if connector else None
    return open_snapshot(record).schema if record else None


def find_file(number: int | str) -> OpenedFile:
    """Return an opened file by the number of its record. Raises `NotFound`."""
    found = OpenedFile.objects.filter(record__pk=record_number(number))
    file = found.select_related("record", "record__system").first()
    if file is None:
        raise NotFound(f"There is no opened file {number}.", "See them with: keepsort files.")
    return file


def drop_file(file: OpenedFile) -> None:
    """Let go of an opened file with all it holds; what was restored from it stays."""
    file.record.system.delete()
