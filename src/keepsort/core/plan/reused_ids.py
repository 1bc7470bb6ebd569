"""Ids that another object may have got since: what is written for one would hit the other."""

from collections.abc import Iterator

from keepsort.core.compare import Comparison, Difference
from keepsort.core.compare.values import differing_names
from keepsort.core.model import Path
from keepsort.core.plan.needs import named_by
from keepsort.core.plan.taking import Taker
from keepsort.core.plan.targets import Target


def tell_reused(taker: Taker) -> None:
    """Have it confirmed where a target, or what it hangs on or names, may be another object now."""
    comparison = taker.comparison
    if not any(kind.reuses_ids for kind in comparison.left.schema.kinds.values()):
        return
    told: set[Path] = set()
    for target in taker.targets.restored.values():
        for path in (target.path, *_relied_on(taker, target)):
            if path in told:
                continue
            told.add(path)
            for difference in comparison.at(path):
                text = _other_now(comparison, difference)
                if text:
                    also = "" if path == target.path else f" {target.name} belongs to it."
                    taker.findings.add("confirm", "id-reused", difference.path, text + also)


def _relied_on(taker: Taker, target: Target) -> Iterator[Path]:
    """Yield where stands what holds a target that is new or moved, and what the target names."""
    if target.live is None or target.moved:
        for depth in range(len(taker.comparison.left.at), len(target.path)):
            yield target.path[:depth]
    for _, path in named_by(taker, target):
        yield path


def _other_now(comparison: Comparison, difference: Difference) -> str:
    """Say why live may have another object under the same id; empty where nothing speaks for it."""
    left, right = difference.left, difference.right
    if left is None or right is None or left.entry.identity != right.entry.identity:
        return ""
    schema, kind = comparison.left.schema, left.entry.kind
    known = schema.kinds.get(kind)
    if known is None or not known.reuses_ids or right.entry.kind != kind:
        return ""
    if schema.names.key(left.entry.name) == schema.names.key(right.entry.name):
        return ""
    then = comparison.left.whole_attributes(left.entry)
    now = comparison.right.whole_attributes(right.entry)
    count = len(then.keys() | now.keys())
    other = len(differing_names(schema, kind, then, now))
    if 2 * other <= count:
        return ""
    return (
        f"Live has {right.entry.name} by the id of {left.entry.name}, and {other} of {count} "
        "values are other ones: it may be another object that got this id since. Confirm that it "
        f"is {left.entry.name}, or put {left.entry.name} back by another id."
    )
