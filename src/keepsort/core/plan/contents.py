"""What the attributes of an object are to be, from both sides and what is picked of it."""

from keepsort.core.compare.maps import with_keys
from keepsort.core.compare.sequences import with_hunks
from keepsort.core.compare.values import differing_names, element_key, equal_values
from keepsort.core.model import Attributes, AttributeSpec, Schema, Value
from keepsort.core.model.canonical import rule_key
from keepsort.core.plan.findings import Findings
from keepsort.core.plan.picks import AttributePick
from keepsort.core.plan.targets import Target


def written(
    schema: Schema, target: Target, backup: Attributes, live: Attributes | None
) -> Attributes:
    """Return the backup's values that the target writes, as far as live lacks them."""
    if live is None:
        return backup
    found: Attributes = {}
    for name in differing_names(schema, target.node.entry.kind, backup, live):
        if name not in backup or (target.parts is not None and name not in target.parts):
            continue
        if target.policy == "fill" and name in live:
            continue
        value = backup[name]
        if isinstance(value, list) and isinstance(live.get(name), list):
            spec = schema.spec(target.node.entry.kind, name)
            part = target.parts[name] if target.parts is not None else None
            chosen = value if part is None or part.whole or part.hunks else part.add
            there = {element_key(spec, v) for v in live[name]}
            value = [v for v in chosen if element_key(spec, v) not in there]
        found[name] = value
    return found


def updated(schema: Schema, target: Target, backup: Attributes, live: Attributes) -> Attributes:
    """Return all attributes as they should be after an update."""
    if target.parts is None:
        return {**backup, **live} if target.policy == "fill" else backup
    found = dict(live)
    for name, part in target.parts.items():
        if name != "kind":
            put_part(schema.spec(target.node.entry.kind, name), found, backup, part)
    return found


def put_part(
    spec: AttributeSpec, wanted: Attributes, backup: Attributes, part: AttributePick
) -> None:
    """Put one attribute, or what is picked of it, into what is wanted."""
    if part.hunks:
        wanted[part.name] = _with_stretches(spec, backup, wanted, part)
    elif part.whole and part.name in backup:
        wanted[part.name] = backup[part.name]
    elif part.whole:
        wanted.pop(part.name, None)
    else:
        gone = {element_key(spec, v) for v in part.remove}
        kept = [v for v in _listed(wanted.get(part.name)) if element_key(spec, v) not in gone]
        # of what the system takes for the same, only one can be there: the one that is wanted
        come = [rule_key(spec, v) for v in part.add]
        same = {element_key(spec, v) for v in part.add}
        kept = [v for v in kept if element_key(spec, v) in same or rule_key(spec, v) not in come]
        there = {element_key(spec, v) for v in kept}
        kept += [v for v in part.add if element_key(spec, v) not in there]
        if kept:
            wanted[part.name] = kept
        else:
            wanted.pop(part.name, None)


def _listed(value: Value) -> list[Value]:
    return value if isinstance(value, list) else [] if value is None else [value]


def _with_stretches(
    spec: AttributeSpec, backup: Attributes, wanted: Attributes, part: AttributePick
) -> Value:
    left, right, chosen = backup.get(part.name, ""), wanted.get(part.name, ""), set(part.hunks)
    if isinstance(left, dict):
        return with_keys(left, right or {}, chosen, lambda a, b: equal_values(spec, a, b))
    if isinstance(left, list):
        return with_hunks(left, right or [], chosen)
    lines = left.splitlines(keepends=True), right.splitlines(keepends=True)
    return "".join(with_hunks(*lines, chosen))


def writable(
    schema: Schema,
    target: Target,
    wanted: Attributes,
    findings: Findings,
    live: Attributes | None = None,
) -> Attributes:
    """Leave read-only attributes as they are live, and say so where they differ.

    live: what the object has now; None where it is to be created.
    """
    now = live or {}
    result: Attributes = {}
    for name in sorted(wanted.keys() | now.keys()):
        spec = schema.spec(target.node.entry.kind, name)
        if not spec.read_only:
            if name in wanted:
                result[name] = wanted[name]
            continue
        if name in now:
            result[name] = now[name]
        same = name in now and equal_values(spec, wanted.get(name), now[name])
        if not same and live is not None:
            text = f"{name} is set by the system itself and stays as it is."
            findings.add("note", "read-only", target.path, text, name)
    return result
