"""Lets references follow what moves, also those of objects that nobody picked."""

from keepsort.core.compare import Comparison
from keepsort.core.compare.values import differing_names
from keepsort.core.model import Attributes, ConfigObject, Path
from keepsort.core.plan.references import redirected, referrers
from keepsort.core.plan.writing import Writer
from keepsort.core.snapshot import Node

_REASON = "refers to an object that moves"


def followers(comparison: Comparison, moved: list[Path]) -> dict[Path, Node]:
    """Find the live objects that refer to something that was moved from one of the places."""
    if not moved:
        return {}
    keys = comparison.names.keys
    return {keys(node.path): node for node, _, _ in referrers(comparison.right, moved)}


def follow(comparison: Comparison, writer: Writer, nodes: list[Node]) -> None:
    """Write an update for each of the live objects whose references are to follow."""
    schema = comparison.left.schema
    for node in nodes:
        path = writer.places.now(node.path)
        found = writer.draft.get(path)
        if found is None:
            continue
        after = redirected(schema, found.kind, found.attributes, writer.places.now)
        after |= _as_in_backup(comparison, node, found)
        if differing_names(schema, found.kind, found.attributes, after):
            writer.update(path, found, after, _REASON)


def _as_in_backup(comparison: Comparison, node: Node, found: ConfigObject) -> Attributes:
    """Return those values that are as in the backup already: what they name may have changed
    places with something else, and they are to name what they name in the backup."""
    origin = comparison.left.find(comparison.backup_path(node.path))
    if origin is None:
        return {}
    then = comparison.left.whole_attributes(origin.entry)
    differ = set(differing_names(comparison.left.schema, found.kind, then, found.attributes))
    return {name: value for name, value in found.attributes.items() if name not in differ}
