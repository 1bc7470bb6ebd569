"""Copies off the machine, and coming back from them."""

import sys
from typing import TYPE_CHECKING, Any

import click

from keepsort.cli.asking import as_json_option, line_of_input, named_values
from keepsort.cli.output import Output

if TYPE_CHECKING:
    from keepsort.connectors.places import Way

_address = click.argument("address", metavar="ADDRESS")
_option = click.option("--option", multiple=True, help="NAME=VALUE: endpoint, region, key_file.")
_user = click.option("--user", default="", help="Who signs in; for a bucket, the access key.")
_password = click.option(
    "--password-stdin", is_flag=True, help="Read the password from standard input, one line."
)
_passphrase = click.option(
    "--passphrase-stdin", is_flag=True,
    help="Read the passphrase of secrets from standard input, after the password.",
)  # fmt: skip


@click.group("copies")
def copies_app() -> None:
    """Copies of backups off the machine: file:///folder, sftp://host/folder, s3://bucket/prefix."""


def _way(address: str, option: tuple[str, ...], user: str, password: str) -> "Way":
    from keepsort.connectors.places import Way

    return Way(address=address, user=user, password=password, options=named_values(option))


@copies_app.command("add")
@click.argument("system")
@_address
@_option
@_user
@_password
@_passphrase
@click.option("--pattern", help="What copies are called, as {system}-{date}-{time}-{number}.zip.")
@click.option("--keep", type=click.IntRange(0), default=0, help="How many stay there; all if 0.")
@as_json_option
def add(
    system: str,
    address: str,
    option: tuple[str, ...],
    user: str,
    password_stdin: bool,
    passphrase_stdin: bool,
    pattern: str | None,
    keep: int,
    as_json: bool,
) -> None:
    """Copy each good backup of a system to a place from now on, the newest one first."""
    from keepsort.server.files.copying import PATTERN, add_place
    from keepsort.server.systems.services import find_system

    way = _way(address, option, user, line_of_input(password_stdin))
    place = add_place(
        find_system(system), address, way.options, user, way.password,
        passphrase=line_of_input(passphrase_stdin), pattern=pattern or PATTERN, keep=keep,
    )  # fmt: skip
    Output(as_json).one({"place": place.pk, "address": address}, f"place {place.pk}: {address}")


@copies_app.command("list")
@click.argument("system", required=False)
@as_json_option
def list_places(system: str | None, as_json: bool) -> None:
    """List the places, and what became of the newest copy."""
    from keepsort.server.files.copying import held_copies
    from keepsort.server.systems.models import CopyPlace
    from keepsort.server.systems.services import find_system

    places = CopyPlace.objects.select_related("system")
    if system is not None:
        places = places.filter(system=find_system(system))
    rows: list[dict[str, Any]] = []
    for place in places:
        held = held_copies(place)
        newest = place.copies.first()
        rows.append(
            {
                "place": place.pk,
                "system": place.system.name,
                "address": place.address,
                "copies": held.count(),
                "newest": newest.name if newest else None,
                "failed": newest.message if newest and not newest.name else "",
            }
        )
    Output(as_json).many("places", rows, ["place", "system", "address", "copies", "failed"])


@copies_app.command("remove")
@click.argument("place", type=int)
@as_json_option
def remove(place: int, as_json: bool) -> None:
    """Copy to a place no more; what lies there stays."""
    from keepsort.server.problems import NotFound
    from keepsort.server.systems.models import CopyPlace

    found = CopyPlace.objects.filter(pk=place).first()
    if found is None:
        raise NotFound(f"There is no place {place}.", "See them with: keepsort copies list.")
    found.delete()
    Output(as_json).one({"removed": place}, f"place {place} is copied to no more")


@copies_app.command("now")
@click.argument("system", required=False)
@as_json_option
def now(system: str | None, as_json: bool) -> None:
    """Copy what is not there yet, at once; exit status 1 where something failed."""
    from keepsort.server.files.copying import copy_due
    from keepsort.server.files.models import Copy
    from keepsort.server.systems.services import find_system

    where = find_system(system) if system is not None else None
    copy_due(where, at_once=True)
    rows = Copy.objects.filter(place__system=where) if where else Copy.objects.all()
    failed = [{"backup": r.record_id, "why": r.message} for r in rows.filter(name="")]
    there = rows.filter(dropped=False).exclude(name="").count()
    result = {"copies": there, "failed": failed}
    Output(as_json).one(result, f"{there} copies are there, {len(failed)} failed")
    if failed:
        sys.exit(1)


@copies_app.command("look")
@_address
@_option
@_user
@_password
@as_json_option
def look(
    address: str, option: tuple[str, ...], user: str, password_stdin: bool, as_json: bool
) -> None:
    """List the archives in a place, on an installation that knows nothing of it."""
    from keepsort.server.files.copying import stored_in

    found = stored_in(_way(address, option, user, line_of_input(password_stdin)))
    rows = [{"name": one.name, "bytes": one.size} for one in found]
    Output(as_json).many("archives", rows, ["name", "bytes"])


@copies_app.command("take")
@_address
@click.argument("names", nargs=-1, metavar="[NAME]...")
@_option
@_user
@_password
@_passphrase
@as_json_option
def take(
    address: str,
    names: tuple[str, ...],
    option: tuple[str, ...],
    user: str,
    password_stdin: bool,
    passphrase_stdin: bool,
    as_json: bool,
) -> None:
    """Make backups again of the archives in a place; of all of them where none is named.

    One whose system is not here yet stays an opened file. Exit status 1 where one could not be
    taken in; the others are.
    """
    from keepsort.connectors.errors import ConnectorError
    from keepsort.server.files.copying import stored_in, take_in
    from keepsort.server.problems import Problem

    way = _way(address, option, user, line_of_input(password_stdin))
    passphrase = line_of_input(passphrase_stdin)
    rows: list[dict[str, Any]] = []
    for name in names or [one.name for one in stored_in(way)]:
        row: dict[str, Any] = {"name": name, "backup": None, "file": None, "failed": ""}
        try:
            file, record = take_in(way, name, passphrase)
            row["backup"] = record.pk if record else None
            row["file"] = file.record_id if file else None
        except (Problem, ConnectorError) as error:
            row["failed"] = str(error)
        rows.append(row)
    Output(as_json).many("taken", rows, ["name", "backup", "file", "failed"])
    if any(row["failed"] for row in rows):
        sys.exit(1)
