"""Parts of a text one by one, as they stand in it; those on several lines line by line."""

from collections.abc import Iterator
from typing import NamedTuple

from keepsort.core.model import Path
from keepsort.formats.places import Place, Span


class Item(NamedTuple):
    """A part, or one line of a part that stands on several; `key` tells it from its siblings."""

    key: tuple[Path, str, int]
    span: Span
    place: Place


class Here:
    """Finds parts of the backup among those of the live text."""

    def __init__(self, items: list[Item]) -> None:
        self._items = {item.key: item for item in items}
        self._of: dict[Path, list[Item]] = {}
        for item in items:
            self._of.setdefault(item.place.path, []).append(item)

    def last(self, item: Item) -> Item | None:
        """Return the same part; of one that stands on several lines only here, the last line."""
        return self._found(item, -1)

    def first(self, item: Item) -> Item | None:
        """Return the same part; of one that stands on several lines only here, the first line."""
        return self._found(item, 0)

    def _found(self, item: Item, number: int) -> Item | None:
        there = self._of.get(item.place.path)
        if item.key in self._items or there is None:
            return self._items.get(item.key)
        if not item.place.lines or not there[0].place.lines:
            return there[number]
        if len(item.place.lines) != len(there):
            return None
        # as many lines on both sides: each is the one at its place
        return there[[line.span for line in item.place.lines].index(item.span)]


def items(places: dict[Path, Place]) -> list[Item]:
    """List all parts, line by line, as they stand in the text."""
    found = [item for place in places.values() for item in items_of(place)]
    return sorted(found, key=lambda item: (item.span.start, -item.span.stop, len(item.key[0])))


def items_of(place: Place | None) -> Iterator[Item]:
    """Yield a part, or each of the lines that it stands on; nothing where there is no part."""
    if place is None:
        return
    if not place.lines:
        yield Item((place.path, "", 0), place.whole, place)
        return
    met: dict[str, int] = {}
    for line in place.lines:
        met[line.value] = met.get(line.value, 0) + 1
        yield Item((place.path, line.value, met[line.value]), line.span, place)


def beside(places: dict[Path, Place], source: Place) -> list[Item]:
    """List what the same part holds, joined in the same way, in the order of the text."""
    above, inline = source.path[:-1], source.joint == "none"
    found = [
        item
        for place in places.values()
        if place.path[:-1] == above and (place.joint == "none") == inline
        for item in items_of(place)
    ]
    return sorted(found, key=lambda item: item.span.start)
