"""Runs: roles of the journal, cancelling, hidden branches, and what a worker does."""

from datetime import timedelta

import pytest
from django.utils import timezone

from demo.servers.slapd import Slapd
from keepsort.core.plan import AttributePick, Pick
from keepsort.server import tasks
from keepsort.server.problems import Problem
from keepsort.server.restores import engine
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import preview, sources
from keepsort.server.restores.undoing import preview_undo
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.models import Successor, System
from keepsort.server.systems.services import remember_successor, successors
from tests.conftest import dn

pytestmark = pytest.mark.django_db(transaction=True)

ANSEL, IMKE = ("ou=divers", "cn=Ansel Brandvold"), ("ou=divers", "cn=Imke Farrow")
LEADS = ("ou=groups", "cn=night-dive-leads")


@pytest.fixture
def plan(people: System, slapd: Slapd) -> PlanRecord:
    """A group and what it names are to come back."""
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(
        f"dn: {dn('night-dive-leads', 'groups')}\nchangetype: delete\n\n"
        f"dn: {dn('Imke Farrow')}\nchangetype: delete\n\n"
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Visitor\n"
    )
    return preview(backup, [Pick(LEADS), Pick(ANSEL)])


def taken_up() -> None:
    """Do what a worker does with what it finds that nobody is at."""
    for run in engine.unattended():
        engine.carry_out(run.pk)


def states(run: Run) -> list[str]:
    return list(run.steps.values_list("state", flat=True))


def test_what_depends_on_a_failed_step_is_skipped(plan: PlanRecord, slapd: Slapd) -> None:
    slapd.load(f"dn: {dn('Imke Farrow')}\nobjectClass: person\ncn: Imke Farrow\nsn: Another\n")
    stopping = engine.start(plan, [], None)
    engine.carry_out(stopping.pk)
    assert states(stopping) == ["conflict", "skipped", "skipped"]
    assert "which was not done" in stopping.steps.get(number=2).message
    stopping.refresh_from_db()
    assert stopping.outcome == "failed"
    assert stopping.state == Run.State.FINISHED


def test_what_does_not_depend_on_it_goes_on_if_asked(plan: PlanRecord, slapd: Slapd) -> None:
    slapd.load(f"dn: {dn('Imke Farrow')}\nobjectClass: person\ncn: Imke Farrow\nsn: Another\n")
    run = engine.carry_out(engine.start(plan, [], None, Run.OnFailure.GO_ON).pk)
    assert states(run) == ["conflict", "skipped", "done"]
    assert run.outcome == "partial"
    undo = preview_undo(run)
    assert undo.summary["steps"] == 1, "only what was done is undone"


def test_cancelled_between_steps(plan: PlanRecord) -> None:
    run = engine.start(plan, [], None)
    Run.objects.filter(pk=run.pk).update(cancel_asked=True)
    run = engine.carry_out(run.pk)
    assert states(run) == ["skipped"] * 3
    assert run.outcome == "cancelled"
    with pytest.raises(Problem, match="nothing to undo"):
        preview_undo(run)


def test_a_step_in_doubt_is_settled_by_looking(plan: PlanRecord, slapd: Slapd) -> None:
    run = engine.start(plan, [], None)
    Run.objects.filter(pk=run.pk).update(state=Run.State.RUNNING)
    RunStep.objects.filter(run=run, number=1).update(state=RunStep.State.IN_DOUBT)
    # the server had done it when the process died
    slapd.load(
        f"dn: {dn('Imke Farrow')}\nobjectClass: inetOrgPerson\ncn: Imke Farrow\nsn: Farrow\n"
        "description: Nachtwächterin\\, Riff\n"
    )
    assert engine.is_interrupted(Run.objects.get(pk=run.pk))
    taken_up()
    run.refresh_from_db()
    assert run.outcome == "verified"
    assert not run.steps.filter(already=True).exists()
    assert preview_undo(run).summary["removed"] == 2, "what it did before it died is undone too"


def test_a_run_whose_system_is_away_says_so(plan: PlanRecord, slapd: Slapd) -> None:
    run = engine.start(plan, [], None, wait_minutes=0)
    slapd.stop()
    run = engine.carry_out(run.pk)
    assert run.outcome == "failed"
    assert "does not answer" in run.message
    assert states(run) == ["skipped"] * 3
    slapd.start()


def test_what_must_be_confirmed_is_confirmed_first(people: System, slapd: Slapd) -> None:
    backup = take(people, Record.Kind.BACKUP)
    slapd.load(f"dn: {dn('Guest', 'visitors')}\nobjectClass: person\ncn: Guest\nsn: G\n")
    slapd.change(
        f"dn: {dn('boat-crew', 'groups')}\nchangetype: modify\nadd: member\n"
        f"member: {dn('Guest', 'visitors')}\n"
    )
    plan = preview(backup, [Pick(("ou=visitors", "cn=Guest"), "remove")])
    with pytest.raises(Problem, match="To be confirmed") as problem:
        engine.start(plan, [], None)
    name = problem.value.way_out.removeprefix("Confirm: ").rstrip(".")
    assert engine.carry_out(engine.start(plan, [name], None).pk).outcome == "verified"


def test_a_worker_makes_backups_and_tells_why_it_could_not(people: System, slapd: Slapd) -> None:
    work = Work.objects.create(system=people, kind="backup", note="by hand")
    tasks.do_work(work.pk)
    work.refresh_from_db()
    assert work.state == Work.State.DONE
    assert work.result is not None
    assert work.result.note == "by hand"
    slapd.stop()
    failed = Work.objects.create(system=people, kind="look")
    tasks.do_work(failed.pk)
    failed.refresh_from_db()
    assert failed.state == Work.State.FAILED
    assert "Check the address" in failed.message
    assert Record.objects.count() == 1


def test_looks_are_forgotten_but_not_those_that_plans_stand_on(plan: PlanRecord) -> None:
    for _ in range(5):
        take(plan.system, Record.Kind.LOOK)
    looks = Record.objects.filter(kind=Record.Kind.LOOK)
    assert looks.count() == 6, "somebody may be looking at them still"
    looks.update(taken_at=timezone.now() - timedelta(minutes=20))
    take(plan.system, Record.Kind.LOOK)
    assert looks.count() == 4
    assert plan.look in looks


def test_successors_form_chains(people: System) -> None:
    remember_successor(people, "one", "two")
    remember_successor(people, "one", "three")
    remember_successor(people, "one", "three")
    assert successors(people) == {"one": "three", "two": "three"}
    assert Successor.objects.count() == 2


def test_one_run_brings_back_things_from_several_backups(people: System, slapd: Slapd) -> None:
    first = take(people, Record.Kind.BACKUP)
    slapd.change(
        f"dn: {dn('Imke Farrow')}\nchangetype: delete\n\n"
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Head diver\n"
    )
    second = take(people, Record.Kind.BACKUP)
    slapd.change(
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Visitor\n-\n"
        "replace: telephoneNumber\ntelephoneNumber: 000\n"
    )
    title = Pick(ANSEL, "attributes", (AttributePick("title"),))
    phone = Pick(ANSEL, "attributes", (AttributePick("telephoneNumber"),))
    plan = preview(second, [title], others=[(Pick(IMKE), first), (phone, first)])
    assert sources(plan) == [second, first]
    run = engine.carry_out(engine.start(plan, [], None).pk)
    assert run.outcome == "verified"
    live, before = open_snapshot(take(people, Record.Kind.LOOK)), open_snapshot(first)
    ansel, imke = live.get(ANSEL), live.get(IMKE)
    was = before.get(ANSEL)
    assert ansel is not None
    assert was is not None
    assert imke is not None, "it is in the first backup only"
    assert ansel.attributes["title"] == open_snapshot(second).get(ANSEL).attributes["title"]  # type: ignore[union-attr]
    assert ansel.attributes["telephoneNumber"] == was.attributes["telephoneNumber"]
    undone = engine.carry_out(engine.start(preview_undo(run), [], None).pk)
    assert undone.outcome == "verified"
    assert open_snapshot(take(people, Record.Kind.LOOK)).get(IMKE) is None


def test_what_is_not_in_its_backup_cannot_be_picked_from_it(people: System, slapd: Slapd) -> None:
    first = take(people, Record.Kind.BACKUP)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    second = take(people, Record.Kind.BACKUP)
    with pytest.raises(Problem, match="is not in it"):
        preview(first, [], others=[(Pick(IMKE), second)])


def test_a_branch_and_something_from_outside_of_it(people: System, slapd: Slapd) -> None:
    whole = take(people, Record.Kind.BACKUP)
    divers = take(people, Record.Kind.BACKUP, branch=("ou=divers",))
    slapd.change(
        f"dn: {dn('night-dive-leads', 'groups')}\nchangetype: delete\n\n"
        f"dn: {dn('Imke Farrow')}\nchangetype: delete\n"
    )
    plan = preview(divers, [Pick(IMKE)], others=[(Pick(LEADS), whole)])
    assert engine.carry_out(engine.start(plan, [], None).pk).outcome == "verified"
    live = open_snapshot(take(people, Record.Kind.LOOK))
    assert live.get(IMKE) is not None
    assert live.get(LEADS) is not None
    elsewhere = System.objects.create(name="Elsewhere", connector="directory", address="ldap://x")
    divers.system = elsewhere
    divers.save()
    with pytest.raises(Problem, match="another system"):
        preview(whole, [], others=[(Pick(IMKE), divers)])
