"""How a record stands beside another tree: what a file tells is put into that tree first."""

from collections.abc import Callable

from keepsort.core.compare.gaps import Nothing, filled, filled_tree
from keepsort.core.model import Attributes, Path, Schema, Value
from keepsort.core.model.masks import MARK, is_unknown, mark
from keepsort.core.plan.placing import Placed, place_parts, place_whole
from keepsort.core.snapshot import Snapshot
from keepsort.files.cells import fitted, raw_fitted
from keepsort.server import cycle_collector
from keepsort.server.caching import Kept
from keepsort.server.files.models import OpenedFile
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.systems.models import System
from keepsort.server.systems.vault import Vault

_KEPT_BYTES, _KEPT_SECONDS = 64 << 20, 1800
_Key = tuple[int, int, Path | None]


def _size(found: Placed) -> int:
    return 1000 + 200 * len(found.mentioned or ())


_kept: Kept[_Key, Placed] = Kept(_KEPT_BYTES, _size, _KEPT_SECONDS)


def standing(record: Record, beside: Record, at: Path | None = None) -> Placed:
    """Return the tree of a record as it is compared with another one.

    at: where an opened file hangs; where it says itself if None.
    Raises `Problem` where the two cannot stand beside each other.
    """
    if record.kind != Record.Kind.FILE and not record.gaps:
        return Placed(open_snapshot(record))
    return _kept.of((record.pk, beside.pk, at), lambda: _stood(record, beside, at))


def _stood(record: Record, beside: Record, at: Path | None) -> Placed:
    with cycle_collector.paused():
        return _placed(record, beside, at)


def _placed(record: Record, beside: Record, at: Path | None) -> Placed:
    tree, other = open_snapshot(record), open_snapshot(beside)
    if record.kind != Record.Kind.FILE:
        return Placed(filled_tree(tree, other, record.gaps))
    file = OpenedFile.objects.get(record=record)
    check_fits(file, beside.system)
    if at is not None and other.find(at) is None:
        raise Problem(
            f"There is no {other.schema.notation.write(at)} to hang the file beneath.",
            "Choose what is there.",
        )
    theirs = Vault(beside.system)
    understand = _understanding(_fitting(file), Vault(record.system), theirs, other.schema)
    try:
        if file.whole and at is None:
            found = place_whole(tree, other, understand)
        else:
            found = place_parts(tree, other, at, understand, _Kinds(other))
    except KeyError:
        raise Problem(
            "Nothing of this file has a place here.", "Choose what it is to hang beneath."
        ) from None
    theirs.flush()
    return found


def check_fits(file: OpenedFile, system: System) -> None:
    """See that a file can be of a system like this one. Raises `Problem`."""
    connector = file.record.system.connector
    if connector and connector != system.connector and not system.is_file:
        raise Problem(
            f"The file is of a {connector} system, and {system} is none.",
            "Choose a system of the same kind.",
        )


def _fitting(file: OpenedFile) -> Callable[..., Value] | None:
    """Return what makes values of what a file without types tells; None where it has types."""
    if not file.cells:
        return None
    return raw_fitted if file.form == "ldif" else fitted


def _understanding(
    fit: Callable[..., Value] | None, ours: Vault, theirs: Vault, schema: Schema
) -> Callable[[str, str, Value, Value | Nothing], Value]:
    """Return what makes of a file's value one that the other system would have."""

    def secret(value: Value) -> Value:
        if is_unknown(value):
            return value
        kept = ours.reveal(value) if isinstance(value, str) else None
        raw = kept if kept is not None else value
        return theirs.digest(raw if isinstance(raw, bytes) else str(raw).encode())

    def known(found: str) -> str:
        kept = None if is_unknown(found) else ours.reveal(found)
        return mark(theirs.digest(kept) if kept is not None else found)

    def text(value: Value) -> Value:
        if isinstance(value, str):
            if not MARK.search(value):
                return value
            return MARK.sub(lambda found: known(found[1]), value)
        if isinstance(value, list):
            return [text(one) for one in value]
        if isinstance(value, dict):
            return {k: text(one) for k, one in value.items()}
        return value

    def understood(kind: str, name: str, told: Value, now: Value | Nothing) -> Value:
        spec = schema.spec(kind, name)
        if spec.secret:
            value = [secret(one) for one in told] if isinstance(told, list) else secret(told)
            if isinstance(now, str) and isinstance(value, list) and len(value) == 1:
                value = value[0]
            return filled(value, now)
        value = told
        if fit is not None:
            value = fit(told, now, spec)
        return filled(text(value), now)

    return understood


class _Kinds:
    """Tells of what kind an object is by its classes, as others with the same ones are."""

    def __init__(self, tree: Snapshot) -> None:
        self._tree = tree
        self._known: dict[frozenset[str], str] | None = None

    def __call__(self, attributes: Attributes) -> str:
        told = _classes(attributes)
        if not told:
            return ""
        if self._known is None:
            nodes = self._tree.walk()
            self._known = {_classes(self._tree.attributes(n.entry)): n.entry.kind for n in nodes}
        found = self._known.get(told)
        if found is not None:
            return found
        known = [kind for kind in self._tree.schema.kinds if kind.lower() in told]
        return known[-1] if known else ""


def _classes(attributes: Attributes) -> frozenset[str]:
    found = attributes.get("objectClass")
    return frozenset(str(one).lower() for one in found) if isinstance(found, list) else frozenset()
