"""What every connector must do, on its real server: a connector is done when it passes this.

A connector's own tests derive a class from `Contract` and give it a `subject` fixture.
"""

import random
from collections.abc import Sequence
from hashlib import blake2b
from typing import Protocol

import pytest

from keepsort.connectors.applying import Outcome, carry_out, grouped, judged, read
from keepsort.connectors.base import Connector, Finishing, Grouping, Permitting, Preparing, Ready
from keepsort.connectors.errors import Changed, Conflict
from keepsort.core.compare import Comparison, compare
from keepsort.core.model import Path, object_digest
from keepsort.core.plan import (
    Composer,
    Pick,
    Plan,
    Step,
    is_implied,
    plan_restore,
    plan_undo,
    rehearse,
    threaded,
)
from keepsort.core.plan.rehearsal import is_done
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder


class Keeper:
    """Secrets in memory."""

    def __init__(self) -> None:
        self.kept: dict[str, bytes] = {}

    def digest(self, value: bytes) -> str:
        name = blake2b(value, digest_size=16).hexdigest()
        self.kept[name] = value
        return name

    def reveal(self, digest: str) -> bytes | None:
        return self.kept.get(digest)


class Subject(Protocol):
    """A real server with some data, and ways to change it that are not the connector's own.

    states: the kinds of difference that `harm` makes.
    """

    composer: Composer
    states: set[str]

    def open(self) -> Connector:
        """Open the connector with an account that may do everything."""

    def harm(self) -> None:
        """Change the server's data with its own tools, in every way there is."""

    def meddle(self, path: Path) -> None:
        """Change one object that `harm` has changed once more, as somebody else would."""

    def hide(self) -> tuple[Connector, Path] | None:
        """Return a connector of an account that may not read an object, and which one."""


class Desk:
    """One connector at work, as the engine works with it."""

    def __init__(self, subject: Subject) -> None:
        self.subject = subject
        self.store = MemoryStore()
        self.connector = subject.open()

    def look(self, connector: Connector | None = None) -> Snapshot:
        connector = connector or self.connector
        described = connector.describe()
        builder = SnapshotBuilder(self.store, described.schema, depth_first=described.depth_first)
        for path, obj in connector.observe():
            builder.add(path, obj)
        return builder.finish()

    def plan(self, comparison: Comparison, picks: Sequence[Pick]) -> Plan:
        plan = plan_restore(comparison, list(picks), composer=self.subject.composer)
        assert not plan.stopped, plan.findings
        found = self.connector.check(plan.steps, comparison.left)
        assert not [f for f in found if f.level == "stop"], found
        for step in plan.steps:
            assert self.connector.render(step)
        return plan

    def carry_out(self, steps: Sequence[Step], connector: Connector | None = None) -> list[bool]:
        """Carry out steps and see that each reads back as planned; tell which wrote something."""
        connector = connector or self.connector
        schema = connector.describe().schema
        standing = None
        if isinstance(connector, Preparing):
            standing = connector.standing(steps)
            connector.begin(standing)
        wrote = []
        for group in grouped(connector, steps):
            real = [s for s in group if not is_implied(schema, s)]
            outcomes = carry_out(connector, connector.describe(), real)
            wrote += [not o.already for o in outcomes]
            wholes = [thread.whole for thread in threaded(schema, real)]
            there = read(connector, [whole.final_path for whole in wholes])
            for whole, found in zip(wholes, there, strict=True):
                assert is_done(schema, whole, found), (whole, found)
        if isinstance(connector, Finishing):
            connector.finish(steps)
        if standing is not None and isinstance(connector, Preparing):
            connector.put_back(standing)
        return wrote


def apply(connector: Connector, step: Step) -> Outcome:
    """Carry out one step. Raises `Conflict`, or what the connector raises."""
    return carry_out(connector, connector.describe(), [step])[0]


def content(tree: Snapshot) -> dict[Path, str]:
    """What counts of a tree: every object's digest; folders that only others imply are left out."""
    return {
        node.path: object_digest(tree.schema, node.entry.kind, tree.object(node).attributes)
        for node in tree.walk()
        if not tree.schema.is_implied(node.entry.kind)
    }


def not_allowed(connector: Connector, steps: Sequence[Step]) -> list[tuple[Path, str]]:
    """What the system says the account may not write: places, and attributes where it names them."""
    assert isinstance(connector, Permitting)
    places = {step.number: step.final_path for step in steps}
    return [(places[r.step], r.attribute) for r in connector.may_write(steps) if not r.may]


EVERYTHING = (Pick((), "branch"), Pick((), "remove"))


class Contract:
    """The tests."""

    def test_says_what_it_is(self, subject: Subject) -> None:
        described = subject.open().describe()
        assert described.software
        assert described.schema.kinds
        assert described.promises.compare_and_set in ("server", "check")

    def test_the_same_look_twice(self, subject: Subject) -> None:
        desk = Desk(subject)
        assert desk.look().root.significant == desk.look().root.significant
        assert isinstance(desk.connector.validate(desk.look()), list)

    def test_everything_goes_back_and_can_be_undone(self, subject: Subject) -> None:
        desk = Desk(subject)
        backup = desk.look()
        subject.harm()
        live = desk.look()
        comparison = compare(backup, live)
        assert {d.state for d in comparison.differences} >= subject.states
        plan = desk.plan(comparison, EVERYTHING)
        promises = desk.connector.describe().promises
        assert promises.rename or "move" not in {step.action for step in plan.steps}
        assert all(desk.carry_out(plan.steps))
        again = desk.look()
        assert content(again) == content(backup)
        assert content(rehearse(live, plan.steps, subject.composer)) == content(backup)
        desk.carry_out(plan_undo(plan.steps, live, desk.look()))
        assert content(desk.look()) == content(live)

    def test_asking_what_may_be_written_writes_nothing(self, subject: Subject) -> None:
        desk = Desk(subject)
        if not isinstance(desk.connector, Permitting):
            pytest.skip("this system says nothing of it before")
        backup = desk.look()
        subject.harm()
        live = desk.look()
        plan = desk.plan(compare(backup, live), EVERYTHING)
        rights = desk.connector.may_write(plan.steps)
        assert rights
        assert all(right.may for right in rights), "this account may do everything"
        numbers = [right.step for right in rights]
        assert len(numbers) == len(set(numbers))
        assert set(numbers) <= {step.number for step in plan.steps}
        assert desk.look().root.significant == live.root.significant

    @pytest.mark.parametrize("seed", range(4))
    def test_random_picks_change_what_was_foretold_and_nothing_else(
        self, subject: Subject, seed: int
    ) -> None:
        desk = Desk(subject)
        backup = desk.look()
        subject.harm()
        live = desk.look()
        comparison = compare(backup, live)
        chosen = random.Random(seed).sample(
            comparison.differences, max(1, len(comparison.differences) // 3)
        )
        picks = [Pick(d.path, "remove" if d.state == "extra" else "object") for d in chosen]
        plan = plan_restore(comparison, picks, composer=subject.composer)
        if plan.stopped:  # what was drawn stands in the way of something else
            picks = picks[:1]
            plan = desk.plan(comparison, picks)
        desk.carry_out(plan.steps)
        foretold = content(rehearse(live, plan.steps, subject.composer))
        assert content(desk.look()) == foretold
        desk.carry_out(plan_undo(plan.steps, live, desk.look()))
        assert content(desk.look()) == content(live)

    def test_what_somebody_else_changed_is_not_overwritten(self, subject: Subject) -> None:
        desk = Desk(subject)
        backup = desk.look()
        subject.harm()
        comparison = compare(backup, desk.look())
        changed = [d for d in comparison.differences if d.state == "changed"]
        plans = [desk.plan(comparison, [Pick(d.path)]) for d in changed]
        plan = next(p for p in plans if len(p.steps) == 1)
        subject.meddle(plan.steps[-1].path)
        before = content(desk.look())
        with pytest.raises(Conflict):
            desk.carry_out(plan.steps)
        assert content(desk.look()) == before

    def test_the_server_itself_refuses_what_has_changed_since(self, subject: Subject) -> None:
        """As if the change had come after the look and before the write."""
        desk = Desk(subject)
        described = desk.connector.describe()
        if described.promises.compare_and_set != "server":
            pytest.skip("this system is looked at right before each write")
        backup = desk.look()
        subject.harm()
        comparison = compare(backup, desk.look())
        changed = [d for d in comparison.differences if d.state == "changed"]
        plans = [desk.plan(comparison, [Pick(d.path)]) for d in changed]
        step = next(p for p in plans if len(p.steps) == 1).steps[0]
        seen = desk.connector.look([step.path])[0]
        assert judged(described, step, seen.found, None) == "write"
        assert seen.version is not None
        subject.meddle(step.path)
        before = content(desk.look())
        with pytest.raises(Changed):
            desk.connector.write([Ready(step, seen)])
        assert content(desk.look()) == before

    def test_a_group_happens_whole_or_not_at_all(self, subject: Subject) -> None:
        desk = Desk(subject)
        if not isinstance(desk.connector, Grouping):
            pytest.skip("this system takes one step at a time")
        backup = desk.look()
        subject.harm()
        plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
        group = max(desk.connector.groups(plan.steps), key=len)
        assert len(group) > 1
        meant = next(s for s in reversed(group) if s.action == "update")
        ready = [
            Ready(step, seen)
            for step, seen in zip(group, desk.connector.look([s.path for s in group]), strict=True)
        ]
        subject.meddle(meant.path)
        before = content(desk.look())
        with pytest.raises(Changed):
            desk.connector.write(ready)
        assert content(desk.look()) == before

    def test_after_a_crash_nothing_is_done_twice(self, subject: Subject) -> None:
        desk = Desk(subject)
        backup = desk.look()
        subject.harm()
        plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
        kinds = desk.connector.describe().schema.kinds.values()
        # what cannot be without something comes with it, or not at all
        whole = any(kind.holds for kind in kinds)
        parts = grouped(desk.connector, plan.steps) if whole else [[s] for s in plan.steps]
        half = len(parts) // 2 + 1
        for part in parts[:half]:
            desk.carry_out(part)
            # whoever goes on finds the steps in doubt, and looks first
            assert not any(desk.carry_out(part, subject.open())), "it was done before the crash"
        desk.carry_out([step for part in parts[half:] for step in part], subject.open())
        assert content(desk.look()) == content(backup)

    def test_what_may_not_be_read_is_not_taken_for_gone(self, subject: Subject) -> None:
        desk = Desk(subject)
        full = desk.look()
        hidden = subject.hide()
        if hidden is None:
            pytest.skip("this system has one account, which sees everything")
        connector, path = hidden
        assert full.find(path) is not None
        found = read(connector, [path])[0]
        assert found is not None
        assert found.unreadable
