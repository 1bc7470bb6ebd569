"""Which words changed within lines that changed."""

import re
from collections import Counter
from collections.abc import Sequence

from keepsort.core.compare.text import diff

#: A line in pieces: equal and differing ones take turns, and the first (maybe empty) is equal.
Pieces = list[str]

_WORD = re.compile(r"\w+|\s+|[^\w\s]")
_HAS_WORD = re.compile(r"\w")
_LONGEST = 4000
_LEAST_ALIKE = 0.35
_MOST_PAIRS = 2500


def marked(left: Sequence[str], right: Sequence[str]) -> tuple[list[Pieces], list[Pieces]]:
    """Return the lines of both sides in pieces, with the words marked in which they differ.

    Lines are paired with those they resemble, in order; a line with no like is one piece.
    """
    ones: list[Pieces] = [["", line] for line in left]
    twos: list[Pieces] = [["", line] for line in right]
    for i, j in _paired(left, right):
        ones[i], twos[j] = pieces(left[i], right[j])
    return ones, twos


def pieces(left: str, right: str) -> tuple[Pieces, Pieces]:
    """Return two lines in pieces, equal and differing ones in turn."""
    if max(len(left), len(right)) > _LONGEST:
        return ["", left], ["", right]
    a, b = _WORD.findall(left), _WORD.findall(right)
    one: Pieces = []
    two: Pieces = []
    at_left = at_right = 0
    for hunk in diff(a, b):
        one += ["".join(a[at_left : hunk.left_start]), "".join(a[hunk.left_start : hunk.left_stop])]
        two += [
            "".join(b[at_right : hunk.right_start]),
            "".join(b[hunk.right_start : hunk.right_stop]),
        ]
        at_left, at_right = hunk.left_stop, hunk.right_stop
    return _without_crumbs([*one, "".join(a[at_left:])], [*two, "".join(b[at_right:])])


def _without_crumbs(one: Pieces, two: Pieces) -> tuple[Pieces, Pieces]:
    """Join differing pieces that only a space or a sign is between: what is left of a line then
    is easier to read than every full stop that two names share.
    """
    left, right = one[:1], two[:1]
    for at in range(1, len(one), 2):
        if len(left) > 1 and not _HAS_WORD.search(left[-1]):
            for line, new in ((left, one), (right, two)):
                crumb = line.pop()
                line[-1] += crumb + new[at]
                line.append(new[at + 1])
        else:
            left += one[at : at + 2]
            right += two[at : at + 2]
    return left, right


def _paired(left: Sequence[str], right: Sequence[str]) -> list[tuple[int, int]]:
    """Pair lines in order so that those paired are as alike as can be."""
    n, m = len(left), len(right)
    if not n or not m:
        return []
    if n == m == 1:
        return [(0, 0)]  # one line became one other, however little of it stayed
    if n * m > _MOST_PAIRS:
        return [(k, k) for k in range(min(n, m)) if _alike(left[k], right[k]) >= _LEAST_ALIKE]
    likeness = [[_alike(a, b) for b in right] for a in left]
    best = [[0.0] * (m + 1) for _ in range(n + 1)]
    for i in range(n - 1, -1, -1):
        for j in range(m - 1, -1, -1):
            both = likeness[i][j] + best[i + 1][j + 1] if likeness[i][j] >= _LEAST_ALIKE else 0.0
            best[i][j] = max(both, best[i + 1][j], best[i][j + 1])
    found = []
    i = j = 0
    while i < n and j < m and best[i][j] > 0:
        if best[i][j] == best[i + 1][j]:
            i += 1
        elif best[i][j] == best[i][j + 1]:
            j += 1
        else:
            found.append((i, j))
            i, j = i + 1, j + 1
    return found


def _alike(left: str, right: str) -> float:
    """Return how much of two lines' words is shared, from 0 to 1."""
    a, b = Counter(_WORD.findall(left)), Counter(_WORD.findall(right))
    size = sum(len(w) * c for w, c in a.items()) + sum(len(w) * c for w, c in b.items())
    shared = sum(len(w) * min(c, b[w]) for w, c in a.items() if not w.isspace())
    return 2 * shared / size if size else 1.0
