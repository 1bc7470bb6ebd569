"""One object of a comparison, attribute by attribute, ready to be shown."""

from dataclasses import dataclass, field
from typing import Any

from keepsort.core.compare import AttributeDifference, Comparison, compare_attributes
from keepsort.core.model import AttributeSpec, ConfigObject, Path, Value
from keepsort.core.snapshot import Node, Snapshot

_HEX_SHOWN = 48
_LINES_FOLDED_OVER = 6
_CONTEXT = 2


@dataclass
class Shown:
    """A value ready to be shown: how, and its text."""

    form: str
    text: str
    size: int = 0
    path: Path | None = None
    exists: bool | None = None
    raw: Any = None


@dataclass
class ShownStretch:
    """A stretch of lines on both sides; long equal ones are folded to their ends."""

    state: str
    number: int
    left: list[str]
    right: list[str]
    folded: int = 0


@dataclass
class ShownAttribute:
    """One attribute on both sides."""

    name: str
    label: str
    shape: str
    unit: str
    state: str
    secret: bool
    read_only: bool
    consequence_of: Path | None
    left: list[Shown] = field(default_factory=list)
    right: list[Shown] = field(default_factory=list)
    both: list[Shown] = field(default_factory=list)
    stretches: list[ShownStretch] = field(default_factory=list)


@dataclass
class Bench:
    """An object on both sides."""

    path: Path
    written: str
    name: str
    kind: str
    kind_label: str
    state: str
    live_path: Path | None
    similarity: float | None
    interrupts: str
    attributes: list[ShownAttribute]
    facts: list[ShownAttribute]
    left_exists: bool
    right_exists: bool
    unreadable: str


def bench(comparison: Comparison, path: Path) -> Bench | None:
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
    kind = node.entry.kind
    follows = {
        c.attribute: c.moved
        for c in comparison.consequences
        if schema.names.keys(c.path) == schema.names.keys(node.path)
    }
    show = Showing(comparison.left, comparison.right)
    attributes = compare_attributes(
        schema, kind, one.attributes if one else {}, two.attributes if two else {}
    )
    facts = compare_attributes(schema, kind, one.facts if one else {}, two.facts if two else {})
    known = schema.kinds.get(kind)
    unreadable = (one and one.unreadable) or (two and two.unreadable) or ""
    return Bench(
        path=node.path,
        written=schema.notation.write(node.path),
        name=node.entry.name or schema.notation.write(node.path),
        kind=kind,
        kind_label=schema.label(kind),
        state=difference.state if difference else "same",
        live_path=right.path if right else None,
        similarity=difference.similarity if difference else None,
        interrupts=known.interrupts if known else "",
        attributes=[show.attribute(kind, a, follows.get(a.name)) for a in attributes],
        facts=[show.attribute(kind, a, None) for a in facts],
        left_exists=left is not None,
        right_exists=right is not None,
        unreadable=unreadable,
    )


def _object(side: Snapshot, node: Node | None) -> ConfigObject | None:
    return side.object(node) if node else None


class Showing:
    """Makes values of two trees ready to be shown."""

    def __init__(self, left: Snapshot, right: Snapshot) -> None:
        self._left = left
        self._right = right
        self.schema = left.schema

    def attribute(
        self, kind: str, found: AttributeDifference, moved: Path | None
    ) -> ShownAttribute:
        """Return an attribute ready to be shown."""
        spec = self.schema.spec(kind, found.name)
        state = "follows" if moved is not None and found.state == "changed" else found.state
        shown = ShownAttribute(
            name=found.name, label=spec.label or found.name, shape=spec.shape, unit=spec.unit,
            state=state, secret=spec.secret, read_only=spec.read_only, consequence_of=moved,
        )  # fmt: skip
        if found.stretches:
            shown.stretches = [
                ShownStretch(s.state, s.number, *_folded(s.state, s.left, s.right))
                for s in found.stretches
            ]
        elif found.only_left or found.only_right or found.both:
            shown.left = [self.value(spec, v, True) for v in found.only_left]
            shown.right = [self.value(spec, v, False) for v in found.only_right]
            shown.both = [self.value(spec, v, False) for v in found.both]
        else:
            if found.state != "extra":
                shown.left = [self.value(spec, v, True) for v in _listed(found.left)]
            if found.state != "missing":
                shown.right = [self.value(spec, v, False) for v in _listed(found.right)]
        return shown

    def value(self, spec: AttributeSpec, value: Value, on_left: bool) -> Shown:
        """Return one value ready to be shown."""
        if spec.secret:
            return Shown("secret", "••••••", raw=value)
        if isinstance(value, bytes):
            dots = "…" if len(value) > _HEX_SHOWN else ""
            return Shown("hex", value[:_HEX_SHOWN].hex(" ") + dots, size=len(value))
        if spec.reference and isinstance(value, str):
            path = self.schema.notation.read(value)
            if path is not None:
                side = self._left if on_left else self._right
                exists = side.find(path) is not None
                return Shown("reference", value, path=path, exists=exists, raw=value)
        if isinstance(value, str):
            return Shown("text", value, raw=value)
        return Shown("data", _written(value), raw=value)


def _written(value: Value) -> str:
    if value is None:
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return ", ".join(f"{k}: {_written(v)}" for k, v in value.items())
    if isinstance(value, bytes):
        return value.hex(" ")
    return str(value)


def _listed(value: Value) -> list[Value]:
    return value if isinstance(value, list) else [value]


def _folded(state: str, left: list[Value], right: list[Value]) -> tuple[list[str], list[str], int]:
    lines, others = [str(v) for v in left], [str(v) for v in right]
    if state != "same" or len(lines) <= _LINES_FOLDED_OVER:
        return lines, others, 0
    ends = lines[:_CONTEXT] + lines[-_CONTEXT:]
    return ends, others[:_CONTEXT] + others[-_CONTEXT:], len(lines) - 2 * _CONTEXT
