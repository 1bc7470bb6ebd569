"""The Internet Printing Protocol's own encoding (RFC 8010), as far as a print server needs it."""

import struct
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

from keepsort.core.model import Value

_OPERATION, _END, _PRINTER = 0x01, 0x03, 0x04
INTEGER, BOOLEAN, ENUM, RESOLUTION, RANGE = 0x21, 0x22, 0x23, 0x32, 0x33
_BEGIN, _CLOSE, _MEMBER = 0x34, 0x37, 0x4A
TEXT, NAME, KEYWORD, URI, CHARSET, LANGUAGE, MIME = 0x41, 0x42, 0x44, 0x45, 0x47, 0x48, 0x49
DELETE = 0x16
_WITH_LANGUAGE = (0x35, 0x36)
_MOST_ATTRIBUTES = 2_000_000
_DEEPEST = 20
_UNITS = {3: "dpi", 4: "dpcm"}


class Given(NamedTuple):
    """An attribute to be sent: its name, its tag, and its values."""

    name: str
    tag: int
    values: tuple[Value, ...]


@dataclass
class Answer:
    """What a server answers: a status, the groups of attributes it tells of, and what comes after.

    Each attribute is a list of values; one that has no value is an empty list. What is nested in a
    value (collections) is left out.
    """

    status: int
    operation: dict[str, list[Value]] = field(default_factory=dict)
    groups: list[dict[str, list[Value]]] = field(default_factory=list)
    data: bytes = b""


def request(
    operation: int, number: int, about: Iterable[Given], printer: Iterable[Given] = ()
) -> bytes:
    """Encode a request (section 3.1.1).

    about: attributes of the operation. printer: those that a printer is to have.
    """
    head = [
        Given("attributes-charset", CHARSET, ("utf-8",)),
        Given("attributes-natural-language", LANGUAGE, ("en",)),
    ]
    parts = [struct.pack(">HHi", 0x0200, operation, number), bytes([_OPERATION])]
    parts += [_attribute(one) for one in (*head, *about)]
    printer = list(printer)
    if printer:
        parts.append(bytes([_PRINTER]))
        parts += map(_attribute, printer)
    return b"".join([*parts, bytes([_END])])


def _attribute(given: Given) -> bytes:
    values = [_value(given.tag, value) for value in given.values] or [b""]
    name = given.name.encode()
    found = []
    for value in values:
        found.append(struct.pack(">BH", given.tag, len(name)) + name)
        found.append(struct.pack(">H", len(value)) + value)
        name = b""  # further values have no name (section 3.1.5)
    return b"".join(found)


def _value(tag: int, value: Value) -> bytes:
    if tag in (INTEGER, ENUM):
        return struct.pack(">i", value)
    if tag == BOOLEAN:
        return bytes([bool(value)])
    return str(value).encode()


def read(raw: bytes) -> Answer:
    """Decode an answer (section 3.1.1). Raises ValueError where it is none."""
    try:
        return _Reader(raw).answer()
    except (struct.error, IndexError, UnicodeDecodeError, RecursionError) as error:
        raise ValueError(f"no answer of the protocol ({type(error).__name__})") from None


class _Reader:
    def __init__(self, raw: bytes) -> None:
        self._raw = raw
        self._at = 8
        self._left = _MOST_ATTRIBUTES

    def answer(self) -> Answer:
        major, _, status, _ = struct.unpack(">BBHi", self._raw[:8])
        if major not in (1, 2):
            raise ValueError(f"version {major} of the protocol is not known")
        found = Answer(status)
        group: dict[str, list[Value]] = {}
        last: list[Value] = []
        while (tag := self._byte()) != _END:
            if tag < 0x10:  # a group begins (section 3.5.1)
                group = found.operation if tag == _OPERATION else {}
                if tag != _OPERATION:
                    found.groups.append(group)
                continue
            name, value = self._named()
            if name:
                last = group[name] = []
            if tag == _BEGIN:
                self._pass_collection(1)
            elif tag >= 0x20:
                last.append(_decoded(tag, value))
        found.data = self._raw[self._at :]
        return found

    def _byte(self) -> int:
        self._at += 1
        self._left -= 1
        if self._left < 0:
            raise ValueError("too many attributes")
        return self._raw[self._at - 1]

    def _named(self) -> tuple[str, bytes]:
        return self._part().decode(), self._part()

    def _part(self) -> bytes:
        (size,) = struct.unpack_from(">H", self._raw, self._at)
        start = self._at + 2
        self._at = start + size
        if self._at > len(self._raw):
            raise ValueError("it is cut short")
        return self._raw[start : self._at]

    def _pass_collection(self, depth: int) -> None:
        """Go past what is nested (section 3.1.6)."""
        if depth > _DEEPEST:
            raise ValueError("it is nested too deep")
        while (tag := self._byte()) != _CLOSE:
            self._named()
            if tag == _BEGIN:
                self._pass_collection(depth + 1)
        self._named()


def _decoded(tag: int, raw: bytes) -> Value:
    if tag in (INTEGER, ENUM):
        return struct.unpack(">i", raw)[0]
    if tag == BOOLEAN:
        return raw != b"\0"
    if tag == RANGE:
        low, high = struct.unpack(">ii", raw)
        return f"{low}-{high}"
    if tag == RESOLUTION:
        across, along, unit = struct.unpack(">iib", raw)
        size = str(across) if across == along else f"{across}x{along}"
        return f"{size}{_UNITS.get(unit, '')}"
    if tag in _WITH_LANGUAGE:
        (language,) = struct.unpack_from(">H", raw)
        return raw[4 + language :].decode()
    return raw.decode() if tag >= 0x40 else raw.hex()
