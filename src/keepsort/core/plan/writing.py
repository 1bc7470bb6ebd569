"""Writes steps down, and carries each out on a draft of live as it is written.

So each step's before and after are what the run will really meet, and a plan is a rehearsal from
the start.
"""

from collections.abc import Iterator

from keepsort.core.model import Attributes, ConfigObject, Path
from keepsort.core.plan.composing import Composer
from keepsort.core.plan.references import Places, redirected, references
from keepsort.core.plan.rehearsal import carry_out
from keepsort.core.plan.steps import Action, Step
from keepsort.core.snapshot import Draft, Snapshot


class Writer:
    """Steps so far, the tree as it is after them, and where everything has gone."""

    def __init__(self, live: Snapshot, composer: Composer) -> None:
        self.steps: list[Step] = []
        self.draft = Draft(live)
        self.places = Places(live.schema)
        self._schema = live.schema
        self._keys = live.schema.names.keys
        self._composer = composer
        self._last = _Steps()

    def held(self, path: Path) -> list[str]:
        """List the names of the objects beneath `path`, leaving out parts of the object itself."""
        if self._schema.parts_in(self.draft.kind(path)):
            return []
        return self.draft.names(path)

    def has_written(self, path: Path) -> bool:
        """Tell whether there is a step at a place or beneath it."""
        return self._last.at(self._keys(path)) is not None

    def update(self, path: Path, found: ConfigObject, after: Attributes, reason: str) -> None:
        """Write an update of an object that nobody picked."""
        self.append(
            "update", path, found.kind, found.attributes, after,
            reason=reason, identity=found.identity,
        )  # fmt: skip

    def delete(self, path: Path) -> None:
        """Write the removal of an object, after those of what it holds."""
        for name in sorted(self.held(path), key=self._schema.names.key):
            self.delete((*path, name))
        found = self.draft.get(path)
        if found is None or self._schema.is_implied(found.kind):
            return  # it has gone with the last that it held
        self.append("delete", path, found.kind, found.attributes, None, identity=found.identity)

    def append(
        self,
        action: Action,
        path: Path,
        kind: str,
        before: Attributes | None,
        after: Attributes | None,
        to: Path | None = None,
        *,
        reason: str = "",
        identity: str | None = None,
        was_kind: str | None = None,
        stands_for: str | None = None,
    ) -> None:
        """Write a step; see `Step` for what the parameters say."""
        followed = None
        if before is not None:
            alternative = redirected(self._schema, kind, before, self.places.now)
            followed = None if alternative is before else alternative
        step = Step(
            number=len(self.steps) + 1,
            action=action,
            path=path,
            kind=kind,
            was_kind=was_kind,
            to=to,
            before=before,
            after=after,
            followed=followed,
            needs=self._needed(path, to, kind, after),
            reason=reason,
            identity=identity,
            stands_for=stands_for,
        )
        self.steps.append(step)
        carry_out(self.draft, step, self._composer)
        spot = self._last.note(self._keys(path), step.number)
        if after is None:
            spot.inner.clear()  # the removal needs all that was done beneath
        if to is not None:
            self.places.move(path, to)
            self._last.note(self._keys(to), step.number)

    def _needed(
        self, path: Path, to: Path | None, kind: str, after: Attributes | None
    ) -> tuple[int, ...]:
        """Find earlier steps at the same places, above them, beneath them if removed, or named.

        Who lists its children in their order needs the steps that brought them.
        """
        found: set[int] = set()
        for place in (path, to) if to is not None else (path,):
            found.update(self._last.on_the_way(self._keys(place)))
        if after is not None:
            for _, named in references(self._schema, kind, after):
                spot = self._last.at(self._keys(named))
                found.add(spot.number if spot else 0)
            children = self._last.at(self._keys(path if to is None else to))
            for name in after.get(self._schema.order_of(kind)) or () if children else ():
                spot = children.inner.get(self._schema.names.key(name)) if children else None
                found.add(spot.number if spot else 0)
        else:
            spot = self._last.at(self._keys(path))
            found.update(spot.beneath() if spot else ())
        return tuple(sorted(found - {0}))


class _Steps:
    """The number of the last step at a place (0 where there is none), and places beneath it."""

    __slots__ = ("inner", "number")

    def __init__(self) -> None:
        self.number = 0
        self.inner: dict[str, _Steps] = {}

    def note(self, path: Path, number: int) -> "_Steps":
        """Note a step at a path."""
        spot = self
        for key in path:
            spot = spot.inner.setdefault(key, _Steps())
        spot.number = number
        return spot

    def at(self, path: Path) -> "_Steps | None":
        """Return what is known of a place; None where there is no step at it or beneath it."""
        spot: _Steps | None = self
        for key in path:
            spot = spot.inner.get(key) if spot else None
        return spot

    def on_the_way(self, path: Path) -> Iterator[int]:
        """Yield the steps at a place and at those above it."""
        spot: _Steps | None = self
        yield self.number
        for key in path:
            spot = spot.inner.get(key) if spot else None
            if spot is not None:
                yield spot.number

    def beneath(self) -> Iterator[int]:
        """Yield the steps beneath a place."""
        waiting = list(self.inner.values())
        while waiting:
            spot = waiting.pop()
            yield spot.number
            waiting += spot.inner.values()
