"""How the names of one system compare."""

from collections.abc import Callable
from functools import cached_property, lru_cache

import msgspec


class NameRule(msgspec.Struct, frozen=True, omit_defaults=True, dict=True):
    """Says when two names are the same name.

    fold: letter case and runs of spaces do not count (``Night Dive`` is ``night  dive``).
    exact_types: for names written ``type=value``, the types (lower case) whose values do
        compare letter by letter even though `fold` is on.
    """

    fold: bool = False
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
        exact = frozenset(self.exact_types)

        @lru_cache(maxsize=65536)
        def folded(name: str) -> str:
            if exact:
                kind, equals, value = name.partition("=")
                if equals and kind.lower() in exact:
                    return f"{kind.lower()}={value}"
            return " ".join(name.casefold().split())

        return folded

    @cached_property
    def _folded_all(self) -> Callable[[tuple[str, ...]], tuple[str, ...]]:
        folded = self._folded

        @lru_cache(maxsize=16384)
        def all_of(path: tuple[str, ...]) -> tuple[str, ...]:
            return tuple(folded(name) for name in path)

        return all_of
