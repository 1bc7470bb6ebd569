"""Runs and work hold when parts of it die: workers, servers, locks, and servers that answer oddly."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import pytest
from django.db import IntegrityError, connection, transaction
from django.utils import timezone

from demo.servers.slapd import Slapd
from keepsort.connectors.directory.connector import Directory
from keepsort.connectors.errors import Unreachable
from keepsort.core.plan import Pick
from keepsort.server import tasks
from keepsort.server.locks import Space, alone, holders
from keepsort.server.restores import engine
from keepsort.server.restores.journal import Journal, Superseded
from keepsort.server.restores.models import PlanRecord, Run
from keepsort.server.restores.previewing import preview
from keepsort.server.restores.undoing import preview_undo
from keepsort.server.snapshots import working
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.models import System
from keepsort.server.systems.services import add_system
from tests.conftest import dn
from tests.connectors.contract import content
from tests.server.test_runs import states, taken_up

pytestmark = pytest.mark.django_db(transaction=True)

IMKE, ANSEL, CREW = (
    ("ou=divers", "cn=Imke Farrow"),
    ("ou=divers", "cn=Ansel Brandvold"),
    ("ou=groups", "cn=boat-crew"),
)
IMKE_LDIF = (
    f"dn: {dn('Imke Farrow')}\nobjectClass: inetOrgPerson\ncn: Imke Farrow\nsn: Farrow\n"
    "description: Nachtwächterin\\, Riff\n"
)


@pytest.fixture
def plan(people: System, slapd: Slapd) -> PlanRecord:
    """Three steps: Imke comes back, and then two that have nothing to do with each other."""
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(
        f"dn: {dn('Imke Farrow')}\nchangetype: delete\n\n"
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: Visitor\n\n"
        f"dn: {dn('boat-crew', 'groups')}\nchangetype: modify\nadd: description\n"
        "description: Nobody\n"
    )
    return preview(backup, [Pick(IMKE), Pick(ANSEL), Pick(CREW)])


def now_of(system: System) -> Any:
    return content(open_snapshot(take(system, Record.Kind.LOOK)))


@contextmanager
def elsewhere(space: Space, number: int) -> Iterator[None]:
    """Another process holds a lock."""
    taken, over = threading.Event(), threading.Event()

    def hold() -> None:
        with alone(space, number) as held:
            assert held
            taken.set()
            over.wait(20)
        connection.close()

    thread = threading.Thread(target=hold)
    thread.start()
    taken.wait(20)
    try:
        yield
    finally:
        over.set()
        thread.join()


def test_a_run_waits_for_its_system_and_goes_on(plan: PlanRecord, slapd: Slapd) -> None:
    run = engine.start(plan, [], None)
    slapd.stop()
    run = engine.carry_out(run.pk)
    assert run.state == Run.State.RUNNING
    assert "does not answer" in run.waits
    assert run.retry_at is not None
    assert not engine.is_interrupted(run), "it is given back in order"
    assert set(states(run)) == {"waiting"}
    assert run not in engine.unattended(), "it is not tried without end"
    slapd.start()
    Run.objects.update(retry_at=timezone.now())
    assert run in engine.unattended()
    run = engine.carry_out(run.pk)
    assert (run.outcome, run.waits) == ("verified", "")


def _in_doubt(plan: PlanRecord, slapd: Slapd) -> Run:
    """A run whose process died in the first step, which the server has done."""
    run = engine.start(plan, [], None)
    Run.objects.filter(pk=run.pk).update(state=Run.State.RUNNING)
    run.steps.filter(number=1).update(state="in doubt", wrote=True, tries=1)
    slapd.load(IMKE_LDIF)
    run.refresh_from_db()
    return run


def test_nothing_is_told_as_skipped_or_finished_that_may_be_written(
    plan: PlanRecord, slapd: Slapd
) -> None:
    before = now_of(plan.system)
    run = _in_doubt(plan, slapd)
    slapd.stop()
    engine.cancel(run)
    run = engine.carry_out(run.pk)
    assert run.state == Run.State.RUNNING, "cancelled, but what it has done is not known yet"
    assert states(run) == ["in doubt", "waiting", "waiting"]
    engine.change_wait(run, 0)
    run = engine.carry_out(run.pk)
    assert (run.state, run.outcome) == (Run.State.FINISHED, "unknown")
    assert states(run) == ["in doubt", "skipped", "skipped"]
    assert "not known" in run.steps.get(number=1).message
    slapd.start()
    undo = preview_undo(run)
    assert undo.summary["removed"] == 1, "live shows that it was written"
    Run.objects.update(retry_at=None)
    taken_up()
    run.refresh_from_db()
    assert (run.outcome, states(run)) == ("cancelled", ["done", "skipped", "skipped"])
    again = engine.carry_out(engine.start(preview_undo(run), [], None).pk)
    assert again.outcome == "verified"
    assert now_of(plan.system) == before


def test_an_interrupted_run_that_is_cancelled_looks_first(plan: PlanRecord, slapd: Slapd) -> None:
    run = _in_doubt(plan, slapd)
    engine.cancel(run)
    taken_up()
    run.refresh_from_db()
    assert (run.outcome, states(run)) == ("cancelled", ["done", "skipped", "skipped"])


def test_a_run_that_nobody_has_begun_is_cancelled_at_once(plan: PlanRecord) -> None:
    run = engine.cancel(engine.start(plan, [], None))
    assert (run.state, run.outcome) == (Run.State.FINISHED, "cancelled")
    assert states(run) == ["skipped"] * 3
    assert engine.carry_out(run.pk).outcome == "cancelled", "whoever comes late does nothing"


def test_stop_after_the_first_failure_survives_a_crash(plan: PlanRecord) -> None:
    before = now_of(plan.system)
    run = engine.start(plan, [], None)
    Run.objects.filter(pk=run.pk).update(state=Run.State.RUNNING)
    run.steps.filter(number=1).update(state="failed", message="No room left.")
    run = engine.carry_out(run.pk)
    assert states(run) == ["failed", "skipped", "skipped"]
    assert now_of(plan.system) == before


def test_a_lock_that_is_held_means_try_again(plan: PlanRecord) -> None:
    run = engine.start(plan, [], None)
    with elsewhere(Space.RUNS_ON_SYSTEM, plan.system_id):
        tasks.do_run(run.pk)
        run.refresh_from_db()
        assert run.state == Run.State.WAITING
        assert run not in engine.unattended()
        with pytest.raises(engine.Busy):
            engine.carry_out(run.pk)
    assert run in engine.unattended()
    taken_up()
    run.refresh_from_db()
    assert run.outcome == "verified"


def test_a_frozen_worker_is_parted_from_its_run(plan: PlanRecord) -> None:
    run = engine.start(plan, [], None)
    long_ago = timezone.now() - timedelta(hours=1)
    stuck, over = threading.Event(), threading.Event()
    ended: list[BaseException] = []

    def freeze() -> None:
        try:
            with alone(Space.RUNS_ON_SYSTEM, plan.system_id):
                frozen = Run.objects.get(pk=run.pk)
                engine._take_up(frozen)
                Run.objects.update(alive_at=long_ago)
                journal = Journal(frozen)
                stuck.set()
                over.wait(20)
                journal.write()  # it thaws, and knows nothing of what happened meanwhile
        except Exception as error:
            ended.append(error)
        finally:
            connection.close()

    thread = threading.Thread(target=freeze)
    thread.start()
    stuck.wait(20)
    assert run not in engine.unattended()
    for _ in range(100):
        if plan.system_id not in holders(Space.RUNS_ON_SYSTEM):
            break
    run = engine.carry_out(run.pk)
    assert run.outcome == "verified"
    over.set()
    thread.join()
    assert ended, "what thawed must not write"
    assert states(run) == ["done"] * 3


def test_who_was_superseded_writes_nothing(plan: PlanRecord) -> None:
    run = engine.start(plan, [], None)
    old = Journal(Run.objects.get(pk=run.pk))
    Run.objects.filter(pk=run.pk).update(lease=7)
    line = old.lines[1]
    with pytest.raises(Superseded):
        old.write([old.note(line, line.State.DONE)])
    assert states(run) == ["waiting"] * 3


def test_a_system_has_one_unfinished_run(plan: PlanRecord) -> None:
    run = engine.start(plan, [], None)
    with pytest.raises(IntegrityError), transaction.atomic():
        Run.objects.create(system=run.system, plan=plan)


def test_an_error_that_nobody_foresaw_ends_its_run_with_a_word(
    plan: PlanRecord, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    secret = "nitrox-at-dawn"

    def breaks(self: Directory, step: object) -> None:
        raise KeyError(secret)

    monkeypatch.setattr(Directory, "write", breaks)
    run = engine.carry_out(engine.start(plan, [], None).pk)
    assert (run.state, run.outcome) == (Run.State.FINISHED, "failed")
    assert "nobody foresaw (KeyError)" in run.message
    assert states(run) == ["skipped"] * 3, "it was looked at, and nothing of it was written"
    assert not engine.unattended(), "it is not tried for ever"
    assert secret not in run.message + caplog.text


def test_what_ends_its_worker_each_time_is_not_tried_for_ever(plan: PlanRecord) -> None:
    run = engine.start(plan, [], None)
    Run.objects.filter(pk=run.pk).update(state=Run.State.RUNNING, attempts=5)
    run = engine.carry_out(run.pk)
    assert (run.state, run.outcome) == (Run.State.FINISHED, "failed")
    assert "5 times" in run.message


def test_work_whose_worker_died_is_begun_again(people: System) -> None:
    work = Work.objects.create(system=people, kind="backup", state=Work.State.RUNNING, attempts=1)
    with elsewhere(Space.WORK, work.pk):
        assert working.unattended() == [], "somebody is at it"
        assert working.do(work.pk) is None
    assert working.unattended() == [work]
    done = working.do(work.pk)
    assert done is not None
    assert done.state == Work.State.DONE
    assert working.do(work.pk) is None, "it is not done twice"
    bad = Work.objects.create(system=people, kind="backup", state=Work.State.RUNNING, attempts=3)
    failed = working.do(bad.pk)
    assert failed is not None
    assert failed.state == Work.State.FAILED
    assert "3 times" in failed.message
    assert working.unattended() == []


class _Odd(BaseHTTPRequestHandler):
    answer = b"<html>It works!</html>"

    def do_POST(self) -> None:
        self.rfile.read(int(self.headers["Content-Length"]))
        self.send_response(200)
        self.end_headers()
        self.wfile.write(self.answer)

    def log_message(self, *_: object) -> None:
        pass


ODD = {
    "a page": _Odd.answer,
    "no text": b"\xff\xfe\x00",
    "deep": b"[" * 100_000,
    "another shape": b'{"version": {"a": 1}}',
    "odd numbers": b'{"version": "3", "header": {"revision": "x"}, "kvs": [{"key": "YQ=="}]}',
}


@pytest.mark.parametrize("name", ODD)
def test_an_odd_server_is_its_own_trouble(name: str, plan: PlanRecord, slapd: Slapd) -> None:
    class Handler(_Odd):
        answer = ODD[name]

    with ThreadingHTTPServer(("127.0.0.1", 0), Handler) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_address[1]}"
        odd = add_system("Plant", "keystore", address, {"prefix": "/plant/"}, "", "")
        with pytest.raises(Unreachable, match="not as an etcd"):
            take(odd, Record.Kind.LOOK)
        empty = PlanRecord.objects.create(system=odd, look=plan.look, content=plan.content)
        stuck = Run.objects.create(system=odd, plan=empty, state=Run.State.RUNNING)
        for number in (1, 2, 3):
            stuck.steps.create(number=number, state="in doubt", wrote=True, tries=1)
        run = engine.start(plan, [], None)
        taken_up()
        run.refresh_from_db()
        stuck.refresh_from_db()
        assert run.outcome == "verified", "the other system's run went on"
        assert "not as an etcd" in stuck.waits
        server.shutdown()
