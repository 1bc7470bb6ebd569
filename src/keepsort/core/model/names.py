"""How the names of one system compare."""

from functools import lru_cache

import msgspec


class NameRule(msgspec.Struct, frozen=True, omit_defaults=True):
    """Says when two names are the same name.

    fold: letter case and runs of spaces do not count (``Night Dive`` is ``night  dive``).
    exact_types: for names written ``type=value``, the types (lower case) whose values do
        compare letter by letter even though `fold` is on.
    """

    fold: bool = False
    exact_types: tuple[str, ...] = ()

    def key(self, name: str) -> str:
        """Return the form of `name` that is equal for equal names, and that siblings sort by."""
        return _folded(name, self.exact_types) if self.fold else name

    def keys(self, path: tuple[str, ...]) -> tuple[str, ...]:
        """Return `path` with every name in the form that compares."""
        if not self.fold or not path:
            return path
        # what stands above is the same for all siblings
        return (*_folded_all(path[:-1], self.exact_types), _folded(path[-1], self.exact_types))


@lru_cache(maxsize=16384)
def _folded_all(path: tuple[str, ...], exact_types: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(_folded(name, exact_types) for name in path)


@lru_cache(maxsize=65536)
def _folded(name: str, exact_types: tuple[str, ...]) -> str:
    if exact_types:
        kind, equals, value = name.partition("=")
        if equals and kind.lower() in exact_types:
            return f"{kind.lower()}={value}"
    return " ".join(name.casefold().split())
