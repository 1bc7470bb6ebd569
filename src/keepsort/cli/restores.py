"""From a comparison to a run, and back."""

import sys
from typing import TYPE_CHECKING

import click

from keepsort.cli.asking import as_json_option, backup_argument
from keepsort.cli.output import Output

if TYPE_CHECKING:
    from keepsort.core.model import Path
    from keepsort.core.plan import Clash, Policy
    from keepsort.server.snapshots.models import Record
    from keepsort.server.systems.models import System


_hangs = click.option(
    "--at", help="What an opened file is put beneath; where it says if not given."
)


@click.command()
@backup_argument
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
    from keepsort.server.pick_notation import find_path
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
    from keepsort.server.pick_notation import read_path
    from keepsort.server.snapshots.services import open_snapshot

    return read_path(open_snapshot(beside), at) if at is not None else None


@click.command()
@backup_argument
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
@click.option(
    "--pick-as",
    multiple=True,
    metavar="PATH=POLICY",
    help="Pick an object, or PATH/**, with a policy of its own.",
)
@click.option(
    "--called",
    multiple=True,
    metavar="KIND.NOW=FORMER",
    help="What an attribute was called when the backup was made.",
)
@click.option("--to", "target", help="The system that an opened file goes to.")
@click.option(
    "--choose", multiple=True, metavar="OPTION=VALUE",
    help="An option of the connector for this restore, like sharing=none or triggers=off.",
)  # fmt: skip
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
    choose: tuple[str, ...],
    pick_as: tuple[str, ...],
    called: tuple[str, ...],
    at: str | None,
    as_json: bool,
) -> None:
    """Plan a restore and show what it will do; writes nothing to the live system."""
    import msgspec

    from keepsort.cli.showing import show_plan
    from keepsort.core.plan import LeftOut, Pick
    from keepsort.server.pick_notation import (
        accepted_move,
        check_left_out,
        find_path,
        read_former_name,
        read_pick,
        read_pick_as,
    )
    from keepsort.server.problems import Problem
    from keepsort.server.restores import previewing
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import find_record, open_snapshot, take
    from keepsort.server.sorting.comparing import Terms, compared, joined, saved_names

    record = find_record(backup)
    system = _live_system(record, f"live:{target}" if target is not None else "live")
    if system is None or (system != record.system and not record.system.is_file):
        raise Problem(
            f"Backup {record.pk} is of {record.system}.", "To put it elsewhere: keepsort elsewhere."
        )
    look = take(system, Record.Kind.LOOK)
    said = joined(saved_names(system), [read_former_name(one) for one in called])
    terms = Terms(hangs=_hanging_place(look, at), renamed=said if called else None)
    found = compared(record, look, terms)
    trees = [found.left, found.right]
    accepted = frozenset(accepted_move(found, text) for text in accept_move)
    terms = msgspec.structs.replace(terms, accepted=accepted)
    without = tuple(LeftOut(find_path(trees, text)) for text in leave)
    picks = [read_pick(trees, text, without) for text in pick]
    picks += [read_pick_as(trees, text, without) for text in pick_as]
    picks += [Pick(find_path(trees, text), "remove") for text in remove_extra]
    others = []
    for number, text in pick_from:
        other = find_record(number, Record.Kind.BACKUP)
        others.append((read_pick([open_snapshot(other)], text, without), other))
    check_left_out(found.left, [*picks, *(pick for pick, _ in others)], without)
    chosen = {name: value for name, _, value in (one.partition("=") for one in choose)}
    plan = previewing.preview(
        record, picks, policy, look=look, terms=terms, others=others, chosen=chosen
    )
    show_plan(Output(as_json), plan)


@click.command()
@backup_argument
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
    from keepsort.server.pick_notation import find_path
    from keepsort.server.restores.previewing import preview_elsewhere
    from keepsort.server.restores.records import branch_path
    from keepsort.server.snapshots.services import find_record, open_snapshot
    from keepsort.server.systems.services import find_system

    record = find_record(backup)
    tree = open_snapshot(record)
    system = find_system(target) if target is not None else record.system
    chosen = [find_path([tree], path.removesuffix("/**") or "/") for path in paths]
    plan = preview_elsewhere(record, chosen, system, branch_path(system, at), clash)
    show_plan(Output(as_json), plan)


@click.command()
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
    from keepsort.server.restores.records import find_plan

    record = find_plan(plan)
    # a run of this plan that was interrupted is gone on with; nothing is done twice
    run = record.runs.exclude(state=Run.State.FINISHED).first()
    if run is None:
        mode = Run.OnFailure.GO_ON if go_on else Run.OnFailure.STOP
        lines = sys.stdin.read().splitlines() if answers_stdin else []
        answers = dict(line.rsplit("=", 1) for line in lines if "=" in line)
        run = engine.start(record, list(confirm), None, mode, answers, wait)
    show_run(Output(as_json), engine.carry_through(run.pk))


@click.command()
@click.argument("run")
@as_json_option
def resume(run: str, as_json: bool) -> None:
    """Go on with a run that was interrupted."""
    from keepsort.cli.showing import show_run
    from keepsort.server.restores import engine
    from keepsort.server.restores.records import find_run

    show_run(Output(as_json), engine.carry_through(find_run(run).pk))


@click.command()
@click.argument("run")
@as_json_option
def cancel(run: str, as_json: bool) -> None:
    """End a run before its next step; what was begun is looked at first."""
    from keepsort.cli.showing import show_run
    from keepsort.server.restores import engine
    from keepsort.server.restores.models import Run
    from keepsort.server.restores.records import find_run

    found = engine.cancel(find_run(run))
    if engine.is_interrupted(found):
        found = engine.carry_out(found.pk)
    if found.state == Run.State.FINISHED:
        show_run(Output(as_json), find_run(run))
    else:
        told = {"run": found.pk, "state": found.state, "waits": found.waits}
        Output(as_json).one(told, f"run {found.pk} ends before its next step. {found.waits}")


@click.command("try")
@click.argument("run")
@click.argument("step", type=int)
@as_json_option
def try_out(run: str, step: int, as_json: bool) -> None:
    """Use once what a step of a run has restored, to see that it works: print a test page."""
    from keepsort.server.restores import trying
    from keepsort.server.restores.records import find_run

    said = trying.try_out(find_run(run), step, None)
    Output(as_json).one({"said": said}, said)


@click.command()
@click.argument("run")
@click.option("--step", "steps", type=int, multiple=True, help="Only this step; may be repeated.")
@as_json_option
def undo(run: str, steps: tuple[int, ...], as_json: bool) -> None:
    """Plan the way back from a run; carry the plan out with restore.

    With some steps comes what cannot stay without them.
    """
    from keepsort.cli.showing import show_plan
    from keepsort.server.restores.records import find_run
    from keepsort.server.restores.undoing import preview_undo

    show_plan(Output(as_json), preview_undo(find_run(run), chosen=steps or None))


@click.command()
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
