"""A connector of a made-up system: the contract, every optional protocol, and what is judged."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keepsort.connectors import base
from keepsort.connectors.applying import Outcome, carry_out, judged, look_ahead, read
from keepsort.connectors.errors import Changed, Conflict
from keepsort.core.model import Path
from keepsort.core.plan import PLAIN, Composer, Naming, Step
from keepsort.core.snapshot import Draft
from tests.connectors.contract import Contract, Desk, content
from tests.connectors.made_up import Shelf, Shelves

DESCRIBED = Shelves(Shelf()).describe()


class ShelfSubject:
    """A shelf with some boxes."""

    composer: Composer = PLAIN
    states = {"changed", "missing", "extra"}

    def __init__(self) -> None:
        self.shelf = Shelf()
        self.shelf.put(("reef",), colour="blue", number=1)
        self.shelf.put(("reef", "lamps"), colour="red", number=2)
        self.shelf.put(("reef", "pumps"), colour="red", number=3)
        self.shelf.put(("kelp",), colour="green", number=4)
        self.shelf.put(("kelp", "nets"), colour="white", number=5)

    def open(self) -> Shelves:
        return Shelves(self.shelf)

    def harm(self) -> None:
        self.shelf.change(("reef",), colour="black")
        self.shelf.change(("kelp",), number=40)
        del self.shelf.boxes[("reef", "lamps")]
        del self.shelf.boxes[("kelp", "nets")]
        self.shelf.put(("lost",), colour="grey")

    def meddle(self, path: Path) -> None:
        self.shelf.change(path, number=99)

    def hide(self) -> tuple[base.Connector, Path]:
        return Shelves(self.shelf, frozenset({("reef", "pumps")})), ("reef", "pumps")


@pytest.fixture
def subject() -> ShelfSubject:
    return ShelfSubject()


class TestContract(Contract):
    pass


def test_it_is_a_connector_with_every_optional_protocol(subject: ShelfSubject) -> None:
    connector = subject.open()
    for protocol in (
        base.Adjusting, base.Finishing, base.Grouping, base.Incremental, base.Learning,
        base.Permitting, base.Preparing, base.Telling, base.Trying, base.Waiting, Naming,
    ):  # fmt: skip
        assert isinstance(connector, protocol), protocol


def test_no_optional_protocol_is_left_without_proof() -> None:
    optional = {
        one for one in vars(base).values()
        if isinstance(one, type) and getattr(one, "_is_runtime_protocol", False)
    } | {Naming}  # fmt: skip
    assert all(isinstance(Shelves(Shelf()), one) for one in optional)
    assert len(optional) == 11


def test_what_changed_since_is_what_a_new_look_shows(subject: ShelfSubject) -> None:
    desk = Desk(subject)
    before = desk.look()
    subject.harm()
    changed = desk.connector.observe_since(before)  # type: ignore[attr-defined]
    draft = Draft(before)
    for path, found in changed:
        if found is None:
            draft.remove(path)
        else:
            draft.put(path, found)
    assert content(draft.finish()) == content(desk.look())


def test_what_happened_at_the_very_moment_is_judged_anew(subject: ShelfSubject) -> None:
    """A change that the step can stand lets it go on; one that it cannot is a conflict."""
    connector, shelf = subject.open(), subject.shelf
    step = Step(
        number=1, action="update", path=("reef",), kind="box",
        before={"colour": "blue", "number": 1}, after={"colour": "red", "number": 1},
    )  # fmt: skip
    sight = look_ahead(connector, DESCRIBED, [step, step])
    shelf.change(("reef",))  # a new stamp, and nothing else
    assert carry_out(connector, DESCRIBED, [step], sight) == [Outcome(report="put")]
    assert carry_out(connector, DESCRIBED, [step]) == [Outcome(already=True)]
    shelf.change(("reef",), colour="blue")
    write, tries = connector.write, 0

    def meddled(ready: list[base.Ready]) -> list[str]:
        nonlocal tries
        tries += 1
        shelf.change(("reef",))
        return write(ready)

    connector.write = meddled  # type: ignore[method-assign,assignment]
    with pytest.raises(Changed):
        carry_out(connector, DESCRIBED, [step])
    assert tries == 3
    connector.write = write  # type: ignore[method-assign]
    shelf.change(("reef",), colour="black")
    with pytest.raises(Conflict, match="not what the preview showed"):
        carry_out(connector, DESCRIBED, [step], sight)
    assert read(connector, [("reef",)])[0].attributes["colour"] == "black"  # type: ignore[union-attr]


COLOURS = st.sampled_from(["blue", "red", None])


@given(COLOURS, COLOURS, COLOURS)
def test_judging_is_what_it_says(before: str | None, after: str | None, now: str | None) -> None:
    """Naively: done if it is as afterwards, to write if it is as before, else a conflict."""
    if before is None and after is None:
        return
    action = "create" if before is None else "delete" if after is None else "update"
    held = [None if c is None else {"colour": c} for c in (before, after)]
    step = Step(
        number=1, action=action, path=("x",), kind="box", before=held[0], after=held[1]
    )  # fmt: skip
    shelf = Shelf()
    if now is not None:
        shelf.put(("x",), colour=now)
    said = judged(DESCRIBED, step, read(Shelves(shelf), [("x",)])[0], None)
    assert said == ("done" if now == after else "write" if now == before else "conflict")


def test_nothing_is_moved_onto_something(subject: ShelfSubject) -> None:
    connector = subject.open()
    has = {"colour": "blue", "number": 1}
    move = Step(
        number=1, action="move", path=("reef",), to=("kelp",), kind="box", before=has, after=has
    )
    with pytest.raises(Conflict, match="would be overwritten"):
        carry_out(connector, DESCRIBED, [move])
    away = Step(
        number=1, action="move", path=("reef",), to=("coral",), kind="box", before=has, after=has
    )
    carry_out(connector, DESCRIBED, [away])
    assert ("coral", "pumps") in subject.shelf.boxes
    assert carry_out(connector, DESCRIBED, [away]) == [Outcome(already=True)]
