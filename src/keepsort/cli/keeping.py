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
    from keepsort.server.snapshots.verifying import verify_and_mark

    if bool(backups) == every:
        raise click.UsageError("Name backups, or say --all.")
    kept = Record.objects.filter(kind=Record.Kind.BACKUP).select_related("system")
    records = list(kept) if every else [find_record(one, Record.Kind.BACKUP) for one in backups]
    found = verify_and_mark(records, progress("chunks"))
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

    What somebody has put aside is listed with who did, and does not count.

    SYSTEM: only what is about it, or about Keep Sort itself.
    """
    from dataclasses import asdict

    from keepsort.server.attention.items import items
    from keepsort.server.systems.services import find_system

    number = find_system(system).pk if system is not None else None
    rows = [asdict(item) for item in items() if number is None or item.system in (number, None)]
    wanting = [row for row in rows if row["aside"] is None]
    for row in rows:
        if row["aside"] is not None:
            row["aside"]["at"] = row["aside"]["at"].isoformat(timespec="seconds")
            until = row["aside"]["until"]
            row["aside"]["until"] = until and until.isoformat(timespec="seconds")
    if rows and as_json:
        Output(True).many("attention", rows, [])
    elif wanting or as_json:
        Output(as_json).many("attention", wanting, ["level", "title", "text"])
    else:
        print("Nothing wants attention.")
    for row in () if as_json else rows:
        if row["aside"] is not None:
            print(f"put aside by {row['aside']['by'] or 'somebody'}: {row['title']}")
    if wanting:
        sys.exit(1)


@click.command("baseline")
@click.argument("system")
@click.argument("backup")
@as_json_option
def baseline_command(system: str, backup: str, as_json: bool) -> None:
    """Mark a good backup as the state that the system is measured by."""
    from keepsort.server.problems import Problem
    from keepsort.server.snapshots.baseline import set_baseline
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record
    from keepsort.server.systems.services import find_system

    record, found = find_record(backup, Record.Kind.BACKUP), find_system(system)
    if record.system_id != found.pk:
        raise Problem(f"Backup {backup} is of {record.system.name}, not of {found.name}.")
    set_baseline(record)
    Output(as_json).one(
        {"system": found.name, "baseline": record.pk},
        f"backup {record.pk} is the baseline of {found.name}",
    )


@click.command("delete")
@click.argument("backup")
@as_json_option
def delete_command(backup: str, as_json: bool) -> None:
    """Delete a backup, unless something needs it; its space is given back within two hours."""
    from keepsort.server.retention.services import delete
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record

    record = find_record(backup, Record.Kind.BACKUP)
    number = record.pk
    freed = delete(record)
    size = "how much that frees is not known" if freed is None else f"{freed} bytes are freed"
    Output(as_json).one(
        {"deleted": number, "freed_bytes": freed}, f"backup {number} is deleted; {size}"
    )


@click.command("retention")
@click.argument("system")
@click.option("--good", type=click.IntRange(0), help="The last so many good ones.")
@click.option("--problems", type=click.IntRange(0), help="The last so many with problems.")
@click.option("--daily", type=click.IntRange(0), help="One a day, for so many days.")
@click.option("--weekly", type=click.IntRange(0), help="One a week, for so many weeks.")
@click.option("--monthly", type=click.IntRange(0), help="One a month, for so many months.")
@click.option("--yearly", type=click.IntRange(0), help="One a year, for so many years.")
@click.option("--zone", help="Where days begin.")
@click.option("--dry-run", is_flag=True, help="Only tell what it would drop.")
@click.option("--apply", "at_once", is_flag=True, help="Keep the policy, and drop at once.")
@as_json_option
def retention_command(
    system: str, zone: str | None, dry_run: bool, at_once: bool, as_json: bool, **rules: int | None
) -> None:
    """Tell or change how long backups of a system are kept.

    With no rule, the policy there is. A policy that is given is kept with --apply alone, and takes
    the place of the one before as a whole.
    """
    from keepsort.core.retention import Policy
    from keepsort.server.retention import services
    from keepsort.server.systems.services import find_system

    if dry_run and at_once:
        raise click.UsageError("Say --dry-run or --apply.")
    found = find_system(system)
    given = {name: count for name, count in rules.items() if count is not None}
    policy = services.policy_of(found)
    if given:
        policy = services.checked(Policy(**given, zone=zone or policy.zone))
    planned = services.plan(found, policy)
    dropped: list[int] = []
    if at_once:
        services.save_policy(found, policy)
        dropped = services.apply(found)
    result = {
        "policy": {n: getattr(policy, n) for n in Policy.__struct_fields__},
        "drops": [{"backup": r.pk, "frees_bytes": size} for r, size in planned.goes],
        "keeps": [{"backup": r.pk, "why": "; ".join(why)} for r, why in planned.keeps],
        "dropped": dropped,
    }
    if as_json:
        Output(True).one(result, "")
        return
    for record, why in planned.keeps:
        print(f"keeps backup {record.pk} of {record.taken_at:%Y-%m-%d %H:%M}: {'; '.join(why)}")
    for record, size in planned.goes:
        frees = "" if size is None else f", {size} bytes"
        print(f"drops backup {record.pk} of {record.taken_at:%Y-%m-%d %H:%M}{frees}")
    if at_once:
        print(f"{len(dropped)} backups dropped")
