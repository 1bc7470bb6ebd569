"""One tray, several backups: a backup with single things in it as another backup has them.

What is picked from other backups is put into a copy of the one that is looked at, where it stands
there. The copy is then what is restored from; so everything else (needs, order, rehearsal, undo)
is the same as for any restore.
"""

from collections.abc import Sequence
from contextlib import suppress
from typing import NamedTuple

import msgspec

from keepsort.core.model import ConfigObject, Path, is_beneath
from keepsort.core.plan.picks import Pick
from keepsort.core.plan.references import Places, references
from keepsort.core.snapshot import Draft, Node, Snapshot

_ORDER = ("remove", "branch", "object", "attributes")


class Sourced(NamedTuple):
    """A pick, and the backup that it is made from."""

    pick: Pick
    source: Snapshot


def gather(base: Snapshot, live: Snapshot, picked: Sequence[Sourced]) -> Snapshot:
    """Return `base` with what is picked from other backups as it is there.

    All trees lie in one store, and `base` covers every place that is picked. What the picked
    objects refer to and `base` lacks comes along. Raises KeyError with the path of what is not in
    its backup.
    """
    gathering = _Gathering(base)
    # larger things first, so that what is picked within them is not overwritten
    for pick, source in sorted(picked, key=lambda s: (_ORDER.index(s.pick.scope), s.pick.path)):
        if pick.scope == "remove":
            gathering.without(pick.path, source, live)
        else:
            node = source.find(pick.path)
            if node is None:
                raise KeyError(pick.path)
            gathering.take(pick, node, source)
    return gathering.draft.finish()


class _Gathering:
    def __init__(self, base: Snapshot) -> None:
        self.base = base
        self.draft = Draft(base)
        self._keys = base.schema.names.keys
        self._moves = Places(base.schema)
        self._identities: dict[str, Path] | None = None

    def take(self, pick: Pick, node: Node, source: Snapshot) -> None:
        """Make what is picked of an object as it is in its source."""
        self._settle(node, source)
        brought = list(source.walk(node)) if pick.scope == "branch" else [node]
        if pick.scope == "branch":
            for inner in brought:
                self._take_away(inner.entry.identity, unless=node.path)
            self.draft.graft(node.path, node, source)
        else:
            wanted = source.object(node)
            here = self.draft.get(node.path)
            if here is not None and pick.scope == "attributes":
                wanted = _with_parts(pick, here, wanted)
            self.draft.put(node.path, wanted)
        for one in brought:
            self._bring_along(one, source)

    def without(self, path: Path, source: Snapshot, live: Snapshot) -> None:
        """Make that what live has at a place, and its source has not, is not there.

        What the source has elsewhere is put there, so that it is never taken for extra.
        """
        top = live.find(path)
        if top is None:
            return
        places = _identities_in(source) if top.entry.identity else {}
        for node in live.walk(top):
            place = places.get(node.entry.identity or "", node.path)
            there = source.find(place)
            if there is not None and _may_be_same(there.entry.identity, node.entry.identity):
                self._put(there, source)
            else:
                self._take_away(node.entry.identity)
                here = self.draft.get(node.path)
                if here is not None and source.find(node.path) is None:
                    self.draft.remove(node.path)

    def _settle(self, node: Node, source: Snapshot) -> None:
        """Make that nothing but this object stands in its place, or may come there."""
        if len(node.path) > len(self.base.at):
            holder = source.find(node.path[:-1])
            if holder is not None:
                self._put(holder, source)
        here = self.draft.get(node.path)
        if here is not None and _may_be_same(here.identity, node.entry.identity):
            return
        if len(node.path) <= len(self.base.at):
            raise KeyError(node.path)
        if here is not None:
            self.draft.remove(node.path)
        before = self._place_of(node.entry.identity)
        if before is not None and not self._is_beneath(node.path, before):
            self.draft.move(before, node.path)
            self._moves.move(before, node.path)

    def _put(self, node: Node, source: Snapshot) -> None:
        """Make that this object stands in its place, as it is in its source if it is new."""
        self._settle(node, source)
        if self.draft.get(node.path) is None:
            self.draft.put(node.path, source.object(node))

    def _bring_along(self, node: Node, source: Snapshot) -> None:
        """Put there what an object refers to, where it is wanting."""
        waiting = [node]
        while waiting:
            entry = waiting.pop().entry
            for _, path in references(source.schema, entry.kind, source.references_of(entry)):
                target = source.find(path)
                if target is None or self.draft.get(target.path) is not None:
                    continue
                self._put(target, source)
                waiting.append(target)

    def _take_away(self, identity: str | None, unless: Path | None = None) -> None:
        place = self._place_of(identity)
        if place is not None and (unless is None or not self._is_beneath(place, unless)):
            with suppress(KeyError):
                self.draft.remove(place)

    def _is_beneath(self, path: Path, branch: Path) -> bool:
        return is_beneath(self._keys(path), self._keys(branch))

    def _place_of(self, identity: str | None) -> Path | None:
        """Return where an object of the base stands now; None where it is not there any more."""
        if identity is None:
            return None
        if self._identities is None:
            self._identities = _identities_in(self.base)
        before = self._identities.get(identity)
        if before is None:
            return None
        place = self._moves.now(before)
        found = self.draft.get(place)
        return place if found is not None and found.identity == identity else None


def _identities_in(tree: Snapshot) -> dict[str, Path]:
    return {node.entry.identity: node.path for node in tree.walk() if node.entry.identity}


def _may_be_same(one: str | None, other: str | None) -> bool:
    return one is None or other is None or one == other


def _with_parts(pick: Pick, here: ConfigObject, wanted: ConfigObject) -> ConfigObject:
    """Return the object as it is here, with the picked attributes as they are wanted."""
    attributes = dict(here.attributes)
    kind = here.kind
    for part in pick.attributes:
        if part.name == "kind":
            kind = wanted.kind
        elif part.name in wanted.attributes:
            attributes[part.name] = wanted.attributes[part.name]
        else:
            attributes.pop(part.name, None)
    # the name and the id are those of its place
    return msgspec.structs.replace(wanted, kind=kind, attributes=attributes)
