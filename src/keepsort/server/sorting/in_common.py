"""The same change in many objects, ready to be shown and picked at once."""

from dataclasses import dataclass
from weakref import WeakKeyDictionary

from keepsort.core.compare import CommonChange, Comparison, common_changes
from keepsort.core.compare.in_common import MOST
from keepsort.core.model import Path, is_beneath
from keepsort.server.problems import NotFound
from keepsort.server.sorting.showing import Showing, ShownAttribute
from keepsort.server.sorting.viewing import Seen

GROUPS_SHOWN = 100
_NAMED = 3


@dataclass
class ShownCommon:
    """A change that several objects have in common.

    number: what it is asked for by, in this view. attribute: as it is in the first of them.
    named: how the first of them are written.
    """

    number: int
    kind: str
    kind_label: str
    count: int
    attribute: ShownAttribute
    named: list[str]


@dataclass
class CommonFound:
    """Such changes, those of the most objects first.

    total: how many there are. unseen: how many differences were not looked through.
    """

    total: int
    unseen: int
    groups: list[ShownCommon]


_kept: WeakKeyDictionary[Comparison, list[CommonChange]] = WeakKeyDictionary()


def in_common(seen: Seen, path: Path | None = None, beneath: bool = False) -> CommonFound:
    """Return changes that objects have in common.

    path: only those that the object there shares with others; or, where `beneath` is asked for,
        those that objects of this branch have in common.
    """
    if beneath:
        found = groups_within(seen, path or ())
    else:
        found = [
            (number, group, group.paths)
            for number, group in enumerate(_found(seen))
            if path is None or _has(seen, group, path)
        ]
    show = Showing(seen.all.left, seen.all.right, seen.rules)
    schema = seen.all.left.schema
    groups = [
        ShownCommon(
            number=number,
            kind=group.kind,
            kind_label=schema.label(group.kind),
            count=len(paths),
            attribute=show.attribute(group.kind, group.first, None, group.paths[0]),
            named=[schema.notation.write(one) for one in paths[:_NAMED]],
        )
        for number, group, paths in found[:GROUPS_SHOWN]
    ]
    return CommonFound(len(found), max(len(seen.shown.differences) - MOST, 0), groups)


def groups_within(seen: Seen, branch: Path) -> list[tuple[int, CommonChange, list[Path]]]:
    """List changes that several objects of a branch have in common: number, change and places."""
    found = [(n, group, _within(seen, group, branch)) for n, group in enumerate(_found(seen))]
    return [one for one in found if len(one[2]) > 1]


def common_paths(seen: Seen, number: int, branch: Path = ()) -> list[Path]:
    """Return where in a branch objects are that have a change in common. Raises `NotFound`."""
    found = _found(seen)
    if number >= len(found):
        raise NotFound("There is no such change in common.", "Look again: the view has changed.")
    return _within(seen, found[number], branch)


def _within(seen: Seen, group: CommonChange, branch: Path) -> list[Path]:
    keys = seen.all.names.keys
    top = keys(branch)
    return [path for path in group.paths if is_beneath(keys(path), top)]


def _has(seen: Seen, group: CommonChange, path: Path) -> bool:
    keys = seen.all.names.keys
    return keys(path) in map(keys, group.paths)


def _found(seen: Seen) -> list[CommonChange]:
    found = _kept.get(seen.shown)
    if found is None:
        found = _kept[seen.shown] = common_changes(seen.all, seen.shown.differences)
    return found
