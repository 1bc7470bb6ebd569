"""Objects that hold other objects in one of their attributes, as a file holds its sections.

What stands beneath such an object is read from that attribute (`Kind.parts_in`) and is never
written by itself: a pick of a part becomes an edit of the whole. How a text is opened and edited
depends on its format, so the core is handed a `Composer` that knows.
"""

from collections.abc import Iterator, Sequence
from typing import Protocol

import msgspec

from keepsort.core.model import Attributes, ConfigObject, Path, Schema, Value


class Absent:
    """Says that a part is to be taken out."""


ABSENT = Absent()


class Edit(msgspec.Struct, frozen=True):
    """One part of an object as it should be.

    path: from the object down to the part. value: what the part should hold, or `ABSENT`; None
    for a part that only holds others.
    """

    path: Path
    value: Value | Absent


class Unfit(Exception):
    """An edit cannot be made; the text says why, and what can be done instead."""


class Composer(Protocol):
    """Knows how the objects of one connector hold their parts."""

    def parts(self, kind: str, attributes: Attributes) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield what an object holds, parents first, by paths beneath it."""

    def edited(
        self, kind: str, live: Attributes, backup: Attributes, edits: Sequence[Edit]
    ) -> Attributes:
        """Return the live attributes with some parts as they should be.

        backup: the attributes that the wanted parts come from, to write them as they are there.
        Raises `Unfit`.
        """

    def settled(
        self, kind: str, live: Attributes, wanted: Attributes, backup: Attributes
    ) -> Attributes:
        """Return wanted attributes with those that depend on each other in agreement."""

    def renamed(
        self, schema: Schema, found: ConfigObject, path: Path, to: Path, wanted: Attributes
    ) -> Attributes:
        """Return what an object's attributes are once it has been moved from a path to another.

        wanted: what they are to be in the end.
        """


class Plain:
    """The composer of systems whose objects hold no parts; others are made from it."""

    def parts(self, kind: str, attributes: Attributes) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield nothing."""
        return iter(())

    def edited(
        self, kind: str, live: Attributes, backup: Attributes, edits: Sequence[Edit]
    ) -> Attributes:
        """Refuse: there are no parts."""
        raise Unfit("Objects of this system hold no parts.")

    def settled(
        self, kind: str, live: Attributes, wanted: Attributes, backup: Attributes
    ) -> Attributes:
        """Return what was wanted."""
        return wanted

    def renamed(
        self, schema: Schema, found: ConfigObject, path: Path, to: Path, wanted: Attributes
    ) -> Attributes:
        """Return what they are: names do not stand in attributes."""
        return found.attributes


PLAIN = Plain()
