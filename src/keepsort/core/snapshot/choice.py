"""What of a system a snapshot takes: kinds and places that are in or out."""

from collections.abc import Callable, Iterator
from fnmatch import fnmatchcase
from functools import cache

import msgspec

from keepsort.core.model.names import NameRule
from keepsort.core.model.objects import ConfigObject, Path
from keepsort.core.snapshot.reader import Snapshot


class Choice(msgspec.Struct, frozen=True, omit_defaults=True):
    """What is taken; everything where nothing is said. With an object goes all beneath it.

    kinds_out: kinds that are left out. places: slash paths of what is taken alone, with what holds
    it; places_out: of what is left out. ``*`` and ``?`` in a name of a path stand for any letters.
    """

    kinds_out: tuple[str, ...] = ()
    places: tuple[str, ...] = ()
    places_out: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return self != _ALL


_ALL = Choice()


#: The kind of what stands at a place; None where that is not known.
KindAt = Callable[[Path], str | None]


def kinds_of_places(tree: Snapshot) -> KindAt:
    """Return what tells the kinds of a tree's objects, looking each up once."""

    @cache
    def kind_at(path: Path) -> str | None:
        node = tree.find(path)
        return node.entry.kind if node is not None else None

    return kind_at


class Taking:
    """Tells of each object whether a choice takes it; the topmost of all is always taken."""

    def __init__(self, choice: Choice, names: NameRule, at: Path = ()) -> None:
        self._kinds = frozenset(choice.kinds_out)
        self._keys = names.keys
        self._at = len(at)
        self._places = [self._names(text) for text in choice.places]
        self._out = [self._names(text) for text in choice.places_out]

    def _names(self, text: str) -> Path:
        return self._keys(tuple(name for name in text.split("/") if name))

    @property
    def by_kind(self) -> bool:
        """Tell whether kinds count, and not only places."""
        return bool(self._kinds)

    def takes(self, path: Path, kind_at: KindAt) -> bool:
        """Tell whether the object at a path is taken. kind_at: asked of it and of what holds it."""
        if len(path) <= self._at:
            return True
        if not self._takes_place(self._keys(path)):
            return False
        return not self._kinds or not any(
            kind_at(path[:depth]) in self._kinds for depth in range(self._at + 1, len(path) + 1)
        )

    def _takes_place(self, keys: Path) -> bool:
        if any(len(out) <= len(keys) and _fits(out, keys) for out in self._out):
            return False
        return not self._places or any(_fits(place, keys) for place in self._places)

    def stream(
        self, objects: Iterator[tuple[Path, ConfigObject]]
    ) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield those objects of a stream, parents first, that are taken."""
        out: set[Path] = set()
        for path, obj in objects:
            if len(path) > self._at and (
                path[:-1] in out
                or obj.kind in self._kinds
                or not self._takes_place(self._keys(path))
            ):
                out.add(path)
            else:
                yield path, obj


def _fits(pattern: Path, keys: Path) -> bool:
    """Tell whether a pattern names the object at a path, or one above it or beneath it."""
    return all(fnmatchcase(key, name) for name, key in zip(pattern, keys, strict=False))
