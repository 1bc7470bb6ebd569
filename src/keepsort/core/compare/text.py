"""The line differ: Myers' O(ND) algorithm in linear space, over integer line ids.

E. W. Myers, "An O(ND) Difference Algorithm and Its Variations", Algorithmica 1 (1986), sections 2
and 4b. Two things keep it quick on large texts. Lines that the other side does not have at all are
set aside first, since no script can keep them. Then lines that occur exactly once on both sides
split the texts into short stretches, wherever they appear in the same order.
"""

from bisect import bisect_left
from collections import Counter
from collections.abc import Hashable, Iterator, Sequence
from itertools import chain
from typing import NamedTuple

#: After this many edits within one stretch, the best path so far is taken: the script stays right,
#: it may only be longer than the shortest.
COST_LIMIT = 512


class Hunk(NamedTuple):
    """Lines `left_start:left_stop` of the left text stand for these of the right text."""

    left_start: int
    left_stop: int
    right_start: int
    right_stop: int


def diff(left: Sequence[Hashable], right: Sequence[Hashable]) -> list[Hunk]:
    """Return the hunks, in order, that turn `left` into `right`; between them all is equal."""
    if set(left).isdisjoint(right):
        return [Hunk(0, len(left), 0, len(right))] if left or right else []
    ids = {line: number for number, line in enumerate(dict.fromkeys(chain(left, right)))}
    a = list(map(ids.__getitem__, left))
    b = list(map(ids.__getitem__, right))
    kept_left, kept_right = _matched(a, b)
    found: list[Hunk] = []
    after = Hunk(len(a), len(a), len(b), len(b))
    raw = list(_hunks(kept_left, kept_right, len(a), len(b)))
    for number in range(len(raw) - 1, -1, -1):
        before = raw[number - 1] if number else Hunk(0, 0, 0, 0)
        slid = _slide(raw[number], before, after, a, b, left, right)
        if slid.left_stop == after.left_start and slid.right_stop == after.right_start and found:
            slid = Hunk(slid.left_start, after.left_stop, slid.right_start, after.right_stop)
            found.pop()
        found.append(slid)
        after = slid
    found.reverse()
    return found


def _hunks(left: list[int], right: list[int], left_size: int, right_size: int) -> Iterator[Hunk]:
    at_left = at_right = 0
    for i, j in zip([*left, left_size], [*right, right_size], strict=True):
        if i > at_left or j > at_right:
            yield Hunk(at_left, i, at_right, j)
        at_left, at_right = i + 1, j + 1


def _slide(
    hunk: Hunk,
    before: Hunk,
    after: Hunk,
    a: list[int],
    b: list[int],
    left: Sequence[Hashable],
    right: Sequence[Hashable],
) -> Hunk:
    """Shift a pure insertion or deletion to where a person would say that it begins and ends.

    The same edit can often stand in several places: of a block that repeats what is above it, any
    part may be called the new one. Of these places the most natural is taken, the last of equals.
    """
    i, i2, j, j2 = hunk
    if i != i2 and j != j2:
        return hunk
    ids, lines, start, stop, floor, ceiling = (
        (b, right, j, j2, before.right_stop, after.right_start)
        if i == i2
        else (a, left, i, i2, before.left_stop, after.left_start)
    )
    up = down = 0
    while up < _FARTHEST and start - up > floor and ids[start - up - 1] == ids[stop - up - 1]:
        up += 1
    while down < _FARTHEST and stop + down < ceiling and ids[start + down] == ids[stop + down]:
        down += 1
    # the lines passed over must be kept on the other side too
    other, room_up, room_down = (
        (a, i - before.left_stop, after.left_start - i)
        if i == i2
        else (b, j - before.right_stop, after.right_start - j)
    )
    at = i if i == i2 else j
    up, down = min(up, room_up), min(down, room_down)
    while up and any(other[at - n] != ids[stop - n] for n in range(1, up + 1)):
        up -= 1
    while down and any(other[at + n] != ids[start + n] for n in range(down)):
        down -= 1
    if up + down == 0:
        return hunk
    shift = max(range(-up, down + 1), key=lambda s: (_naturalness(lines, start + s, stop + s), s))
    return Hunk(i + shift, i2 + shift, j + shift, j2 + shift)


#: How far an edit is shifted at the most.
_FARTHEST = 200


def _naturalness(lines: Sequence[Hashable], start: int, stop: int) -> tuple[int, int]:
    """Rate a block of lines: it should follow a gap or begin a section, and be little indented."""
    first, indent = _shape(lines, start)
    before, _ = _shape(lines, start - 1)
    last, _ = _shape(lines, stop - 1)
    _, indent_after = _shape(lines, stop)
    gaps = 2 * (first and not before) + (first and not last)
    return gaps, -(indent + indent_after)


def _shape(lines: Sequence[Hashable], at: int) -> tuple[bool, int]:
    """Tell whether there is a line with something on it, and how far it is indented."""
    line = lines[at] if 0 <= at < len(lines) else ""
    if not isinstance(line, str):
        return True, 0
    bare = line.strip()
    return bool(bare), len(line) - len(line.lstrip()) if bare else 0


def _matched(a: list[int], b: list[int]) -> tuple[list[int], list[int]]:
    """Return positions of the lines kept, on the left and on the right."""
    left: list[int] = []
    right: list[int] = []
    start, most = 0, min(len(a), len(b))
    while start < most and a[start] == b[start]:
        start += 1
    end = 0
    while end < most - start and a[len(a) - 1 - end] == b[len(b) - 1 - end]:
        end += 1
    left.extend(range(start))
    right.extend(range(start))
    a_stop, b_stop = len(a) - end, len(b) - end
    in_a, in_b = set(a[start:a_stop]), set(b[start:b_stop])
    common = in_a & in_b
    ai = [i for i in range(start, a_stop) if a[i] in common]
    bi = [j for j in range(start, b_stop) if b[j] in common]
    for i, j in _stretches([a[i] for i in ai], [b[j] for j in bi]):
        left.append(ai[i])
        right.append(bi[j])
    left.extend(range(a_stop, len(a)))
    right.extend(range(b_stop, len(b)))
    return left, right


def _stretches(a: list[int], b: list[int]) -> Iterator[tuple[int, int]]:
    """Yield matched pairs: anchors, and between them what the O(ND) search finds."""
    at_a = at_b = 0
    for i, j in [*_anchors(a, b), (len(a), len(b))]:
        if i > at_a and j > at_b:
            pairs: list[tuple[int, int]] = []
            _search(a, at_a, i, b, at_b, j, pairs)
            yield from pairs
        if i < len(a):
            yield i, j
        at_a, at_b = i + 1, j + 1


def _anchors(a: list[int], b: list[int]) -> list[tuple[int, int]]:
    """Find lines unique on both sides and, of these, the longest run in the same order."""
    once_a = _once(a)
    once_b = _once(b)
    pairs = [(i, once_b[line]) for line, i in once_a.items() if line in once_b]
    order = [j for _, j in pairs]
    if order == sorted(order):  # nothing moved, as mostly, and all of them are in the same order
        return pairs
    tails: list[int] = []
    heads: list[int] = []
    before: list[int] = []
    for number, (_, j) in enumerate(pairs):
        place = bisect_left(tails, j)
        before.append(heads[place - 1] if place else -1)
        if place == len(tails):
            tails.append(j)
            heads.append(number)
        else:
            tails[place], heads[place] = j, number
    chain: list[tuple[int, int]] = []
    number = heads[-1] if heads else -1
    while number >= 0:
        chain.append(pairs[number])
        number = before[number]
    chain.reverse()
    return chain


def _once(lines: list[int]) -> dict[int, int]:
    """Map each line that occurs once to its position, in order of position."""
    counts = Counter(lines)
    return {line: position for position, line in enumerate(lines) if counts[line] == 1}


def _search(
    a: list[int], a0: int, a1: int, b: list[int], b0: int, b1: int, out: list[tuple[int, int]]
) -> None:
    """Append the matched pairs of ``a[a0:a1]`` and ``b[b0:b1]``, dividing at middle snakes."""
    work = [(a0, a1, b0, b1)]
    found: list[tuple[int, int]] = []
    while work:
        a0, a1, b0, b1 = work.pop()
        while a0 < a1 and b0 < b1 and a[a0] == b[b0]:
            found.append((a0, b0))
            a0, b0 = a0 + 1, b0 + 1
        while a0 < a1 and b0 < b1 and a[a1 - 1] == b[b1 - 1]:
            a1, b1 = a1 - 1, b1 - 1
            found.append((a1, b1))
        if a0 == a1 or b0 == b1:
            continue
        x, y = _middle(a, a0, a1, b, b0, b1)
        if (x, y) in ((a0, b0), (a1, b1)):
            continue
        work.append((a0, x, b0, y))
        work.append((x, a1, y, b1))
    out.extend(sorted(found))


def _middle(a: list[int], a0: int, a1: int, b: list[int], b0: int, b1: int) -> tuple[int, int]:
    """Return a point on a shortest path, about half way (section 4b of the paper)."""
    n, m = a1 - a0, b1 - b0
    delta = n - m
    odd = delta & 1
    most = (n + m + 1) // 2
    forward = {1: 0}
    backward = {1: 0}
    for d in range(most + 1):
        for k in range(-d, d + 1, 2):
            down = k == -d or (k != d and forward.get(k - 1, -1) < forward.get(k + 1, -1))
            x = forward.get(k + 1, 0) if down else forward[k - 1] + 1
            y = x - k
            if x > n or y > m or y < 0:
                forward[k] = x
                continue
            while x < n and y < m and a[a0 + x] == b[b0 + y]:
                x, y = x + 1, y + 1
            forward[k] = x
            if odd and -(d - 1) <= k - delta <= d - 1 and x + backward.get(delta - k, -1) >= n:
                return a0 + x, b0 + y
        for k in range(-d, d + 1, 2):
            down = k == -d or (k != d and backward.get(k - 1, -1) < backward.get(k + 1, -1))
            x = backward.get(k + 1, 0) if down else backward[k - 1] + 1
            y = x - k
            if x > n or y > m or y < 0:
                backward[k] = x
                continue
            while x < n and y < m and a[a1 - 1 - x] == b[b1 - 1 - y]:
                x, y = x + 1, y + 1
            backward[k] = x
            if not odd and -d <= delta - k <= d and x + forward.get(delta - k, -1) >= n:
                return a1 - x, b1 - y
        if d >= COST_LIMIT:
            reach = [(x + x - k, k) for k, x in forward.items() if 0 <= x <= n and 0 <= x - k <= m]
            total, k = max(reach)
            x = (total + k) // 2
            return a0 + x, b0 + x - k
    raise AssertionError("two paths must meet")  # pragma: no cover
