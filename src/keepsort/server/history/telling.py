"""What a backup tells of: what it took, of the branch that it holds."""

from keepsort.core.model import Path
from keepsort.core.model.notation import read_slash
from keepsort.core.snapshot import Root, Snapshot, Taking
from keepsort.server.history.models import Head, Indexed, Version
from keepsort.server.snapshots.services import choice_of, open_snapshot, open_tree


def head_tree(head: Head) -> Snapshot | None:
    """Return the tree as the index knows it; None before there was a backup of the whole."""
    if head.significant is None or head.schema is None:
        return None
    facts = bytes(head.facts) if head.facts is not None else None
    return open_tree(Root(bytes(head.significant), facts, head.total), bytes(head.schema))


def tells_of(one: Indexed, key: str, kind: str = "") -> bool:
    """Tell whether a backup tells of what is at a place; where it left that out, it does not.

    kind: of the object that is asked about.
    """
    if not one.covers(key):
        return False
    if not one.record.choice:
        return True
    tree, path = open_snapshot(one.record), read_slash(key)
    if tree.find(path) is not None:
        return True
    head = head_tree(Head.objects.get(system=one.system_id))

    def kind_at(place: Path) -> str | None:
        node = head.find(place) if head is not None else None
        return node.entry.kind if node is not None else (kind if place == path else None)

    return Taking(choice_of(one.record), tree.schema.names, tree.at).takes(path, kind_at)


def has(one: Indexed, version: Version) -> bool:
    """Tell whether a backup has a version of an object."""
    if not (version.is_in(one.number) and one.covers(version.key)):
        return False
    path = tuple(version.path)
    return not one.record.choice or open_snapshot(one.record).find(path) is not None
