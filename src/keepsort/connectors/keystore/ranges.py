"""Ranges of keys: from the first key up to, but not with, the second; a zero byte: to the end."""

from collections.abc import Sequence

Span = tuple[bytes, bytes]
_END = b"\0"


def shared(one: Span, other: Span) -> Span | None:
    """Return what two ranges have in common; None where that is nothing."""
    start = max(one[0], other[0])
    end = other[1] if one[1] == _END else one[1] if other[1] == _END else min(one[1], other[1])
    return (start, end) if end == _END or start < end else None


def merged(spans: Sequence[Span]) -> list[Span]:
    """Return ranges in order, those that overlap or touch as one."""
    found: list[Span] = []
    for start, end in sorted(spans):
        if found and (found[-1][1] == _END or start <= found[-1][1]):
            last = found.pop()
            start = last[0]
            end = _END if _END in (last[1], end) else max(last[1], end)
        found.append((start, end))
    return found
