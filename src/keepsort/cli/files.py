"""Opening files, and what is done with opened ones."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from keepsort.cli.asking import as_json_option, line_of_input
from keepsort.cli.output import Output
from keepsort.files.names import READ

if TYPE_CHECKING:
    from keepsort.server.files.models import OpenedFile

_passphrase = click.option(
    "--passphrase-stdin",
    is_flag=True,
    help="Read the passphrase of its secrets from standard input.",
)
_format = click.option(
    "--format",
    "form",
    type=click.Choice(READ),
    help="Its format; told by its content if not given.",
)


def _opened(file: str, name: str | None, form: str | None, passphrase_stdin: bool) -> "OpenedFile":
    from keepsort.server.files.opening import open_file
    from keepsort.server.problems import Problem

    passphrase = line_of_input(passphrase_stdin)
    try:
        with Path(file).open("rb") as source:
            return open_file(source, name or Path(file).name, form or "", passphrase=passphrase)
    except OSError as error:
        raise Problem(f"{file} cannot be read: {error.strerror}.", "Name another.") from None


def told(file: "OpenedFile") -> dict[str, Any]:
    """Return what a script is told of an opened file."""
    return {
        "backup": file.record_id,
        "name": file.name,
        "format": file.form,
        "objects": file.record.objects_count,
        "taken_at": file.told["taken_at"],
        "system": file.told["system"],
        "connector": file.told["connector"],
        "whole": file.whole,
        "signed_by": file.signed_by or None,
        "secrets_unknown": file.secrets,
        "passed_over": file.passed_over,
        "bytes": file.size,
        "sha256": file.sha256,
    }


@click.command("open")
@click.argument("file")
@click.option("--as", "name", help="What to call it.")
@_format
@_passphrase
@as_json_option
def open_command(
    file: str, name: str | None, form: str | None, passphrase_stdin: bool, as_json: bool
) -> None:
    """Open a file and keep what it holds; its number goes wherever a backup's goes."""
    found = _opened(file, name, form, passphrase_stdin)
    of = f" of {found.told['system']}" if found.told["system"] else ""
    text = f"{found.record_id}: {found.record.objects_count} objects{of}, read as {found.form}"
    text += f"; {found.secrets} secrets are not in it" if found.secrets else ""
    for one in found.passed_over:
        print(f"keepsort: passed over: {one}", file=sys.stderr)
    Output(as_json).one(told(found), text)


@click.group("files", invoke_without_command=True)
@as_json_option
@click.pass_context
def files_app(context: click.Context, as_json: bool) -> None:
    """List the opened files."""
    if context.invoked_subcommand is not None:
        return
    from keepsort.server.files.models import OpenedFile

    rows = [told(file) for file in OpenedFile.objects.select_related("record")]
    Output(as_json).many("files", rows, ["backup", "name", "format", "objects", "system"])


@files_app.command("drop")
@click.argument("number")
@as_json_option
def files_drop(number: str, as_json: bool) -> None:
    """Let go of an opened file; what was restored from it stays."""
    from keepsort.server.files.opening import drop_file, find_file

    file = find_file(number)
    drop_file(file)
    Output(as_json).one({"dropped": int(number), "name": file.name}, f"{file.name} is let go of")


@click.command("import")
@click.argument("file")
@click.argument("system")
@click.option("--note", default="", help="What to remember it by.")
@_format
@_passphrase
@as_json_option
def import_command(
    file: str, system: str, note: str, form: str | None, passphrase_stdin: bool, as_json: bool
) -> None:
    """Make a backup of a system from a file that holds all of it, or all of a branch."""
    from keepsort.server.files.importing import import_file
    from keepsort.server.files.opening import drop_file
    from keepsort.server.systems.services import find_system

    target = find_system(system)
    found = _opened(file, None, form, passphrase_stdin)
    try:
        record = import_file(found, target, note=note)
    finally:
        drop_file(found)
    Output(as_json).one(
        {"backup": record.pk, "objects": record.objects_count, "note": record.note},
        f"backup {record.pk} of {target}: {record.objects_count} objects, imported",
    )
