"""Adds what targets cannot do without: what is to hold them, and what they refer to."""

from collections.abc import Iterator
from heapq import heappop, heappush

from keepsort.core.model import Path
from keepsort.core.plan.contents import written
from keepsort.core.plan.references import references
from keepsort.core.plan.taking import Taker
from keepsort.core.plan.targets import Target


def close_needs(taker: Taker) -> None:
    """Bring parents and referenced objects that do not exist live, until nothing is wanting."""
    targets = taker.targets.restored
    work = sorted(targets)
    taker.arrived.clear()
    while work:
        target = targets[heappop(work)]
        if target.live is None or target.moved:
            _need_parents(taker, target)
            _need_contents(taker, target)
        _need_references(taker, target)
        while taker.arrived:
            heappush(work, taker.arrived.pop())
    _keep_contents(taker)


def _need_parents(taker: Taker, target: Target) -> None:
    comparison = taker.comparison
    for depth in range(len(target.path) - 1, len(comparison.left.at) - 1, -1):
        above = target.path[:depth]
        known = taker.targets.restored.get(comparison.names.keys(above))
        for difference in comparison.at(above):
            if known is not None:
                # a parent that is picked only in part must come to its place all the same
                known.moved = known.moved or difference.state == "moved"
            elif difference.state in ("missing", "moved"):
                taker.bring(difference, f"holds {target.name}")


def _need_contents(taker: Taker, target: Target) -> None:
    """Bring what a new object cannot be without: all of it that the backup has right beneath."""
    known = taker.comparison.left.schema.kinds.get(target.node.entry.kind)
    if known is None or not known.holds:
        return
    for difference in taker.comparison.beneath(target.path):
        here = len(difference.path) == len(target.path) + 1 and difference.kind in known.holds
        if here and difference.state == "missing":
            taker.bring(difference, f"{target.name} cannot be without it")


def _keep_contents(taker: Taker) -> None:
    """Tell where the last is taken away of what an object cannot be without."""
    live, keys = taker.comparison.right, taker.comparison.names.keys
    removals = taker.targets.removals
    coming = {(k[:-1], one.node.entry.kind) for k, one in taker.targets.restored.items()}
    for key, node in removals.items():
        above = live.find(node.path[:-1]) if node.path else None
        known = live.schema.kinds.get(above.entry.kind) if above is not None else None
        if above is None or known is None or node.entry.kind not in known.holds:
            continue
        same = [n for n in live.children(above) if n.entry.kind == node.entry.kind]
        stays = any(keys(n.path) not in removals for n in same)
        comes = (key[:-1], node.entry.kind) in coming
        if keys(above.path) not in removals and not stays and not comes:
            label = live.schema.label(node.entry.kind)
            text = f"{above.path[-1]} cannot be without {label}. Take it away whole, or leave it."
            taker.findings.add("stop", "last-of-its-kind", node.path, text)


def _need_references(taker: Taker, target: Target) -> None:
    comparison = taker.comparison
    backup, live = comparison.left, comparison.right
    schema = backup.schema
    for name, path in named_by(taker, target):
        if schema.names.keys(path) in taker.targets.restored:
            continue
        for difference in comparison.at(path):
            if difference.state == "missing":
                taker.bring(difference, f"{target.name} refers to it ({name})")
        if backup.find(path) is None and live.find(path) is None:
            text = f"{name} names {schema.notation.write(path)}, which exists nowhere."
            taker.findings.add("note", "dangling", target.path, text, name)


def named_by(taker: Taker, target: Target) -> Iterator[tuple[str, Path]]:
    """Yield the attribute and the path of every reference that is written for a target."""
    backup, live = taker.comparison.left, taker.comparison.right
    kind = target.node.entry.kind
    now = live.whole_attributes(target.live.entry) if target.live is not None else None
    then = taker.behind.room_for(kind, backup.whole_attributes(target.node.entry))
    yield from references(backup.schema, kind, written(backup.schema, target, then, now))
