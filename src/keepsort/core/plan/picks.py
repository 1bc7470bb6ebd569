"""What a person picked."""

from collections.abc import Sequence
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
        of a map, counted from 1 in the comparison that is planned from.
    parts: elements, hunks or values by the names that their content gives them (`core.compare.
        anchors`); these mean the same in every look.
    With none of these, the whole attribute is meant.
    """

    name: str
    add: tuple[Value, ...] = ()
    remove: tuple[Value, ...] = ()
    hunks: tuple[int, ...] = ()
    parts: tuple[str, ...] = ()

    @property
    def whole(self) -> bool:
        """Tell whether the attribute is picked as a whole."""
        return not (self.add or self.remove or self.hunks or self.parts)

    def joined(self, other: "AttributePick") -> "AttributePick":
        """Return what is picked where both are."""
        if self.whole or other.whole:
            return AttributePick(self.name)
        return AttributePick(
            self.name, self.add + other.add, self.remove + other.remove,
            tuple(sorted({*self.hunks, *other.hunks})), self.parts + other.parts,
        )  # fmt: skip


class LeftOut(msgspec.Struct, frozen=True, omit_defaults=True):
    """What stays as it is within a picked branch: an object and all beneath it.

    alone: only the object itself; what is beneath it is picked all the same.
    """

    path: Path
    alone: bool = False


class Pick(msgspec.Struct, frozen=True, omit_defaults=True):
    """One thing picked: a path in the backup (for removal: live), and how much of it.

    without: what is left out of a branch.
    """

    path: Path
    scope: Scope = "object"
    attributes: tuple[AttributePick, ...] = ()
    policy: Policy | None = None
    without: tuple[LeftOut, ...] = ()


def merged(picks: Sequence[Pick]) -> list[Pick]:
    """Join picks of single attributes, and of parts of them, of one object into one pick."""
    result: list[Pick] = []
    number: dict[Path, int] = {}
    for pick in picks:
        if pick.scope != "attributes" or pick.path not in number:
            if pick.scope == "attributes":
                number[pick.path] = len(result)
            result.append(pick)
            continue
        first = result[number[pick.path]]
        parts = {part.name: part for part in first.attributes}
        for part in pick.attributes:
            known = parts.get(part.name)
            parts[part.name] = part if known is None else known.joined(part)
        result[number[pick.path]] = msgspec.structs.replace(first, attributes=tuple(parts.values()))
    return result
