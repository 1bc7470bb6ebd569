"""What a system can hold to, and what it lets the account do, as far as a plan rests on it."""

from collections.abc import Sequence

from keepsort.connectors.base import Promises
from keepsort.core.plan import Finding, Right, Step

#: Says that the system does not refuse by itself what it is too late for.
CHECK_THEN_WRITE = "check-then-write"


def promised(promises: Promises, steps: Sequence[Step]) -> list[Finding]:
    """Say of a plan what its system cannot promise, and stop what it cannot do."""
    found = []
    if steps and promises.compare_and_set == "check":
        text = (
            "Each object is read right before it is written; a change in that very moment would "
            "not be noticed."
        )
        found.append(Finding("note", CHECK_THEN_WRITE, text))
    for step in steps:
        if step.action == "move" and not promises.rename:
            text = "This system can move nothing. Put it back as a new object, or leave it there."
            found.append(Finding("stop", "no-moves", text, step.path))
    return found


def denied(steps: Sequence[Step], rights: Sequence[Right]) -> list[Finding]:
    """Stop a plan at each step that the account may not carry out."""
    places = {step.number: step.final_path for step in steps}
    return [
        Finding("stop", "not-allowed", right.why, places[right.step], right.attribute)
        for right in rights
        if not right.may
    ]
