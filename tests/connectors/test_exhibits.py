"""The exhibits connector against the controller that ships with the product."""

import time
from collections.abc import Callable, Iterator
from pathlib import Path as FilePath

import pytest

from demo.servers.exhibits import ExhibitController
from keepsort.connectors import errors
from keepsort.connectors.applying import read
from keepsort.connectors.base import Endpoint
from keepsort.connectors.exhibits.client import Item
from keepsort.connectors.exhibits.connector import Exhibits, open_exhibits
from keepsort.core.compare import compare
from keepsort.core.model import Path
from keepsort.core.plan import (
    PLAIN,
    Effect,
    Pick,
    offers,
    plan_restore,
    plan_undo,
    rehearse,
    transplant,
)
from tests.connectors.contract import Contract, Desk, Keeper, apply, content, not_allowed

TOKEN = "seahorse"
EVENING = {"level": 35, "warmth": 2700, "zones": {"reef": 20, "kelp": 35}, "fade_seconds": 40}


class ExhibitSubject:
    """A small gallery."""

    composer = PLAIN
    states = {"missing", "extra", "changed", "moved", "recreated"}

    def __init__(self, controller: ExhibitController) -> None:
        self.controller = c = controller
        lights = c.add("folder", "Lights")
        show = c.add("show", "Winter show", note="until March")
        self.lamp = c.add(
            "device", "Reef lamp", address="192.0.2.7", inputs=["level"], outputs=[], password="x"
        )
        evening = c.add("preset", "Evening", lights, **EVENING)
        c.add("preset", "Morning", lights, level=80, warmth=6500)
        feeding = c.add(
            "macro", "Turtle feeding", show,
            steps=[{"do": "recall", "recall": evening}, {"do": "wait", "seconds": 5}],
        )  # fmt: skip
        c.add(
            "macro",
            "Mist",
            show,
            steps=[{"do": "drive", "drive": self.lamp, "value": 10}],
            loop=True,
        )
        c.add(
            "workflow", "Opening", enabled=True,
            stages=[
                {"at": "08:30", "recall": evening}, {"at": "09:00", "call": feeding},
                {"at": "09:10", "drive": self.lamp, "value": 100},
            ],
        )  # fmt: skip
        c.add("macro", "Self test", locked=True, steps=[{"do": "wait", "seconds": 1}])

    def open(self, **options: str) -> Exhibits:
        password = options.pop("password", TOKEN)
        address = options.pop("address", self.controller.address)
        endpoint = Endpoint(address=address, options=options, password=password)
        return open_exhibits(endpoint, Keeper())

    def harm(self) -> None:
        c = self.controller
        c.change("Evening", **{**EVENING, "level": 100, "zones": {"reef": 90, "kelp": 35}})
        c.delete("Turtle feeding")
        stages = c.items()["Opening"]["body"]["stages"]
        c.change("Opening", stages=[stages[2], stages[0], stages[1]])
        c.change("Morning", to="Dawn")
        c.delete("Mist")
        c.add("macro", "Mist", c.items()["Winter show"]["id"], steps=[])
        c.add("macro", "Trial", steps=[{"do": "wait", "seconds": 9}])

    def meddle(self, path: Path) -> None:
        kind = self.controller.items()[path[-1]]["kind"]
        field = {"preset": {"level": 1}, "macro": {"steps": []}, "workflow": {"enabled": False}}
        self.controller.change(path[-1], **field[kind])

    def hide(self) -> None:
        return None  # a controller has one token


@pytest.fixture
def start(tmp_path: FilePath) -> Iterator[Callable[..., ExhibitController]]:
    started: list[ExhibitController] = []

    def begin(software: str = "4.2") -> ExhibitController:
        folder = tmp_path / f"controller-{len(started)}"
        started.append(ExhibitController(folder, TOKEN, software=software, options=("--faults",)))
        return started[-1]

    yield begin
    for one in started:
        one.stop()


@pytest.fixture
def subject(start: Callable[..., ExhibitController]) -> ExhibitSubject:
    return ExhibitSubject(start())


class TestExhibits(Contract):
    """With a fresh controller each."""


FEEDING = ("Winter show", "Turtle feeding")


def test_items_refer_by_id_there_and_by_path_here(subject: ExhibitSubject) -> None:
    desk = Desk(subject)
    tree = desk.look()
    opening = tree.get(("Opening",))
    assert opening is not None
    assert opening.attributes["stages"][1]["call"] == "/Winter show/Turtle feeding"
    assert tree.schema.spec("preset", "level").unit == "%"
    device = tree.get(("Reef lamp",))
    assert device is not None
    assert device.attributes["password"] != "x"
    subject.controller.delete("Turtle feeding")
    problems = desk.connector.validate(desk.look())
    assert problems[0].path == ("Opening",)
    assert "does not exist" in problems[0].text


def test_what_gets_a_new_id_is_called_by_it(subject: ExhibitSubject) -> None:
    """A macro comes back under another id, and the workflow that called it calls the new one."""
    desk = Desk(subject)
    backup = desk.look()
    old = subject.controller.items()["Turtle feeding"]["id"]
    subject.controller.delete("Turtle feeding")
    found = compare(backup, desk.look())
    assert {d.path: d.state for d in found.differences} == {
        FEEDING: "missing", ("Opening",): "changed",
    }  # fmt: skip
    alone = desk.plan(found, [Pick(FEEDING)])
    assert [(o.path, o.attribute) for o in offers(found, alone)] == [(("Opening",), "stages")]
    desk.carry_out(desk.plan(found, [Pick(FEEDING), Pick(("Opening",))]).steps)
    items = subject.controller.items()
    new = items["Turtle feeding"]["id"]
    assert new != old
    assert items["Opening"]["body"]["stages"][1]["call"] == new
    assert content(desk.look()) == content(backup)


def test_what_comes_back_stands_where_it_stood(subject: ExhibitSubject) -> None:
    """A show's items have an order of their own; what is new stands last until it is moved."""
    c, desk = subject.controller, Desk(subject)
    show = c.items()["Winter show"]["id"]
    ids = [c.add("macro", name, show, steps=[]) for name in ("Bells", "Snow", "Bows")]
    held = c.items()["Winter show"]["body"]["order"]
    c.change("Winter show", order=[ids[2], *held[:2], ids[0], ids[1]])
    backup = desk.look()
    winter = backup.get(("Winter show",))
    assert winter is not None
    assert winter.attributes["order"] == ["Bows", "Turtle feeding", "Mist", "Bells", "Snow"]
    c.delete("Bells")
    live = desk.look()
    found = compare(backup, live)
    assert {d.path[-1] for d in found.differences} == {"Bells"}, "an order tells what both have"
    plan = desk.plan(found, [Pick(("Winter show", "Bells"))])
    assert [s.reason for s in plan.steps] == ["", "keeps the order of what it holds"]
    desk.carry_out(plan.steps)
    assert content(desk.look()) == content(backup)
    desk.carry_out(plan_undo(plan.steps, live, desk.look()))
    c.add("macro", "Extra", show, steps=[])
    order = c.items()["Winter show"]["body"]["order"]
    c.change("Winter show", order=list(reversed(order)))
    found = compare(backup, desk.look())
    plan = desk.plan(found, [Pick(("Winter show",), "branch")])
    desk.carry_out(plan.steps)
    now = desk.look().get(("Winter show",))
    assert now is not None
    kept = [name for name in now.attributes["order"] if name != "Extra"]
    assert kept == ["Bows", "Turtle feeding", "Mist", "Bells", "Snow"]


def test_automation_does_not_fire_and_runs_on_afterwards(subject: ExhibitSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    plan = desk.plan(compare(backup, desk.look()), [Pick(("Lights",), "branch")])
    fired = len(subject.controller.behave()["fired"])
    assert "automation" in {f.code for f in desk.connector.check(plan.steps, backup)}
    desk.carry_out(plan.steps)
    state = subject.controller.behave()
    assert len(state["fired"]) == fired
    assert state["automation"] == "running"
    # as after a crash: begun twice, by two connections
    standing = desk.connector.standing(plan.steps)  # type: ignore[attr-defined]
    for one in (desk.connector, subject.open()):
        one.begin(standing)  # type: ignore[attr-defined]
        assert subject.controller.behave()["automation"] == "suspended"
    desk.connector.put_back(standing)  # type: ignore[attr-defined]
    assert subject.controller.behave()["automation"] == "running"


def test_a_restart_is_announced_and_waited_out(subject: ExhibitSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.controller.behave(restart_takes=0.7)
    subject.controller.change("Reef lamp", address="192.0.2.99")
    plan = desk.plan(compare(backup, desk.look()), [Pick(("Reef lamp",))])
    found = desk.connector.check(plan.steps, backup)
    levels = {f.code: f.level for f in found}
    told = {f.effect.does: f.effect for f in found if f.effect is not None}
    assert told["restarts"] == Effect("restarts", "the controller", "after", (1,))
    assert told["rests"].when == "during"
    assert levels["restart"] == "confirm"
    desk.carry_out(plan.steps)
    assert not subject.controller.call("GET", "/v1/system")["restart_needed"]
    assert content(desk.look()) == content(backup)


def test_what_stops_a_plan(subject: ExhibitSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.controller.delete("Turtle feeding")
    subject.controller.change("Evening", level=1)
    subject.controller.behave(capacity=10, locked=subject.controller.items()["Evening"]["id"])
    plan = plan_restore(compare(backup, desk.look()), [Pick((), "branch")])
    stops = {f.code for f in desk.connector.check(plan.steps, backup) if f.level == "stop"}
    assert stops == {"no-space"}
    assert not_allowed(desk.connector, plan.steps) == [(("Lights", "Evening"), "")]
    with pytest.raises(errors.LimitReached):
        apply(desk.connector, plan.steps[0])
    step = next(s for s in plan.steps if s.path == ("Lights", "Evening"))
    with pytest.raises(errors.NotAllowed):
        apply(desk.connector, step)


def test_a_secret_that_is_never_shown_is_asked_for(subject: ExhibitSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.controller.delete("Opening")
    subject.controller.delete("Mist")
    subject.controller.delete("Reef lamp")
    plan = desk.plan(compare(backup, desk.look()), [Pick(("Reef lamp",))])
    asked = [f for f in desk.connector.check(plan.steps, backup) if f.level == "ask"]
    assert [f.attribute for f in asked] == ["password"]
    assert "password" in desk.connector.render(plan.steps[0])
    with pytest.raises(errors.Refused, match="type it"):
        apply(desk.connector, plan.steps[0])
    desk.connector._secrets.kept[asked[0].digest] = b"x"  # type: ignore[attr-defined]
    desk.carry_out(plan.steps)
    # one that is wrong is noticed: it reads back differently
    subject.controller.delete("Reef lamp")
    desk.connector._secrets.kept[asked[0].digest] = b"y"  # type: ignore[attr-defined]
    with pytest.raises(AssertionError):
        desk.carry_out(plan.steps)


def test_the_call_budget_is_kept(subject: ExhibitSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    comparison = compare(backup, desk.look())
    said: list[str] = []
    desk.connector.tell = said.append  # type: ignore[attr-defined]
    subject.controller.behave(budget=25, renew=1.5)
    plan = desk.plan(comparison, [Pick((), "branch")])
    [budget] = [f.budget for f in desk.connector.check(plan.steps, backup) if f.budget]
    assert budget.needs > budget.left
    began = time.monotonic()
    desk.carry_out(plan.steps)
    assert said
    assert "goes on at" in said[0]
    assert time.monotonic() - began > 1
    assert content(desk.look()).items() >= content(backup).items()


def test_slow_and_failing_answers(subject: ExhibitSubject) -> None:
    subject.controller.behave(failing=2, slow=0.05)
    desk = Desk(subject)
    assert desk.look().root.total > 5, "reading is tried again"
    subject.controller.behave(failing=1)
    backup = desk.look()
    subject.controller.change("Evening", level=1)
    plan = desk.plan(compare(backup, desk.look()), [Pick(("Lights", "Evening"))])
    read(desk.connector, [("Lights", "Evening")])
    etag = subject.controller.items()["Evening"]["etag"]
    subject.controller.behave(failing=1)
    with pytest.raises(errors.Unreachable):
        desk.connector._client.update("p0004", {"name": "x"}, etag)  # type: ignore[attr-defined]
    desk.carry_out(plan.steps)
    assert content(desk.look()) == content(backup)


def test_another_version_of_the_software(start: Callable[..., ExhibitController]) -> None:
    old, new = ExhibitSubject(start()), start("5.0")
    backup = Desk(old).look()
    new.add("folder", "Lights")
    other = ExhibitSubject.__new__(ExhibitSubject)
    other.controller = new
    desk = Desk(other)
    assert desk.connector.describe().schema.spec("preset", "fade").formerly == ("fade_seconds",)
    evening = backup.get(("Lights", "Evening"))
    assert evening is not None
    from keepsort.core.plan import Step

    step = Step(
        number=1, action="create", path=("Lights", "Evening"), kind="preset",
        after=evening.attributes,
    )  # fmt: skip
    found = desk.connector.check([step], backup)
    assert [(f.code, f.attribute) for f in found if f.level == "stop"] == [
        ("no-such-field", "fade_seconds")
    ]


def test_a_folder_goes_to_a_controller_of_another_version(
    start: Callable[..., ExhibitController],
) -> None:
    old = ExhibitSubject(start())
    new = start("5.0")
    other = ExhibitSubject.__new__(ExhibitSubject)
    other.controller = new
    desk = Desk(other)
    desk.connector._secrets.kept = {}  # type: ignore[attr-defined]
    source = desk.look(old.open())
    live = desk.look()
    made = transplant(source, [("Winter show",)], live, ())
    assert {f.code for f in made.findings} == {"comes-along", "left-out"}
    plan = plan_restore(compare(made.left, live), list(made.picks))
    found = {f.level: f for f in desk.connector.check(plan.steps, made.left)}
    assert "stop" not in found
    desk.connector._secrets.kept[found["ask"].digest] = b"x"  # type: ignore[attr-defined]
    desk.carry_out(plan.steps)
    items = new.items()
    assert items["Evening"]["body"]["fade"] == 40, "under its new name"
    assert "loop" not in items["Mist"]["body"], "the new version has none"
    steps = items["Turtle feeding"]["body"]["steps"]
    assert steps[0]["recall"] == items["Evening"]["id"], "by the new controller's own id"
    assert content(desk.look()) == content(rehearse(live, plan.steps))


def test_what_stands_in_the_way(subject: ExhibitSubject) -> None:
    with pytest.raises(errors.SignInRefused):
        subject.open(password="wrong")
    with pytest.raises(errors.Unreachable):
        subject.open(address="http://127.0.0.1:1")
    with pytest.raises(errors.Misconfigured):
        subject.open(address="192.0.2.4")
    with pytest.raises(errors.Misconfigured):
        subject.open(reserve="some")
    with pytest.raises(errors.NoSuchBranch):
        list(subject.open().observe(("Nothing",)))


@pytest.mark.parametrize("parents", [("b", "a"), ("gone", "a"), ("a", "b")])
def test_items_that_hang_on_nothing_are_told_and_not_left_out(
    subject: ExhibitSubject, parents: tuple[str, str]
) -> None:
    connector = subject.open()
    odd = [
        Item(id=id, kind="macro", name=id, parent=parent)
        for id, parent in zip("ab", parents, strict=True)
    ]
    connector._client.items = lambda: odd  # type: ignore[attr-defined]
    with pytest.raises(errors.Unreachable, match="hang on nothing: a"):
        list(connector.observe())
