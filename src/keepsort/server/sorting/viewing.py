"""What a person looks at: two records, the terms they are compared by, and what of it is shown."""

from collections import OrderedDict
from dataclasses import dataclass, field
from threading import Lock
from weakref import WeakKeyDictionary

import msgspec

from keepsort.core.compare import Comparison, Filter, Rules, filtered, match_names
from keepsort.core.model import Path
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import find_record
from keepsort.server.sorting.comparing import Terms, compared, saved_rules
from keepsort.server.sorting.listing import find_list

_MISSING_SHOWN = 200
_VIEWS_KEPT = 4
_lock = Lock()


class View(msgspec.Struct, frozen=True):
    """Two records by their numbers, and how they are looked at.

    since: number of a backup; only what differs from it too is shown.
    listed: number of a pasted list; only what it names is shown.
    """

    left: int
    right: int
    terms: Terms = Terms()
    filter: Filter = Filter()
    since: int | None = None
    listed: int | None = None


@dataclass
class Seen:
    """A view, opened.

    all: the whole comparison. shown: what the filters let through; tally: the same, but with
    every kind of difference. missing: lines of the pasted list that name nothing that differs.
    """

    left: Record
    right: Record
    rules: Rules
    terms: Terms
    all: Comparison
    shown: Comparison
    tally: dict[str, int]
    missing: list[str] = field(default_factory=list)
    missing_count: int = 0


#: The latest views of each comparison; what they show never changes.
_kept: WeakKeyDictionary[Comparison, OrderedDict[View, Seen]] = WeakKeyDictionary()


def open_view(view: View) -> Seen:
    """Compare what is looked at, and filter. Raises `Problem`."""
    left, right = find_record(view.left), find_record(view.right)
    found = compared(left, right, view.terms)
    with _lock:
        kept = _kept.setdefault(found, OrderedDict())
        if view in kept:
            kept.move_to_end(view)
            return kept[view]
    opened = _filtered(view, left, right, found)
    with _lock:
        kept[view] = opened
        while len(kept) > _VIEWS_KEPT:
            kept.popitem(last=False)
    return opened


def _filtered(view: View, left: Record, right: Record, found: Comparison) -> Seen:
    rules = saved_rules(right.system) if view.terms.rules is None else view.terms.rules
    since = None
    if view.since is not None:
        older = _older(view.since, right)
        since = compared(older, right, view.terms)
        if not since.is_covered(found.covers):
            raise Problem(
                "That backup holds only "
                f"{found.left.schema.notation.write(since.covers)}; what changed since is not "
                "known of the rest.",
                "Choose a backup that holds all that is compared here.",
            )
    among: frozenset[Path] | None = None
    missing: list[str] = []
    if view.listed is not None:
        among, missing = match_names(found, find_list(view.listed))
    every_state = msgspec.structs.replace(view.filter, states=frozenset())
    wide = filtered(found, every_state, among=among, since=since)
    shown = filtered(wide, Filter(states=view.filter.states))
    return Seen(
        left,
        right,
        rules,
        view.terms,
        found,
        shown,
        wide.tally,
        missing[:_MISSING_SHOWN],
        len(missing),
    )


def _older(number: int, right: Record) -> Record:
    record = find_record(number)
    if record.system_id != right.system_id:
        raise Problem("That backup is of another system.", "Choose one of this system.")
    return record


def facets(comparison: Comparison) -> tuple[dict[str, int], dict[str, int]]:
    """Count the differences by kind of object, and by attribute that differs."""
    kinds: dict[str, int] = {}
    attributes: dict[str, int] = {}
    for difference in comparison.differences:
        kinds[difference.kind] = kinds.get(difference.kind, 0) + 1
        for name in difference.attributes:
            attributes[name] = attributes.get(name, 0) + 1
    return kinds, attributes
