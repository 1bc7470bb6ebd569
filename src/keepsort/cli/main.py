"""The `keepsort` command: the same services as the screens, for scripts.

Exit status: 0 on success, 1 on an error (said on standard error), 2 on wrong usage.
"""

import os
import subprocess
import sys
from typing import TYPE_CHECKING, Any

import click

from keepsort.cli.asking import as_json_option, line_of_input, named_values
from keepsort.cli.copies import copies_app
from keepsort.cli.files import files_app, import_command, open_command
from keepsort.cli.keeping import attention_command, pin_command, verify_command
from keepsort.cli.output import Output
from keepsort.files.names import FORMATS

if TYPE_CHECKING:
    from keepsort.core.model import Path
    from keepsort.core.plan import Clash, Policy
    from keepsort.server.snapshots.models import Record
    from keepsort.server.systems.models import System


@click.group()
def app() -> None:
    """Look into configuration backups, and put back only what should go back."""


@app.group("system")
def system_app() -> None:
    """The systems that are kept."""


app.add_command(attention_command)
app.add_command(open_command)
app.add_command(pin_command)
app.add_command(verify_command)
app.add_command(copies_app)
app.add_command(files_app)
app.add_command(import_command)


@app.group("keys")
def keys_app() -> None:
    """The key that everything kept secret is encrypted with."""


@keys_app.command("check")
def check_key() -> None:
    """Tell whether the key is the right one."""
    from keepsort.server.systems.keeping import check

    check()
    print("The key is the one that this database's secrets are encrypted with.")


@keys_app.command("accept-loss")
@click.option("--yes", is_flag=True, help="The old key is lost for good.")
def accept_loss(yes: bool) -> None:
    """Go on without secrets whose key is lost; each is asked for where it is needed."""
    from keepsort.server.problems import Problem
    from keepsort.server.systems import keeping

    if not yes:
        raise Problem(
            "Passwords and secrets encrypted with the lost key go for good.", "Say --yes."
        )
    passwords, kept = keeping.accept_loss()
    print(f"Lost: the passwords of {passwords} systems, and {kept} secrets found in systems.")
    print("Give the passwords again in Setup. Everybody has to sign in again.")


@keys_app.command("rotate")
def rotate_key() -> None:
    """Change the key; run it again after the server and its workers were started anew."""
    from keepsort.server.systems import keeping

    count = keeping.rotate()
    print(f"{count} secrets are encrypted anew.")
    if keeping.is_unfinished():
        print("Start the server and its workers anew, then run this once more.")


_backup = click.argument("backup")
_hangs = click.option(
    "--at", help="What an opened file is put beneath; where it says if not given."
)
_passphrase = click.option(
    "--passphrase-stdin", is_flag=True, help="Read the passphrase from standard input."
)


def main() -> None:
    """Run the command."""
    # who asks what wants attention asks for workers too, and these are in the queue's tables
    which = "server" if sys.argv[1:2] == ["attention"] else "cli"
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", f"keepsort.{which}.settings")
    import django
    from django.db import OperationalError

    from keepsort.connectors.errors import ConnectorError
    from keepsort.core.snapshot import ChunkMissing
    from keepsort.server.migrating import is_current
    from keepsort.server.problems import Problem

    try:
        django.setup()
        asks_help = bool({"--help", "-h"} & set(sys.argv))
        if not asks_help and not is_current():
            # the migrations of the queue are known only to the server's settings
            subprocess.run([sys.executable, "-m", "keepsort.server.migrating"], check=True)
        if not asks_help and sys.argv[1:2] != ["keys"]:
            from keepsort.server.systems.keeping import check

            check()
        app(prog_name="keepsort")
    except (Problem, ConnectorError, ChunkMissing, ValueError) as error:
        _fail(str(error))
    except OperationalError as error:
        first = str(error).strip().splitlines()[0]
        _fail(f"The database does not answer: {first} Start it with make demo or make serve.")


def _fail(message: str) -> None:
    print(f"keepsort: {message}", file=sys.stderr)
    sys.exit(1)


@system_app.command("add")
@click.argument("name", metavar="SYSTEM")
@click.option("--connector", required=True, help="directory, keystore, hostfiles or exhibits.")
@click.option("--address", required=True, help="Where the system answers.")
@click.option("--option", multiple=True, help="NAME=VALUE, as often as needed.")
@click.option("--user", default="", help="The account to sign in with.")
@click.option("--password-stdin", is_flag=True, help="Read the password from standard input.")
@as_json_option
def system_add(
    name: str,
    connector: str,
    address: str,
    option: tuple[str, ...],
    user: str,
    password_stdin: bool,
    as_json: bool,
) -> None:
    """Add a system, once it has answered."""
    from keepsort.connectors.errors import ConnectorError
    from keepsort.server.systems.services import add_system, try_connection

    options = named_values(option)
    password = line_of_input(password_stdin)
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
@as_json_option
def system_list(as_json: bool) -> None:
    """List the systems."""
    from keepsort.server.systems.models import System

    rows = [
        {"system": s.name, "connector": s.connector, "address": s.address, "user": s.user}
        for s in System.objects.all()
    ]
    Output(as_json).many("systems", rows, ["system", "connector", "address", "user"])


@system_app.command("remove")
@click.argument("name", metavar="SYSTEM")
@as_json_option
def system_remove(name: str, as_json: bool) -> None:
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
@click.argument("system")
@click.option("--branch", default="/", help="Only this branch.")
@click.option("--note", default="", help="What to remember it by.")
@as_json_option
def backup(system: str, branch: str, note: str, as_json: bool) -> None:
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


@app.command()
@_backup
@click.argument("path", default="/")
@click.option(
    "--depth", type=click.IntRange(0), default=1000, help="How many levels beneath the path."
)
@as_json_option
def show(backup: str, path: str, depth: int, as_json: bool) -> None:
    """Show the tree of a backup with its attributes."""
    from keepsort.cli.showing import show_tree
    from keepsort.server.picking import find_path
    from keepsort.server.snapshots.services import find_record, open_snapshot

    tree = open_snapshot(find_record(backup))
    start = tree.at if path == "/" else find_path([tree], path)
    show_tree(Output(as_json), tree, start, depth)


@app.command()
@_backup
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
@_passphrase
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
    from keepsort.server.picking import find_path
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


@app.command()
@_backup
@click.option(
    "--with", "against", default="live", metavar="live|live:SYSTEM|BACKUP",
    help="live, the live state of a system, or another backup or file.",
)  # fmt: skip
@click.option("--branch", default="/", help="Only this branch.")
@_hangs
@as_json_option
def compare(backup: str, against: str, branch: str, at: str | None, as_json: bool) -> None:
    """Compare a backup or an opened file with a live system or with another backup."""
    from keepsort.cli.showing import show_comparison
    from keepsort.server.picking import find_path
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record, take
    from keepsort.server.sorting.comparing import Terms, compared

    left = find_record(backup)
    target = _live_system(left, against)
    right = take(target, Record.Kind.LOOK) if target is not None else find_record(against)
    found = compared(left, right, Terms(hangs=_hanging_place(right, at)))
    start = () if branch == "/" else find_path([found.left, found.right], branch)
    show_comparison(Output(as_json), found, start)


def _live_system(record: "Record", against: str) -> "System | None":
    """Return the system whose live state is meant; None where it is another backup."""
    from keepsort.server.problems import Problem
    from keepsort.server.systems.services import find_system

    if against.startswith("live:"):
        return find_system(against[5:])
    if against == "live" and record.system.is_file:
        raise Problem(
            f"{record.pk} is an opened file, and no live system stands behind it.",
            "Name one: --with live:SYSTEM, or --to SYSTEM.",
        )
    return record.system if against == "live" else None


def _hanging_place(beside: "Record", at: str | None) -> "Path | None":
    from keepsort.server.picking import read_path
    from keepsort.server.snapshots.services import open_snapshot

    return read_path(open_snapshot(beside), at) if at is not None else None


@app.command()
@_backup
@click.option("--pick", multiple=True, help="PATH, PATH/**, PATH#attribute or PATH#attribute@PART")
@click.option(
    "--pick-from",
    nargs=2,
    multiple=True,
    metavar="BACKUP PATH",
    help="Pick from another backup of the system too.",
)
@click.option(
    "--leave", multiple=True, help="Leave the object at PATH, and all beneath it, out of a branch."
)
@click.option("--remove-extra", multiple=True, help="Take away extra objects at PATH.")
@click.option(
    "--accept-move",
    multiple=True,
    metavar="PATH",
    help="Take the missing object at PATH to be the extra one that compare suggests.",
)
@click.option(
    "--policy", type=click.Choice(["overwrite", "keep", "fill"]), default="overwrite",
    help="What happens to what exists live.",
)  # fmt: skip
@click.option("--to", "target", help="The system that an opened file goes to.")
@_hangs
@as_json_option
def preview(
    backup: str,
    pick: tuple[str, ...],
    pick_from: tuple[tuple[str, str], ...],
    leave: tuple[str, ...],
    remove_extra: tuple[str, ...],
    accept_move: tuple[str, ...],
    policy: "Policy",
    target: str | None,
    at: str | None,
    as_json: bool,
) -> None:
    """Plan a restore and show what it will do; writes nothing to the live system."""
    from keepsort.cli.showing import show_plan
    from keepsort.core.plan import LeftOut, Pick
    from keepsort.server.picking import accepted_move, check_left_out, find_path, read_pick
    from keepsort.server.problems import Problem
    from keepsort.server.restores import previewing
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record, open_snapshot, take
    from keepsort.server.sorting.comparing import Terms, compared

    record = find_record(backup)
    system = _live_system(record, f"live:{target}" if target is not None else "live")
    if system is None or (system != record.system and not record.system.is_file):
        raise Problem(
            f"Backup {record.pk} is of {record.system}.", "To put it elsewhere: keepsort elsewhere."
        )
    look = take(system, Record.Kind.LOOK)
    terms = Terms(hangs=_hanging_place(look, at))
    found = compared(record, look, terms)
    trees = [found.left, found.right]
    accepted = frozenset(accepted_move(found, text) for text in accept_move)
    terms = Terms(accepted=accepted, hangs=terms.hangs)
    without = tuple(LeftOut(find_path(trees, text)) for text in leave)
    picks = [read_pick(trees, text, without) for text in pick]
    picks += [Pick(find_path(trees, text), "remove") for text in remove_extra]
    others = []
    for number, text in pick_from:
        other = find_record(number, Record.Kind.BACKUP)
        others.append((read_pick([open_snapshot(other)], text, without), other))
    check_left_out(found.left, [*picks, *(pick for pick, _ in others)], without)
    plan = previewing.preview(record, picks, policy, look=look, terms=terms, others=others)
    show_plan(Output(as_json), plan)


@app.command()
@_backup
@click.argument("paths", nargs=-1, required=True, metavar="PATH...")
@click.option("--to", "target", help="Another system of the same kind; the same one if not given.")
@click.option("--at", default="/", help="What is to hold the copies.")
@click.option(
    "--clash", type=click.Choice(["rename", "skip", "replace"]), default="rename",
    help="What happens where a name is taken.",
)  # fmt: skip
@as_json_option
def elsewhere(
    backup: str,
    paths: tuple[str, ...],
    target: str | None,
    at: str,
    clash: "Clash",
    as_json: bool,
) -> None:
    """Plan to put branches of a backup into another place, or into another system."""
    from keepsort.cli.showing import show_plan
    from keepsort.server.picking import find_path
    from keepsort.server.restores.previewing import preview_elsewhere
    from keepsort.server.restores.services import branch_path
    from keepsort.server.snapshots.services import find_record, open_snapshot
    from keepsort.server.systems.services import find_system

    record = find_record(backup)
    tree = open_snapshot(record)
    system = find_system(target) if target is not None else record.system
    chosen = [find_path([tree], path.removesuffix("/**") or "/") for path in paths]
    plan = preview_elsewhere(record, chosen, system, branch_path(system, at), clash)
    show_plan(Output(as_json), plan)


@app.command()
@click.argument("plan")
@click.option("--confirm", multiple=True, help="A finding to confirm.")
@click.option(
    "--answers-stdin", is_flag=True, help="Read secrets that are asked for: FINDING=VALUE lines."
)
@click.option(
    "--go-on", is_flag=True, help="After a failure, go on with what does not depend on it."
)
@click.option(
    "--wait", type=click.IntRange(0, 7 * 24 * 60), default=10, metavar="MINUTES",
    help="How long to wait for a system that does not answer.",
)  # fmt: skip
@as_json_option
def restore(
    plan: str, confirm: tuple[str, ...], answers_stdin: bool, go_on: bool, wait: int, as_json: bool
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
        lines = sys.stdin.read().splitlines() if answers_stdin else []
        answers = dict(line.rsplit("=", 1) for line in lines if "=" in line)
        run = engine.start(record, list(confirm), None, mode, answers, wait)
    show_run(Output(as_json), engine.carry_through(run.pk))


@app.command()
@click.argument("run")
@as_json_option
def resume(run: str, as_json: bool) -> None:
    """Go on with a run that was interrupted."""
    from keepsort.cli.showing import show_run
    from keepsort.server.restores import engine
    from keepsort.server.restores.services import find_run

    show_run(Output(as_json), engine.carry_through(find_run(run).pk))


@app.command()
@click.argument("run")
@as_json_option
def cancel(run: str, as_json: bool) -> None:
    """End a run before its next step; what was begun is looked at first."""
    from keepsort.cli.showing import show_run
    from keepsort.server.restores import engine
    from keepsort.server.restores.models import Run
    from keepsort.server.restores.services import find_run

    found = engine.cancel(find_run(run))
    if engine.is_interrupted(found):
        found = engine.carry_out(found.pk)
    if found.state == Run.State.FINISHED:
        show_run(Output(as_json), find_run(run))
    else:
        told = {"run": found.pk, "state": found.state, "waits": found.waits}
        Output(as_json).one(told, f"run {found.pk} ends before its next step. {found.waits}")


@app.command()
@click.argument("run")
@as_json_option
def undo(run: str, as_json: bool) -> None:
    """Plan the way back from a run; carry the plan out with restore."""
    from keepsort.cli.showing import show_plan
    from keepsort.server.restores.previewing import preview_undo
    from keepsort.server.restores.services import find_run

    show_plan(Output(as_json), preview_undo(find_run(run)))


@app.command()
@click.argument("system", required=False)
@as_json_option
def runs(system: str | None, as_json: bool) -> None:
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


@app.command()
@click.argument("text")
@click.option("--system", help="Only in this system.")
@click.option("--gone", is_flag=True, help="Only objects that are not there any more.")
@as_json_option
def search(text: str, system: str | None, gone: bool, as_json: bool) -> None:
    """Find objects in all backups, by part of a name, a path, or words of their values."""
    from keepsort.cli.showing import show_found
    from keepsort.server.history import searching
    from keepsort.server.history.feeding import catch_up
    from keepsort.server.systems.models import System
    from keepsort.server.systems.services import find_system

    where = find_system(system) if system is not None else None
    for one in [where] if where is not None else System.objects.all():
        catch_up(one)
    show_found(Output(as_json), searching.search(text, system=where, gone=gone or None))


@app.command()
@click.argument("system")
@click.argument("path")
@as_json_option
def history(system: str, path: str, as_json: bool) -> None:
    """Show every backup in which an object differs from the one before."""
    from keepsort.cli.showing import show_history
    from keepsort.server.history.feeding import catch_up
    from keepsort.server.history.reading import history as read_history
    from keepsort.server.picking import read_path
    from keepsort.server.problems import NotFound
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import newest, open_snapshot
    from keepsort.server.systems.services import find_system

    found = find_system(system)
    record = newest(found, Record.Kind.BACKUP)
    if record is None:
        raise NotFound(f"{found} has no backup yet.", "Make one with: keepsort backup.")
    catch_up(found)
    tree = open_snapshot(record)
    place = read_path(tree, path)
    node = tree.find(place)
    moments = read_history(found, place, node.entry.identity if node else None, tree)
    if not moments:
        written = tree.schema.notation.write(place)
        raise NotFound(f"No backup has {written}.", "Find it with: keepsort search.")
    show_history(Output(as_json), moments, tree)
