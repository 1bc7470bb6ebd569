"""What a comparison found."""

from bisect import bisect_left
from collections import Counter
from collections.abc import Callable, Iterable
from functools import cached_property
from itertools import accumulate
from typing import Literal

import msgspec

from keepsort.core.model import NameRule, Path, is_beneath
from keepsort.core.snapshot import Node, Snapshot

#: How live differs, from the backup's point of view.
State = Literal["missing", "extra", "changed", "moved", "recreated", "unreadable"]
STATES: tuple[State, ...] = ("changed", "moved", "recreated", "missing", "extra", "unreadable")


#: A missing and an extra object that are at least this much alike are suggested to be the same,
#: unless another measure is asked for.
LIKENESS = 0.6
_FEW = 64


class Difference(msgspec.Struct, frozen=True, kw_only=True):
    """One object that differs.

    path: where the object is in the backup; for an extra one, where it is live.
    live_path: where it is live; None where it is missing.
    attributes: names of those that differ, consequences of a move left out.
    left, right: the object on both sides.
    similarity: for a move that a person accepted on likeness alone, how alike, from 0 to 1.
    """

    path: Path
    live_path: Path | None
    state: State
    kind: str
    attributes: tuple[str, ...] = ()
    left: Node | None = None
    right: Node | None = None
    similarity: float | None = None

    @property
    def node(self) -> Node:
        """The object, on the side that has it."""
        found = self.left or self.right
        assert found is not None
        return found


class Consequence(msgspec.Struct, frozen=True):
    """A reference that differs only because what it names was moved."""

    path: Path
    attribute: str
    moved: Path


class Suggestion(msgspec.Struct, frozen=True):
    """A guess: that a missing object is an extra one that is like it, from 0 to 1.

    It changes nothing until a person accepts it.
    """

    path: Path
    live_path: Path
    similarity: float


class Comparison:
    """All differences between two snapshots, in order of their paths.

    suggestions: which missing objects may be extra ones.
    unknown: how many objects of the backup lie where live may not be read, beneath others.
    hidden: how many differences the ignore rules keep from sight.
    same: how many objects of the backup are the same live.
    covers: the branch that both sides tell of. Where the left was completed from the right,
        `outside` objects of it are not the backup's own, and nothing is said of them.
    mentioned: of a file that tells of some objects only, which these are, as paths compare.
    not_kept: what one side has and the other left out by choice: nothing is said of it.
    """

    def __init__(
        self,
        left: Snapshot,
        right: Snapshot,
        differences: Iterable[Difference],
        consequences: Iterable[Consequence] = (),
        hidden: Iterable[Difference] = (),
        suggestions: Iterable[Suggestion] = (),
        unknown: int = 0,
        outside: int = 0,
        covers: Path | None = None,
        mentioned: frozenset[Path] | None = None,
        not_kept: Iterable[Difference] = (),
    ) -> None:
        self.left = left
        self.right = right
        self.names: NameRule = left.schema.names
        keyed = [(self.names.keys(d.path), d) for d in differences]
        keyed.sort(key=lambda pair: (pair[0], pair[1].state))
        #: paths of the differences in the form that compares, in order
        self.keys = [key for key, _ in keyed]
        self.differences = [d for _, d in keyed]
        self.consequences = list(consequences)
        self.hidden = list(hidden)
        self.suggestions = list(suggestions)
        self.unknown = unknown
        self.outside = outside
        self.covers = left.at if covers is None else covers
        self.mentioned = mentioned
        self.not_kept = list(not_kept)

    @cached_property
    def tally(self) -> dict[str, int]:
        """Objects by the way they differ."""
        return dict(Counter(d.state for d in self.differences))

    @property
    def same(self) -> int:
        """Objects of the backup that are the same live."""
        differing = sum(d.left is not None for d in self.differences)
        return self.left.root.total - self.outside - differing - self.unknown

    def is_covered(self, path: Path) -> bool:
        """Tell whether a path lies in what both sides tell of."""
        keys = self.names.keys(path)
        if self.mentioned is not None and keys not in self.mentioned:
            return False
        if keys in self._left_out:
            return False
        return is_beneath(keys, self.names.keys(self.covers))

    @cached_property
    def _left_out(self) -> frozenset[Path]:
        return frozenset(self.names.keys(d.path) for d in self.not_kept)

    @cached_property
    def top(self) -> Path:
        """The nearest place above all that is covered and all that differs.

        What an object of the branch holds by now may stand elsewhere, where it was moved to.
        """
        places = [self.names.keys(self.covers), *self.keys[:1], *self.keys[-1:]]
        depth = next(
            (n for n, names in enumerate(zip(*places, strict=False)) if len(set(names)) > 1), None
        )
        return self.covers[: min(map(len, places)) if depth is None else depth]

    def covering(self, branch: Path, outside: int) -> "Comparison":
        """Return the comparison as one of a branch, of which the left holds no more.

        outside: how many objects of the left were taken from the right.
        """
        return self._with(self.differences, outside, branch)

    def mentioning(self, places: frozenset[Path]) -> "Comparison":
        """Return the comparison as one of a file that tells of the objects at some places only."""
        of_left = sum(self.left.find(place) is not None for place in places)
        found = self._with(self.differences, self.left.root.total - of_left, self.covers)
        found.mentioned = places
        return found

    def _with(self, differences: Iterable[Difference], outside: int, covers: Path) -> "Comparison":
        return Comparison(
            self.left, self.right, differences, self.consequences, self.hidden,
            self.suggestions, self.unknown, outside, covers, self.mentioned, self.not_kept,
        )  # fmt: skip

    def keeping(self, is_kept: Callable[[Difference], bool]) -> "Comparison":
        """Return the comparison without what one side left out by choice."""
        # in the order of their paths: who asks may go by what holds an object
        left_out = [d for d in self.differences if not is_kept(d)]
        if not left_out:
            return self
        of_left = sum(d.left is not None for d in left_out)
        gone = {id(d) for d in left_out}
        found = self._with(
            [d for d in self.differences if id(d) not in gone], self.outside + of_left, self.covers
        )
        found.not_kept = left_out
        places = {self.names.keys(d.path) for d in left_out}
        found.suggestions = [
            s
            for s in self.suggestions
            if self.names.keys(s.path) not in places and self.names.keys(s.live_path) not in places
        ]
        return found

    def chosen(self, wanted: Callable[[Difference], bool]) -> "Comparison":
        """Return the comparison with only some of its differences."""
        some = [d for d in self.differences if wanted(d)]
        found = self._with(some, self.outside, self.covers)
        # where objects stand does not depend on what is shown
        found.moves = self.moves
        return found

    def range(self, key: Path) -> tuple[int, int]:
        """Return where the differences at and beneath a path begin and end in the list.

        key: the path in the form that compares.
        """
        return bisect_left(self.keys, key), self.after(key)

    def after(self, key: Path) -> int:
        """Return where the differences begin that come after a whole branch."""
        if not key:
            return len(self.keys)
        # the smallest key after the whole branch
        return bisect_left(self.keys, (*key[:-1], key[-1] + "\0"))

    def beneath(self, path: Path) -> list[Difference]:
        """List the differences at `path` and beneath it."""
        first, last = self.range(self.names.keys(path))
        return self.differences[first:last]

    def tally_beneath(self, path: Path) -> dict[str, int]:
        """Count the differences at `path` and beneath it, by state."""
        return self.tally_of(*self.range(self.names.keys(path)))

    def tally_of(self, first: int, last: int) -> dict[str, int]:
        """Count a run of the list by state, without a look at each of them."""
        if last - first <= _FEW:
            return dict(Counter(d.state for d in self.differences[first:last]))
        counts = {s: sums[last] - sums[first] for s, sums in self._running.items()}
        return {state: count for state, count in counts.items() if count}

    @cached_property
    def _running(self) -> dict[str, list[int]]:
        """For each state, how many there are before each place of the list."""
        return {
            state: list(accumulate((d.state == state for d in self.differences), initial=0))
            for state in self.tally
        }

    def at(self, path: Path) -> list[Difference]:
        """List the differences at `path` itself: two where one object took another's place."""
        key = self.names.keys(path)
        found = []
        for number in range(bisect_left(self.keys, key), len(self.keys)):
            if self.keys[number] != key:
                break
            found.append(self.differences[number])
        return found

    def suggestion(self, path: Path, *, live: bool = False) -> Suggestion | None:
        """Return what is suggested of the missing, or live: of the extra, object at a path."""
        return self._suggested[live].get(self.names.keys(path))

    @cached_property
    def _suggested(self) -> tuple[dict[Path, Suggestion], dict[Path, Suggestion]]:
        keys = self.names.keys
        return (
            {keys(s.path): s for s in self.suggestions},
            {keys(s.live_path): s for s in self.suggestions},
        )

    @cached_property
    def moves(self) -> list[Difference]:
        """The moved objects, those nearest the root first."""
        return sorted(
            (d for d in self.differences if d.state == "moved"), key=lambda d: len(d.path)
        )

    @cached_property
    def _to_live(self) -> dict[Path, Path]:
        return {self.names.keys(d.path): d.live_path for d in self.moves if d.live_path is not None}

    @cached_property
    def _to_backup(self) -> dict[Path, Path]:
        return {self.names.keys(d.live_path): d.path for d in self.moves if d.live_path is not None}

    def live_path(self, path: Path) -> Path:
        """Return where the object at `path` in the backup stands live, if it was moved."""
        return translate(self._to_live, self.names, path)

    def backup_path(self, path: Path) -> Path:
        """Return where the object at `path` live stands in the backup, if it was moved."""
        return translate(self._to_backup, self.names, path)


def translate(places: dict[Path, Path], names: NameRule, path: Path) -> Path:
    """Return `path` with its longest prefix that is in `places` put in the other place."""
    if not places:
        return path
    keys = names.keys(path)
    for depth in range(len(keys), -1, -1):
        found = places.get(keys[:depth])
        if found is not None:
            return (*found, *path[depth:])
    return path
