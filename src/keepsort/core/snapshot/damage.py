"""Where a tree is damaged: which objects stand on chunks that cannot be read as they were kept."""

from collections.abc import Iterator, Set

from keepsort.core.model.objects import Path
from keepsort.core.snapshot.encoding import Blob, Children, FactChildren
from keepsort.core.snapshot.reader import Node, Snapshot


def damaged_places(tree: Snapshot, bad: Set[bytes]) -> Iterator[tuple[Path, str]]:
    """Yield places of a tree that stand on bad chunks, each with what of it cannot be read.

    bad: addresses of chunks that are not to be read. A place whose children cannot be listed
    stands for all that is beneath it.
    """
    if tree.root.significant in bad:
        yield tree.at, "all of it"
        return
    waiting = [tree.top()]
    while waiting:
        node = waiting.pop()
        for name, value in tree.attributes(node.entry).items():
            if _holds(value, bad):
                yield node.path, name
        told, children = _children(tree, node, bad)
        if told:
            yield node.path, told
        waiting += reversed(children)


def _holds(value: object, bad: Set[bytes]) -> bool:
    if isinstance(value, Blob):
        return value.address in bad
    return isinstance(value, list) and any(_holds(one, bad) for one in value)


def _children(tree: Snapshot, node: Node, bad: Set[bytes]) -> tuple[str, list[Node]]:
    """Return what cannot be read beneath a node, and the children that can."""
    children: Children | None = node.entry.children
    told = _facts(tree, node, bad)
    if children is None:
        return told, []
    if children.index is not None and children.index in bad:
        return "all that is beneath it", []
    refs = tree.page_refs(children)
    lost = [ref for ref in refs if ref.address in bad]
    bare = Node(node.path, node.entry) if told else node
    if not lost:
        return told, tree.children(bare)
    found: list[Node] = []
    start = 0
    for ref in refs:
        if ref.address not in bad:
            found += tree.children(bare, start, ref.count)
        start += ref.count
    count = sum(ref.count for ref in lost)
    return (
        f"{count} of the {children.count} right beneath it, the first of them {lost[0].first}",
        found,
    )


def _facts(tree: Snapshot, node: Node, bad: Set[bytes]) -> str:
    """Say where facts cannot be read; values are not touched by that."""
    if isinstance(node.facts, bytes) and node.facts in bad:
        return "its facts"
    own = tree.fact_entry(node)
    children: FactChildren | None = own.children if own else None
    if children is not None and children.index is not None and children.index in bad:
        return "facts of what is beneath it"
    return ""
