"""Takes backups into the index: of each, only what changed since the one before."""

from collections.abc import Iterable, Iterator
from contextlib import suppress
from hashlib import blake2b

import msgspec
from django.db import transaction
from django.db.models import Max, QuerySet

from keepsort.core.compare import Comparison, Difference, compare
from keepsort.core.compare.choices import kept
from keepsort.core.model import Path
from keepsort.core.model.notation import write_slash
from keepsort.core.snapshot import Choice, Draft, Node, Snapshot, branch
from keepsort.server.history.models import Head, Indexed, Version, holds
from keepsort.server.history.telling import head_tree
from keepsort.server.history.words import vector
from keepsort.server.locks import Space, take_until_commit
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import choice_of, open_snapshot
from keepsort.server.statements import copy_rows
from keepsort.server.systems.models import System
from keepsort.server.systems.services import successors

_COLUMNS = (
    "system_id", "thing", "identity", "key", "path", "name", "folded", "kind", "state",
    "attributes", "digest", "first", "words",
)  # fmt: skip
_BATCH = 2000
#: What is taken in while somebody waits: so many backups, of so many objects.
_FEW, _LIGHT = 30, 5000


def catch_up(system: System) -> int:
    """Take in every backup that the index does not have yet; return how many that were."""
    count = 0
    while _take_next(system):
        count += 1
    return count


def is_behind(system: System) -> bool:
    """Tell whether there are backups that the index does not have."""
    return bool(_waiting(system).exists())


def is_light(system: System) -> bool:
    """Tell whether the index can catch up while a person waits."""
    waiting = _waiting(system)
    begun = Head.objects.filter(system=system).exclude(significant=None).exists()
    first = waiting.first()
    return waiting.count() <= _FEW and (begun or first is None or first.objects_count <= _LIGHT)


def _waiting(system: System) -> QuerySet[Record]:
    """Return what is to be taken in; an imported backup only if nothing newer is in already."""
    backups = Record.objects.filter(system=system, kind=Record.Kind.BACKUP, indexed=None)
    newest = Indexed.objects.filter(system=system).aggregate(at=Max("record__taken_at"))["at"]
    if newest is not None:
        backups = backups.exclude(imported=True, taken_at__lt=newest)
    return backups.order_by("pk")


@transaction.atomic
def _take_next(system: System) -> bool:
    take_until_commit(Space.INDEX_OF_SYSTEM, system.pk)
    record = _waiting(system).first()
    if record is None:
        return False
    head, _ = Head.objects.get_or_create(system=system)
    head.number += 1
    feeding = _Feeding(system, head, record)
    feeding.run()
    head.save()
    Indexed.objects.create(system=system, record=record, number=head.number, top=feeding.top)
    return True


class _Feeding:
    """Takes one backup in."""

    def __init__(self, system: System, head: Head, record: Record) -> None:
        self.system, self.head, self.record = system, head, record
        self.new = open_snapshot(record)
        self.keys = self.new.schema.names.keys
        self.top = self._key(self.new.at)
        self.known = successors(system)
        self.rows: list[tuple[object, ...]] = []
        #: objects by the number of the version that ends with this backup
        self.closing: dict[int, int] = {}

    def run(self) -> None:
        """Write what changed, and remember the tree as the index knows it now."""
        head = head_tree(self.head)
        if head is None:
            self._against_rows()
            if not self.new.at:
                self._remember(self.new)
        else:
            self._against_tree(head)
        self._flush()
        closing = list(self.closing)
        for start in range(0, len(closing), _BATCH):
            Version.objects.filter(pk__in=closing[start : start + _BATCH]).update(
                last=self.head.number - 1
            )

    def _remember(self, tree: Snapshot) -> None:
        self.head.significant, self.head.facts = tree.root.significant, tree.root.facts
        self.head.schema, self.head.total = self.record.schema, tree.root.total

    # Before there is a backup of the whole system

    def _against_rows(self) -> None:
        """Compare with the versions that are open at and beneath the branch of this backup."""
        inside = Version.objects.filter(system=self.system, last=None)
        if self.new.at:
            inside = inside.filter(key__startswith=self.top)
        open_rows = {
            key: (pk, thing, bytes(digest))
            for pk, key, thing, digest in inside.values_list("pk", "key", "thing", "digest")
            if holds(self.top, key)
        }
        for node in self.new.walk():
            found = open_rows.pop(self._key(node.path), None)
            if found is None:
                self._add(node, self._thing_of(node), "new")
            elif found[2] != _digest(node):
                self.closing[found[0]] = found[1]
                self._add(node, found[1], "changed")
        self.closing |= {pk: thing for pk, thing, _ in open_rows.values()}

    # Afterwards

    def _against_tree(self, head: Snapshot) -> None:
        old: Snapshot | None = head
        tree = self.new
        if self.new.at:
            old = branch(head, self.new.at)
        if old is None:
            for node in self.new.walk():
                self._add(node, self._thing_of(node), "new")
        else:
            found = compare(old, self.new, successors=self.known)
            found = kept(found, Choice(), choice_of(self.record))
            self._take_in(found.differences)
            tree = self._with_not_kept(found) if found.not_kept else tree
        if not self.new.at:
            self._remember(tree)
            return
        draft = Draft(head)
        try:
            draft.graft(self.new.at, tree.top(), tree)
        except KeyError:  # nothing holds it in what the index knows
            return
        self._remember(draft.finish())

    def _with_not_kept(self, found: Comparison) -> Snapshot:
        """Return the new tree, and in it what its backup left out by choice, as it was before."""
        draft = Draft(self.new)
        whole = {self.keys(d.path) for d in found.not_kept}
        for difference in found.not_kept:
            if difference.left is not None and self.keys(difference.path[:-1]) not in whole:
                with suppress(KeyError):  # what held it is gone, and it with that
                    draft.graft(difference.path, difference.left, found.left)
        return draft.finish()

    def _take_in(self, differences: list[Difference]) -> None:
        left = [d.path for d in differences if d.left is not None]
        open_rows = self._open_at(left)
        moved = [d for d in differences if d.state == "moved"]
        along = [pair for d in moved for pair in self._moved_along(d)]
        open_rows |= self._open_at([before for before, _ in along])
        fresh: list[Difference] = []
        for difference in differences:
            if difference.state == "unreadable":
                continue  # what it is now is not known
            if difference.left is None:
                fresh.append(difference)
                continue
            row = open_rows.pop(self._key(difference.path), None)
            if row is not None:
                self.closing[row[0]] = row[1]
            if difference.right is not None:
                same = row is not None and difference.state != "recreated"
                thing = row[1] if same and row else self._thing_of(difference.right)
                self._add(difference.right, thing, difference.state, difference.attributes)
        for before, node in along:
            row = open_rows.pop(self._key(before), None)
            if row is not None:  # else it changed by itself as well, and has been told
                self.closing[row[0]] = row[1]
                self._add(node, row[1], "moved")
        for difference in fresh:
            assert difference.right is not None
            self._add(difference.right, self._thing_of(difference.right), "new")

    def _moved_along(self, difference: Difference) -> Iterator[tuple[Path, Node]]:
        """Yield all beneath a moved object: where each was, and what it is now."""
        assert difference.right is not None
        depth = len(difference.right.path)
        for node in self.new.walk(difference.right):
            if len(node.path) > depth:
                yield (*difference.path, *node.path[depth:]), node

    def _open_at(self, paths: Iterable[Path]) -> dict[str, tuple[int, int]]:
        wanted = [self._key(path) for path in paths]
        found: dict[str, tuple[int, int]] = {}
        for start in range(0, len(wanted), _BATCH):
            rows = Version.objects.filter(
                system=self.system, last=None, key__in=wanted[start : start + _BATCH]
            )
            found |= {key: (pk, thing) for pk, key, thing in rows.values_list("pk", "key", "thing")}
        return found

    # Writing

    def _thing_of(self, node: Node) -> int:
        """Return the number of the object that this is: one seen before, or a new one."""
        if self.head.number > 1:
            earlier = Version.objects.filter(system=self.system).order_by("-first")
            identity = node.entry.identity
            if identity is not None:
                before = [old for old, now in self.known.items() if now == identity]
                found = earlier.filter(identity__in=[identity, *before]).first()
            else:
                found = earlier.filter(key=self._key(node.path)).first()
            if found is not None and found.pk not in self.closing:
                return found.thing
        self.head.next_thing += 1
        return self.head.next_thing - 1

    def _add(self, node: Node, thing: int, state: str, attributes: tuple[str, ...] = ()) -> None:
        if node.entry.unreadable is not None:
            return
        entry = node.entry
        values = self.new.whole_attributes(entry)
        self.rows.append(
            (
                self.system.pk, thing, entry.identity, self._key(node.path), _json(node.path),
                entry.name, entry.name.casefold(), entry.kind, state, _json(attributes),
                _digest(node), self.head.number,
                vector(self.new.schema, entry.kind, entry.name, values),
            )
        )  # fmt: skip
        if len(self.rows) >= _BATCH:
            self._flush()

    def _flush(self) -> None:
        """Write the collected rows."""
        if self.rows:
            copy_rows(Version, _COLUMNS, self.rows)
            self.rows.clear()

    def _key(self, path: Path) -> str:
        return write_slash(self.keys(path))


def _json(texts: tuple[str, ...]) -> str:
    return msgspec.json.encode(texts).decode()


def _digest(node: Node) -> bytes:
    raw = node.entry.kind.encode() + b"\0" + bytes(node.entry.attributes)
    return blake2b(raw, digest_size=12).digest()
