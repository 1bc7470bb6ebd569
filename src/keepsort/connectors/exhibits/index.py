"""Items by their ids and by their paths."""

from collections.abc import Iterable, Iterator

from keepsort.connectors.exhibits.client import Item
from keepsort.connectors.exhibits.schema import NAMES
from keepsort.core.model import Path, Value
from keepsort.core.model.notation import read_slash, write_slash


class Index:
    """Where every item stands. References are ids to the controller, and paths here."""

    def __init__(self, items: Iterable[Item]) -> None:
        self.items = {item.id: item for item in items}
        self._ids = {self.path(item.id): item.id for item in self.items.values()}

    def path(self, id: str) -> Path:
        """Return the path of an item."""
        names: list[str] = []
        while id:
            item = self.items[id]
            names.insert(0, item.name)
            id = item.parent
        return tuple(names)

    def id(self, path: Path) -> str | None:
        """Return the id of what stands at a path; empty for the controller itself."""
        return self._ids.get(path) if path else ""

    def put(self, item: Item) -> None:
        """Note an item as it is now."""
        self.items[item.id] = item
        self._ids = {self.path(known): known for known in self.items}

    def drop(self, id: str) -> None:
        """Note that an item is gone."""
        self._ids.pop(self.path(id), None)
        del self.items[id]

    def depth_first(self, top: str) -> Iterator[Item]:
        """Yield an item's children, each with all beneath it."""
        below = sorted((i for i in self.items.values() if i.parent == top), key=lambda i: i.name)
        for item in below:
            yield item
            yield from self.depth_first(item.id)

    def named(self, value: Value) -> Value:
        """Return steps with ids as paths; an id of nothing stays as it is."""
        if isinstance(value, list):
            return [self.named(v) for v in value]
        if isinstance(value, dict):
            return {
                k: write_slash(self.path(v)) if k in NAMES and v in self.items else v
                for k, v in value.items()
            }
        return value

    def by_id(self, value: Value) -> Value:
        """Return steps with paths as ids. Raises KeyError with a path that nothing stands at."""
        if isinstance(value, list):
            return [self.by_id(v) for v in value]
        if isinstance(value, dict):
            return {
                k: self._id_of(v) if k in NAMES and str(v).startswith("/") else v
                for k, v in value.items()
            }
        return value

    def _id_of(self, written: str) -> str:
        found = self.id(read_slash(written))
        if not found:
            raise KeyError(written)
        return found
