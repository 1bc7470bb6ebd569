"""What a comparison found, as bytes that another process can go on with."""

import msgspec

from keepsort.core.compare.comparison import Comparison, Consequence, Difference, Suggestion
from keepsort.core.model import Path
from keepsort.core.snapshot import Snapshot


class _Stored(msgspec.Struct, frozen=True, array_like=True):
    """All of a comparison but its trees and what a file mentions, in the order of its fields."""

    differences: list[Difference]
    consequences: list[Consequence]
    hidden: list[Difference]
    suggestions: list[Suggestion]
    unknown: int
    outside: int
    covers: Path
    not_kept: list[Difference]


_encode = msgspec.msgpack.Encoder().encode
_decoder = msgspec.msgpack.Decoder(_Stored)


def stored(found: Comparison) -> bytes:
    """Return what was found as MessagePack; the trees are not in it."""
    return _encode(
        _Stored(
            found.differences, found.consequences, found.hidden, found.suggestions,
            found.unknown, found.outside, found.covers, found.not_kept,
        )
    )  # fmt: skip


def restored(data: bytes, left: Snapshot, right: Snapshot) -> Comparison:
    """Return the comparison of two trees that `stored` made bytes of.

    The trees must be the ones that were compared; nothing of them is read.
    Raises `msgspec.DecodeError` where the bytes are none of `stored`.
    """
    told = _decoder.decode(data)
    return Comparison(
        left, right, told.differences, told.consequences, told.hidden, told.suggestions,
        told.unknown, told.outside, told.covers, not_kept=told.not_kept,
    )  # fmt: skip
