"""Bytes as text that is nothing but text: what is odd among it as ``%`` and two hex digits."""

import re


class PercentNames:
    """One system's way of writing names, where each text stands for one sequence of bytes.

    odd: a pattern of what is written with percent signs; a percent sign that could be taken for
        such a mark must be among it. Bytes that are no UTF-8 come as halves of surrogate pairs.
    mark: a pattern of the two digits that are read as a byte.
    """

    def __init__(self, odd: str, mark: str = "[0-9A-Fa-f]{2}") -> None:
        self._odd = re.compile(odd)
        self._mark = re.compile(f"%({mark})".encode())

    def written(self, raw: bytes) -> str:
        """Return bytes as text."""
        text = raw.decode("utf-8", "surrogateescape")
        if text.isprintable() and "%" not in text:
            return text
        return self._odd.sub(lambda m: "".join(f"%{b:02X}" for b in _raw(m[0])), text)

    def meant(self, text: str) -> bytes:
        """Return the bytes that a text stands for."""
        raw = text.encode()
        if b"%" not in raw:
            return raw
        return self._mark.sub(lambda m: bytes([int(m[1], 16)]), raw)


def _raw(text: str) -> bytes:
    return text.encode("utf-8", "surrogateescape")
