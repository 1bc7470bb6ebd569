"""How the names of one system compare."""

import re
from collections.abc import Callable
from functools import cached_property, lru_cache

import msgspec

from keepsort.core.model.matching import Matching, prepared

_PLUS = re.compile(r"(?<!\\)((?:\\\\)*)\+")


def split_pairs(name: str) -> list[str]:
    """Split a name of several ``type=value`` pairs (RFC 4514, section 2.2) at its plus signs."""
    return _PLUS.sub("\\1\0", name).split("\0")


class NameRule(msgspec.Struct, frozen=True, omit_defaults=True, dict=True):
    """Says when two names are the same name.

    fold: letter case and runs of spaces do not count (``Night Dive`` is ``night  dive``).
    types: for names written ``type=value``, how the values of some types (lower case) compare
        though `fold` is on. exact_types: those that compare letter by letter, in older backups.
    """

    fold: bool = False
    types: dict[str, Matching] = {}
    exact_types: tuple[str, ...] = ()

    def key(self, name: str) -> str:
        """Return the form of `name` that is equal for equal names, and that siblings sort by."""
        return self._folded(name) if self.fold else name

    def keys(self, path: tuple[str, ...]) -> tuple[str, ...]:
        """Return `path` with every name in the form that compares."""
        if not self.fold or not path:
            return path
        # what stands above is the same for all siblings
        return (*self._folded_all(path[:-1]), self._folded(path[-1]))

    # The caches belong to the rule: one keyed by its types too would hash all of them each time.

    @cached_property
    def _folded(self) -> Callable[[str], str]:
        known: dict[str, Matching] = dict.fromkeys(self.exact_types, "literal")
        known |= self.types

        @lru_cache(maxsize=65536)
        def folded(name: str) -> str:
            if not known:
                return prepared("fold", name)
            # several pairs in one name stand in any order
            pairs = [name] if "+" not in name else split_pairs(name)
            keys = []
            for pair in pairs:
                kind, equals, value = pair.partition("=")
                low = kind.strip().lower()
                if not equals:
                    keys.append(prepared("fold", pair))
                else:
                    keys.append(f"{low}={prepared(known.get(low, 'fold'), value)}")
            return "+".join(sorted(keys))

        return folded

    @cached_property
    def _folded_all(self) -> Callable[[tuple[str, ...]], tuple[str, ...]]:
        folded = self._folded

        @lru_cache(maxsize=16384)
        def all_of(path: tuple[str, ...]) -> tuple[str, ...]:
            return tuple(folded(name) for name in path)

        return all_of
