"""What wants attention, and what is not known: asked in one place."""

import json
from datetime import timedelta
from pathlib import Path

import pytest
from django.utils import timezone

from demo.servers.slapd import Slapd
from keepsort.core.plan import Pick
from keepsort.server import tasks
from keepsort.server.attention import overview
from keepsort.server.attention.items import items
from keepsort.server.files.copying import add_place, due
from keepsort.server.files.models import Copy
from keepsort.server.problems import Problem
from keepsort.server.restores import engine
from keepsort.server.restores.previewing import open_plan, preview, preview_again
from keepsort.server.restores.undoing import preview_undo
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.models import System
from tests.conftest import dn
from tests.server.records import a_system, keep
from tests.server.test_history import grown, thing

pytestmark = pytest.mark.django_db(transaction=True)


def codes(system: System) -> list[str]:
    return [item.code for item in items() if item.system == system.pk]


def test_nothing_is_well_that_nobody_has_looked_at() -> None:
    system = a_system()
    assert codes(system) == ["never-backed-up", "never-looked-at"]
    tree = grown((("a",), thing("a", title="x")))
    keep(system, tree)
    assert codes(system) == ["never-looked-at"]
    look = keep(system, tree, kind=Record.Kind.LOOK)
    assert codes(system) == []
    Record.objects.filter(pk=look.pk).update(taken_at=timezone.now() - timedelta(hours=30))
    assert codes(system) == ["look-too-old"]
    found = next(item for item in items() if item.code == "look-too-old")
    assert (found.level, found.place) == ("unknown", f"/sort/{system.pk}")
    assert "30 hours ago" in found.text


def test_a_look_at_a_branch_is_no_look_at_the_whole() -> None:
    system = a_system()
    tree = grown((("a",), thing("a", title="x")))
    keep(system, tree)
    keep(system, tree, at=("a",), kind=Record.Kind.LOOK)
    assert codes(system) == ["never-looked-at"]


def test_what_differs_failed_and_waits_is_told_by_urgency() -> None:
    system = a_system()
    keep(system, grown((("a",), thing("a", title="x"))), days_ago=3)
    keep(system, grown(), kind=Record.Kind.LOOK)
    Work.objects.create(system=system, kind="look", state=Work.State.FAILED, message="It is away.")
    assert codes(system) == ["look-failed", "overdue", "differs"]
    assert next(i for i in items() if i.code == "differs").text == "1 missing."
    assert "no-worker" in [i.code for i in items()]


def test_trouble_with_one_is_told_as_not_known(monkeypatch: pytest.MonkeyPatch) -> None:
    good, bad = a_system("Good"), a_system("Bad")
    for system in (good, bad):
        keep(system, grown())
        keep(system, grown(), kind=Record.Kind.LOOK)
    real = overview.tallied

    def broken(left: Record, right: Record, **asked: bool) -> object:
        if left.system_id == bad.pk:
            raise KeyError("x")
        return real(left, right, **asked)

    monkeypatch.setattr(overview, "tallied", broken)
    assert codes(good) == []
    assert codes(bad) == ["cannot-be-told"]


def test_an_undone_run_says_by_which(people: System, slapd: Slapd) -> None:
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    run = engine.carry_out(
        engine.start(preview(backup, [Pick(("ou=divers", "cn=Imke Farrow"))]), [], None).pk
    )
    undo = engine.carry_out(engine.start(preview_undo(run), [], None).pk)
    with pytest.raises(Problem, match=f"Run {undo.pk} has taken this run back") as told:
        preview_undo(run)
    assert told.value.status == 409
    again = preview_undo(undo)
    assert again.summary["created"] == 1


def test_chosen_steps_are_taken_back_with_what_cannot_stay_without_them(
    people: System, slapd: Slapd
) -> None:
    backup = take(people, Record.Kind.BACKUP)
    divers = ("ou=divers",)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    rest = [node.path for node in open_snapshot(backup).walk() if node.path[:1] == divers]
    for path in sorted(rest, key=len, reverse=True):
        if path != (*divers, "cn=Imke Farrow"):
            name = ",".join((*reversed(path), "dc=kelpmoor,dc=example"))
            slapd.change(f"dn: {name}\nchangetype: delete\n")
    run = engine.carry_out(engine.start(preview(backup, [Pick(divers, "branch")]), [], None).pk)
    steps = {step.path: step.number for step in open_plan(run.plan).steps}
    one = steps[*divers, "cn=Imke Farrow"]
    some = preview_undo(run, chosen=[one])
    assert some.takes_back == [one]
    assert engine.carry_out(engine.start(some, [], None).pk).outcome == "verified"
    with pytest.raises(Problem, match="taken back already"):
        preview_undo(run, chosen=[one])
    with pytest.raises(Problem, match="has not written"):
        preview_undo(run, chosen=[])
    # what holds the others cannot go without them
    rest_of_it = preview_undo(run, chosen=[steps[divers]])
    assert rest_of_it.takes_back == sorted(set(steps.values()) - {one})
    last = engine.carry_out(engine.start(rest_of_it, [], None).pk)
    assert last.outcome == "verified"
    with pytest.raises(Problem, match=f"Run {last.pk} has taken this run back"):
        preview_undo(run)


def test_picks_are_previewed_again_on_what_live_is_now(people: System, slapd: Slapd) -> None:
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    first = preview(backup, [Pick(("ou=divers", "cn=Imke Farrow"))])
    slapd.load(
        f"dn: {dn('Imke Farrow')}\nobjectClass: inetOrgPerson\ncn: Imke Farrow\nsn: Another\n"
    )
    run = engine.carry_out(engine.start(first, [], None).pk)
    assert run.outcome == "failed"
    again = preview_again(first)
    assert [s.action for s in open_plan(again).steps] == ["update"]
    assert json.loads(json.dumps(again.picks)) == json.loads(json.dumps(first.picks))
    undo = engine.carry_out(
        engine.start(again, [f.name for f in open_plan(again).findings], None).pk
    )
    with pytest.raises(Problem, match="not made of picks"):
        preview_again(preview_undo(undo))


def test_a_copy_that_cannot_be_made_is_told_and_taken_up_again_by_a_worker(
    people: System, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("KEEPSORT_LOCAL_FILES", "yes")
    folder = tmp_path / "mount"
    folder.mkdir()
    place = add_place(people, folder.as_uri(), {}, "", "")
    folder.rmdir()
    take(people, Record.Kind.BACKUP)
    tasks.copy_all(0)
    [item] = [one for one in items() if one.code == "copy-failed"]
    assert item.level == "stop"
    assert "There is no folder" in item.text
    folder.mkdir()
    tasks.copy_all(0)
    assert list(folder.iterdir()) == [], "not at once after a failure"
    Copy.objects.update(at=timezone.now() - timedelta(hours=2))
    tasks.copy_all(0)
    assert len(list(folder.iterdir())) == 1
    assert not [one for one in items() if one.code == "copy-failed"]
    # one with problems is no good backup, and stays here
    record = take(people, Record.Kind.BACKUP)
    Record.objects.filter(pk=record.pk).update(problem_count=1)
    tasks.copy_all(0)
    assert due(place) == []
    assert len(list(folder.iterdir())) == 1
