"""A made-up system and its connector: how little one takes that leaves the judging to others.

The system is a shelf of labelled boxes in memory. A label is a path, a box has a colour, a number,
the label of a box that it is meant for, and the name of a box on the same shelf. Every change gives a box a new stamp, and the shelf
takes several changes together, or none where a stamp is another by now.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace

from keepsort.connectors.base import Description, Ending, Problem, Promises, Ready, Seen
from keepsort.connectors.errors import Changed
from keepsort.core.model import Attributes, AttributeSpec, ConfigObject, Kind, Path, Schema, Value
from keepsort.core.model.notation import NamesIn, write_slash
from keepsort.core.plan import Finding, Right, Step
from keepsort.core.snapshot import Snapshot

SCHEMA = Schema(
    kinds={"box": Kind("box", "box"), "shelf": Kind("shelf", "shelf")},
    attributes={
        "colour": AttributeSpec(shape="single"),
        "number": AttributeSpec(shape="single"),
        "for": AttributeSpec(shape="single", reference=True),
        "beside": AttributeSpec(shape="single", reference=True, notation=NamesIn()),
    },
)


@dataclass(frozen=True)
class Box:
    """What the shelf holds at one label."""

    stamp: int
    has: dict[str, Value]


@dataclass
class Shelf:
    """The system itself."""

    boxes: dict[Path, Box] = field(default_factory=dict)
    stamps: int = 0
    locked: bool = False

    def put(self, label: Path, **has: Value) -> None:
        self.stamps += 1
        self.boxes[label] = Box(self.stamps, has)

    def change(self, label: Path, **has: Value) -> None:
        self.put(label, **{**self.boxes[label].has, **has})

    def transaction(self, wanted: dict[Path, int | None], change: Callable[[], None]) -> bool:
        """Make a change if all boxes have the stamps that are named; None for no box."""
        for label, stamp in wanted.items():
            box = self.boxes.get(label)
            if (box.stamp if box else None) != stamp:
                return False
        change()
        return True


class Shelves:
    """The connector."""

    def __init__(self, shelf: Shelf, blind: frozenset[Path] = frozenset()) -> None:
        self._shelf = shelf
        self._blind = blind
        self.learned = {"shelf": "the third from the left"}
        self.tell: Callable[[str], None] = print

    def close(self) -> None: ...

    def describe(self) -> Description:
        return Description(
            software="a shelf", schema=SCHEMA,
            promises=Promises(compare_and_set="server", atomic=True, rename=True),
        )  # fmt: skip

    def rights(self) -> list[str]:
        return [f"May see all but {len(self._blind)} boxes."]

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        for label in sorted({(), *self._shelf.boxes}):
            if label[: len(branch)] == branch:
                found = self._object(label)
                assert found is not None
                yield label, found

    def observe_since(
        self, previous: Snapshot, branch: Path = ()
    ) -> list[tuple[Path, ConfigObject | None]] | None:
        since = previous.object(previous.top()).facts.get("stamps")
        if not isinstance(since, int) or branch:
            return None
        changed = {label for label, box in self._shelf.boxes.items() if box.stamp > since}
        gone = {n.path for n in previous.walk() if n.path and n.path not in self._shelf.boxes}
        told: list[Path] = [(), *sorted(changed | gone, key=lambda p: (len(p), p))]
        return [(label, self._object(label)) for label in told]

    def _object(self, label: Path) -> ConfigObject | None:
        if not label:
            return ConfigObject(name="", kind="shelf", facts={"stamps": self._shelf.stamps})
        box = self._shelf.boxes.get(label)
        if box is None:
            return None
        if label in self._blind:
            return ConfigObject(name=label[-1], kind="box", unreadable="it stands too high")
        return ConfigObject(
            name=label[-1], kind="box", attributes=dict(box.has), facts={"stamp": box.stamp}
        )

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        return [self._seen(self._object(path)) for path in paths]

    def _seen(self, found: ConfigObject | None) -> Seen:
        return Seen(found, str(found.facts.get("stamp", "")) if found else None)

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        return []

    def may_write(self, steps: Sequence[Step]) -> list[Right]:
        return [Right(one.number, one.path not in self._blind) for one in steps if one.path]

    def render(self, step: Step) -> str:
        return f"{step.action} {write_slash(step.path)}"

    def groups(self, steps: Sequence[Step]) -> list[list[Step]]:
        """Put steps together up to the next move, which goes by itself."""
        found: list[list[Step]] = []
        for step in steps:
            if step.action == "move" or not found or found[-1][0].action == "move":
                found.append([])
            found[-1].append(step)
        return found

    def write(self, ready: Sequence[Ready]) -> list[str]:
        wanted: dict[Path, int | None] = {}
        for step, seen in ready:
            wanted[step.path] = int(seen.version) if seen.version else None
            if step.to is not None:
                wanted[step.to] = None

        def change() -> None:
            for step, _ in ready:
                if step.to is not None:
                    self._move(step.path, step.to)
                if step.after is None:
                    del self._shelf.boxes[step.path]
                else:
                    self._shelf.put(step.final_path, **step.after)

        if not self._shelf.transaction(wanted, change):
            raise Changed("A box was changed at this very moment.")
        return ["put"] * len(ready)

    def _move(self, label: Path, to: Path) -> None:
        boxes = self._shelf.boxes
        for old in [one for one in boxes if one[: len(label)] == label]:
            self._shelf.stamps += 1
            boxes[(*to, *old[len(label) :])] = replace(boxes.pop(old), stamp=self._shelf.stamps)

    def standing(self, steps: Sequence[Step]) -> dict[str, Value]:
        return {"locked": self._shelf.locked}

    def begin(self, standing: dict[str, Value]) -> None:
        self._shelf.locked = True

    def put_back(self, standing: dict[str, Value]) -> Ending:
        self._shelf.locked = bool(standing["locked"])
        return Ending(("The shelf is as open as it was.",))

    def finish(self, done: Sequence[Step]) -> Ending:
        return Ending((f"{len(done)} boxes were dusted.",))

    def try_out(self, path: Path, kind: str) -> str:
        return f"The box {path[-1]} opens." if path in self._shelf.boxes else "There is no box."

    def adjust(self, steps: Sequence[Step]) -> tuple[tuple[Step, ...], list[Finding]]:
        return tuple(steps), []

    def names_for(self, places: Sequence[Path], taken: Callable[[Path], bool]) -> list[str]:
        return [f"{one[-1]}'" if taken(one) else one[-1] for one in places]

    def called(self, kind: str, attributes: Attributes, place: Path) -> Attributes:
        return attributes

    def validate(self, tree: Snapshot) -> list[Problem]:
        return []
