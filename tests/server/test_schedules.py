"""Schedules: what is due is made once, whoever takes it up, and what is missed is told."""

import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest.mock import patch
from zoneinfo import ZoneInfo

import pytest
from django.db import connection
from django.test import Client
from django.utils import timezone

from demo.servers.exhibits import ExhibitController
from demo.servers.slapd import Slapd
from keepsort.core.snapshot import Choice
from keepsort.server.accounts.models import User
from keepsort.server.attention.items import items
from keepsort.server.problems import Problem
from keepsort.server.schedules import services
from keepsort.server.schedules.crossing import crossing
from keepsort.server.schedules.models import Schedule
from keepsort.server.schedules.times import Timing, daily, every
from keepsort.server.snapshots import working
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.models import System
from keepsort.server.systems.services import add_system
from tests.conftest import dn
from tests.server.records import a_system

pytestmark = pytest.mark.django_db(transaction=True)

ROOT = Path(__file__).parents[2]


def due_now(schedule: Schedule, ago: timedelta = timedelta(seconds=1)) -> None:
    Schedule.objects.filter(pk=schedule.pk).update(next_at=timezone.now() - ago)


def codes(system: System) -> list[str]:
    return [item.code for item in items() if item.system == system.pk]


def test_what_is_due_is_made_as_it_says(people: System, slapd: Slapd) -> None:
    nightly = services.add_schedule(people, daily("02:15", "Europe/Oslo"), note="nightly")
    branch = services.add_schedule(people, every("10m"), ("ou=divers",))
    assert services.take_due() == []
    due_now(nightly, timedelta(days=3))
    due_now(branch)
    made = services.take_due()
    assert [work.schedule_id for work in made] == [nightly.pk, branch.pk]
    assert services.take_due() == [], "three missed nights are one backup"
    for work in made:
        done = working.do(work.pk)
        assert done is not None
        assert done.state == Work.State.DONE, done.message
    whole, part = (work.result for work in map(_fresh, made))
    assert whole is not None
    assert part is not None
    assert (whole.at, whole.note, whole.schedule_id) == ([], "nightly", nightly.pk)
    assert (part.at, part.schedule_id) == (["ou=divers"], branch.pk)
    nightly.refresh_from_db()
    assert nightly.next_at is not None
    assert nightly.next_at > timezone.now()
    assert f"{nightly.next_at.astimezone(ZoneInfo('Europe/Oslo')):%H:%M}" == "02:15"


def _fresh(work: Work) -> Work:
    work.refresh_from_db()
    return work


def test_one_that_is_still_being_made_is_not_doubled(people: System) -> None:
    schedule = services.add_schedule(people, every("1m"))
    due_now(schedule)
    [work] = services.take_due()
    due_now(schedule)
    assert services.take_due() == []
    with pytest.raises(Problem, match="being made right now"):
        services.run_now(schedule)
    assert f"passed-over-{schedule.pk}" in codes(people)
    working.do(work.pk)
    assert f"passed-over-{schedule.pk}" not in codes(people)
    again = services.run_now(schedule)
    assert again.schedule_id == schedule.pk


def test_a_schedule_that_is_paused_or_removed_makes_nothing(people: System) -> None:
    schedule = services.add_schedule(people, every("5m"))
    services.pause(schedule, True)
    assert services.take_due(timezone.now() + timedelta(days=2)) == []
    services.pause(schedule, False)
    schedule.refresh_from_db()
    assert schedule.next_at is not None
    take(people, Record.Kind.BACKUP)
    record = take(people, Record.Kind.BACKUP)
    Record.objects.filter(pk=record.pk).update(schedule=schedule)
    schedule.delete()
    record.refresh_from_db()
    assert record.schedule is None


def test_what_is_overdue_is_told_until_it_is_made(people: System) -> None:
    take(people, Record.Kind.BACKUP)
    take(people, Record.Kind.LOOK)
    assert codes(people) == []
    schedule = services.add_schedule(people, every("10m"), ("ou=divers",))
    assert codes(people) == []
    Schedule.objects.update(counts_from=timezone.now() - timedelta(minutes=35))
    code = f"overdue-{schedule.pk}"
    [item] = [one for one in items() if one.code == code]
    assert "ou=divers" in item.title
    assert item.level == "stop"
    due_now(schedule)
    [work] = services.take_due()
    assert code not in codes(people), "it is on its way"
    working.do(work.pk)
    assert code not in codes(people)
    # without a schedule for all of it, the system's own time counts
    Record.objects.filter(at=[]).update(taken_at=timezone.now() - timedelta(days=3))
    assert "overdue" in codes(people)
    System.objects.update(remind_days=5)
    assert "overdue" not in codes(people)


def test_several_worker_processes_never_take_the_same(people: System) -> None:
    schedules = [services.add_schedule(people, every("10m")) for _ in range(20)]
    Schedule.objects.update(next_at=timezone.now() - timedelta(minutes=1))
    program = (
        "import django, sys; django.setup()\n"
        "from keepsort.server.schedules.services import take_due\n"
        "print('ready', flush=True); sys.stdin.readline()\n"
        "print(' '.join(str(work.schedule_id) for work in take_due()), flush=True)\n"
    )
    settings = connection.settings_dict
    url = (
        f"postgresql://{settings['USER']}:{settings['PASSWORD']}@{settings['HOST']}:"
        f"{settings['PORT']}/{settings['NAME']}"
    )
    environment = {
        **os.environ, "KEEPSORT_DATABASE_URL": url, "PYTHONPATH": str(ROOT / "src"),
        "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
    }  # fmt: skip
    workers = [
        subprocess.Popen(
            [sys.executable, "-c", program], env=environment, text=True,
            stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        )
        for _ in range(4)
    ]  # fmt: skip
    for worker in workers:
        assert worker.stdout is not None
        assert worker.stdout.readline() == "ready\n"
    for worker in workers:
        assert worker.stdin is not None
        worker.stdin.write("go\n")
        worker.stdin.flush()
    taken = [n for worker in workers for n in worker.communicate(timeout=60)[0].split()]
    assert sorted(map(int, taken)) == [one.pk for one in schedules]
    assert Work.objects.count() == len(schedules)


def test_times_go_on_from_now_however_late_it_is(people: System) -> None:
    schedule = services.add_schedule(people, Timing(cron="*/5 * * * *"))
    due_now(schedule, timedelta(hours=9))
    services.take_due()
    schedule.refresh_from_db()
    now = datetime.now(UTC)
    assert schedule.next_at is not None
    assert now < schedule.next_at <= now + timedelta(minutes=5)


def test_references_that_would_cross_are_named(people: System) -> None:
    tree = open_snapshot(take(people, Record.Kind.BACKUP))
    found, count = crossing(tree, ("ou=groups",), Choice())
    assert count == 3
    assert {one.attribute for one in found} == {"member"}
    assert {one.target for one in found} == {dn("Ansel Brandvold"), dn("Imke Farrow")}
    assert crossing(tree, (), Choice()) == ([], 0)
    into, count = crossing(tree, ("ou=divers",), Choice())
    assert count == 3
    assert all("groups" in one.source for one in into)
    assert crossing(tree, (), Choice(places_out=("/ou=groups",)))[1] == 3


def test_work_that_is_cancelled_leaves_nothing(people: System) -> None:
    work = Work.objects.create(system=people, kind=Work.Kind.BACKUP)
    working.cancel(work)
    assert working.do(work.pk) is None
    assert _fresh(work).state == Work.State.CANCELLED
    # one that somebody is at ends the next time it tells how far it is
    running = Work.objects.create(system=people, kind=Work.Kind.BACKUP)
    told = working._Telling(running)
    Work.objects.filter(pk=running.pk).update(state=Work.State.RUNNING)
    working.cancel(running)
    told._told = time.monotonic() - 1
    with pytest.raises(working.Cancelled):
        told.progress(500)
    with pytest.raises(working.Cancelled):
        told.waits("the budget")
    assert not people.records.exists()


def test_a_backup_that_reaches_the_call_budget_pauses_and_goes_on_as_one(
    db: None, tmp_path: Path
) -> None:
    controller = ExhibitController(tmp_path / "controller", "coral-token", options=("--faults",))
    try:
        for number in range(8):
            controller.add("folder", f"Hall {number}")
        system = add_system("Galleries", "exhibits", controller.address, {}, "", "coral-token")
        whole = take(system, Record.Kind.BACKUP)
        schedule = services.add_schedule(system, every("10m"))
        # twenty calls are left alone for people: the backup has two at a time
        controller.behave(budget=22, renew=4.0)
        work = services.run_now(schedule)
        with told_of(work) as told:
            done = working.do(work.pk)
        assert done is not None
        assert done.state == Work.State.DONE, done.message
        assert any("goes on at" in text for text in told)
        assert done.waits == ""
        assert done.result is not None
        assert done.result.significant == whole.significant
        assert system.records.filter(kind=Record.Kind.BACKUP).count() == 2
        # whoever waits for the budget can be told to end
        controller.behave(budget=22, renew=60.0)
        work = services.run_now(schedule)
        threading.Timer(1.0, cancel, [work.pk]).start()
        done = working.do(work.pk)
        assert done is not None
        assert done.state == Work.State.CANCELLED
        assert system.records.filter(kind=Record.Kind.BACKUP).count() == 2
    finally:
        controller.stop()


def cancel(number: int) -> None:
    Work.objects.filter(pk=number).update(cancel_asked=True)
    connection.close()


@contextmanager
def told_of(work: Work) -> Iterator[list[str]]:
    """Collect what work tells that it waits for."""
    found: list[str] = []
    real = working._Telling.waits

    def waits(self: working._Telling, text: str) -> None:
        found.append(text)
        real(self, text)
        assert Work.objects.get(pk=work.pk).waits == text

    with patch.object(working._Telling, "waits", waits):
        yield found


def test_a_choice_is_answered_with_nothing_left_out(db: None) -> None:
    client = Client()
    client.force_login(User.objects.create_user("orla", role="operator"))
    asked = {"cron": "0 3 * * *", "choice": {"kinds_out": ["keeper"]}}
    address = f"/api/v1/systems/{a_system('Plant').pk}/schedules"
    answer = client.post(address, asked, content_type="application/json")
    assert answer.status_code == 201, answer.content
    assert answer.json()["choice"] == {"kinds_out": ["keeper"], "places": [], "places_out": []}
    assert client.get(address).json() == [answer.json()]
