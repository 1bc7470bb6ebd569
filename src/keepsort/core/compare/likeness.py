"""Moves without identity: objects that are alike, in different places.

Each object becomes a set of hashed features, one for every element of every attribute; MinHash
signatures (NumPy) estimate how much two sets share (A. Z. Broder, "On the resemblance and
containment of documents", 1997). Objects with a whole signature in common are looked up at once;
for the rest, bands of the signature find the candidates.
"""

from hashlib import blake2b

import msgspec
import numpy as np
from numpy.typing import NDArray

from keepsort.core.model import Path
from keepsort.core.snapshot import Node, Snapshot

_ROWS, _BANDS = 4, 16
_SIZE = _ROWS * _BANDS
_PRIME = np.uint64((1 << 61) - 1)
_random = np.random.default_rng(20)
_FACTORS = _random.integers(1, 1 << 31, _SIZE, dtype=np.uint64)
_OFFSETS = _random.integers(0, 1 << 61, _SIZE, dtype=np.uint64)
_LEAST_FEATURES = 2


def alike(
    left: Snapshot,
    right: Snapshot,
    only_left: dict[Path, Node],
    only_right: dict[Path, Node],
    threshold: float,
    dissolved: frozenset[Path] = frozenset(),
) -> list[tuple[Node, Node, float | None]]:
    """Pair objects that are at least `threshold` alike, best pairs first; they leave both lists."""
    keys = left.schema.names.keys
    barred = {keys(path) for path in dissolved}
    lefts = {
        k: f
        for k, n in only_left.items()
        if k not in barred and (f := _features(left, n)) is not None
    }
    rights = {k: f for k, n in only_right.items() if (f := _features(right, n)) is not None}
    if not lefts or not rights:
        return []
    found: list[tuple[float, Path, Path]] = []
    buckets: dict[tuple[str, int, bytes], list[Path]] = {}
    for key, (kind, features) in rights.items():
        for band, part in enumerate(_bands(features)):
            buckets.setdefault((kind, band, part), []).append(key)
    for key, (kind, features) in lefts.items():
        candidates: dict[Path, None] = {}
        for band, part in enumerate(_bands(features)):
            for other in buckets.get((kind, band, part), ())[:64]:
                candidates[other] = None
        for other in candidates:
            theirs = rights[other][1]
            shared = np.intersect1d(features, theirs, assume_unique=True).size
            similarity = shared / (features.size + theirs.size - shared)
            if similarity >= threshold:
                found.append((similarity, key, other))
    # the most alike first; where equal, those that kept their name, then in order of paths
    found.sort(key=lambda f: (-f[0], f[1][-1:] != f[2][-1:], f[1], f[2]))
    pairs: list[tuple[Node, Node, float | None]] = []
    for similarity, key, other in found:
        if key in only_left and other in only_right:
            pairs.append((only_left.pop(key), only_right.pop(other), round(similarity, 3)))
    return pairs


def _features(side: Snapshot, node: Node) -> tuple[str, NDArray[np.uint64]] | None:
    if node.entry.unreadable is not None or node.entry.identity is not None:
        return None
    hashes = []
    for name, value in side.attributes(node.entry).items():
        for part in value if isinstance(value, list) else (value,):
            raw = msgspec.msgpack.encode([name, repr(part)])
            hashes.append(int.from_bytes(blake2b(raw, digest_size=7).digest(), "big"))
    if len(hashes) < _LEAST_FEATURES:
        return None
    return node.entry.kind, np.unique(np.array(hashes, dtype=np.uint64))


def _bands(features: NDArray[np.uint64]) -> list[bytes]:
    small = features % np.uint64(1 << 31)
    signature = ((small[:, None] * _FACTORS + _OFFSETS) % _PRIME).min(axis=0)
    return [row.tobytes() for row in signature.reshape(_BANDS, _ROWS)]
