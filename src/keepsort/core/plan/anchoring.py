"""Finds what is picked of an attribute in the comparison at hand, or says that it is gone."""

from keepsort.core.compare.anchors import element_name, part_numbers
from keepsort.core.compare.values import AttributeDifference, compare_attributes, element_key
from keepsort.core.model import Attributes, AttributeSpec, Path, Schema, Value
from keepsort.core.plan.picks import AttributePick

GONE = (
    "What was picked of {name} is not there any more: since it was picked, the text or the values "
    "around it became different. Look again, and pick it anew."
)


class Gone(Exception):
    """What is picked is not what the comparison has; the text says what, and what to do."""


def anchored(
    schema: Schema,
    kind: str,
    part: AttributePick,
    left: Attributes,
    right: Attributes,
    place: Path = (),
) -> AttributePick:
    """Return a pick with what it names found: hunks by their numbers, elements as values.

    place: the path of the object in the backup.
    Raises `Gone`.
    """
    if part.whole:
        return part
    spec = schema.spec(kind, part.name)
    both = compare_attributes(schema, kind, _only(left, part.name), _only(right, part.name))
    if not both:
        raise Gone(GONE.format(name=part.name))
    found = both[0]
    hunks, add, remove = set(part.hunks), list(part.add), list(part.remove)
    numbers = part_numbers(found)
    elements = _named(spec, found, place)
    for name in part.parts:
        if name in numbers:
            hunks.add(numbers[name])
        elif name in elements:
            side, value = elements[name]
            (add if side == "left" else remove).append(value)
        else:
            raise Gone(GONE.format(name=part.name))
    if hunks - set(numbers.values()):
        raise Gone(GONE.format(name=part.name))
    _must_be_there(spec, found, add, remove)
    return AttributePick(part.name, tuple(add), tuple(remove), tuple(sorted(hunks)))


def _only(attributes: Attributes, name: str) -> Attributes:
    return {name: attributes[name]} if name in attributes else {}


def _named(
    spec: AttributeSpec, found: AttributeDifference, place: Path
) -> dict[str, tuple[str, Value]]:
    left = {element_name(spec, v, "left", place): ("left", v) for v in found.only_left}
    right = {element_name(spec, v, "right", place): ("right", v) for v in found.only_right}
    return left | right


def _must_be_there(
    spec: AttributeSpec, found: AttributeDifference, add: list[Value], remove: list[Value]
) -> None:
    """See that only what the backup has is added, and only what live has is taken out."""
    left = {element_key(spec, v) for v in _listed(found.left)}
    right = {element_key(spec, v) for v in _listed(found.right)}
    if any(element_key(spec, v) not in left for v in add) or any(
        element_key(spec, v) not in right for v in remove
    ):
        raise Gone(GONE.format(name=found.name))


def _listed(value: Value) -> list[Value]:
    return value if isinstance(value, list) else [] if value is None else [value]
