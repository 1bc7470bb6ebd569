"""Children whose order counts: their parent lists their names in one of its attributes.

Systems keep such a list in step by themselves: what is new stands at its end, what is gone stands
in it no more. So steps on children change it, and a child that comes back needs its place again.
"""

from collections.abc import Callable, Sequence

from keepsort.core.model import Attributes, ConfigObject, Path, Value
from keepsort.core.plan.references import Places
from keepsort.core.plan.steps import Step
from keepsort.core.snapshot import Draft


def without(attributes: Attributes, name: str) -> Attributes:
    """Return attributes without one of them."""
    return {n: v for n, v in attributes.items() if n != name}


def merged(wanted: list[Value], present: list[Value]) -> list[Value]:
    """Return the names that are present, in the order that is wanted.

    Those that the wanted order does not know stay behind the one that stands before them.
    """
    here, known = set(present), set(wanted)
    result = [name for name in wanted if name in here]
    for number, name in enumerate(present):
        if name not in known:
            before = present[number - 1] if number else None
            result.insert(result.index(before) + 1 if number else 0, name)
    return result


def placed(name: Value, wanted: list[Value], present: list[Value]) -> list[Value]:
    """Return the present order with one name behind those that stand before it where wanted."""
    others = [other for other in present if other != name]
    before = wanted[: wanted.index(name)] if name in wanted else others
    at = max((others.index(other) + 1 for other in before if other in others), default=0)
    return [*others[:at], name, *others[at:]]


def arrivals(draft: Draft, steps: Sequence[Step]) -> dict[Path, list[Path]]:
    """Return what steps bring to a place, by what holds it, where both stand in the end."""
    places = Places(draft.schema)
    arrived = []
    for step in steps:
        if step.action == "move" and step.to is not None:
            places.move(step.path, step.to)
        if step.action in ("create", "move"):
            arrived.append(places.marked(step.final_path))
    came: dict[Path, dict[Path, None]] = {}
    for where in arrived:
        place = where()
        if place and draft.has(place):
            came.setdefault(place[:-1], {})[place] = None
    return {path: list(places) for path, places in came.items()}


def follow(draft: Draft, step: Step) -> None:
    """Do to the orders of a draft what the system does by itself when a step is carried out."""
    if not draft.schema.is_ordered:
        return
    leaves = step.path if step.action in ("delete", "move") else None
    comes = step.final_path if step.action in ("create", "move") else None
    if leaves is not None and comes is not None and leaves[:-1] == comes[:-1]:
        old, new = leaves[-1], comes[-1]
        _change(draft, leaves[:-1], lambda names: [new if n == old else n for n in names])
        return
    if leaves:
        _change(draft, leaves[:-1], lambda names: [n for n in names if n != leaves[-1]])
    if comes:
        _change(draft, comes[:-1], lambda names: [*names, comes[-1]])


def _change(draft: Draft, path: Path, change: Callable[[list[Value]], list[Value]]) -> None:
    holder = draft.get(path)
    if holder is None:
        return
    name = draft.schema.order_of(holder.kind)
    names = holder.attributes.get(name) if name else None
    if isinstance(names, list):
        attributes = {**holder.attributes, name: change(names)}
        draft.put(
            path,
            ConfigObject(
                name=holder.name, kind=holder.kind, identity=holder.identity, attributes=attributes
            ),
        )
