"""Backups: made, listed, looked into, written into files."""

from typing import Any

import click

from keepsort.cli.asking import as_json_option, backup_argument, line_of_input, passphrase_option
from keepsort.cli.output import Output
from keepsort.files.names import FORMATS


@click.command()
@click.argument("system")
@click.option("--branch", default="/", help="Only this branch.")
@click.option("--note", default="", help="What to remember it by.")
@as_json_option
def backup(system: str, branch: str, note: str, as_json: bool) -> None:
    """Back up a system, or one branch of it."""
    from keepsort.server.restores.records import branch_path
    from keepsort.server.snapshots.backing_up import back_up
    from keepsort.server.systems.services import find_system

    found = find_system(system)
    record = back_up(found, branch_path(found, branch), note=note)
    result = {
        "backup": record.pk,
        "objects": record.objects_count,
        "seconds": record.seconds,
        "stored_bytes": record.stored_bytes,
    }
    Output(as_json).one(
        result,
        f"backup {record.pk}: {record.objects_count} objects in {record.seconds:.1f} s, "
        f"{record.stored_bytes} bytes new",
    )


@click.command()
@click.argument("system")
@as_json_option
def backups(system: str, as_json: bool) -> None:
    """List the backups of a system, newest first."""
    from keepsort.server.snapshots.models import Record
    from keepsort.server.systems.services import find_system

    rows: list[dict[str, Any]] = [
        {
            "backup": r.pk,
            "taken_at": r.taken_at.isoformat(timespec="seconds"),
            "objects": r.objects_count,
            "branch": r.at,
            "note": r.note,
            "pinned": r.pinned,
            "problems": r.problem_count,
            "stored_bytes": r.stored_bytes,
            "changes": r.changes,
        }
        for r in find_system(system).records.filter(kind=Record.Kind.BACKUP)
    ]
    Output(as_json).many("backups", rows, ["backup", "taken_at", "objects", "stored_bytes", "note"])


@click.command()
@backup_argument
@click.argument("path", default="/")
@click.option(
    "--depth", type=click.IntRange(0), default=1000, help="How many levels beneath the path."
)
@as_json_option
def show(backup: str, path: str, depth: int, as_json: bool) -> None:
    """Show the tree of a backup with its attributes."""
    from keepsort.cli.showing import show_tree
    from keepsort.server.pick_notation import find_path
    from keepsort.server.snapshots.services import find_record, open_snapshot

    tree = open_snapshot(find_record(backup))
    start = tree.at if path == "/" else find_path([tree], path)
    show_tree(Output(as_json), tree, start, depth)


@click.command()
@backup_argument
@click.argument("paths", nargs=-1, metavar="[PATH]...")
@click.option(
    "--format", "form", type=click.Choice(list(FORMATS)), default="archive",
    show_default=True, help="The format of the file.",
)  # fmt: skip
@click.option("--output", required=True, help="The file to write, or - for standard output.")
@click.option(
    "--secrets", type=click.Choice(["none", "sealed"]), default="none", show_default=True,
    help="Leave secrets out, or seal them with a passphrase.",
)  # fmt: skip
@passphrase_option
@as_json_option
def export(
    backup: str,
    paths: tuple[str, ...],
    form: str,
    output: str,
    secrets: str,
    passphrase_stdin: bool,
    as_json: bool,
) -> None:
    """Write a backup, or some of it, into a file.

    PATH/** is an object with all beneath it, PATH the object alone. Secrets that are left out are
    each named.
    """
    from keepsort.cli.writing import progress, written_to
    from keepsort.server.files.exporting import Wanted
    from keepsort.server.files.exporting import export as write
    from keepsort.server.pick_notation import find_path
    from keepsort.server.snapshots.services import find_record, open_snapshot

    record = find_record(backup)
    tree = open_snapshot(record)
    branches = [
        find_path([tree], p[:-2].removesuffix("/") or "/") for p in paths if p.endswith("**")
    ]
    single = [find_path([tree], path) for path in paths if not path.endswith("**")]
    passphrase = _read_passphrase(passphrase_stdin) if secrets == "sealed" else None
    with written_to(output) as out:
        found = write(record, Wanted(branches, single), form, out, passphrase, progress())
        size = out.tell() if out.seekable() else None
    result = {
        "file": output,
        "bytes": size,
        "objects": found.objects,
        "left_out": found.left_out,
    }
    told = f"{found.objects} objects in {output}"
    told += f"; {found.secrets} secrets are left out" if found.secrets else ""
    told += f"; {found.sealed} secrets are sealed" if found.sealed else ""
    if output != "-":
        Output(as_json).one(result, told)


def _read_passphrase(from_stdin: bool) -> str:
    if from_stdin:
        return line_of_input()
    return str(click.prompt("Passphrase", hide_input=True, err=True))
