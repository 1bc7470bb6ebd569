"""What may be a move, without identity to tell: objects alike, with all in them, elsewhere.

Each object becomes a set of hashed features. Equal sets are looked up at once. For the rest,
MinHash signatures (NumPy) find candidates by bands (A. Z. Broder, "On the resemblance and
containment of documents", 1997), and the sets themselves tell how alike they are.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from itertools import chain

import numpy as np
from numpy.typing import NDArray

from keepsort.core.compare.features import Thing, things
from keepsort.core.model import Path
from keepsort.core.snapshot import Node, Snapshot

_ROWS, _BANDS = 4, 16
_SIZE = _ROWS * _BANDS
_random = np.random.default_rng(20)
#: Multiply-add hashing modulo 2 to the 64th: the factors are odd, and high bits are compared first.
_FACTORS = _random.integers(1 << 61, 1 << 63, _SIZE, dtype=np.uint64) | np.uint64(1)
_OFFSETS = _random.integers(0, 1 << 63, _SIZE, dtype=np.uint64)
#: Odd numbers, so that rows mixed into one number for their band can be told apart, and bands too.
_MIXERS = _random.integers(1 << 61, 1 << 63, _SIZE, dtype=np.uint64) | np.uint64(1)
#: How many objects of equal signature are looked at; with more, they are not told apart anyway.
_CANDIDATES = 64
#: With more objects than this on one side, only equal ones are looked for.
_MOST_SIMILAR = 20_000
#: How many features are hashed at once.
_AT_ONCE = 1024
_FEW = 200

_Pair = tuple[Node, Node, float]


def alike(
    left: Snapshot,
    right: Snapshot,
    only_left: dict[Path, Node],
    only_right: dict[Path, Node],
    threshold: float,
    preferred: frozenset[tuple[Path, Path]] = frozenset(),
) -> list[_Pair]:
    """Pair objects that are at least `threshold` alike, best pairs first.

    What stands in the same place of a paired branch comes along with it and is not paired itself.
    Objects that bear different identities are never paired: the system says that they differ.
    preferred: pairs that go before others, by their paths as they compare.
    """
    # what has another object in its own place has not gone elsewhere
    lefts = things(left, only_left, only_right)
    rights = things(right, only_right, only_left)
    if not lefts or not rights:
        return []
    pairing = _Pairing(dict(only_left), dict(only_right), preferred)
    pairing.take(_equal(lefts, rights))
    if max(len(lefts), len(rights)) <= _MOST_SIMILAR:
        pairing.take(_similar(lefts, rights, pairing, threshold))
    return pairing.topmost()


_Found = tuple[float, Path, Path]


class _Pairing:
    """Pairs made so far."""

    def __init__(
        self,
        only_left: dict[Path, Node],
        only_right: dict[Path, Node],
        preferred: frozenset[tuple[Path, Path]],
    ) -> None:
        self.only_left, self.only_right = only_left, only_right
        self._preferred = preferred
        self.pairs: list[_Pair] = []
        self._to_right: dict[Path, Path] = {}
        self._to_left: dict[Path, Path] = {}

    def take(self, found: list[_Found]) -> None:
        """Take pairs, the most alike first; then nearest the root, same names, and in order."""
        found.sort(
            key=lambda f: (
                f[1:] not in self._preferred, -f[0], len(f[1]), f[1][-1:] != f[2][-1:], f[1], f[2]
            )
        )  # fmt: skip
        for similarity, one, two in found:
            if self.is_free(one, two):
                a, b = self.only_left.pop(one), self.only_right.pop(two)
                self.pairs.append((a, b, round(similarity, 3)))
                self._to_right[one], self._to_left[two] = two, one

    def topmost(self) -> list[_Pair]:
        """Return the pairs without those that come along with a pair they lie beneath."""
        return [
            pair
            for one, pair in zip(self._to_right, self.pairs, strict=True)
            if not self._lies_within(one)
        ]

    def _lies_within(self, one: Path) -> bool:
        above = ((depth, self._to_right.get(one[:depth])) for depth in range(1, len(one)))
        return any(
            place is not None and place + one[depth:] == self._to_right[one]
            for depth, place in above
        )

    def is_free(self, one: Path, two: Path) -> bool:
        """Tell whether both can be paired: neither is, nor comes along with what holds it."""
        return (
            one in self.only_left
            and two in self.only_right
            and not (self.only_left[one].entry.identity and self.only_right[two].entry.identity)
            and not _comes_along(one, self._to_right, self.only_right)
            and not _comes_along(two, self._to_left, self.only_left)
        )


def _comes_along(path: Path, places: dict[Path, Path], there: dict[Path, Node]) -> bool:
    for depth in range(len(path) - 1, 0, -1):
        place = places.get(path[:depth])
        if place is not None:
            return (*place, *path[depth:]) in there
    return False


def _equal(lefts: dict[Path, Thing], rights: dict[Path, Thing]) -> list[_Found]:
    """List pairs of objects with equal features; of many that are equal, those of one name."""
    groups: dict[Thing, list[Path]] = defaultdict(list)
    for path, thing in rights.items():
        groups[thing].append(path)
    found = []
    for path, thing in lefts.items():
        others = groups.get(thing, [])
        if len(others) > _CANDIDATES:
            others = [other for other in others if other[-1] == path[-1]][:_CANDIDATES]
        found += [(1.0, path, other) for other in others]
    return found


def _similar(
    lefts: dict[Path, Thing], rights: dict[Path, Thing], pairing: _Pairing, threshold: float
) -> list[_Found]:
    """List pairs of objects that are alike."""
    ours, theirs = _bands(lefts), _bands(rights)
    buckets: dict[tuple[str, int], list[Path]] = defaultdict(list)
    for path, thing, bands in _meeting(rights, theirs, ours):
        for band in bands:
            buckets[thing.kind, band].append(path)
    found = []
    for path, thing, bands in _meeting(lefts, ours, theirs):
        candidates: dict[Path, None] = {}
        for band in bands:
            for other in buckets.get((thing.kind, band), ())[:_CANDIDATES]:
                candidates[other] = None
        for other in candidates:
            if pairing.is_free(path, other):
                features = rights[other].features
                shared = _shared(thing.features, features)
                similarity = shared / (len(thing.features) + len(features) - shared)
                if similarity >= threshold:
                    found.append((similarity, path, other))
    return found


def _shared(some: tuple[int, ...], others: tuple[int, ...]) -> int:
    """Count what two sorted tuples have in common."""
    if len(some) + len(others) < _FEW:  # here NumPy takes longer to begin than Python to do it
        return len(set(some).intersection(others))
    return int(np.intersect1d(_array(some), _array(others), assume_unique=True).size)


def _bands(many: dict[Path, Thing]) -> NDArray[np.uint64]:
    """Return the signature of each thing: a row with a number for each band."""
    found = []
    for some in _together(thing.features for thing in many.values()):
        begins = np.cumsum([0, *(len(features) for features in some[:-1])])
        hashed = _array(chain.from_iterable(some))[:, None] * _FACTORS
        hashed += _OFFSETS
        signatures = np.minimum.reduceat(hashed, begins, axis=0) * _MIXERS
        found.append(np.bitwise_xor.reduce(signatures.reshape(-1, _BANDS, _ROWS), axis=2))
    return np.concatenate(found)


def _together(many: Iterable[tuple[int, ...]]) -> Iterator[list[tuple[int, ...]]]:
    """Yield some at a time, so many that their hashes take little memory."""
    some, size = [], 0
    for features in many:
        some.append(features)
        size += len(features)
        if size >= _AT_ONCE:
            yield some
            some, size = [], 0
    if some:
        yield some


def _meeting(
    many: dict[Path, Thing], bands: NDArray[np.uint64], others: NDArray[np.uint64]
) -> Iterator[tuple[Path, Thing, list[int]]]:
    """Yield the things that have bands in common with the others, and which those are."""
    sought = np.sort(others, axis=None)  # as np.isin does, which takes 30 ms when first called
    at = np.minimum(np.searchsorted(sought, bands), sought.size - 1)
    common = sought[at] == bands
    waiting = list(many.items())
    for number in np.flatnonzero(common.any(axis=1)).tolist():
        yield *waiting[number], bands[number][common[number]].tolist()


def _array(features: Iterable[int]) -> NDArray[np.uint64]:
    return np.fromiter(features, np.uint64)
