"""One object of a comparison, attribute by attribute, ready to be shown."""

from dataclasses import dataclass, field

from keepsort.core.compare import Comparison, Rules, compare_attributes
from keepsort.core.compare.rules import pattern_of
from keepsort.core.model import ConfigObject, Path
from keepsort.core.model.masks import masked
from keepsort.core.plan.references import referrers
from keepsort.core.snapshot import Node, Snapshot
from keepsort.server.sorting.levels import state_without_difference
from keepsort.server.sorting.showing import RowState, Showing, ShownAttribute, line_of

_CONSEQUENCES_SHOWN = 50
#: To find who refers to an object, the whole tree is read; in a larger one that takes too long.
_REFERRERS_SOUGHT_IN = 20_000


@dataclass
class ShownConsequence:
    """A reference that differs only because this object was moved."""

    path: Path
    attribute: str


@dataclass
class ShownSuggestion:
    """A guess that a missing object is an extra one, and how alike they are, from 0 to 1."""

    path: Path
    written: str
    live_path: Path
    live_written: str
    similarity: float


@dataclass
class Bench:
    """An object on both sides.

    hidden: names of attributes that differ only in what the rules say does not count.
    similarity: how alike the two places of an accepted move are. suggestion: a guess about it that
        nobody has accepted.
    pattern: of the ignore rule that hides this place.
    consequences: references that follow the move of this object; consequence_count: how many.
    referrers: how many live objects refer to it, where it was recreated; None where not known.
    """

    path: Path
    written: str
    name: str
    kind: str
    kind_label: str
    state: RowState
    live_path: Path | None
    similarity: float | None
    suggestion: ShownSuggestion | None
    interrupts: str
    pattern: str
    attributes: list[ShownAttribute]
    facts: list[ShownAttribute]
    hidden: list[str]
    left_exists: bool
    right_exists: bool
    unreadable: str
    consequences: list[ShownConsequence] = field(default_factory=list)
    consequence_count: int = 0
    referrers: int | None = None


def bench(comparison: Comparison, path: Path, rules: Rules) -> Bench | None:
    """Return the object at `path` on both sides; None where neither has it."""
    differences = comparison.at(path)
    difference = differences[0] if differences else None
    left = difference.left if difference else comparison.left.find(path)
    right = difference.right if difference else comparison.right.find(comparison.live_path(path))
    node = left or right
    if node is None:
        return None
    one, two = _object(comparison.left, left), _object(comparison.right, right)
    schema = comparison.left.schema
    keys = schema.names.keys
    kind = node.entry.kind
    own = keys(node.path)
    follows = {c.attribute: c.moved for c in comparison.consequences if keys(c.path) == own}
    show = Showing(comparison.left, comparison.right, rules)
    attributes = compare_attributes(
        schema, kind, one.attributes if one else {}, two.attributes if two else {}
    )
    facts = compare_attributes(schema, kind, one.facts if one else {}, two.facts if two else {})
    known = schema.kinds.get(kind)
    caused = [c for c in comparison.consequences if keys(c.moved) == own]
    if difference:
        state: RowState = difference.state
    else:
        state = state_without_difference(comparison, node.path)
    place = difference.path if difference else node.path
    told = set(difference.attributes) if difference else set()
    both = left is not None and right is not None
    return Bench(
        path=node.path,
        written=schema.notation.write(node.path),
        name=node.entry.name or schema.notation.write(node.path),
        kind=kind,
        kind_label=schema.label(kind),
        state=state,
        live_path=right.path if right else None,
        similarity=difference.similarity if difference else None,
        suggestion=_suggestion(comparison, node.path, state),
        interrupts=known.interrupts if known else "",
        pattern=pattern_of(place) if place else "",
        attributes=[show.attribute(kind, a, follows.get(a.name), place) for a in attributes],
        facts=[show.attribute(kind, a, None, place) for a in facts],
        hidden=[
            a.name
            for a in attributes
            if both and a.state != "same" and a.name not in told and a.name not in follows
        ],
        left_exists=left is not None,
        right_exists=right is not None,
        unreadable=(one and one.unreadable) or (two and two.unreadable) or "",
        consequences=[ShownConsequence(c.path, c.attribute) for c in caused[:_CONSEQUENCES_SHOWN]],
        consequence_count=len(caused),
        referrers=_referrers(comparison.right, right) if state == "recreated" else None,
    )


def lines(
    comparison: Comparison, path: Path, attribute: str, on_left: bool, start: int, count: int
) -> list[str]:
    """Return some lines of a text, or elements of a sequence, of an object on one side."""
    differences = comparison.at(path)
    side = comparison.left if on_left else comparison.right
    if differences:
        node = differences[0].left if on_left else differences[0].right
    else:
        node = side.find(path if on_left else comparison.live_path(path))
    if node is None or side.schema.spec(node.entry.kind, attribute).secret:
        return []
    found = side.object(node).attributes.get(attribute)
    values = found.splitlines() if isinstance(found, str) else found
    return [masked(line_of(v)) for v in (values or [])[start : start + count]]


def _object(side: Snapshot, node: Node | None) -> ConfigObject | None:
    return side.object(node) if node else None


def _suggestion(comparison: Comparison, path: Path, state: RowState) -> ShownSuggestion | None:
    found = comparison.suggestion(path, live=state == "extra")
    if found is None or state not in ("missing", "extra"):
        return None
    write = comparison.left.schema.notation.write
    return ShownSuggestion(
        found.path, write(found.path), found.live_path, write(found.live_path), found.similarity
    )


def _referrers(live: Snapshot, node: Node | None) -> int | None:
    if node is None or live.root.total > _REFERRERS_SOUGHT_IN:
        return None
    return len({found.path for found, _, _ in referrers(live, [node.path])})
