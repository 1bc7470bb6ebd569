"""References: what an object names, and who names an object."""

from collections.abc import Callable, Iterator
from functools import partial

from keepsort.core.model import Attributes, Notation, Path, Schema
from keepsort.core.model.references import named, renamed
from keepsort.core.snapshot import Node, Snapshot


def references(schema: Schema, kind: str, attributes: Attributes) -> Iterator[tuple[str, Path]]:
    """Yield the attribute and the path of every reference that lies within the system."""
    for name in sorted(attributes.keys() & schema.references):
        spec = schema.spec(kind, name)
        if spec.refers:
            read = schema.notation_of(spec).read
            for text in named(spec, attributes[name]):
                path = read(text)
                if path is not None:
                    yield name, path


def redirected(
    schema: Schema, kind: str, attributes: Attributes, place: Callable[[Path], Path]
) -> Attributes:
    """Return attributes with every reference put where `place` says its target is."""
    changed: Attributes = {}

    def elsewhere(notation: Notation, text: str) -> str:
        path = notation.read(text)
        if path is None:
            return text
        target = place(path)
        return text if target is path else notation.write(target)

    for name in attributes.keys() & schema.references:
        spec = schema.spec(kind, name)
        if spec.refers:
            new = renamed(spec, attributes[name], partial(elsewhere, schema.notation_of(spec)))
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
        attributes = live.references_of(node.entry)
        for name, path in references(live.schema, node.entry.kind, attributes):
            folded = keys(path)
            if any(folded[:depth] in wanted for depth in depths):
                yield node, name, path


class _Spot:
    """A place that something moved from, to or through."""

    __slots__ = ("above", "began", "came", "name", "now")

    def __init__(self, name: str, above: "_Spot | None", began: Path) -> None:
        self.name = name
        self.above = above
        #: where it stood in the beginning
        self.began = began
        #: spots right beneath it: by the names they began with, and by those they have now
        self.came: dict[str, _Spot] = {}
        self.now: dict[str, _Spot] = {}


class Places:
    """Where objects stand as moves are carried out one after the other.

    A look-up takes as long as the path has names, however many moves there were.
    """

    def __init__(self, schema: Schema) -> None:
        self._key = schema.names.key
        self._root = _Spot("", None, ())
        self._moved = False

    def move(self, path: Path, to: Path) -> None:
        """Note that what stands at `path` now is put at `to`."""
        self._moved = True
        spot, holder = self._at(path), self._at(to[:-1])
        assert spot.above is not None
        del spot.above.now[self._key(spot.name)]
        spot.name, spot.above = to[-1], holder
        holder.now[self._key(to[-1])] = spot

    def now(self, path: Path) -> Path:
        """Return where an object stands now that stood at `path` in the beginning.

        The path itself is returned where nothing moved.
        """
        if not self._moved:
            return path
        spot, depth = self._root, 0
        while depth < len(path) and self._key(path[depth]) in spot.came:
            spot = spot.came[self._key(path[depth])]
            depth += 1
        found = (*_path_of(spot), *path[depth:])
        return path if found == path else found

    def before(self, path: Path) -> Path:
        """Return where an object stood in the beginning that stands at `path` now."""
        spot, depth = self._root, 0
        while depth < len(path) and self._key(path[depth]) in spot.now:
            spot = spot.now[self._key(path[depth])]
            depth += 1
        return (*spot.began, *path[depth:])

    def marked(self, path: Path) -> Callable[[], Path]:
        """Return what tells, at any later time, where the object is that stands at `path` now."""
        spot = self._at(path)
        return lambda: _path_of(spot)

    def _at(self, path: Path) -> _Spot:
        """Return the spot of what stands at a path now."""
        spot = self._root
        for name in path:
            key = self._key(name)
            found = spot.now.get(key)
            if found is None:
                found = _Spot(name, spot, (*spot.began, name))
                # what began here may have gone elsewhere; then this one came later
                spot.came.setdefault(key, found)
                spot.now[key] = found
            spot = found
        return spot


def _path_of(spot: _Spot) -> Path:
    names: list[str] = []
    while spot.above is not None:
        names.append(spot.name)
        spot = spot.above
    return tuple(reversed(names))
