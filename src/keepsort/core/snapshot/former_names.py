"""Reads a tree by the names that a newer version of its system has for attributes."""

from collections.abc import Iterable

import msgspec

from keepsort.core.model import Schema
from keepsort.core.snapshot.draft import Draft
from keepsort.core.snapshot.reader import Snapshot


class FormerName(msgspec.Struct, frozen=True):
    """What an attribute of a kind was called formerly, by what somebody has said."""

    kind: str
    former: str
    now: str


def with_former_names(tree: Snapshot, names: Iterable[FormerName]) -> Snapshot:
    """Return a tree whose schema says what its attributes were called formerly.

    A name that the schema does not know says nothing.
    """
    kinds = dict(tree.schema.kinds)
    for one in names:
        kind = kinds.get(one.kind)
        spec = kind.attributes.get(one.now) if kind is not None else None
        if kind is not None and spec is not None and one.former not in spec.formerly:
            spec = msgspec.structs.replace(spec, formerly=(*spec.formerly, one.former))
            attributes = {**kind.attributes, one.now: spec}
            kinds[one.kind] = msgspec.structs.replace(kind, attributes=attributes)
    if kinds == tree.schema.kinds:
        return tree
    schema = msgspec.structs.replace(tree.schema, kinds=kinds)
    return Snapshot(tree.store, tree.root, schema, tree.cache)


def by_newer_names(tree: Snapshot, schema: Schema) -> Snapshot:
    """Return a tree whose attributes are called as a newer schema calls them.

    An attribute is renamed where the newer schema says that it was called so formerly, and the tree
    has none of the new name. A tree in which nothing is called otherwise comes back as it is.
    """
    renamed = _renamed(tree.schema, schema)
    if not renamed:
        return tree
    kinds = dict(tree.schema.kinds)
    for kind, names in renamed.items():
        # what was not renamed means what it meant, and what live has new the backup does not know
        own = {names.get(name, name): spec for name, spec in kinds[kind].attributes.items()}
        own |= {name: schema.kinds[kind].attributes[name] for name in names.values()}
        kinds[kind] = msgspec.structs.replace(kinds[kind], attributes=own)
    newer = msgspec.structs.replace(tree.schema, kinds=kinds)
    draft = Draft(Snapshot(tree.store, tree.root, newer, tree.cache))
    for node in tree.walk():
        called = renamed.get(node.entry.kind)
        if called is None or node.entry.unreadable is not None:
            continue
        found = tree.object(node)
        attributes = {called.get(name, name): value for name, value in found.attributes.items()}
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
