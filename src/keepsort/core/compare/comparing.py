"""Compares two snapshots of the same place."""

from collections.abc import Mapping
from types import MappingProxyType

from keepsort.core.compare.comparison import Comparison, Suggestion
from keepsort.core.compare.rules import Rules
from keepsort.core.compare.telling import Pair, Telling
from keepsort.core.compare.walk import Walk
from keepsort.core.model import Path
from keepsort.core.snapshot import Snapshot, by_newer_names

_NO_RULES = Rules()
_NO_SUCCESSORS: Mapping[str, str] = MappingProxyType({})
#: Where an object is in the backup, and where the one stands live that it is taken for.
Accepted = frozenset[tuple[Path, Path]]


def compare(
    left: Snapshot,
    right: Snapshot,
    rules: Rules = _NO_RULES,
    *,
    likeness: float | None = None,
    accepted: Accepted = frozenset(),
    successors: Mapping[str, str] = _NO_SUCCESSORS,
) -> Comparison:
    """Compare two snapshots of the same place.

    What has a new name in the right one is told by that name, in the comparison's left too.

    rules: what does not count.
    likeness: of a missing and an extra object that are at least this similar (0 to 1) and have no
        ids that differ, the comparison suggests that one is the other; None suggests nothing.
    accepted: suggestions that a person has accepted; these alone are taken as moves.
    successors: identities that objects had, each with the one that its restored object has; both
        are taken as the same object.

    Raises ValueError if the snapshots hold different branches.
    """
    names = left.schema.names
    if names.keys(left.at) != names.keys(right.at):
        raise ValueError("the two snapshots hold different branches")
    if left.root.significant == right.root.significant:
        return Comparison(left, right, [])
    left = by_newer_names(left, right.schema)
    walk = Walk(left, right, successors)
    walk.run()
    pairs: list[Pair] = [(a, b, None) for a, b in walk.pair_up()]
    unknown = walk.set_unknown_aside()
    suggestions: list[Suggestion] = []
    if likeness is not None and walk.only_left and walk.only_right:
        # NumPy takes a while to load, and only this needs it
        from keepsort.core.compare.likeness import alike

        wanted = frozenset((names.keys(path), names.keys(place)) for path, place in accepted)
        for a, b, similarity in alike(
            left, right, walk.only_left, walk.only_right, likeness, wanted
        ):
            pair = names.keys(a.path), names.keys(b.path)
            if pair in wanted:
                del walk.only_left[pair[0]], walk.only_right[pair[1]]
                pairs.append((a, b, similarity))
            else:
                suggestions.append(Suggestion(a.path, b.path, similarity))
    found = Telling(left, right, walk, pairs)
    return found.comparison(rules, suggestions, unknown)
