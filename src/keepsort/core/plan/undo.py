"""The way back: a plan made from what a run has done."""

from collections.abc import Sequence

from keepsort.core.plan.steps import Step


def plan_undo(done: Sequence[Step]) -> tuple[Step, ...]:
    """Return the steps that take back `done` (in the order they were done)."""
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
