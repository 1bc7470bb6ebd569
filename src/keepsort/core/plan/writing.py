"""Writes steps down, and carries each out on a draft of live as it is written.

So each step's before and after are what the run will really meet, and a plan is a rehearsal from
the start.
"""

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
        #: number of the last step at a place
        self._step_at: dict[Path, int] = {}

    def held(self, path: Path) -> list[str]:
        """List the names of the objects beneath `path`, leaving out parts of the object itself."""
        found = self.draft.get(path)
        if found is None or self._schema.parts_in(found.kind):
            return []
        return self.draft.names(path)

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
        assert found is not None
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
        self._step_at[self._keys(path)] = step.number
        if to is not None:
            self.places.move(path, to)
            self._step_at[self._keys(to)] = step.number

    def _needed(
        self, path: Path, to: Path | None, kind: str, after: Attributes | None
    ) -> tuple[int, ...]:
        """Find earlier steps at the same places, above them, beneath them if removed, or named."""
        wanted: set[Path] = set()
        for place in (path, to) if to is not None else (path,):
            keys = self._keys(place)
            wanted |= {keys[:depth] for depth in range(len(keys) + 1)}
        if after is not None:
            wanted |= {self._keys(p) for _, p in references(self._schema, kind, after)}
        found = {self._step_at[place] for place in wanted if place in self._step_at}
        if after is None:
            keys = self._keys(path)
            found |= {n for p, n in self._step_at.items() if p[: len(keys)] == keys}
        return tuple(sorted(found))
