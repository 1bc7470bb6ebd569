"""What is kept: pinned, verified, and what of it wants attention."""

import sys
from typing import Any

import click

from keepsort.cli.asking import as_json_option
from keepsort.cli.output import Output


@click.command("pin")
@click.argument("backup")
@click.option("--off", is_flag=True, help="Take the pin away.")
@as_json_option
def pin_command(backup: str, off: bool, as_json: bool) -> None:
    """Pin a backup: a good state that is to stay."""
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record

    record = find_record(backup, Record.Kind.BACKUP)
    record.pinned = not off
    record.save(update_fields=["pinned"])
    told = "is pinned" if record.pinned else "is pinned no more"
    Output(as_json).one({"backup": record.pk, "pinned": record.pinned}, f"backup {backup} {told}")


@click.command("verify")
@click.argument("backups", nargs=-1, metavar="[BACKUP]...")
@click.option("--all", "every", is_flag=True, help="All backups of all systems.")
@as_json_option
def verify_command(backups: tuple[str, ...], every: bool, as_json: bool) -> None:
    """Read again and hash all that backups stand on; exit status 1 where something is damaged."""
    from keepsort.cli.writing import progress
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record
    from keepsort.server.snapshots.verifying import verify

    if bool(backups) == every:
        raise click.UsageError("Name backups, or say --all.")
    kept = Record.objects.filter(kind=Record.Kind.BACKUP).select_related("system")
    records = list(kept) if every else [find_record(one, Record.Kind.BACKUP) for one in backups]
    found = verify(records, progress("chunks"))
    rows: list[dict[str, Any]] = [
        {
            "backup": one.record.pk,
            "system": one.record.system.name,
            "path": place,
            "what": what,
        }
        for one in found.damaged
        for place, what in one.places or [("/", "its kinds")]
    ]
    result = {
        "checked": found.checked,
        "backups": len(records),
        "damaged": rows,
        "more": sum(one.more for one in found.damaged),
    }
    if as_json:
        Output(True).one(result, "")
    else:
        for row in rows:
            print(f"backup {row['backup']} of {row['system']}: {row['path']}: {row['what']}")
        told = f"{len(found.damaged)} damaged" if found.damaged else "all as they were kept"
        print(f"{len(records)} backups, {found.checked} chunks read and hashed: {told}")
    if found.damaged:
        sys.exit(1)


@click.command("attention")
@click.argument("system", required=False)
@as_json_option
def attention_command(system: str | None, as_json: bool) -> None:
    """List what wants attention, and what is not known; exit status 1 where something does.

    SYSTEM: only what is about it, or about Keep Sort itself.
    """
    from dataclasses import asdict

    from keepsort.server.attention import items
    from keepsort.server.systems.services import find_system

    number = find_system(system).pk if system is not None else None
    rows = [asdict(item) for item in items() if number is None or item.system in (number, None)]
    if rows or as_json:
        Output(as_json).many("attention", rows, ["level", "title", "text"])
    else:
        print("Nothing wants attention.")
    if rows:
        sys.exit(1)
