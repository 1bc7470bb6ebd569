"""What a person has said matters most, or least, of what may differ."""

from functools import lru_cache
from typing import Final

import msgspec

from keepsort.core.compare.comparison import Difference
from keepsort.core.compare.rules import Rules
from keepsort.core.model import Schema

URGENT: Final = 3
SERVICE: Final = 2
USUAL: Final = 1
MINOR: Final = 0


class Importance(msgspec.Struct, frozen=True, omit_defaults=True):
    """Patterns of what is urgent, and of what is minor.

    One that begins with a slash is of a place and all beneath it, as in `Rules.paths`; another is
    of an attribute, ``attribute`` or ``kind:attribute``, as in `Rules.attributes`; ``kind:*`` means
    objects of a kind that are missing or extra as well.
    """

    urgent: tuple[str, ...] = ()
    minor: tuple[str, ...] = ()

    def of(self, schema: Schema, one: Difference) -> int:
        """Return how urgent a difference is, from `MINOR` to `URGENT`.

        Of what nobody has said anything, an object whose change interrupts something comes before
        the rest.
        """
        if any(_matches(self.urgent, one)):
            return URGENT
        if all(_matches(self.minor, one)):
            return MINOR
        known = schema.kinds.get(one.kind)
        return SERVICE if known is not None and known.interrupts else USUAL


def _matches(patterns: tuple[str, ...], one: Difference) -> list[bool]:
    """Tell of each attribute that differs whether a pattern is of it; of a whole object once."""
    rules = _rules(patterns)
    placed = any(rules.hides_path(path) for path in (one.path, one.live_path) if path)
    both = one.left is not None and one.right is not None
    # only a pattern that ends in * is of an object that is on one side alone
    names = (one.attributes if both else ()) or ("",)
    return [placed or rules.hides_attribute(one.kind, name) for name in names]


@lru_cache(maxsize=64)
def _rules(patterns: tuple[str, ...]) -> Rules:
    return Rules(
        attributes=tuple(p for p in patterns if not p.startswith("/")),
        paths=tuple(p for p in patterns if p.startswith("/")),
    )
