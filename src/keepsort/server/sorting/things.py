"""What differs, thing by thing: an object, or a change that several objects have in common."""

from collections.abc import Iterable, Iterator
from hashlib import blake2b

import msgspec

from keepsort.core.compare import AttributeDifference, Comparison, Difference, State, common_changes
from keepsort.core.compare.folding import folded
from keepsort.core.compare.importance import Importance
from keepsort.core.model import Path
from keepsort.server.sorting.brief import brief, brief_of

#: So many of a system are told one by one, the most urgent; of the rest how many there are.
MOST = 60
_encode = msgspec.msgpack.Encoder(order="deterministic").encode


class Thing(msgspec.Struct, frozen=True):
    """One thing that differs, as one would say it.

    path, written, name, kind: of the object, or of the first of `count` objects that changed alike.
    attribute, label: what changed, where that is one attribute; was, now: its two values, where
        they are short. parts: how many attributes differ else.
    holds: how many objects beneath it are gone, or new, along with it.
    stands: tells how it stands from how it stood: as long as that is equal, it is the same thing.
    urgency: from `importance.MINOR` to `importance.URGENT`.
    """

    path: Path
    written: str
    name: str
    kind: str
    kind_label: str
    state: State
    stands: str
    urgency: int
    attribute: str = ""
    label: str = ""
    was: str | None = None
    now: str | None = None
    parts: int = 0
    count: int = 1
    holds: int = 0

    @property
    def place(self) -> str:
        """What stands for it whatever its values are."""
        return _digest([self.path, self.attribute])[:24]


class Things(msgspec.Struct, frozen=True):
    """The most urgent things, and how many there are."""

    total: int = 0
    first: tuple[Thing, ...] = ()


def things(found: Comparison, importance: Importance) -> Things:
    """Return what differs, the most urgent first, else in the order of the tree."""
    every = [*_in_common(found, importance)]
    told = {(found.names.keys(path), name) for _, paths, name in every for path in paths}
    alone = [*_alone(found, importance, told)]
    ordered = sorted([thing for thing, _, _ in every] + alone, key=lambda thing: -thing.urgency)
    return Things(len(ordered), tuple(ordered[:MOST]))


def _in_common(
    found: Comparison, importance: Importance
) -> Iterator[tuple[Thing, list[Path], str]]:
    """Yield changes that several objects have in common, with the places of these."""
    schema = found.left.schema
    for group in common_changes(found, found.differences):
        name = group.first.name
        here = found.at(group.paths[0])
        first = next(d for d in here if d.left is not None and d.right is not None)
        spec = schema.spec(group.kind, name)
        pair = None if spec.secret else brief_of(found, spec, group.first)
        one = msgspec.structs.replace(first, attributes=(name,))
        thing = Thing(
            path=group.paths[0],
            written=schema.notation.write(group.paths[0]),
            name=first.node.entry.name or "/",
            kind=group.kind,
            kind_label=schema.label(group.kind),
            state="changed",
            stands=_digest(["common", group.kind, _content(group.first), sorted(group.paths)]),
            urgency=importance.of(schema, one),
            attribute=name,
            label=spec.label or name,
            was=pair[0] if pair else None,
            now=pair[1] if pair else None,
            count=len(group.paths),
        )
        yield thing, group.paths, name


def _alone(
    found: Comparison, importance: Importance, told: set[tuple[Path, str]]
) -> Iterator[Thing]:
    """Yield what differs of single objects; what goes with a whole branch is told with that."""
    schema, keys = found.left.schema, found.names.keys
    for one, holds in folded(found.names, found.differences):
        if one.state in ("missing", "extra"):
            yield _thing(found, importance, one, (), holds)
            continue
        names = tuple(name for name in one.attributes if (keys(one.path), name) not in told)
        # what several objects have in common, or a part of a file tells, is not told again
        if one.state == "changed" and not names:
            continue
        if names and schema.parts_in(one.kind) and _tells_parts(found, one):
            continue
        yield _thing(found, importance, one, names, 0)


def _tells_parts(found: Comparison, one: Difference) -> bool:
    """Tell whether what differs of a file is told by parts of it that differ themselves."""
    return one.state == "changed" and len(found.beneath(one.path)) > 1


def _thing(
    found: Comparison, importance: Importance, one: Difference, names: Iterable[str], holds: int
) -> Thing:
    schema = found.left.schema
    shown = tuple(names)
    name = shown[0] if len(shown) == 1 else ""
    spec = schema.spec(one.kind, name) if name else None
    pair = brief(found, msgspec.structs.replace(one, attributes=shown)) if name else None
    return Thing(
        path=one.path,
        written=schema.notation.write(one.path),
        name=one.node.entry.name or "/",
        kind=one.kind,
        kind_label=schema.label(one.kind),
        state=one.state,
        stands=_stands(one),
        urgency=importance.of(schema, one),
        attribute=name,
        label=(spec.label or name) if spec else "",
        was=pair[0] if pair else None,
        now=pair[1] if pair else None,
        parts=len(shown),
        holds=holds,
    )


def _stands(one: Difference) -> str:
    now = one.right.entry if one.right is not None else None
    live = [now.kind, bytes(now.attributes), now.unreadable] if now is not None else None
    return _digest([one.path, one.live_path, one.state, one.attributes, live])


def _content(change: AttributeDifference) -> object:
    return [change.name, change.state, repr(change.left), repr(change.right)]


def _digest(told: object) -> str:
    return blake2b(_encode(told), digest_size=24).hexdigest()
