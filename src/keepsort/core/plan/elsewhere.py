"""Putting objects of one tree into another place, or into another system.

The target as it is now, with the wanted objects added, is what a backup would be from which they
are restored; so everything else (needs, order, rehearsal, undo) is the same as for any restore.
"""

from collections.abc import Callable, Sequence
from typing import Literal, Protocol, runtime_checkable

import msgspec

from keepsort.core.model import Attributes, ConfigObject, Path, Schema, Value, is_beneath
from keepsort.core.plan.findings import Finding, Level
from keepsort.core.plan.picks import Pick
from keepsort.core.plan.references import redirected, references
from keepsort.core.snapshot import Draft, Node, Snapshot


@runtime_checkable
class Naming(Protocol):
    """Knows a system that has its own rules for what a new object can be called.

    Elsewhere a name that is taken gets a number behind it.
    """

    def names_for(self, places: Sequence[Path], taken: Callable[[Path], bool]) -> list[str]:
        """Return what new objects are called that are to be made at some places.

        An object keeps the last name of its place where that is free. taken: tells of what else is
        not free.
        """

    def called(self, kind: str, attributes: Attributes, place: Path) -> Attributes:
        """Return what a new object holds at a place: values may say its name, too."""


#: What happens to an object whose name is taken where it should go: it gets another name, it does
#: not go there, or it takes the place of what is there.
Clash = Literal["rename", "skip", "replace"]


class Transplant(msgspec.Struct, frozen=True):
    """The target with the wanted objects in it, what to pick of it, and what to know."""

    left: Snapshot
    picks: tuple[Pick, ...]
    findings: tuple[Finding, ...] = ()


def transplant(
    source: Snapshot,
    paths: Sequence[Path],
    target: Snapshot,
    at: Path,
    clash: Clash = "rename",
    secret: Callable[[Value], Value] = lambda value: value,
    naming: Naming | None = None,
) -> Transplant:
    """Put branches of `source` beneath `at` in `target`; both trees lie in one store.

    What they refer to and the target lacks comes along. References follow their targets.
    secret: turns what stands for a secret in the source into what stands for it in the target.
    naming: knows what is free where the system has its own rules; names are counted where None.
    Raises KeyError if the target has nothing at `at`, and nothing would be there by itself.
    """
    if target.find(at) is None and not _comes_by_itself(source, target, at):
        raise KeyError(at)
    return _Transplanting(source, target, at, clash, secret, naming).go(paths)


def _comes_by_itself(source: Snapshot, target: Snapshot, at: Path) -> bool:
    """Tell whether what is to hold something is there as soon as it holds it."""
    then = source.find(at)
    implied = then is not None and target.schema.is_implied(then.entry.kind)
    return implied and target.find(at[:-1]) is not None


class _Transplanting:
    def __init__(
        self,
        source: Snapshot,
        target: Snapshot,
        at: Path,
        clash: Clash,
        secret: Callable[[Value], Value],
        naming: Naming | None,
    ) -> None:
        self.source, self.target, self.at, self.clash = source, target, at, clash
        self.secret = secret
        self.naming = naming
        self.keys = target.schema.names.keys
        self.own = source.schema.names.keys
        #: by where branches are in the source, as its paths compare
        self.places: dict[Path, Path] = {}
        self.taken: set[Path] = set()
        self.findings: list[Finding] = []

    def go(self, paths: Sequence[Path]) -> Transplant:
        """Give every branch its place, then write all of them."""
        waiting = [(path, "") for path in self._topmost(paths)]
        branches: list[tuple[Node, Path]] = []
        while waiting:
            path, reason = waiting.pop(0)
            node = self.source.find(path)
            if node is None or self._moved(path) is not None:
                continue
            if node.entry.unreadable is not None:
                self._leave_out(node)
                continue
            place = self._place(node.path, reason)
            if place is None:
                continue
            self.places[self.own(node.path)] = place
            branches.append((node, place))
            waiting += self._needed(node)
        for node, _ in branches:
            self._name_beneath(node)
        draft = Draft(self.target)
        if not draft.has(self.at):
            kind = self.target.schema.implied
            draft.put(self.at, ConfigObject(name=self.at[-1], kind=kind))
        for node, _ in branches:
            self._write(draft, node)
        picks = tuple(Pick(place, "branch") for _, place in branches)
        return Transplant(draft.finish(), picks, tuple(self.findings))

    def _place(self, path: Path, reason: str) -> Path | None:
        name = path[-1]
        place = (*self.at, name)
        stands = self.target.find(place) is not None
        if stands and self.clash == "replace" and self.keys(place) not in self.taken:
            text = "It takes the place of what is there."
            self._find("confirm", "replaced", place, text)
        else:
            names_for = self.naming.names_for if self.naming is not None else counted
            [free] = names_for([place], self._is_taken)
            if free != name and self.clash == "skip" and not reason:
                text = f"There is a {name} already, so this one stays away."
                self._find("note", "skipped", place, text)
                return None
            if free != name:
                place = (*self.at, free)
                self._find("note", "renamed", place, f"The name {name} is taken; it gets this one.")
        self.taken.add(self.keys(place))
        if reason:
            self._find("note", "comes-along", place, reason)
        return place

    def _is_taken(self, place: Path) -> bool:
        return self.target.find(place) is not None or self.keys(place) in self.taken

    def _name_beneath(self, top: Node) -> None:
        """Give what lies beneath a branch names that are free, where the system has to be asked.

        What stands there by the same path is the same, and keeps its name.
        """
        level = self.source.children(top) if self.naming is not None else []
        while level and self.naming is not None:
            places = [self._where(node) for node in level]
            new = [
                (node, place)
                for node, place in zip(level, places, strict=True)
                if self.target.find(place) is None
            ]
            names = self.naming.names_for([place for _, place in new], self._is_taken)
            for (node, place), name in zip(new, names, strict=True):
                if name != place[-1]:
                    self.places[self.own(node.path)] = (*place[:-1], name)
                    text = f"The name {place[-1]} is taken; it gets this one."
                    self._find("note", "renamed", (*place[:-1], name), text)
                self.taken.add(self.keys((*place[:-1], name)))
            readable = [node for node in level if node.entry.unreadable is None]
            level = [child for node in readable for child in self.source.children(node)]

    def _where(self, node: Node) -> Path:
        place = self._moved(node.path)
        assert place is not None
        return place

    def _needed(self, top: Node) -> list[tuple[Path, str]]:
        """List what a branch refers to that neither comes along yet nor exists in the target."""
        found = []
        for node in self._branch(top):
            attributes = self.source.object(node).attributes
            for name, path in references(self.source.schema, node.entry.kind, attributes):
                inside = is_beneath(self.own(path), self.own(top.path))
                if inside or self._moved(path) is not None:
                    continue
                if self.target.find(path) is not None:
                    continue
                if self.source.find(path) is not None:
                    found.append((path, f"{node.entry.name} refers to it ({name})."))
                else:
                    text = f"{name} names {self.source.schema.notation.write(path)}, not there."
                    self._find("note", "dangling", node.path, text, name)
        return found

    def _branch(self, top: Node) -> list[Node]:
        """List what of a branch can be put elsewhere, parents first."""
        found, waiting = [], [top]
        while waiting:
            node = waiting.pop()
            if node.entry.unreadable is not None:
                self._leave_out(node)
                continue
            found.append(node)
            waiting += reversed(self.source.children(node))
        return found

    def _leave_out(self, node: Node) -> None:
        """Say that an object stays away: nobody knows what it holds."""
        place = self.source.schema.notation.write(node.path)
        text = f"{place} could not be read when it was kept, so it is left out, with all beneath."
        finding = Finding("confirm", "unreadable", text, node.path)
        if finding not in self.findings:
            self.findings.append(finding)

    def _topmost(self, paths: Sequence[Path]) -> list[Path]:
        """Return the paths that lie beneath no other of them, in order."""
        keys = {self.own(path): path for path in reversed(paths)}
        return [
            path
            for path in dict.fromkeys(paths)
            if keys[self.own(path)] == path
            and not any(self.own(path)[:depth] in keys for depth in range(len(path)))
        ]

    def _moved(self, path: Path) -> Path | None:
        folded = self.own(path)
        for depth in range(len(path), 0, -1):
            place = self.places.get(folded[:depth])
            if place is not None:
                return (*place, *path[depth:])
        return None

    def _write(self, draft: Draft, top: Node) -> None:
        for node in self._branch(top):
            where = self._where(node)
            obj = self.source.object(node)
            attributes = redirected(
                self.source.schema, obj.kind, obj.attributes, lambda p: self._moved(p) or p
            )
            attributes = self._carried(obj.kind, attributes, where)
            if self.naming is not None:
                attributes = self.naming.called(obj.kind, attributes, where)
            draft.put(where, ConfigObject(name=where[-1], kind=obj.kind, attributes=attributes))

    def _carried(self, kind: str, attributes: Attributes, where: Path) -> Attributes:
        schema = self.target.schema
        if kind not in schema.kinds:
            text = f"The target knows no {self.source.schema.label(kind)}."
            self._find("stop", "no-such-kind", where, text)
            return attributes
        kept, lost = carried_over(self.source.schema, schema, kind, attributes)
        for name in lost:
            text = f"The target's version knows no {name}; it is left out."
            self._find("confirm", "left-out", where, text, name)
        return {
            name: self._secrets(value) if schema.spec(kind, name).secret else value
            for name, value in kept.items()
        }

    def _secrets(self, value: Value) -> Value:
        return [self.secret(v) for v in value] if isinstance(value, list) else self.secret(value)

    def _find(self, level: Level, code: str, path: Path, text: str, attribute: str = "") -> None:
        self.findings.append(Finding(level, code, text, path, attribute))


def counted(
    places: Sequence[Path],
    taken: Callable[[Path], bool],
    numbered: Callable[[str, int], str] = lambda name, number: f"{name} {number}",
) -> list[str]:
    """Return names that are free, and each given once; one that is not gets a number.

    numbered: how a name is written with a number.
    """
    found: list[str] = []
    for path in places:
        name, number = path[-1], 1
        while name in found or taken((*path[:-1], name)):
            number += 1
            name = numbered(path[-1], number)
        found.append(name)
    return found


def carried_over(
    before: Schema, now: Schema, kind: str, attributes: Attributes
) -> tuple[Attributes, list[str]]:
    """Return attributes under the names another version has for them, and which it has not."""
    known = now.kinds[kind].attributes if kind in now.kinds else {}
    described = before.kinds[kind].attributes if kind in before.kinds else {}
    called = {old: name for name, spec in known.items() for old in spec.formerly}
    kept: Attributes = {}
    lost = []
    for name, value in attributes.items():
        if name in known or name not in described:
            kept[name] = value
        elif name in called:
            kept[called[name]] = value
        else:
            lost.append(name)
    return kept, lost
