"""Names of files as text, whatever bytes they are made of.

Bytes that are not UTF-8, control characters, and a ``%`` that could be taken for one of these are
written as ``%`` and two hex digits. Nothing else is: no name stands for a slash or for ``..``.
"""

import re

_MEANT = "(25|7F|0[1-9A-F]|1[0-9A-F]|[89A-F][0-9A-F])"
_ODD = re.compile(f"[\\x01-\\x1f\\x7f\\udc80-\\udcff]|%(?={_MEANT})")
_ESCAPED = re.compile(f"%{_MEANT}".encode())


def written(raw: bytes) -> str:
    """Return the bytes of a name or a path as text."""
    text = raw.decode("utf-8", "surrogateescape")
    if text.isprintable() and "%" not in text:
        return text
    return _ODD.sub(lambda m: f"%{m[0].encode('utf-8', 'surrogateescape')[0]:02X}", text)


def meant(name: str) -> bytes:
    """Return the bytes that a name or a path stands for."""
    raw = name.encode()
    if b"%" not in raw:
        return raw
    return _ESCAPED.sub(lambda m: bytes([int(m[1], 16)]), raw)
