"""Kinds of object and what their attributes mean. They travel with every backup."""

from functools import cached_property
from typing import Literal

import msgspec

from keepsort.core.model.matching import Matching
from keepsort.core.model.names import NameRule
from keepsort.core.model.notation import Notation, SlashPaths

#: single: one value. set: a list whose order does not count. sequence: a list whose order does.
#: text: compared by lines. map: compared by key.
Shape = Literal["single", "set", "sequence", "text", "map"]


_MEANT = frozenset({"decimal", "time"})


class AttributeSpec(msgspec.Struct, frozen=True, omit_defaults=True):
    """What one attribute means.

    fold: letter case of string values does not count.
    matching: when the system itself says that a set has an element already. Numbers and time
        stamps that are texts are compared by it as well: 1.50 is 1.5.
    number: values are numbers, so that 1 and 1.0 are equal.
    secret: the object holds a keyed digest of the value, never the value.
    reference: values name other objects; those of a map do.
    notation: how they are named, where not in the notation of the schema.
    reference_in: keys whose values name other objects, in maps that the value holds.
    read_only: the system refuses to have it written.
    required: an object of this kind cannot be without it.
    orders: the value lists the names of the children, in the order that counts; only those that
        both sides have count in compare.
    replace_only: single elements of a set cannot be added or removed, only all replaced.
    formerly: names the attribute had in other versions of the system's software.
    """

    shape: Shape = "single"
    fold: bool = False
    matching: Matching = "literal"
    number: bool = False
    secret: bool = False
    reference: bool = False
    notation: Notation | None = None
    reference_in: tuple[str, ...] = ()
    orders: bool = False
    read_only: bool = False
    required: bool = False
    replace_only: bool = False
    formerly: tuple[str, ...] = ()
    unit: str = ""
    label: str = ""

    @property
    def refers(self) -> bool:
        """Tell whether the value, or something in it, names other objects."""
        return self.reference or bool(self.reference_in)

    @property
    def means(self) -> Matching:
        """What texts of it are compared by; secrets, of which only digests are kept, by all."""
        if self.secret:
            return "literal"
        return "fold" if self.fold else self.matching if self.matching in _MEANT else "literal"


class Kind(msgspec.Struct, frozen=True, omit_defaults=True):
    """A kind of object.

    attributes: specs that differ from the schema's common ones, by attribute name.
    required: names of attributes that an object of this kind cannot be without.
    renamable: whether it can stand in another place, or under another name, and be the same.
    reuses_ids: whether the id of such an object may be given to another one once it is gone.
    interrupts: what a change of such an object interrupts, in plain words; empty where nothing.
    implied: it exists only by what stands beneath it, so it is never written itself.
    holds: kinds of which such an object holds at least one, and cannot be without.
    parts_in: the attribute that everything beneath the object is read from; empty where what
        stands beneath are objects of their own.
    trial: what can be done to see that such an object works, in plain words; empty where nothing.
    """

    name: str
    label: str
    icon: str = "box"
    attributes: dict[str, AttributeSpec] = {}
    required: frozenset[str] = frozenset()
    renamable: bool = True
    reuses_ids: bool = False
    interrupts: str = ""
    implied: bool = False
    holds: tuple[str, ...] = ()
    parts_in: str = ""
    trial: str = ""


_PLAIN = AttributeSpec()


class Schema(msgspec.Struct, frozen=True, omit_defaults=True, dict=True):
    """All that is needed to read a tree without the system it came from.

    attributes: specs by attribute name that hold for every kind.
    options: what sets options apart in an attribute's name, which then means what it means without
        them (as in ``cn;lang-de``); empty where there are none.
    """

    kinds: dict[str, Kind] = {}
    attributes: dict[str, AttributeSpec] = {}
    names: NameRule = NameRule()
    notation: Notation = SlashPaths()
    options: str = ""

    @cached_property
    def is_ordered(self) -> bool:
        """Tell whether there are objects whose children have an order that counts."""
        return any(self.order_of(kind) for kind in self.kinds)

    def spec(self, kind: str, attribute: str) -> AttributeSpec:
        """Return the spec of an attribute; one that was never described holds one plain value."""
        known = self.kinds.get(kind)
        if known is not None and attribute in known.attributes:
            return known.attributes[attribute]
        if self.options and attribute not in self.attributes and self.options in attribute:
            return self.spec(kind, attribute.partition(self.options)[0])
        return self.attributes.get(attribute, _PLAIN)

    def notation_of(self, spec: AttributeSpec) -> Notation:
        """Return how values of an attribute name other objects."""
        return self.notation if spec.notation is None else spec.notation

    @cached_property
    def references(self) -> frozenset[str]:
        """Names of the attributes that are references, in any kind."""
        found = {name for name, spec in self.attributes.items() if spec.refers}
        for kind in self.kinds.values():
            found |= {name for name, spec in kind.attributes.items() if spec.refers}
        return frozenset(found)

    @cached_property
    def implied(self) -> str:
        """The kind of the objects that exist only by what stands beneath them; empty where none."""
        return next((name for name, kind in self.kinds.items() if kind.implied), "")

    def is_implied(self, kind: str) -> bool:
        """Tell whether objects of this kind exist only by what stands beneath them."""
        known = self.kinds.get(kind)
        return known is not None and known.implied

    def order_of(self, kind: str) -> str:
        """Return the attribute that gives children their order; empty where order is none."""
        known = self.kinds.get(kind)
        specs = known.attributes if known is not None else {}
        return next((name for name, spec in specs.items() if spec.orders), "")

    def parts_in(self, kind: str) -> str:
        """Return the attribute that holds what stands beneath; empty where there is none."""
        known = self.kinds.get(kind)
        return known.parts_in if known is not None else ""

    def label(self, kind: str) -> str:
        """Return what people call this kind."""
        return self.kinds[kind].label if kind in self.kinds else kind

    def is_required(self, kind: str, attribute: str) -> bool:
        """Tell whether an object of this kind cannot be without the attribute."""
        known = self.kinds.get(kind)
        return self.spec(kind, attribute).required or (
            known is not None and attribute in known.required
        )
