"""Comparisons of two records, kept while people look at them."""

from collections.abc import Mapping, Sequence

import msgspec

from keepsort.core.compare import LIKENESS, Accepted, Comparison, Rules, compare
from keepsort.core.compare.choices import kept
from keepsort.core.model import Path, is_beneath
from keepsort.core.plan import Pick, Sourced, gather
from keepsort.core.plan.placing import Placed
from keepsort.core.snapshot import (
    Draft,
    FormerName,
    Snapshot,
    branch,
    by_newer_names,
    with_former_names,
)
from keepsort.server import cycle_collector
from keepsort.server.caching import Kept
from keepsort.server.files.standing import standing
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import choice_of, open_snapshot
from keepsort.server.sorting.shared import shared
from keepsort.server.systems.models import System
from keepsort.server.systems.services import newest_successor, successors

#: A difference, and what was read to find it, takes about so many bytes.
_BYTES_EACH, _BYTES_LEAST = 1500, 100_000
_KEPT_BYTES = 128 << 20
#: Less than chunks are spared that only a comparison stands on.
_KEPT_SECONDS = 1800


class Terms(msgspec.Struct, frozen=True):
    """What two trees are compared by.

    rules: what does not count; those saved for the system where None.
    likeness: how alike a missing and an extra object must be to be suggested as the same.
    accepted: suggestions that a person has accepted, each by both its places.
    hangs: what an opened file is put beneath; where it says itself if None.
    renamed: what attributes were called formerly; as saved for the system where None.
    """

    rules: Rules | None = None
    likeness: float = LIKENESS
    accepted: Accepted = frozenset()
    hangs: Path | None = None
    renamed: tuple[FormerName, ...] | None = None


def _size(found: Comparison) -> int:
    return _BYTES_LEAST + _BYTES_EACH * len(found.differences)


_Key = tuple[bytes, bytes, Terms, int, int]
_encode = msgspec.json.Encoder(order="deterministic").encode
_kept: Kept[_Key, Comparison] = Kept(_KEPT_BYTES, _size, _KEPT_SECONDS)
_AS_SAVED = Terms()


def saved_rules(system: System) -> Rules:
    """Return the ignore rules that were saved for a system."""
    return msgspec.convert(system.rules, Rules)


def saved_names(system: System) -> tuple[FormerName, ...]:
    """Return what attributes were called formerly, as saved for a system."""
    return msgspec.convert(system.former_names, tuple[FormerName, ...])


def joined(known: Sequence[FormerName], others: Sequence[FormerName]) -> tuple[FormerName, ...]:
    """Return former names with others, which hold where both say something of an attribute."""
    said = {(one.kind, one.now) for one in others}
    return (*(one for one in known if (one.kind, one.now) not in said), *others)


def save_names(system: System, names: Sequence[FormerName]) -> None:
    """Save what attributes of a system were called formerly."""
    system.former_names = msgspec.to_builtins(list(names))
    system.save(update_fields=["former_names"])


def settled(terms: Terms, system: System) -> Terms:
    """Return terms that say which rules and former names hold."""
    return msgspec.structs.replace(
        terms,
        rules=terms.rules if terms.rules is not None else saved_rules(system),
        renamed=terms.renamed if terms.renamed is not None else saved_names(system),
    )


def compared(left: Record, right: Record, terms: Terms = _AS_SAVED) -> Comparison:
    """Return the comparison of two records; it stays the same until something is restored.

    Records that hold the same share it, so that a look that finds nothing new costs nothing.
    """
    terms = settled(terms, right.system)
    system = right.system
    key = (contents(left), contents(right), terms, system.pk, newest_successor(system))
    if Record.Kind.FILE in (left.kind, right.kind) or left.at != right.at:
        # put together for this one time
        return _kept.of(key, lambda: _compared(left, right, terms))
    return _kept.of(
        key,
        lambda: shared(
            _encode(key), lambda: _trees(left, right, terms), lambda: _compared(left, right, terms)
        ),
    )


def _trees(left: Record, right: Record, terms: Terms) -> tuple[Snapshot, Snapshot]:
    """Return both trees as a comparison of them holds them."""
    theirs = with_former_names(open_snapshot(right), terms.renamed or ())
    return by_newer_names(open_snapshot(left), theirs.schema), theirs


def hidden_by(left: Record, right: Record, terms: Terms, rules: Rules) -> int:
    """Return of how many objects these rules would hide something, by themselves.

    Nothing of it is kept: what a rule would do is asked far more often than it is used.
    """
    alone = msgspec.structs.replace(settled(terms, right.system), rules=rules)
    return len(_compared(left, right, alone).hidden)


def contents(record: Record) -> bytes:
    """Return what stands for all of a record that its comparisons depend on."""
    pages = (record.significant, record.facts or b"", record.schema)
    own = record.pk if record.kind == Record.Kind.FILE else 0
    return _encode(
        [*(bytes(page).hex() for page in pages), record.at, record.choice, record.gaps, own]
    )


def _compared(left: Record, right: Record, terms: Terms) -> Comparison:
    ours, theirs = _beside(left, right, terms)
    found = compare_trees(ours.tree, theirs.tree, terms, successors(right.system))
    found = kept(found, choice_of(left), choice_of(right))
    mentioned = ours.mentioned if ours.mentioned is not None else theirs.mentioned
    return found if mentioned is None else found.mentioning(mentioned)


def _beside(left: Record, right: Record, terms: Terms) -> tuple[Placed, Placed]:
    """Return both trees as they are compared; what one of them is a file of is put beside it."""
    if right.kind == Record.Kind.FILE and left.kind != Record.Kind.FILE:
        return Placed(open_snapshot(left)), standing(right, left, terms.hangs)
    return standing(left, right, terms.hangs), Placed(open_snapshot(right))


def compare_trees(
    left: Snapshot, right: Snapshot, terms: Terms, known: Mapping[str, str]
) -> Comparison:
    """Compare two trees; where one holds less than the other, only what both cover counts."""
    if left.at == right.at:
        return _compare(left, right, terms, known)
    if right.at[: len(left.at)] == left.at:
        part = branch(left, right.at)
        if part is None:
            raise Problem(
                "The two hold different branches, and nothing of one is in the other.",
                "Compare it with a backup that holds this branch.",
            )
        return _compare(part, right, terms, known)
    if left.at[: len(right.at)] == right.at:
        whole = grafted(left, right)
        found = _compare(whole, right, terms, known)
        return found.covering(left.at, whole.root.total - left.root.total)
    raise Problem("The two hold different branches.", "Compare backups of the same branch.")


def _compare(left: Snapshot, right: Snapshot, terms: Terms, known: Mapping[str, str]) -> Comparison:
    right = with_former_names(right, terms.renamed or ())
    with cycle_collector.paused():
        return compare(
            left, right, terms.rules or Rules(),
            likeness=terms.likeness, accepted=terms.accepted, successors=known,
        )  # fmt: skip


def compared_with(
    left: Record,
    right: Record,
    picks: Sequence[Pick],
    others: Sequence[tuple[Pick, Record]],
    terms: Terms = _AS_SAVED,
) -> Comparison:
    """Compare a backup that has in it what is picked from other backups of the system.

    picks: those of the backup itself; within a branch of another backup, they go before it.
    Raises `Problem` if a pick cannot be made of its backup.
    """
    if not others:
        return compared(left, right, terms)
    for _, record in others:
        if record.system_id != right.system_id and record.kind != Record.Kind.FILE:
            raise Problem("What is picked comes from another system.", "Put it there from Sort.")
    ours, theirs = _beside(left, right, terms)
    tree, live = ours.tree, theirs.tree
    keys = tree.schema.names.keys
    if not all(is_beneath(keys(pick.path), keys(tree.at)) for pick, _ in others):
        tree = grafted(tree, live)
    branches = [keys(pick.path) for pick, _ in others if pick.scope == "branch"]
    sourced = [Sourced(pick, _beside(record, right, terms)[0].tree) for pick, record in others] + [
        Sourced(pick, tree)
        for pick in picks
        if pick.scope in ("object", "attributes")
        and any(is_beneath(keys(pick.path), branch) for branch in branches)
        and tree.find(pick.path) is not None
    ]
    try:
        tree = gather(tree, live, sourced)
    except KeyError as error:
        place = tree.schema.notation.write(error.args[0])
        raise Problem(
            f"{place} cannot be taken from the backup that it is picked from: it is not in it, or "
            "another object stands where it belongs.",
            "Let it go from the tray, and pick it anew.",
        ) from None
    found = compare_trees(tree, live, settled(terms, right.system), successors(right.system))
    return kept(found, choice_of(left), choice_of(right))


def grafted(branch: Snapshot, whole: Snapshot) -> Snapshot:
    """Return `whole` with one branch of it as it is in `branch`.

    An object that has left the branch is taken from where it stands now, so that it is told as
    moved and not as missing.
    """
    try:
        result = _graft(branch, whole, set())
    except KeyError:
        raise Problem(
            "What should hold this branch does not exist on the other side.",
            "Use a backup of a larger branch, or create what should hold it first.",
        ) from None
    wanting = {
        d.left.entry.identity
        for d in compare(result, whole).differences
        if d.state == "missing" and d.left is not None and d.left.entry.identity
    }
    return _graft(branch, whole, wanting) if wanting else result


def _graft(branch: Snapshot, whole: Snapshot, moved_out: set[str]) -> Snapshot:
    draft = Draft(whole)
    draft.graft(branch.at, branch.top(), branch)
    if moved_out:
        keys = whole.schema.names.keys
        inside = keys(branch.at)
        gone: Path | None = None
        for node in whole.walk():
            place = keys(node.path)
            if gone is not None and is_beneath(place, gone):
                continue  # it went with what holds it
            # what holds the branch stays, whatever it was before
            if node.entry.identity in moved_out and not (
                is_beneath(place, inside) or is_beneath(inside, place)
            ):
                draft.remove(node.path)
                gone = place
    return draft.finish()
