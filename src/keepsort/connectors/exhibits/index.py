"""The items of a controller, and where they stand."""

from collections.abc import Iterable

from keepsort.connectors.exhibits.client import Item
from keepsort.connectors.ids import Ids


class Index:
    """Items by their ids; `ids` says where each stands."""

    def __init__(self, items: Iterable[Item]) -> None:
        self.items: dict[str, Item] = {}
        self.ids = Ids()
        for item in items:
            self.put(item)

    def put(self, item: Item) -> None:
        """Note an item as it is now."""
        self.items[item.id] = item
        self.ids.put(item.id, item.parent, item.name)

    def drop(self, id: str) -> None:
        """Note that an item is gone."""
        self.ids.drop(id)
        del self.items[id]
