"""Whatever is picked, and whatever fails on the way: undo gives back live exactly as it was.

``KEEPSORT_ROUNDS=500`` makes as many restores of every system; the usual run makes a few.
"""

import os
import random
from itertools import count

import pytest

from keepsort.connectors.errors import Conflict, Refused, Unreachable
from keepsort.core.compare import Comparison, Difference, compare_attributes
from keepsort.core.compare.anchors import element_name, part_numbers
from keepsort.core.model import Path
from keepsort.core.plan import AttributePick, Pick
from keepsort.server.problems import Problem
from keepsort.server.restores import engine
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import open_plan, preview
from keepsort.server.restores.undoing import preview_undo, taken_back
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.sorting.comparing import compared
from keepsort.server.systems.services import opened
from tests.connectors.contract import content
from tests.server import test_faults
from tests.server.test_faults import Harmed, Killed, _after, _before, _break, _started, _tree

pytestmark = pytest.mark.django_db(transaction=True)
harmed = test_faults.harmed

ROUNDS = int(os.environ.get("KEEPSORT_ROUNDS", "0"))
#: The controller starts anew after each run that wrote automations.
USUAL = {"exhibits": 3, "hostfiles": 12}
WAYS = [
    None, None, _before(Unreachable("The line went dead.")), _after(Unreachable("It went dead.")),
    _before(Refused("No room left.")), _after(Refused("A trigger failed.")),
    _before(Conflict("It is not what the preview showed.", None)),
    _before(Killed()), _after(Killed()),
]  # fmt: skip


def _parts(found: Comparison, difference: Difference, rng: random.Random) -> Pick:
    """Pick some attributes of an object, or some parts of them."""
    assert difference.left is not None
    assert difference.right is not None
    schema, kind = found.left.schema, difference.kind
    left, right = found.left.object(difference.left), found.right.object(difference.right)
    picked = []
    for one in compare_attributes(schema, kind, left.attributes, right.attributes):
        if one.state == "same" or rng.random() < 0.3:
            continue
        spec = schema.spec(kind, one.name)
        parts = [
            *part_numbers(one),
            *(
                element_name(spec, v, "left", difference.path)
                for v in one.only_left
                if one.state == "changed"
            ),
            *(
                element_name(spec, v, "right", difference.path)
                for v in one.only_right
                if one.state == "changed"
            ),
        ]
        some = tuple(rng.sample(parts, rng.randint(0, len(parts))))
        picked.append(AttributePick(one.name, parts=some))
    if not picked:
        return Pick(difference.path)
    return Pick(difference.path, "attributes", tuple(picked))


def _picks(found: Comparison, rng: random.Random) -> list[Pick]:
    chosen = rng.sample(found.differences, rng.randint(1, min(5, len(found.differences))))
    picks = []
    for difference in chosen:
        if difference.state == "extra":
            picks.append(Pick(difference.path, "remove"))
        elif difference.state == "changed" and rng.random() < 0.7:
            picks.append(_parts(found, difference, rng))
        else:
            picks.append(Pick(difference.path, rng.choice(["object", "branch"])))
    return picks


def _run(plan: PlanRecord, rng: random.Random, monkeypatch: pytest.MonkeyPatch) -> Run | None:
    """Carry a plan out with a write of it going wrong; go on with it where it dies."""
    way = rng.choice(WAYS)
    if way is not None:
        _break(monkeypatch, rng.randrange(3), way)
    try:
        run = _started(plan)
    except Problem:
        return None
    run.on_failure = rng.choice(["stop", "go-on"])
    run.save()
    try:
        run = engine.carry_out(run.pk)
    except Killed:
        monkeypatch.setattr(engine, "opened", opened)
        run = engine.carry_out(run.pk)
    monkeypatch.setattr(engine, "opened", opened)
    return run


def test_live_comes_back_exactly(harmed: Harmed, monkeypatch: pytest.MonkeyPatch) -> None:
    system = harmed.system
    before = content(_tree(take(system, Record.Kind.LOOK)))
    wanted = ROUNDS or USUAL.get(system.connector, 6)
    wrote = 0
    for number in count():
        if wrote >= wanted or number > 4 * wanted + 20:
            break
        rng = random.Random(f"{system.connector} {number}")
        look = take(system, Record.Kind.LOOK)
        picks = _picks(compared(harmed.backup, look), rng)
        plan = preview(harmed.backup, picks, look=look)
        if open_plan(plan).stopped:
            continue
        run = _run(plan, rng, monkeypatch)
        if run is None:
            continue
        assert run.state == Run.State.FINISHED
        assert run.outcome != "unchanged", "there was something to write"
        if run.steps.filter(wrote=True).exists():
            wrote += 1
            written = list(run.steps.filter(wrote=True).values_list("number", flat=True))
            # in one go, or first some of the steps, with what cannot stay without them
            some = rng.sample(written, rng.randint(1, len(written)))
            for chosen in rng.choice([[None], [some, None]]):
                left = set(written) - taken_back(run).keys()
                if not left:
                    break
                way_back = preview_undo(run, chosen=chosen)
                undo = engine.carry_out(_started(way_back).pk)
                assert undo.outcome == "verified", (number, undo.message)
                assert set(chosen or left) <= taken_back(run).keys() <= set(written)
            assert taken_back(run).keys() == set(written)
            assert undo.after is not None
            left = compared(harmed.backup, undo.after).tally
            assert way_back.summary["left"] == left, (number, "as the preview of the undo said")
        assert content(_tree(take(system, Record.Kind.LOOK))) == before, (number, picks)
    assert wrote >= wanted


def test_what_reads_back_differently_belongs_to_the_undo(
    harmed: Harmed, monkeypatch: pytest.MonkeyPatch
) -> None:
    system = harmed.system
    look = take(system, Record.Kind.LOOK)
    before = content(_tree(look))
    changed = [d.path for d in compared(harmed.backup, look).differences if d.state == "changed"]
    plans = [preview(harmed.backup, [Pick(path)], look=look) for path in changed]
    plan = next(p for p in plans if len(open_plan(p).steps) == 1 and not open_plan(p).stopped)
    path: Path = open_plan(plan).steps[0].path

    def crooked(write: object) -> object:
        done = write()  # type: ignore[operator]
        harmed.subject.meddle(path)
        return done

    _break(monkeypatch, 0, crooked)  # type: ignore[arg-type]
    run = engine.carry_out(_started(plan).pk)
    monkeypatch.setattr(engine, "opened", opened)
    line = run.steps.get()
    assert (run.outcome, line.state, line.wrote) == ("partial", RunStep.State.DIFFERS, True)
    assert "reads back differently in " in line.message
    undo = preview_undo(run)
    assert not [f for f in open_plan(undo).findings if f.code == "unknown-outcome"]
    assert engine.carry_out(_started(undo).pk).outcome == "verified"
    assert content(_tree(take(system, Record.Kind.LOOK))) == before
