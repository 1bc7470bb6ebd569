"""Reads a tree by the names that a newer version of its system has for attributes."""

import msgspec

from keepsort.core.model import Schema
from keepsort.core.snapshot.draft import Draft
from keepsort.core.snapshot.reader import Snapshot


def by_newer_names(tree: Snapshot, schema: Schema) -> Snapshot:
    """Return a tree whose attributes are called as a newer schema calls them.

    An attribute is renamed where the newer schema says that it was called so formerly, and the tree
    has none of the new name. A tree in which nothing is called otherwise comes back as it is.
    """
    renamed = _renamed(tree.schema, schema)
    if not renamed:
        return tree
    kinds = {**tree.schema.kinds, **{kind: schema.kinds[kind] for kind in renamed}}
    newer = msgspec.structs.replace(tree.schema, kinds=kinds)
    draft = Draft(Snapshot(tree.store, tree.root, newer, tree.cache))
    for node in tree.walk():
        names = renamed.get(node.entry.kind)
        if names is None or node.entry.unreadable is not None:
            continue
        found = tree.object(node)
        attributes = {names.get(name, name): value for name, value in found.attributes.items()}
        if attributes.keys() != found.attributes.keys():
            draft.put(node.path, msgspec.structs.replace(found, attributes=attributes))
    return draft.finish()


def _renamed(older: Schema, newer: Schema) -> dict[str, dict[str, str]]:
    """Return former names with what they have become, by kind."""
    if older is newer:
        return {}
    found: dict[str, dict[str, str]] = {}
    for name, kind in newer.kinds.items():
        known = older.kinds[name].attributes if name in older.kinds else {}
        for attribute, spec in kind.attributes.items():
            for former in spec.formerly:
                if former in known and former not in kind.attributes and attribute not in known:
                    found.setdefault(name, {})[former] = attribute
    return found
