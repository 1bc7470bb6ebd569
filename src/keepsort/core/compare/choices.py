"""Comparing snapshots of which one left something out by choice: that is no difference."""

from keepsort.core.compare.comparison import Comparison, Difference
from keepsort.core.model import Path
from keepsort.core.snapshot import Choice, Taking, kinds_of_places


def kept(found: Comparison, ours: Choice, theirs: Choice) -> Comparison:
    """Return a comparison without what the left (ours) or the right (theirs) did not take."""
    if not ours and not theirs:
        return found
    names = found.names
    left = (Taking(ours, names, found.left.at), kinds_of_places(found.right)) if ours else None
    right = (Taking(theirs, names, found.right.at), kinds_of_places(found.left)) if theirs else None

    # what holds it came or went as a whole, and with it all that was left out beneath
    along: set[tuple[str, Path]] = set()

    def is_kept(difference: Difference) -> bool:
        if difference.state not in ("missing", "extra"):
            return True
        side = left if difference.state == "extra" else right
        keys = names.keys(difference.path)
        if (
            side is None
            or (difference.state, keys[:-1]) in along
            or side[0].takes(difference.path, side[1])
        ):
            along.add((difference.state, keys))
            return True
        return False

    return found.keeping(is_kept)
