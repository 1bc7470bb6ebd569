"""Looking into an opened file, with no live system behind it."""

from dataclasses import dataclass
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


@dataclass(kw_only=True)
class FileValue:
    """One attribute of an object of a file; each value in words."""

    name: str
    values: list[str]
    more: int


@dataclass(kw_only=True)
class FileChild:
    """An object beneath another one; how many there are at and beneath it."""

    path: Path
    name: str
    kind_label: str
    objects: int


@dataclass(kw_only=True)
class FileObject:
    """An object of a file, its values as they may be seen, and some of those beneath it.

    total: how many there are beneath it. page: how many of them are told at once.
    """

    path: Path
    written: str
    kind_label: str
    mentioned: bool
    unreadable: str
    attributes: list[FileValue]
    children: list[FileChild]
    total: int
    page: int = _PAGE


@dataclass(kw_only=True)
class FoundInFile:
    """Objects of a file in which a text was found; whether all of it was searched."""

    found: list[FileChild]
    searched_all: bool


def look_at(file: OpenedFile, path: Path, start: int) -> FileObject:
    """Return an object of a file with its values, and a page of what is beneath it.

    Raises `NotFound`.
    """
    tree = open_snapshot(file.record)
    node = tree.find(path) if path else tree.top()
    if node is None:
        raise NotFound(f"The file does not hold {tree.schema.notation.write(path)}.")
    obj = tree.object(node)
    children = tree.children(node, start, _PAGE)
    return FileObject(
        path=node.path,
        written=tree.schema.notation.write(node.path),
        kind_label=tree.schema.label(obj.kind),
        mentioned=obj.kind != PLACE,
        unreadable=obj.unreadable or "",
        attributes=[_attribute(tree, obj.kind, n, v) for n, v in obj.attributes.items()],
        children=[_child(tree, one) for one in children],
        total=node.entry.children.count if node.entry.children else 0,
    )


def _attribute(tree: Snapshot, kind: str, name: str, value: Any) -> FileValue:
    values = value if isinstance(value, list) else [value]
    secret = tree.schema.spec(kind, name).secret
    shown = [_shown(one, secret) for one in values[:_VALUES]]
    return FileValue(name=name, values=shown, more=max(0, len(values) - _VALUES))


def _shown(value: Any, secret: bool) -> str:
    if is_unknown(value):
        return _UNKNOWN
    return MASK if secret else written(value)[:_LONGEST]


def _child(tree: Snapshot, node: Node) -> FileChild:
    return FileChild(
        path=node.path,
        name=node.entry.name,
        kind_label=tree.schema.label(node.entry.kind),
        objects=node.entry.total,
    )


def search(file: OpenedFile, text: str) -> FoundInFile:
    """Find objects of a file by name or value, letter case aside; stops after some seconds."""
    wanted = text.strip().casefold()
    if not wanted:
        raise Problem("Nothing is searched for.", "Type part of a name or of a value.")
    tree = open_snapshot(file.record)
    until = monotonic() + _SECONDS
    found: list[FileChild] = []
    for node in tree.walk():
        if len(found) == _FOUND or monotonic() > until:
            return FoundInFile(found=found, searched_all=False)
        if wanted in node.entry.name.casefold() or _holds(tree, node, wanted):
            found.append(_child(tree, node))
    return FoundInFile(found=found, searched_all=True)


def _holds(tree: Snapshot, node: Node, wanted: str) -> bool:
    kind = node.entry.kind
    return any(
        wanted in masked(written(value)).casefold()
        for name, value in tree.whole_attributes(node.entry).items()
        if not tree.schema.spec(kind, name).secret
    )
