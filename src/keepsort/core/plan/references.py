"""References: what an object names, and who names an object."""

from collections.abc import Callable, Iterator

from keepsort.core.compare.comparison import translate
from keepsort.core.model import Attributes, Path, Schema
from keepsort.core.model.references import named, renamed
from keepsort.core.snapshot import Node, Snapshot


def references(schema: Schema, kind: str, attributes: Attributes) -> Iterator[tuple[str, Path]]:
    """Yield the attribute and the path of every reference that lies within the system."""
    for name in sorted(attributes.keys() & schema.references):
        spec = schema.spec(kind, name)
        if spec.refers:
            for text in named(spec, attributes[name]):
                path = schema.notation.read(text)
                if path is not None:
                    yield name, path


def redirected(
    schema: Schema, kind: str, attributes: Attributes, place: Callable[[Path], Path]
) -> Attributes:
    """Return attributes with every reference put where `place` says its target is."""
    changed: Attributes = {}

    def elsewhere(text: str) -> str:
        path = schema.notation.read(text)
        if path is None:
            return text
        target = place(path)
        return text if target is path else schema.notation.write(target)

    for name in attributes.keys() & schema.references:
        spec = schema.spec(kind, name)
        if spec.refers:
            new = renamed(spec, attributes[name], elsewhere)
            if new != attributes[name]:
                changed[name] = new
    return {**attributes, **changed} if changed else attributes


def referrers(live: Snapshot, places: list[Path]) -> Iterator[tuple[Node, str, Path]]:
    """Yield every live object that names something in one of the branches, and what it names.

    This reads the whole tree; it is asked only where something moves or goes away.
    """
    keys = live.schema.names.keys
    wanted = {keys(place): place for place in places}
    depths = sorted({len(place) for place in wanted})
    for node in live.walk():
        if node.entry.unreadable is not None:
            continue
        attributes = live.attributes(node.entry)
        for name, path in references(live.schema, node.entry.kind, attributes):
            folded = keys(path)
            if any(folded[:depth] in wanted for depth in depths):
                yield node, name, path


class Places:
    """Where objects stand as moves are carried out one after the other."""

    def __init__(self, schema: Schema) -> None:
        self._names = schema.names
        self._moves: list[tuple[Path, Path]] = []

    def move(self, path: Path, to: Path) -> None:
        """Note that what stood at `path` now stands at `to`."""
        self._moves.append((self._names.keys(path), to))

    def move_before(self, path: Path, to: Path) -> None:
        """Note a move that comes before all that are noted already."""
        self._moves.insert(0, (self._names.keys(path), to))

    def now(self, path: Path) -> Path:
        """Return where an object stands now that stood at `path` in the beginning."""
        for before, to in self._moves:
            path = translate({before: to}, self._names, path)
        return path
