"""Differences with what goes along: a branch on one side only is told by its topmost object."""

from collections.abc import Iterable
from typing import NamedTuple

from keepsort.core.compare.comparison import Difference
from keepsort.core.model import NameRule, Path, is_beneath


class Folded(NamedTuple):
    """A difference; holds: how many beneath it are missing, or extra, along with it."""

    difference: Difference
    holds: int = 0


def folded(names: NameRule, found: Iterable[Difference]) -> list[Folded]:
    """Return differences in their order, without those that go along with one above them.

    found: in the order of their paths. What differs otherwise beneath one that is gone or new is
    told by itself.
    """
    told: list[Folded] = []
    top: Path | None = None
    at = 0
    for one in found:
        own = names.keys(one.path)
        if top is not None and is_beneath(own, top):
            if one.state == told[at].difference.state:
                told[at] = told[at]._replace(holds=told[at].holds + 1)
                continue
        elif one.state in ("missing", "extra"):
            top, at = own, len(told)
        else:
            top = None
        told.append(Folded(one))
    return told
