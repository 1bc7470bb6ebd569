"""Where objects stand that a system knows by ids, and references by id as references by place.

What one object costs does not grow with their number: a branch that moves changes one entry.
"""

from collections.abc import Iterator

from keepsort.core.model import AttributeSpec, Notation, Path, Value
from keepsort.core.model.references import renamed

#: Deeper than that, something hangs on itself.
_DEEPEST = 1000


class Ids:
    """Objects by their ids and by their places.

    top: the id of what stands at the root; empty where nothing that has an id does.
    """

    def __init__(self, top: str = "") -> None:
        self.top = top
        #: of each object what it hangs on, and its name there
        self._held: dict[str, tuple[str, str]] = {}
        self._below: dict[str, dict[str, None]] = {}
        self._called: dict[tuple[str, str], str] = {}

    def put(self, id: str, above: str, name: str) -> None:
        """Note that an object hangs on another one, by a name; wherever it was before."""
        if id in self._held:
            self.drop(id)
        self._held[id] = above, name
        self._below.setdefault(above, {})[id] = None
        self._called[above, name] = id

    def drop(self, id: str) -> None:
        """Note that an object is gone. Raises KeyError where it was not known."""
        above, name = self._held.pop(id)
        del self._below[above][id]
        if self._called.get((above, name)) == id:
            del self._called[above, name]

    def __contains__(self, id: str) -> bool:
        """Tell whether an object is known."""
        return id in self._held or (id == self.top and bool(id))

    def path(self, id: str) -> Path:
        """Return where an object stands. Raises KeyError where it hangs on nothing."""
        names: list[str] = []
        one = id
        while one != self.top:
            one, name = self._held[one]
            names.append(name)
            if len(names) > _DEEPEST:
                raise KeyError(id)
        return tuple(reversed(names))

    def at(self, path: Path) -> str | None:
        """Return the id of what stands at a place; that of the top, which may be empty, for ()."""
        found: str | None = self.top
        for name in path:
            found = self._called.get((found, name)) if found is not None else None
        return found

    def beneath(self, id: str) -> list[str]:
        """List the ids right beneath an object, by their names."""
        return sorted(self._below.get(id, ()), key=lambda one: (self._held[one][1], one))

    def depth_first(self, id: str) -> Iterator[str]:
        """Yield the ids beneath an object, each followed by all beneath it."""
        waiting = self.beneath(id)[::-1]
        while waiting:
            one = waiting.pop()
            yield one
            waiting += self.beneath(one)[::-1]

    def astray(self) -> list[str]:
        """List the ids of objects that hang on nothing, or on themselves."""
        placed = set(self.depth_first(self.top))
        return [id for id in self._held if id not in placed]

    def told(self, spec: AttributeSpec, notation: Notation, value: Value) -> Value:
        """Return a value with the ids in it as places; an id of nothing stays as it is."""
        return renamed(spec, value, lambda id: notation.write(self.path(id)) if id in self else id)

    def meant(self, spec: AttributeSpec, notation: Notation, value: Value) -> Value:
        """Return a value with the places in it as ids; what is no place stays as it is.

        Raises KeyError with the text of a place that nothing stands at.
        """

        def id_of(text: str) -> str:
            path = notation.read(text)
            if path is None:
                return text
            found = self.at(path)
            if not found:
                raise KeyError(text)
            return found

        return renamed(spec, value, id_of)
