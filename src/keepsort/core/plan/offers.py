"""What a person did not pick, and may want to: those who referred to what comes back."""

import msgspec

from keepsort.core.compare import Comparison
from keepsort.core.compare.anchors import element_name
from keepsort.core.compare.values import element_key
from keepsort.core.model import Path
from keepsort.core.plan.references import references
from keepsort.core.plan.steps import Plan


class Offer(msgspec.Struct, frozen=True):
    """Something not picked that belongs with what is: a group that listed the object, say.

    part: what the element of a set that names it is picked by; empty where the attribute as a whole
        is meant.
    """

    path: Path
    attribute: str
    part: str
    target: Path


def offers(comparison: Comparison, plan: Plan) -> list[Offer]:
    """List references to what the plan brings back that the backup has and live has not."""
    names = comparison.names
    schema = comparison.left.schema
    brought = {names.keys(s.final_path) for s in plan.steps if s.action in ("create", "move")}
    updated = {names.keys(s.final_path): s.after for s in plan.steps if s.after is not None}
    found = []
    for difference in comparison.differences:
        if difference.state != "changed" or difference.left is None or not brought:
            continue
        attributes = comparison.left.references_of(difference.left.entry)
        after = updated.get(names.keys(difference.path), {})
        for name, path in references(schema, difference.kind, attributes):
            if name in difference.attributes and names.keys(path) in brought:
                spec = schema.spec(difference.kind, name)
                element = schema.notation_of(spec).write(path)
                if spec.shape != "set":
                    found.append(Offer(difference.path, name, "", path))
                    continue
                present = {element_key(spec, v) for v in after.get(name, []) or []}
                if element_key(spec, element) not in present:
                    part = element_name(spec, element, "left", difference.path)
                    found.append(Offer(difference.path, name, part, path))
    return found
