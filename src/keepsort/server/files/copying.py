"""Copies off the machine: each good backup is put into the places that its system names.

Coming back after everything is lost: `stored_in` lists what a place holds, and `take_in` makes
backups of it again.
"""

import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import timedelta

from django.db.models import QuerySet
from django.utils import timezone

from keepsort.connectors.errors import ConnectorError, Misconfigured
from keepsort.connectors.places import Place, Stored, Way, open_place
from keepsort.connectors.places.base import NAME
from keepsort.server.accounts.models import User
from keepsort.server.events.notify import tell
from keepsort.server.files.exporting import Wanted, export
from keepsort.server.files.importing import import_file
from keepsort.server.files.models import Copy, OpenedFile
from keepsort.server.files.opening import drop_file, open_file
from keepsort.server.locks import Space, alone
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.systems.keeping import PASSPHRASE, PLACE, decrypt, encrypt
from keepsort.server.systems.models import CopyPlace, System

PATTERN = "{system}-{date}-{time}-{number}.zip"
_FIELDS = re.compile(r"\{(system|date|time|number|branch)\}")
_AT_ONCE = 20
_LONGEST_WAIT = timedelta(hours=1)
_MOST_BYTES = 2 << 30


def add_place(
    system: System,
    address: str,
    options: dict[str, str],
    user: str,
    password: str,
    *,
    passphrase: str = "",
    pattern: str = PATTERN,
    keep: int = 0,
) -> CopyPlace:
    """Add a place for copies, once it has answered. Raises `Problem` or a `ConnectorError`."""
    rest = _FIELDS.sub("x", pattern)
    if "{number}" not in pattern or NAME.fullmatch(rest) is None:
        raise Problem(
            f"{pattern!r} gives no good names: letters, digits, dots and dashes, ending in .zip, "
            "with {number} in them so that no two are the same.",
            f"Use for example {PATTERN}.",
        )
    if passphrase and len(passphrase) < 8:
        raise Problem("The passphrase is shorter than 8 letters.", "Choose a longer one.")
    way = Way(address=address, options=options, user=user, password=password)
    with _opened(way) as place:
        place.stored()
        learned = place.learned
    newest = _good(system).order_by("-pk").first()
    return CopyPlace.objects.create(
        system=system, since=newest.pk if newest else 0, address=address,
        options={**options, **learned}, user=user,
        password=encrypt(password.encode(), PLACE),
        passphrase=encrypt(passphrase.encode(), PASSPHRASE), sealed=bool(passphrase),
        pattern=pattern, keep=keep,
    )  # fmt: skip


def way_of(place: CopyPlace) -> Way:
    """Return how a place is reached, its password in the clear."""
    return Way(
        address=place.address, options=place.options, user=place.user,
        password=decrypt(bytes(place.password), PLACE).decode(),
    )  # fmt: skip


@contextmanager
def _opened(way: Way) -> Iterator[Place]:
    if way.address.startswith("file:") and os.environ.get("KEEPSORT_LOCAL_FILES") != "yes":
        raise Misconfigured(
            "Folders of this machine are not allowed as places.",
            "Start with KEEPSORT_LOCAL_FILES=yes, or choose a host or a bucket.",
        )
    with closing(open_place(way)) as place:
        yield place


def due(place: CopyPlace) -> list[Record]:
    """Return the good backups that are not there yet, oldest first."""
    made = _good(place.system).filter(pk__gte=place.since).order_by("pk")
    there = Copy.objects.filter(place=place).exclude(name="").values("record")
    return list(made.exclude(pk__in=there)[:_AT_ONCE])


def _good(system: System) -> QuerySet[Record]:
    return Record.objects.filter(
        system=system, kind=Record.Kind.BACKUP, imported=False, problem_count=0
    )


def held_copies(place: CopyPlace) -> QuerySet[Copy]:
    """Return the copies that lie in a place, newest first."""
    return Copy.objects.filter(place=place, dropped=False).exclude(name="")


def failed_copy(place: CopyPlace) -> Copy | None:
    """Return the newest copy that was tried in vain; None where none was."""
    return Copy.objects.filter(place=place, name="").exclude(failures=0).first()


def copy_due(system: System | None = None, *, at_once: bool = False) -> None:
    """Put all backups where they should be; what fails is told, and tried again later.

    at_once: without the pause after a failure.
    """
    places = CopyPlace.objects.select_related("system")
    for place in places.filter(system=system) if system else places:
        with alone(Space.COPIES, place.pk) as held:
            if held:
                _copy_to(place, at_once)


def _copy_to(place: CopyPlace, at_once: bool) -> None:
    for record in due(place):
        row, _ = Copy.objects.get_or_create(place=place, record=record)
        pause = min(_LONGEST_WAIT, timedelta(minutes=2 ** min(row.failures, 10)))
        if row.failures and not at_once and timezone.now() - row.at < pause:
            return
        try:
            _put(place, record, row)
        except DATABASE_AWAY:
            raise
        except Exception as error:
            row.failures += 1
            row.message = str(error)
            row.save()
            if not isinstance(error, ConnectorError | Problem | OSError):
                log.error("a copy could not be made", place=place.pk, error=error)
            tell("record", record.pk, place.system_id)
            return
    tell("record", 0, place.system_id)


def _put(place: CopyPlace, record: Record, row: Copy) -> None:
    passphrase = decrypt(bytes(place.passphrase), PASSPHRASE).decode()
    with tempfile.TemporaryFile(prefix="keepsort-copy-") as file, _opened(way_of(place)) as there:
        export(record, Wanted(), "archive", file, passphrase or None)
        size = file.tell()
        file.seek(0)
        name = copy_name(place, record)
        there.put(name, file)
        stored = {one.name: one.size for one in there.stored()}
        if stored.get(name) != size:
            raise Problem(f"{name} was written, and is not there as it should be.")
        row.name, row.size, row.failures, row.message = name, size, 0, ""
        row.save()
        if place.keep:
            _drop_older(place, there)


def _drop_older(place: CopyPlace, there: Place) -> None:
    """Take the oldest copies away, only those that were put there from here."""
    for old in held_copies(place)[place.keep :]:
        there.drop(old.name)
        old.dropped = True
        old.save()


def copy_name(place: CopyPlace, record: Record) -> str:
    """Return what the copy of a backup is called in a place."""
    branch = record.at[-1] if record.at else "all"
    known = {
        "system": place.system.name, "date": f"{record.taken_at:%Y-%m-%d}",
        "time": f"{record.taken_at:%H%M}", "number": str(record.pk), "branch": branch,
    }  # fmt: skip
    plain = {n: re.sub(r"[^A-Za-z0-9.-]+", "-", v).strip("-.")[:60] for n, v in known.items()}
    return _FIELDS.sub(lambda found: plain[found[1]] or "x", place.pattern)


def stored_in(way: Way) -> list[Stored]:
    """List the archives in a place, whether or not any system names it."""
    with _opened(way) as place:
        return place.stored()


def fetch(way: Way, name: str, passphrase: str = "", by: User | None = None) -> OpenedFile:
    """Open an archive that lies in a place. Raises `Problem` or a `ConnectorError`."""
    if NAME.fullmatch(name) is None:
        raise Problem(f"{name!r} is no name of an archive.", "See what the place holds.")
    with tempfile.TemporaryFile(prefix="keepsort-fetch-") as file:
        with _opened(way) as place:
            place.get(name, file, _MOST_BYTES)
        file.seek(0)
        return open_file(file, name, "archive", by=by, passphrase=passphrase)


def take_in(
    way: Way, name: str, passphrase: str = "", by: User | None = None
) -> tuple[OpenedFile | None, Record | None]:
    """Make a backup of an archive that lies in a place, of the system that it names.

    Where there is no such system yet, it stays an opened file. Raises `Problem` or a
    `ConnectorError`.
    """
    file = fetch(way, name, passphrase, by)
    system = System.objects.filter(name__iexact=file.told["system"]).first()
    if system is None or system.connector != file.record.system.connector or not file.whole:
        return file, None
    try:
        return None, import_file(file, system, by=by)
    finally:
        drop_file(file)
