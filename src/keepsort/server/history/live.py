"""What the newest look at live adds to the index: what is gone by now, and what is new."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

from keepsort.core.compare import Comparison, Difference
from keepsort.core.model.notation import read_slash, write_slash
from keepsort.server.history.models import Indexed, Version, holds
from keepsort.server.history.words import holds_words, texts_of
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import newest
from keepsort.server.sorting.comparing import compared
from keepsort.server.systems.models import System
from keepsort.server.systems.services import successors

#: So many differences are searched by their names, and so many by their values.
_MOST_NAMES, _MOST_VALUES = 100_000, 5_000


@dataclass(frozen=True)
class Live:
    """The newest look at a system, against its newest backup of the whole.

    newer: keys of branches that were backed up after that look; of these the index knows more.
    """

    look: Record
    backup: Record
    found: Comparison
    newer: tuple[str, ...]
    known: Mapping[str, str]

    @classmethod
    def of(cls, system: System) -> "Live | None":
        """Return what the newest look adds; None where the index knows all that is known."""
        look, backup = newest(system, Record.Kind.LOOK), newest(system, Record.Kind.BACKUP)
        if look is None or backup is None or backup.taken_at >= look.taken_at:
            return None
        later = Indexed.objects.filter(system=system, record__taken_at__gt=look.taken_at)
        newer = tuple(later.values_list("top", flat=True))
        return cls(look, backup, compared(backup, look), newer, successors(system))

    def tells_of(self, key: str) -> bool:
        """Tell whether the look is the newest that is known of a place."""
        return not any(holds(top, key) for top in self.newer)

    def has(self, version: Version) -> bool:
        """Tell whether live has the object that this is a version of."""
        identity = self.known.get(version.identity or "", version.identity or "") or None
        if identity is not None and identity in self._come:
            return True
        place = self.found.live_path(read_slash(version.key))
        node = self.found.right.find(place)
        if node is None:
            return False
        return identity is None or node.entry.identity in (None, identity)

    @cached_property
    def _come(self) -> set[str]:
        """Identities of objects that stand where the backup does not have them."""
        found = (d.right for d in self.found.differences if d.state in ("extra", "recreated"))
        return {n.entry.identity for n in found if n is not None and n.entry.identity}

    def matching(
        self, is_named: Callable[[Difference], bool], words: list[str], kind: str | None
    ) -> Iterator[Difference]:
        """Yield what is otherwise live than it was kept, and is named so or holds these words."""
        read = 0
        for difference in self.found.differences[:_MOST_NAMES]:
            node = difference.right
            if node is None or difference.state == "unreadable":
                continue
            if kind is not None and node.entry.kind.casefold() != kind.casefold():
                continue
            if not self.tells_of(self.key(difference)):
                continue
            if is_named(difference):
                yield difference
            elif words and read < _MOST_VALUES:
                read += 1
                attributes = self.found.right.whole_attributes(node.entry)
                texts = texts_of(self.found.right.schema, node.entry.kind, attributes)
                if any(holds_words(text, words) for text in texts):
                    yield difference

    def key(self, difference: Difference) -> str:
        """Return the key of the place where an object stands live."""
        return write_slash(self.found.names.keys(difference.live_path or difference.path))
