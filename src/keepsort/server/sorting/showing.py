"""Values of two trees, made ready to be shown."""

from dataclasses import dataclass, field
from typing import Literal

from keepsort.core.compare import AttributeDifference, Rules, State
from keepsort.core.compare.anchors import element_name, hunk_names, key_names
from keepsort.core.compare.maps import MapChange
from keepsort.core.compare.sequences import Change
from keepsort.core.compare.words import Pieces, marked, pieces
from keepsort.core.model import AttributeSpec, Path, Value
from keepsort.core.model.masks import MASK, masked
from keepsort.core.snapshot import Snapshot

_HEX_SHOWN = 48
_TEXT_SHOWN = 4000
_LINES_FOLDED_OVER = 6
_CONTEXT = 2
#: Of a very long difference only so much is sent at once; the rest can be asked for.
_LINES_SHOWN = 120
_STRETCHES_SHOWN = 240
_KEYS_SHOWN = 400


PartState = Literal["same", "changed", "missing", "extra"]
AttributeState = Literal["same", "changed", "missing", "extra", "follows"]
RowState = Literal["same", "outside", State]


@dataclass
class Shown:
    """A value ready to be shown: how, and its text; `size` where the text is only its beginning.

    part: what an element of a set is picked by, where it can be picked alone.
    pieces: of one value that became another, equal and differing pieces in turn.
    """

    form: Literal["text", "data", "hex", "secret", "reference"]
    text: str
    size: int = 0
    path: Path | None = None
    exists: bool | None = None
    part: str = ""
    pieces: Pieces = field(default_factory=list)


@dataclass
class ShownStretch:
    """A stretch of lines on both sides, or of elements of a sequence.

    left, right: each line in pieces, equal and differing ones in turn, the first one equal.
    left_start, right_start: numbers of their first lines, from 0; left_size, right_size: how many
        lines they have, which may be more than are shown.
    part: what it is picked by; its number only tells it from others on the screen.
    folded: equal lines that are left out between the first and the last ones shown.
    hidden: whether it differs only in what the rules say does not count.
    """

    state: PartState
    number: int
    left: list[Pieces]
    right: list[Pieces]
    left_start: int
    right_start: int
    left_size: int
    right_size: int
    part: str = ""
    folded: int = 0
    hidden: bool = False


@dataclass
class ShownKey:
    """A value in a map, named by the keys that lead to it; `part` is what it is picked by."""

    keys: list[str]
    state: PartState
    number: int
    part: str
    left: Shown | None
    right: Shown | None


@dataclass
class ShownMove:
    """An element of a sequence that only stands elsewhere; positions count from 0."""

    left: int
    right: int


@dataclass
class ShownAttribute:
    """One attribute on both sides; `parts` is all that can be picked of it, by name.

    context: how many equal lines are told before and after a hunk.
    """

    name: str
    label: str
    shape: str
    unit: str
    state: AttributeState
    secret: bool
    read_only: bool
    consequence_of: Path | None
    left: list[Shown] = field(default_factory=list)
    right: list[Shown] = field(default_factory=list)
    both: list[Shown] = field(default_factory=list)
    stretches: list[ShownStretch] = field(default_factory=list)
    more_stretches: int = 0
    parts: list[str] = field(default_factory=list)
    moves: list[ShownMove] = field(default_factory=list)
    keys: list[ShownKey] = field(default_factory=list)
    context: int = _CONTEXT


_NO_RULES = Rules()


class Showing:
    """Makes values of two trees ready to be shown."""

    def __init__(self, left: Snapshot, right: Snapshot, rules: Rules = _NO_RULES) -> None:
        self._left = left
        self._right = right
        self._rules = rules
        self.schema = left.schema

    def attribute(
        self, kind: str, found: AttributeDifference, moved: Path | None, place: Path
    ) -> ShownAttribute:
        """Return an attribute of the object at a place ready to be shown."""
        spec = self.schema.spec(kind, found.name)
        state: AttributeState = (
            "follows" if moved is not None and found.state == "changed" else found.state
        )
        shown = ShownAttribute(
            name=found.name, label=spec.label or found.name, shape=spec.shape, unit=spec.unit,
            state=state, secret=spec.secret, read_only=spec.read_only, consequence_of=moved,
        )  # fmt: skip
        if found.stretches:
            names = hunk_names(found.stretches)
            shown.parts = list(names.values())
            shown.stretches = [
                self._stretch(kind, s, names.get(s.number, ""))
                for s in found.stretches[:_STRETCHES_SHOWN]
            ]
            shown.more_stretches = sum(
                s.state != "same" for s in found.stretches[_STRETCHES_SHOWN:]
            )
            shown.moves = [ShownMove(m.left, m.right) for m in found.moved[:_LINES_SHOWN]]
        elif found.keys:
            names = key_names(found.keys)
            shown.parts = list(names.values())
            differing = [k for k in found.keys if k.number][:_KEYS_SHOWN]
            shown.keys = [self._key(spec, k, names[k.number]) for k in differing]
        elif found.only_left or found.only_right or found.both:
            shown.left = [self._element(spec, v, True, place) for v in found.only_left]
            shown.right = [self._element(spec, v, False, place) for v in found.only_right]
            shown.parts = [v.part for v in (*shown.left, *shown.right)]
            shown.both = [self.value(spec, v, False) for v in found.both]
        else:
            if found.state != "extra":
                shown.left = [self.value(spec, v, True) for v in _listed(found.left)]
            if found.state != "missing":
                shown.right = [self.value(spec, v, False) for v in _listed(found.right)]
        if state == "changed" and len(shown.left) == len(shown.right) == 1:
            _mark(shown.left[0], shown.right[0])
        return shown

    def value(self, spec: AttributeSpec, value: Value, on_left: bool) -> Shown:
        """Return one value ready to be shown."""
        if spec.secret:
            return Shown("secret", MASK)  # not even what stands for it leaves the server
        if isinstance(value, bytes):
            dots = "…" if len(value) > _HEX_SHOWN else ""
            return Shown("hex", value[:_HEX_SHOWN].hex(" ") + dots, size=len(value))
        if spec.reference and isinstance(value, str):
            path = self.schema.notation_of(spec).read(value)
            if path is not None:
                side = self._left if on_left else self._right
                exists = side.find(path) is not None
                return Shown("reference", value, path=path, exists=exists)
        if isinstance(value, str):
            size = len(value.encode())
            value = masked(value)
            if len(value) > _TEXT_SHOWN:
                return Shown("text", value[:_TEXT_SHOWN] + "…", size=size)
            return Shown("text", value)
        return Shown("data", written(value))

    def _element(self, spec: AttributeSpec, value: Value, on_left: bool, place: Path) -> Shown:
        shown = self.value(spec, value, on_left)
        shown.part = element_name(spec, value, "left" if on_left else "right", place)
        return shown

    def _key(self, spec: AttributeSpec, found: MapChange, part: str) -> ShownKey:
        left = None if found.state == "extra" else self.value(spec, found.left, True)
        right = None if found.state == "missing" else self.value(spec, found.right, False)
        return ShownKey(list(found.keys), found.state, found.number, part, left, right)

    def _stretch(self, kind: str, found: Change, part: str) -> ShownStretch:
        left, right = [line_of(v) for v in found.left], [line_of(v) for v in found.right]
        if found.state != "same":
            right = [masked(line, left or [""]) for line in right]
        left, right = [masked(line) for line in left], [masked(line) for line in right]
        shown = ShownStretch(
            found.state, found.number, [], [], found.left_start, found.right_start,
            len(left), len(right), part,
        )  # fmt: skip
        if found.state == "same":
            if len(left) > _LINES_FOLDED_OVER:
                shown.folded = len(left) - 2 * _CONTEXT
                left = left[:_CONTEXT] + left[-_CONTEXT:]
                right = right[:_CONTEXT] + right[-_CONTEXT:]
            shown.left, shown.right = [[line] for line in left], [[line] for line in right]
            return shown
        rules = self._rules
        shown.hidden = rules.reduces and (
            rules.reduced_lines(kind, left) == rules.reduced_lines(kind, right)
        )
        shown.left, shown.right = marked(left[:_LINES_SHOWN], right[:_LINES_SHOWN])
        return shown


def _mark(left: Shown, right: Shown) -> None:
    """Mark what differs within two values, where something of them is equal."""
    if not {left.form, right.form} <= {"text", "data"}:
        return
    one, two = pieces(left.text, right.text)
    if any(piece.strip() for piece in one[::2]):
        left.pieces, right.pieces = one, two


def line_of(value: Value) -> str:
    """Return a line of a text, or an element of a sequence, as one line to be shown."""
    return value.rstrip("\r\n") if isinstance(value, str) else written(value)


def written(value: Value) -> str:
    """Write a value of any type for people."""
    if value is None:
        return "nothing"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, dict):
        return ", ".join(f"{k}: {written(v)}" for k, v in value.items())
    if isinstance(value, list):
        return ", ".join(written(v) for v in value)
    if isinstance(value, bytes):
        return value.hex(" ")
    return masked(str(value))


def _listed(value: Value) -> list[Value]:
    return value if isinstance(value, list) else [value]
