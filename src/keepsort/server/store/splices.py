"""Bytes written as pieces of older bytes that they resemble, with what is new between them.

A page of a backup differs from the page before it in an entry or two. Told as a splice it takes
little room, and hardly any time to read: it is joined from slices, where Zstandard would first
make a dictionary of the older page.

A splice is a MessagePack array of threes: start and length of a piece of the older bytes, and the
new bytes that follow it.
"""

from itertools import accumulate

import msgspec

_LOOK = 48
_encode = msgspec.msgpack.encode
_decode = msgspec.msgpack.Decoder(list[tuple[int, int, bytes]]).decode
_decode_elements = msgspec.msgpack.Decoder(list[msgspec.Raw]).decode


def is_splice(data: bytes) -> bool:
    """Tell a splice from a Zstandard frame, which begins with 28 B5 2F FD (RFC 8878, 3.1.1)."""
    return not data.startswith(b"\x28\xb5\x2f\xfd")


def joined(splice: bytes, older: bytes) -> bytes:
    """Return the bytes that a splice of `older` stands for."""
    parts: list[bytes] = []
    for start, length, fresh in _decode(splice):
        parts += older[start : start + length], fresh
    return b"".join(parts)


class Older:
    """Bytes that others may be spliced from. Arrays of MessagePack are matched by element."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        elements = [bytes(raw) for raw in _elements(data)]
        head = len(data) - sum(map(len, elements))
        self._starts = list(accumulate(map(len, elements), initial=head))
        self._number = {element: number for number, element in enumerate(elements)}
        looks = elements[:1] + elements[len(elements) // 2 :][:1] + elements[-1:]
        self._looks = [element[:_LOOK] for element in looks]

    def splice(self, data: bytes, most: int) -> bytes | None:
        """Return `data` as a splice of these bytes; None where that is longer than `most`."""
        if not any(look in data for look in self._looks):
            return None  # three looks tell what is quite other, and lose no time on it
        elements = [bytes(raw) for raw in _elements(data)]
        pieces = _Pieces(self._data)
        pieces.add(data[: len(data) - sum(map(len, elements))], 0, self._starts[0])
        last = len(self._starts) - 1
        next_to_come = 0
        for element in elements:
            number = self._number.get(element)
            if number is None:
                here = min(next_to_come, last)
                pieces.add(element, self._starts[here], self._starts[min(here + 1, last)])
                next_to_come += 1
            else:
                pieces.copy(self._starts[number], len(element))
                next_to_come = number + 1
            if pieces.fresh > most:
                return None
        written = _encode(pieces.threes)
        return written if len(written) <= most else None


def _elements(data: bytes) -> list[msgspec.Raw]:
    """Return the encoded elements of an array; other bytes are one element."""
    try:
        return _decode_elements(data)
    except (msgspec.DecodeError, RecursionError):
        return [msgspec.Raw(data)]


class _Pieces:
    """Gathers pieces of the older bytes and fresh ones; `fresh` counts the latter."""

    def __init__(self, older: bytes) -> None:
        self._older = older
        self.threes: list[tuple[int, int, bytes]] = [(0, 0, b"")]
        self.fresh = 0

    def copy(self, start: int, length: int) -> None:
        """Go on with a piece of the older bytes."""
        if not length:
            return
        begun, long, fresh = self.threes[-1]
        if fresh or (long and begun + long != start):
            self.threes.append((start, length, b""))
        else:
            self.threes[-1] = (begun if long else start, long + length, b"")

    def add(self, data: bytes, start: int, stop: int) -> None:
        """Go on with bytes that most likely resemble the older ones from `start` to `stop`."""
        older = self._older[start:stop]
        ahead = _shared(data, older)
        behind = _shared(data[ahead:][::-1], older[ahead:][::-1])
        self.copy(start, ahead)
        middle = data[ahead : len(data) - behind]
        begun, long, fresh = self.threes[-1]
        self.threes[-1] = (begun, long, fresh + middle)
        self.fresh += len(middle)
        self.copy(stop - behind, behind)


def _shared(one: bytes, two: bytes) -> int:
    """Return how many bytes two begin with alike."""
    least, most = 0, min(len(one), len(two))
    while least < most:
        middle = (least + most + 1) // 2
        if one[:middle] == two[:middle]:
            least = middle
        else:
            most = middle - 1
    return least
