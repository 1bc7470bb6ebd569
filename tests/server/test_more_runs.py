"""Runs on systems that are made ready and put back, that ask for secrets, and that group steps."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from demo.servers.exhibits import ExhibitController
from keepsort.core.plan import Pick
from keepsort.server.problems import Problem
from keepsort.server.restores import engine
from keepsort.server.restores.models import Run
from keepsort.server.restores.previewing import preview
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.systems.models import System
from keepsort.server.systems.services import add_system, opened
from tests.connectors.test_exhibits import TOKEN, ExhibitSubject
from tests.server.test_runs import taken_up

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def controller(tmp_path: Path) -> Iterator[ExhibitController]:
    found = ExhibitController(tmp_path / "controller", TOKEN, options=("--faults",))
    ExhibitSubject(found)
    yield found
    found.stop()


@pytest.fixture
def galleries(controller: ExhibitController) -> System:
    return add_system("Galleries", "exhibits", controller.address, {}, "", TOKEN)


def test_automation_is_put_back_even_after_a_crash(
    galleries: System, controller: ExhibitController
) -> None:
    backup = take(galleries, Record.Kind.BACKUP)
    controller.change("Evening", level=1)
    controller.change("Morning", level=2)
    plan = preview(backup, [Pick(("Lights",), "branch")])
    run = engine.start(plan, [], None)
    # as if the worker had died right after making the system ready
    with opened(galleries) as connector:
        standing = connector.standing([])  # type: ignore[attr-defined]
        Run.objects.filter(pk=run.pk).update(state=Run.State.RUNNING, standing=standing)
        connector.begin(standing)  # type: ignore[attr-defined]
    assert controller.behave()["automation"] == "suspended"
    taken_up()
    run.refresh_from_db()
    assert run.outcome == "verified"
    assert run.standing is None
    assert controller.behave()["automation"] == "running"
    assert controller.items()["Evening"]["body"]["level"] == 35


def test_what_could_not_be_put_back_is_put_back_later(
    galleries: System, controller: ExhibitController
) -> None:
    backup = take(galleries, Record.Kind.BACKUP)
    controller.change("Evening", level=1)
    run = engine.start(preview(backup, [Pick(("Lights", "Evening"))]), [], None, wait_minutes=0)
    with opened(galleries) as connector:
        standing = connector.standing([])  # type: ignore[attr-defined]
        connector.begin(standing)  # type: ignore[attr-defined]
    Run.objects.filter(pk=run.pk).update(standing=standing)
    controller.stop()
    done = engine.carry_out(run.pk)
    assert done.outcome == "failed", done.message
    assert done.standing is not None
    controller.__init__(controller.folder, TOKEN, options=("--faults",))  # type: ignore[misc]
    taken_up()
    run.refresh_from_db()
    assert run.standing is None
    assert controller.behave()["automation"] == "running"


def test_a_secret_is_asked_for_once(galleries: System, controller: ExhibitController) -> None:
    backup = take(galleries, Record.Kind.BACKUP)
    for name in ("Opening", "Mist", "Reef lamp"):
        controller.delete(name)
    plan = preview(backup, [Pick(("Reef lamp",))])
    with pytest.raises(Problem, match="given first"):
        engine.start(plan, [], None)
    name = next(f.name for f in previewing_findings(plan) if f.level == "ask")
    run = engine.carry_out(engine.start(plan, [], None, answers={name: "x"}).pk)
    assert run.outcome == "verified", run.message
    controller.delete("Reef lamp")
    again = preview(backup, [Pick(("Reef lamp",))])
    assert not [f for f in previewing_findings(again) if f.level == "ask"]


def previewing_findings(plan: object) -> tuple:  # type: ignore[type-arg]
    from keepsort.server.restores.previewing import open_plan

    return open_plan(plan).findings  # type: ignore[arg-type]
