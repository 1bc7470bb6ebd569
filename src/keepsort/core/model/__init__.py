"""What everything becomes: a tree of typed objects with attributes."""

from keepsort.core.model.canonical import canonical_attributes, identical, object_digest
from keepsort.core.model.kinds import AttributeSpec, Kind, Schema, Shape
from keepsort.core.model.names import NameRule
from keepsort.core.model.notation import DistinguishedNames, NamesIn, Notation, SlashPaths
from keepsort.core.model.objects import (
    Attributes,
    ConfigObject,
    Path,
    Value,
    is_beneath,
    unsound,
)

__all__ = [
    "AttributeSpec",
    "Attributes",
    "ConfigObject",
    "DistinguishedNames",
    "Kind",
    "NameRule",
    "NamesIn",
    "Notation",
    "Path",
    "Schema",
    "Shape",
    "SlashPaths",
    "Value",
    "canonical_attributes",
    "identical",
    "is_beneath",
    "object_digest",
    "unsound",
]
