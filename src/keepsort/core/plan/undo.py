"""The way back: a plan made from what a run has done."""

from collections.abc import Sequence

import msgspec

from keepsort.core.model import Attributes, ConfigObject, Path, Schema
from keepsort.core.plan.ordering import arrivals, merged
from keepsort.core.plan.rehearsal import carry_out, holds, is_done
from keepsort.core.plan.steps import Step
from keepsort.core.snapshot import Draft, Snapshot


def plan_undo(
    done: Sequence[Step], before: Snapshot | None = None, live: Snapshot | None = None
) -> tuple[Step, ...]:
    """Return the steps that take back `done` (in the order they were done).

    before, live: the trees before it was done and now, where the order of children counts: what
        comes back is given its place again.
    """
    steps = _inverses(done)
    if before is None or live is None or not live.schema.is_ordered:
        return steps
    draft = Draft(live)
    found = []
    for step in steps:
        step = _in_order_of(draft, step)
        carry_out(draft, step)
        found.append(step)
    for path in arrivals(draft, steps):
        then, now = before.get(path), draft.get(path)
        name = live.schema.order_of(now.kind) if now is not None else ""
        if then is None or now is None or not name:
            continue
        earlier, order = then.attributes.get(name), now.attributes.get(name)
        if not isinstance(earlier, list) or not isinstance(order, list):
            continue
        wanted = merged(earlier, order)
        if wanted != order:
            step = Step(
                number=len(found) + 1, action="update", path=path, kind=now.kind,
                before=now.attributes, after={**now.attributes, name: wanted},
                needs=tuple(s.number for s in steps if s.final_path[:-1] == path),
                reason="keeps the order of what it holds", identity=now.identity,
            )  # fmt: skip
            found.append(step)
    return tuple(found)


def taken_place(
    schema: Schema, step: Step, here: ConfigObject | None, there: ConfigObject | None
) -> tuple[Step, ...]:
    """Return what a step has done whose outcome is not as planned, or not known, going by live.

    That is nothing, the step itself, or what led from its before-state to what live has now.
    here: what stands where the step began. there: what stands where it ends.
    """
    unread = there is not None and there.unreadable is not None
    if unread or is_done(schema, step, there):
        return (step,)
    if step.action == "move":
        if there is None:
            return ()
        return (step, _became(step, step.final_path, step.after, there))
    if there is None:
        if step.before is None:
            return ()
        gone = msgspec.structs.replace(step, action="delete", after=None, was_kind=None)
        return (msgspec.structs.replace(gone, kind=step.was_kind or step.kind),)
    if step.before is None:
        return (msgspec.structs.replace(step, after=there.attributes, kind=there.kind),)
    if holds(schema, step, there):
        return ()
    return (_became(step, step.path, step.before, there),)


def _became(step: Step, path: Path, before: Attributes | None, found: ConfigObject) -> Step:
    was = (step.was_kind or step.kind) if path == step.path else step.kind
    return Step(
        number=step.number, action="update", path=path, kind=found.kind,
        was_kind=was if was != found.kind else None, before=before, after=found.attributes,
        needs=step.needs, identity=step.identity,
    )  # fmt: skip


def in_sequence(groups: Sequence[tuple[Step, ...]]) -> list[Step]:
    """Return steps with new numbers, each group needing what it needed and itself in order."""
    numbers: dict[int, int] = {}
    found: list[Step] = []
    for group in groups:
        for place, step in enumerate(group):
            needs = {numbers[need] for need in step.needs if need in numbers}
            if place:
                needs.add(len(found))
            number = len(found) + 1
            found.append(msgspec.structs.replace(step, number=number, needs=tuple(sorted(needs))))
        for step in group:
            numbers[step.number] = len(found)
    return found


def _in_order_of(draft: Draft, step: Step) -> Step:
    """Return a step that expects the order there is: what came back before it stands last."""
    found = draft.get(step.path) if step.before is not None else None
    if found is None:
        return step
    lists, will_list = draft.schema.order_of(found.kind), draft.schema.order_of(step.kind)
    now = found.attributes.get(lists) if lists else None
    before, after = step.before, step.after
    if isinstance(now, list):
        before = {**(before or {}), lists: now}
    if after is not None and will_list and isinstance(after.get(will_list), list):
        present = now if isinstance(now, list) else draft.names(step.path)
        after = {**after, will_list: merged(after[will_list], present)}
    return msgspec.structs.replace(step, before=before, after=after)


def _inverses(done: Sequence[Step]) -> tuple[Step, ...]:
    count = len(done)
    renumbered = {step.number: count - place for place, step in enumerate(done)}
    #: what a step needed must be taken back after it
    dependants: dict[int, list[int]] = {}
    for step in done:
        for need in step.needs:
            if need in renumbered:
                dependants.setdefault(need, []).append(renumbered[step.number])
    return tuple(
        _inverse(step, renumbered[step.number], tuple(sorted(dependants.get(step.number, ()))))
        for step in reversed(done)
    )


_INVERSE = {"create": "delete", "delete": "create", "update": "update", "move": "move"}


def _inverse(step: Step, number: int, needs: tuple[int, ...]) -> Step:
    return Step(
        number=number,
        action=_INVERSE[step.action],  # type: ignore[arg-type]
        path=step.final_path,
        to=step.path if step.action == "move" else None,
        kind=step.was_kind or step.kind,
        was_kind=step.kind if step.was_kind else None,
        before=step.after,
        after=step.before,
        needs=needs,
        identity=step.identity,
    )
