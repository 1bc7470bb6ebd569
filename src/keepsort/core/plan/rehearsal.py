"""Carries a plan out on a copy of the model."""

from keepsort.core.compare.values import equal_values
from keepsort.core.model import (
    Attributes,
    ConfigObject,
    Path,
    Schema,
    identical,
    object_digest,
)
from keepsort.core.plan import ordering
from keepsort.core.plan.composing import PLAIN, Composer
from keepsort.core.plan.steps import Step
from keepsort.core.snapshot import Draft, Snapshot


class Mismatch(Exception):
    """A step does not find what it expects."""

    def __init__(self, step: Step, found: ConfigObject | None) -> None:
        super().__init__(f"step {step.number} does not find what it expects")
        self.step = step
        self.found = found


def same_content(schema: Schema, kind: str, one: Attributes, other: Attributes) -> bool:
    """Tell whether two objects of a kind are equal in all that counts."""
    order = schema.order_of(kind)
    if order:
        # an order lists children, which come and go by steps of their own
        if not equal_values(schema.spec(kind, order), one.get(order), other.get(order)):
            return False
        one, other = ordering.without(one, order), ordering.without(other, order)
    return object_digest(schema, kind, one) == object_digest(schema, kind, other)


def holds(schema: Schema, step: Step, found: ConfigObject | None) -> bool:
    """Tell whether `found` is what the step expects to find at its path."""
    if step.before is None or found is None:
        return step.before is None and found is None
    if found.unreadable is not None or found.kind != (step.was_kind or step.kind):
        return False
    return any(
        same_content(schema, found.kind, expected, found.attributes)
        for expected in (step.before, step.followed)
        if expected is not None
    )


def is_done(schema: Schema, step: Step, found: ConfigObject | None) -> bool:
    """Tell whether `found`, at the step's final path, is what the step leaves behind."""
    if step.after is None or found is None:
        return step.after is None and found is None
    if found.unreadable is not None:
        return False
    left = (step.after, _followed_after(step)) if step.action == "move" else (step.after,)
    return found.kind == step.kind and any(
        same_content(schema, step.kind, expected, found.attributes)
        for expected in left
        if expected is not None
    )


def _followed_after(step: Step) -> Attributes | None:
    """Return what a move leaves behind if the system itself has let references follow."""
    if step.followed is None or step.after is None:
        return None
    before = step.before or {}
    followed = {n: v for n, v in step.followed.items() if not identical(v, before.get(n))}
    return {**step.after, **followed}


def carry_out(draft: Draft, step: Step, composer: Composer = PLAIN) -> None:
    """Apply one step to a draft, without looking at what it expects.

    Objects that exist only by what they hold come and go with it.
    """
    ordering.follow(draft, step)
    if step.action != "delete":
        _hold(draft, step.final_path[:-1])
    if step.action == "delete":
        draft.remove(step.path)
        _let_go(draft, step.path[:-1])
        return
    if step.action == "move":
        assert step.to is not None
        draft.move(step.path, step.to)
        _let_go(draft, step.path[:-1])
    found = draft.get(step.final_path)
    assert step.after is not None
    draft.put(
        step.final_path,
        ConfigObject(
            name=step.final_path[-1] if step.final_path else (found.name if found else ""),
            kind=step.kind,
            identity=found.identity if found else None,
            attributes=step.after,
        ),
    )
    if step.action == "update":
        _let_go(draft, step.final_path)
    if step.action != "move" and draft.schema.parts_in(step.kind):
        for name in draft.names(step.final_path):
            draft.remove((*step.final_path, name))
        for path, part in composer.parts(step.kind, step.after):
            draft.put((*step.final_path, *path), part)


def _hold(draft: Draft, path: Path) -> None:
    """See that what is to hold an object is there, where it comes by itself."""
    implied = draft.schema.implied
    if not implied:
        return
    for depth in range(len(draft.at) + 1, len(path) + 1):
        if not draft.has(path[:depth]):
            draft.put(path[:depth], ConfigObject(name=path[depth - 1], kind=implied))


def _let_go(draft: Draft, path: Path) -> None:
    """Let what held an object go with it, where it exists only by what it holds."""
    while (
        len(path) > len(draft.at)
        and draft.schema.is_implied(draft.kind(path))
        and draft.is_bare(path)
    ):
        draft.remove(path)
        path = path[:-1]


def rehearse(live: Snapshot, steps: tuple[Step, ...], composer: Composer = PLAIN) -> Snapshot:
    """Return the tree as it will be. Raises `Mismatch` at the first step that does not hold."""
    draft = Draft(live)
    for step in steps:
        found = draft.get(step.path)
        if not holds(live.schema, step, found):
            raise Mismatch(step, found)
        if step.action == "move" and step.to is not None and draft.has(step.to):
            raise Mismatch(step, draft.get(step.to))
        carry_out(draft, step, composer)
    return draft.finish()
