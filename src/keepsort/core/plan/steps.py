"""The steps of a plan."""

from collections.abc import Iterable
from typing import Literal

import msgspec

from keepsort.core.model import Attributes, Path, Schema
from keepsort.core.plan.effects import Right
from keepsort.core.plan.findings import Finding

Action = Literal["create", "update", "move", "delete"]


class Step(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One change to one object.

    path: where the object stands when the step begins. to: where a move takes it.
    before, after: all attributes of the object; None where it does not exist.
    followed: what the object may be instead of `before` if the system itself has let its
        references follow an earlier move; None where that cannot be.
    kind, was_kind: its kind, and its kind before where an update changes that too.
    needs: numbers of the steps that must have been done.
    reason: why the step comes along; empty where it was picked.
    identity: the system's own id of the object, where known; for one that is created, the id of
        the object it takes the place of.
    stands_for: the id that the object has in the backup, where live has another one.
    """

    number: int
    action: Action
    path: Path
    kind: str
    was_kind: str | None = None
    to: Path | None = None
    before: Attributes | None = None
    after: Attributes | None = None
    followed: Attributes | None = None
    needs: tuple[int, ...] = ()
    reason: str = ""
    identity: str | None = None
    stands_for: str | None = None

    @property
    def final_path(self) -> Path:
        """Where the object stands when the step is done."""
        return self.path if self.to is None else self.to


class Plan(msgspec.Struct, frozen=True):
    """Steps in the order they run, and what a person should know first.

    rights: what the system has said of whether the account may carry them out; of steps that none
        is of, that is seen when they are written. None where the system was not asked.
    """

    steps: tuple[Step, ...]
    findings: tuple[Finding, ...] = ()
    rights: tuple[Right, ...] | None = None

    @property
    def stopped(self) -> bool:
        """Tell whether a finding keeps it from running."""
        return any(f.level == "stop" for f in self.findings)

    @property
    def not_told(self) -> tuple[int, ...]:
        """Numbers of steps of which the system does not say beforehand whether they may be."""
        told = {right.step for right in self.rights or ()}
        return numbers(step for step in self.steps if step.number not in told)


def numbers(steps: Iterable[Step]) -> tuple[int, ...]:
    """Return the numbers of steps."""
    return tuple(step.number for step in steps)


def is_implied(schema: Schema, step: Step) -> bool:
    """Tell whether nothing is to be written: the object comes and goes with what it holds."""
    return step.action in ("create", "delete") and schema.is_implied(step.kind)


def changed_names(schema: Schema, step: Step) -> list[str]:
    """List the attributes that a step changes, sorted."""
    from keepsort.core.compare.values import differing_names

    return differing_names(schema, step.kind, step.before or {}, step.after or {})
