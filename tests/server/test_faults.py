"""Whatever goes wrong at whichever step: the journal tells what live is, and undo gives it back.

Every system is a real one. What fails is put between the engine and the connector, before or after
the write that it belongs to.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from demo.servers.etcd import Etcd
from demo.servers.exhibits import ExhibitController
from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from keepsort.connectors.applying import grouped
from keepsort.connectors.base import Connector, Ready
from keepsort.connectors.errors import Conflict, Refused, Unreachable
from keepsort.core.plan import Pick, is_implied, rehearse
from keepsort.core.snapshot import Snapshot
from keepsort.server.problems import Problem
from keepsort.server.restores import engine
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import open_plan, preview
from keepsort.server.restores.undoing import preview_undo
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.systems.models import System
from keepsort.server.systems.services import add_system, composer_of, opened
from tests.conftest import PASSWORD, SMALL
from tests.connectors.contract import EVERYTHING, Subject, content
from tests.connectors.subjects import DirectorySubject
from tests.connectors.test_exhibits import TOKEN, ExhibitSubject
from tests.connectors.test_hostfiles import CHRONY, FileSubject
from tests.connectors.test_keystore import KeySubject

pytestmark = pytest.mark.django_db(transaction=True)


class Harmed(NamedTuple):
    """A system with a backup, and what has gone wrong since."""

    system: System
    backup: Record
    subject: Subject


def _files(folder: Path) -> Iterator[tuple[Subject, System]]:
    subject = FileSubject(folder, None)
    yield subject, add_system("Gateway", "hostfiles", "file:///", subject.options(), "", "")


def _keys(folder: Path) -> Iterator[tuple[Subject, System]]:
    server = Etcd(folder / "etcd", options=["--unsafe-no-fsync"])
    options = {"prefix": "/plant/", "txn_limit": "2"}
    yield KeySubject(server), add_system("Plant", "keystore", server.address, options, "", "")
    server.stop()


def _directory(folder: Path) -> Iterator[tuple[Subject, System]]:
    server = Slapd(folder / "slapd", PASSWORD)
    server.load(SMALL)
    options = {"base": SUFFIX}
    system = add_system("People", "directory", server.address, options, ADMIN, PASSWORD)
    yield DirectorySubject(server), system
    server.stop()


def _exhibits(folder: Path) -> Iterator[tuple[Subject, System]]:
    server = ExhibitController(folder / "controller", TOKEN, options=("--faults",))
    subject = ExhibitSubject(server)
    yield subject, add_system("Galleries", "exhibits", server.address, {}, "", TOKEN)
    server.stop()


@pytest.fixture(params=[_files, _keys, _directory, _exhibits], ids=lambda f: f.__name__[1:])
def harmed(request: pytest.FixtureRequest, db: None, tmp_path: Path) -> Iterator[Harmed]:
    for subject, system in request.param(tmp_path):
        backup = take(system, Record.Kind.BACKUP)
        subject.harm()
        yield Harmed(system, backup, subject)


class Killed(BaseException):
    """The process ends here."""


Way = Callable[[Callable[[], Any]], Any]


def _before(error: BaseException) -> Way:
    def fail(write: Callable[[], Any]) -> Any:
        raise error

    return fail


def _after(error: BaseException) -> Way:
    def fail(write: Callable[[], Any]) -> Any:
        write()
        raise error

    return fail


def _break(monkeypatch: pytest.MonkeyPatch, number: int, way: Way) -> None:
    """Make the write with a number, counted from 0, go wrong; those after it go right again."""
    writes = 0

    @contextmanager
    def breaking(system: System, chosen: Mapping[str, str]) -> Iterator[Connector]:
        with opened(system, chosen) as connector:
            real = connector.write

            def write(ready: Sequence[Ready]) -> Any:
                nonlocal writes
                writes += 1
                return way(lambda: real(ready)) if writes == number + 1 else real(ready)

            connector.write = write  # type: ignore[method-assign]
            yield connector

    monkeypatch.setattr(engine, "opened", breaking)


def _tree(record: Record | None) -> Snapshot:
    assert record is not None
    return open_snapshot(record)


def _tells_the_truth(run: Run, plan: PlanRecord) -> None:
    """See that live is what it was, with the steps that are told as done, and nothing else."""
    lines = {line.number: line.state for line in run.steps.all()}
    assert set(lines.values()) <= {"done", "failed", "conflict", "skipped"}
    wrote = {n for n, wrote in run.steps.values_list("number", "wrote") if wrote}
    assert wrote <= {n for n, state in lines.items() if state == RunStep.State.DONE}
    done = [s for s in open_plan(plan).steps if lines[s.number] == RunStep.State.DONE]
    foretold = rehearse(_tree(plan.look), done, composer_of(run.system))
    assert content(_tree(take(run.system, Record.Kind.LOOK))) == content(foretold)


def _writes(plan: PlanRecord, system: System) -> int:
    steps = open_plan(plan).steps
    with opened(system) as connector:
        schema = connector.describe().schema
        groups = grouped(connector, steps)
    return sum(any(not is_implied(schema, step) for step in group) for group in groups)


FAILURES = {
    "away before it": _before(Unreachable("The line went dead.")),
    "away after it": _after(Unreachable("The line went dead.")),
    "refused": _before(Refused("No room left.")),
    "changed by another": _before(Conflict("It is not what the preview showed.", None)),
}
DEATHS = {"killed before it": _before(Killed()), "killed after it": _after(Killed())}


def _broken(harmed: Harmed, way: Way, monkeypatch: pytest.MonkeyPatch) -> Iterator[PlanRecord]:
    """Yield plans to put everything back, with another write of each to go wrong.

    All writes of files, every third of those that a server takes its time for, and two of the
    controller that restarts after each run. What came of a plan is undone before the next one.
    """
    stride = {"hostfiles": 1, "exhibits": 6}.get(harmed.system.connector, 3)
    before = content(_tree(take(harmed.system, Record.Kind.LOOK)))
    number = 0
    while True:
        plan = preview(harmed.backup, list(EVERYTHING))
        if number >= _writes(plan, harmed.system):
            assert number > 1
            return
        _break(monkeypatch, number, way)
        yield plan
        monkeypatch.setattr(engine, "opened", opened)
        _undone(plan.runs.get(), before)
        number += stride


def _started(plan: PlanRecord) -> Run:
    confirmed = [f.name for f in open_plan(plan).findings if f.level == "confirm"]
    return engine.start(plan, confirmed, None)


def _undone(run: Run, before: dict[Any, str]) -> None:
    if run.steps.filter(state="done").exists():
        undo = engine.carry_out(_started(preview_undo(run)).pk)
        assert undo.outcome == "verified", undo.message
    assert content(_tree(take(run.system, Record.Kind.LOOK))) == before


@pytest.mark.parametrize("name", FAILURES)
def test_a_failed_write_is_told_and_can_be_undone(
    name: str, harmed: Harmed, monkeypatch: pytest.MonkeyPatch
) -> None:
    for plan in _broken(harmed, FAILURES[name], monkeypatch):
        run = engine.carry_out(_started(plan).pk)
        assert run.state == Run.State.FINISHED
        _tells_the_truth(run, plan)
        if name.startswith("away"):
            assert run.outcome == "verified", "the line came back, and the run went on"
        else:
            assert run.outcome in ("partial", "failed")
            assert run.message


@pytest.mark.parametrize("name", DEATHS)
def test_a_run_that_died_goes_on_where_it_stood(
    name: str, harmed: Harmed, monkeypatch: pytest.MonkeyPatch
) -> None:
    for plan in _broken(harmed, DEATHS[name], monkeypatch):
        run = _started(plan)
        with pytest.raises(Killed):
            engine.carry_out(run.pk)
        run.refresh_from_db()
        assert engine.is_interrupted(run)
        assert run.steps.filter(state="in doubt").exists()
        assert not run.steps.filter(state="in doubt", wrote=False).exists()
        monkeypatch.setattr(engine, "opened", opened)
        run = engine.carry_out(run.pk)
        assert run.outcome == "verified", run.message
        _tells_the_truth(run, plan)
        assert content(_tree(run.after)) == content(_tree(harmed.backup))


def test_what_fails_after_all_is_written_is_not_told_as_verified(db: None, tmp_path: Path) -> None:
    subject = FileSubject(tmp_path, None)
    options = subject.options(commands="chrony.conf | true | sh -c 'echo no reload; exit 3'")
    system = add_system("Gateway", "hostfiles", "file:///", options, "", "")
    backup = take(system, Record.Kind.BACKUP)
    subject.harm()
    run = engine.carry_out(_started(preview(backup, [Pick(subject.path("chrony.conf"))])).pk)
    assert {line.state for line in run.steps.all()} == {"done"}
    assert run.outcome == "partial"
    assert "exit code 3: no reload" in run.message
    assert (subject.etc / "chrony.conf").read_text() == CHRONY


def test_a_pick_that_comes_to_nothing_is_told_with_the_outcome(db: None, tmp_path: Path) -> None:
    subject = FileSubject(tmp_path, None)
    system = add_system("Gateway", "hostfiles", "file:///", subject.options(), "", "")
    backup = take(system, Record.Kind.BACKUP)
    subject.harm()
    picks = [Pick(subject.path("chrony.conf")), Pick(subject.path("alerts"))]
    plan = preview(backup, picks)
    subject.write("chrony.conf", CHRONY)
    run = engine.carry_out(_started(plan).pk)
    assert run.outcome == "unchanged", "somebody was quicker"
    assert not run.steps.filter(wrote=True).exists()
    assert any("/alerts: It is the same live" in text for text in run.report)
    with pytest.raises(Problem, match="written nothing"):
        preview_undo(run)


def test_what_changed_since_the_look_stops_the_plan(db: None, tmp_path: Path) -> None:
    subject = FileSubject(tmp_path, None)
    system = add_system("Gateway", "hostfiles", "file:///", subject.options(), "", "")
    backup = take(system, Record.Kind.BACKUP)
    subject.harm()
    look = take(system, Record.Kind.LOOK)
    picks = [Pick(subject.path("chrony.conf")), Pick(subject.path("proxy.yaml"))]
    subject.write("chrony.conf", "server somebody.else.example\n")
    plan = preview(backup, picks, look=look)
    stops = [(f.code, f.path) for f in open_plan(plan).findings if f.level == "stop"]
    assert stops == [("changed-since", subject.path("chrony.conf"))]
    with pytest.raises(Problem, match="cannot run"):
        _started(plan)
    (subject.etc / "proxy.yaml").unlink()
    stops = [
        f.path for f in open_plan(preview(backup, picks, look=look)).findings if f.level == "stop"
    ]
    assert stops == [subject.path("chrony.conf"), subject.path("proxy.yaml")]
