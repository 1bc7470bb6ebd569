"""Finds the same change in many objects: one mistake, made at once, shows as many differences."""

from collections.abc import Iterable

import msgspec

from keepsort.core.compare.comparison import Comparison, Difference
from keepsort.core.compare.values import AttributeDifference, compare_attributes
from keepsort.core.model import Path
from keepsort.core.snapshot import Node, Snapshot

#: Of more differences the first are looked through: each has to be read for it.
MOST = 20_000
_READ = 500
_encode = msgspec.msgpack.Encoder(order="deterministic").encode


class CommonChange(msgspec.Struct, frozen=True):
    """One attribute that changed in the same way in several objects.

    first: the attribute of the first of them. paths: where they are in the backup.
    """

    kind: str
    first: AttributeDifference
    paths: list[Path]


def common_changes(
    comparison: Comparison, shown: Iterable[Difference], most: int = MOST
) -> list[CommonChange]:
    """Return changes that several objects have in common, those of the most objects first.

    Objects on one side only are told of by the branches that they stand in. Of a set, a text or a
    map, what counts is what is different in it, whatever else it holds.
    """
    groups: dict[bytes, CommonChange] = {}
    waiting: list[Difference] = []
    seen = 0
    for one in shown:
        if one.left is None or one.right is None or not one.attributes:
            continue
        waiting.append(one)
        seen += 1
        if len(waiting) == _READ or seen == most:
            _sort(comparison, waiting, groups)
            waiting = []
        if seen == most:
            break
    _sort(comparison, waiting, groups)
    found = [group for group in groups.values() if len(group.paths) > 1]
    return sorted(found, key=lambda group: -len(group.paths))


def _sort(
    comparison: Comparison, some: list[Difference], groups: dict[bytes, CommonChange]
) -> None:
    schema = comparison.left.schema
    lefts = _attributes(comparison.left, [one.left for one in some])
    rights = _attributes(comparison.right, [one.right for one in some])
    for one, left, right in zip(some, lefts, rights, strict=True):
        kind = one.node.entry.kind
        wanted = set(one.attributes)
        for attribute in compare_attributes(
            schema, kind, _only(left, wanted), _only(right, wanted)
        ):
            if schema.spec(kind, attribute.name).read_only:
                continue  # nobody can put it back
            key = _encode([kind, attribute.name, attribute.state, _difference(attribute)])
            group = groups.get(key)
            if group is None:
                groups[key] = CommonChange(kind, attribute, [one.path])
            else:
                group.paths.append(one.path)


def _attributes(tree: Snapshot, nodes: list[Node | None]) -> list[dict[str, object]]:
    return [tree.whole_attributes(node.entry) if node is not None else {} for node in nodes]


def _only(attributes: dict[str, object], names: set[str]) -> dict[str, object]:
    return {name: value for name, value in attributes.items() if name in names}


def _difference(found: AttributeDifference) -> object:
    """Return what tells a change from others, without what is the same on both sides."""
    if found.stretches:
        return [[s.left, s.right] for s in found.stretches if s.state != "same"]
    if found.keys:
        return [[k.keys, k.state, k.left, k.right] for k in found.keys if k.state != "same"]
    if found.state == "changed" and (found.only_left or found.only_right):
        return [found.only_left, found.only_right]
    return [found.left, found.right]
