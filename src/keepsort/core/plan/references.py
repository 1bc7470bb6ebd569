"""References: what an object names, and who names an object."""

from collections.abc import Callable, Iterator

from keepsort.core.compare.comparison import translate
from keepsort.core.model import Attributes, Path, Schema, Value
from keepsort.core.snapshot import Node, Snapshot


def references(schema: Schema, kind: str, attributes: Attributes) -> Iterator[tuple[str, Path]]:
    """Yield the attribute and the path of every reference that lies within the system."""
    for name in sorted(attributes.keys() & schema.references):
        value = attributes[name]
        if schema.spec(kind, name).reference:
            for part in value if isinstance(value, list) else (value,):
                path = schema.notation.read(part) if isinstance(part, str) else None
                if path is not None:
                    yield name, path


def redirected(
    schema: Schema, kind: str, attributes: Attributes, place: Callable[[Path], Path]
) -> Attributes:
    """Return attributes with every reference put where `place` says its target is."""
    changed: Attributes = {}

    def moved(value: Value) -> Value:
        if isinstance(value, list):
            return [moved(v) for v in value]
        path = schema.notation.read(value) if isinstance(value, str) else None
        if path is None:
            return value
        target = place(path)
        return value if target is path else schema.notation.write(target)

    for name in attributes.keys() & schema.references:
        value = attributes[name]
        if schema.spec(kind, name).reference:
            new = moved(value)
            if new != value:
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

    def now(self, path: Path) -> Path:
        """Return where an object stands now that stood at `path` in the beginning."""
        for before, to in self._moves:
            path = translate({before: to}, self._names, path)
        return path
