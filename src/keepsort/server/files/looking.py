"""Looking into an opened file, with no live system behind it."""

from time import monotonic
from typing import Any

from keepsort.core.model import Path
from keepsort.core.model.masks import MASK, is_unknown, masked
from keepsort.core.plan.placing import PLACE
from keepsort.core.snapshot import Node, Snapshot
from keepsort.server.files.models import OpenedFile
from keepsort.server.problems import NotFound, Problem
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.sorting.showing import written

_PAGE, _VALUES, _LONGEST = 200, 200, 4000
_FOUND, _SECONDS = 200, 5.0
_UNKNOWN = "not in the file"


def look_at(file: OpenedFile, path: Path, start: int) -> dict[str, Any]:
    """Return an object of a file with its values, and a page of what is beneath it.

    Raises `NotFound`.
    """
    tree = open_snapshot(file.record)
    node = tree.find(path) if path else tree.top()
    if node is None:
        raise NotFound(f"The file does not hold {tree.schema.notation.write(path)}.")
    obj = tree.object(node)
    children = tree.children(node, start, _PAGE)
    return {
        "path": list(node.path),
        "written": tree.schema.notation.write(node.path),
        "kind_label": tree.schema.label(obj.kind),
        "mentioned": obj.kind != PLACE,
        "unreadable": obj.unreadable or "",
        "attributes": [_attribute(tree, obj.kind, n, v) for n, v in obj.attributes.items()],
        "children": [_child(tree, one) for one in children],
        "total": node.entry.children.count if node.entry.children else 0,
    }


def _attribute(tree: Snapshot, kind: str, name: str, value: Any) -> dict[str, Any]:
    values = value if isinstance(value, list) else [value]
    secret = tree.schema.spec(kind, name).secret
    shown = [_shown(one, secret) for one in values[:_VALUES]]
    return {"name": name, "values": shown, "more": max(0, len(values) - _VALUES)}


def _shown(value: Any, secret: bool) -> str:
    if is_unknown(value):
        return _UNKNOWN
    return MASK if secret else written(value)[:_LONGEST]


def _child(tree: Snapshot, node: Node) -> dict[str, Any]:
    return {
        "path": list(node.path),
        "name": node.entry.name,
        "kind_label": tree.schema.label(node.entry.kind),
        "objects": node.entry.total,
    }


def search(file: OpenedFile, text: str) -> dict[str, Any]:
    """Find objects of a file by name or value, letter case aside; stops after some seconds."""
    wanted = text.strip().casefold()
    if not wanted:
        raise Problem("Nothing is searched for.", "Type part of a name or of a value.")
    tree = open_snapshot(file.record)
    until = monotonic() + _SECONDS
    found: list[dict[str, Any]] = []
    for node in tree.walk():
        if len(found) == _FOUND or monotonic() > until:
            return {"found": found, "searched_all": False}
        if wanted in node.entry.name.casefold() or _holds(tree, node, wanted):
            found.append(_child(tree, node))
    return {"found": found, "searched_all": True}


def _holds(tree: Snapshot, node: Node, wanted: str) -> bool:
    kind = node.entry.kind
    return any(
        wanted in masked(written(value)).casefold()
        for name, value in tree.whole_attributes(node.entry).items()
        if not tree.schema.spec(kind, name).secret
    )
