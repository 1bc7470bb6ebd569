"""The `keepsort` command: the same services as the screens, for scripts.

Exit status: 0 on success, 1 on an error (said on standard error), 2 on wrong usage.
"""

import os
import sys
from typing import Annotated, Any

import typer

from keepsort.cli.output import Output

app = typer.Typer(
    name="keepsort", no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False,
    help="Look into configuration backups, and put back only what should go back.",
)  # fmt: skip
system_app = typer.Typer(no_args_is_help=True, help="The systems that are kept.")
app.add_typer(system_app, name="system")

Json = Annotated[bool, typer.Option("--json", help="Print one JSON document.")]
_SystemName = Annotated[str, typer.Argument(metavar="SYSTEM")]
_BackupNumber = Annotated[str, typer.Argument(metavar="BACKUP")]


def main() -> None:
    """Run the command."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
    import django
    from django.db import OperationalError

    from keepsort.connectors.errors import ConnectorError
    from keepsort.core.snapshot import ChunkMissing
    from keepsort.server.migrating import migrate_if_needed
    from keepsort.server.problems import Problem

    try:
        django.setup()
        if not {"--help", "-h"} & set(sys.argv):
            migrate_if_needed()
        app()
    except (Problem, ConnectorError, ChunkMissing, ValueError) as error:
        _fail(str(error))
    except OperationalError as error:
        first = str(error).strip().splitlines()[0]
        _fail(f"The database does not answer: {first} Start it with make demo or make serve.")


def _fail(message: str) -> None:
    print(f"keepsort: {message}", file=sys.stderr)
    sys.exit(1)


@system_app.command("add")
def system_add(
    name: _SystemName,
    connector: Annotated[str, typer.Option(help="Which connector: directory.")],
    address: Annotated[str, typer.Option(help="Where the system answers.")],
    option: Annotated[
        list[str] | None, typer.Option(help="NAME=VALUE, as often as needed.")
    ] = None,
    user: Annotated[str, typer.Option(help="The account to sign in with.")] = "",
    password_stdin: Annotated[
        bool, typer.Option(help="Read the password from standard input.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Add a system, once it has answered."""
    from keepsort.connectors.errors import ConnectorError
    from keepsort.server.systems.services import add_system, try_connection

    options = {}
    for text in option or []:
        key, equals, value = text.partition("=")
        if not equals:
            raise typer.BadParameter(f"{text!r} is not NAME=VALUE", param_hint="--option")
        options[key] = value
    password = sys.stdin.readline().rstrip("\r\n") if password_stdin else ""
    system = add_system(name, connector, address, options, user, password)
    try:
        description = try_connection(system)
    except ConnectorError:
        system.delete()
        raise
    Output(as_json).one(
        {"system": system.name, "connector": connector, "software": description.software},
        f"{system.name}: {description.software} at {address}",
    )


@system_app.command("list")
def system_list(as_json: Json = False) -> None:
    """List the systems."""
    from keepsort.server.systems.models import System

    rows = [
        {"system": s.name, "connector": s.connector, "address": s.address, "user": s.user}
        for s in System.objects.all()
    ]
    Output(as_json).many("systems", rows, ["system", "connector", "address", "user"])


@system_app.command("remove")
def system_remove(name: _SystemName, as_json: Json = False) -> None:
    """Remove a system with all its backups and runs. The live system stays as it is."""
    from keepsort.server.restores.services import remove_system
    from keepsort.server.systems.services import find_system

    system = find_system(name)
    count = remove_system(system)
    Output(as_json).one(
        {"removed": system.name, "backups": count},
        f"{system.name} is removed, with {count} backups",
    )


@app.command()
def backup(
    system: _SystemName,
    branch: Annotated[str, typer.Option(help="Only this branch.")] = "/",
    note: Annotated[str, typer.Option(help="What to remember it by.")] = "",
    as_json: Json = False,
) -> None:
    """Back up a system, or one branch of it."""
    from keepsort.server.restores.services import branch_path
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import take
    from keepsort.server.systems.services import find_system

    found = find_system(system)
    record = take(found, Record.Kind.BACKUP, branch=branch_path(found, branch), note=note)
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


@app.command()
def backups(system: _SystemName, as_json: Json = False) -> None:
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


@app.command()
def show(
    backup: _BackupNumber,
    path: Annotated[str, typer.Argument(metavar="[PATH]")] = "/",
    depth: Annotated[int, typer.Option(min=0, help="How many levels beneath the path.")] = 1000,
    as_json: Json = False,
) -> None:
    """Show the tree of a backup with its attributes."""
    from keepsort.cli.showing import show_tree
    from keepsort.server.picking import find_path
    from keepsort.server.snapshots.services import find_record, open_snapshot

    tree = open_snapshot(find_record(backup))
    start = tree.at if path == "/" else find_path([tree], path)
    show_tree(Output(as_json), tree, start, depth)


@app.command()
def compare(
    backup: _BackupNumber,
    against: Annotated[str, typer.Option("--with", help="live, or another backup.")] = "live",
    branch: Annotated[str, typer.Option(help="Only this branch.")] = "/",
    as_json: Json = False,
) -> None:
    """Compare a backup with the live system or with another backup."""
    from keepsort.cli.showing import show_comparison
    from keepsort.server.picking import find_path
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record, take
    from keepsort.server.sorting.comparing import compared

    left = find_record(backup)
    right = take(left.system, Record.Kind.LOOK) if against == "live" else find_record(against)
    found = compared(left, right)
    start = () if branch == "/" else find_path([found.left, found.right], branch)
    show_comparison(Output(as_json), found, start)


@app.command()
def preview(
    backup: _BackupNumber,
    pick: Annotated[list[str] | None, typer.Option(help="PATH, PATH/**, PATH#attribute")] = None,
    remove_extra: Annotated[
        list[str] | None, typer.Option(help="Take away extra objects at PATH.")
    ] = None,
    policy: Annotated[str, typer.Option(help="overwrite, keep or fill")] = "overwrite",
    as_json: Json = False,
) -> None:
    """Plan a restore and show what it will do; writes nothing to the live system."""
    from keepsort.cli.showing import show_plan
    from keepsort.core.plan import Pick
    from keepsort.server.picking import find_path, merged, read_pick
    from keepsort.server.restores import previewing
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record, take
    from keepsort.server.sorting.comparing import compared

    if policy not in ("overwrite", "keep", "fill"):
        raise typer.BadParameter("choose overwrite, keep or fill", param_hint="--policy")
    record = find_record(backup)
    look = take(record.system, Record.Kind.LOOK)
    found = compared(record, look)
    trees = [found.left, found.right]
    picks = merged([read_pick(trees, text) for text in pick or []])
    picks += [Pick(find_path(trees, text), "remove") for text in remove_extra or []]
    plan = previewing.preview(record, picks, policy, look=look)  # type: ignore[arg-type]
    show_plan(Output(as_json), plan)


@app.command()
def restore(
    plan: Annotated[str, typer.Argument(metavar="PLAN")],
    confirm: Annotated[list[str] | None, typer.Option(help="A finding to confirm.")] = None,
    go_on: Annotated[
        bool, typer.Option(help="After a failure, go on with what does not depend on it.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Carry out a plan that was previewed, or go on with a run of it that was interrupted."""
    from keepsort.cli.showing import show_run
    from keepsort.server.restores import engine
    from keepsort.server.restores.models import Run
    from keepsort.server.restores.services import find_plan

    record = find_plan(plan)
    # a run of this plan that was interrupted is gone on with; nothing is done twice
    run = record.runs.exclude(state=Run.State.FINISHED).first()
    if run is None:
        mode = Run.OnFailure.GO_ON if go_on else Run.OnFailure.STOP
        run = engine.start(record, confirm or [], None, mode)
    show_run(Output(as_json), engine.carry_out(run.pk))


@app.command()
def resume(run: Annotated[str, typer.Argument(metavar="RUN")], as_json: Json = False) -> None:
    """Go on with a run that was interrupted."""
    from keepsort.cli.showing import show_run
    from keepsort.server.restores import engine
    from keepsort.server.restores.services import find_run

    show_run(Output(as_json), engine.carry_out(find_run(run).pk))


@app.command()
def undo(run: Annotated[str, typer.Argument(metavar="RUN")], as_json: Json = False) -> None:
    """Plan the way back from a run; carry the plan out with restore."""
    from keepsort.cli.showing import show_plan
    from keepsort.server.restores.previewing import preview_undo
    from keepsort.server.restores.services import find_run

    show_plan(Output(as_json), preview_undo(find_run(run)))


@app.command()
def runs(
    system: Annotated[str | None, typer.Argument(metavar="[SYSTEM]")] = None, as_json: Json = False
) -> None:
    """List runs, newest first."""
    from keepsort.server.restores.engine import is_interrupted
    from keepsort.server.restores.models import Run
    from keepsort.server.systems.services import find_system

    found = Run.objects.select_related("system", "plan")
    if system is not None:
        found = found.filter(system=find_system(system))
    rows = [
        {
            "run": r.pk,
            "system": r.system.name,
            "state": "interrupted" if is_interrupted(r) else r.state,
            "outcome": r.outcome,
            "steps": r.steps.count(),
            "undoes": r.plan.undoes_id,
            "started_at": r.started_at.isoformat(timespec="seconds"),
        }
        for r in found
    ]
    Output(as_json).many("runs", rows, ["run", "system", "state", "outcome", "steps", "started_at"])
