"""What a person picked."""

from typing import Literal

import msgspec

from keepsort.core.model import Path, Value

#: object: that one. branch: it and all beneath that is missing, moved or changed.
#: attributes: only those named. remove: extra objects at and beneath the path go away.
Scope = Literal["object", "branch", "attributes", "remove"]

#: overwrite: live becomes as the backup. keep: what exists live stays, only what is missing comes.
#: fill: objects that exist get only the attributes they lack.
Policy = Literal["overwrite", "keep", "fill"]


class AttributePick(msgspec.Struct, frozen=True, omit_defaults=True):
    """One attribute, or only some of it.

    add: elements of a set that should be there. remove: elements that should not.
    hunks: numbers of the differing stretches of a text or sequence, or of the differing values
        of a map, counted from 1.
    With none of these, the whole attribute is meant.
    """

    name: str
    add: tuple[Value, ...] = ()
    remove: tuple[Value, ...] = ()
    hunks: tuple[int, ...] = ()

    @property
    def whole(self) -> bool:
        """Tell whether the attribute is picked as a whole."""
        return not (self.add or self.remove or self.hunks)


class Pick(msgspec.Struct, frozen=True, omit_defaults=True):
    """One thing picked: a path in the backup (for removal: live), and how much of it."""

    path: Path
    scope: Scope = "object"
    attributes: tuple[AttributePick, ...] = ()
    policy: Policy | None = None
