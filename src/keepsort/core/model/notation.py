"""How a path is written for people, and read back."""

import re
from functools import lru_cache

import msgspec

from keepsort.core.model.matching import prepared
from keepsort.core.model.names import split_pairs
from keepsort.core.model.objects import Path


class SlashPaths(msgspec.Struct, frozen=True, tag="slash"):
    r"""Paths as ``/plant/pump``; a slash or backslash within a name is written ``\/``, ``\\``."""

    def write(self, path: Path) -> str:
        """Write a path; the root is ``/``."""
        return write_slash(path)

    def read(self, text: str) -> Path | None:
        """Read a path; None where the text is not one of this system."""
        return read_slash(text) if text.startswith("/") else None


class DistinguishedNames(msgspec.Struct, frozen=True, tag="dn"):
    """Paths as the distinguished names of a directory (RFC 4514), beneath a base."""

    base: str

    def write(self, path: Path) -> str:
        """Write a path as a DN; the root is the base itself."""
        return ",".join((*reversed(path), self.base) if self.base else tuple(reversed(path)))

    def read(self, text: str) -> Path | None:
        """Read a DN; None where it does not lie at or under the base, or is no DN."""
        return _read_dn(text, self.base)


class NamesIn(msgspec.Struct, frozen=True, tag="names"):
    r"""Objects right beneath one place by their bare names; all others, and such as begin with a
    slash, as slash paths."""

    place: Path = ()

    def write(self, path: Path) -> str:
        """Write a path: the name alone where that says it."""
        if path[:-1] == self.place and path and path[-1] and not path[-1].startswith("/"):
            return path[-1]
        return write_slash(path)

    def read(self, text: str) -> Path | None:
        """Read a name or a slash path; None where the text is neither."""
        if text.startswith("/"):
            return read_slash(text)
        return (*self.place, text) if text else None


Notation = SlashPaths | DistinguishedNames | NamesIn


def _read_dn(text: str, base: str) -> Path | None:
    """Read a DN from its end; entries that stand together share what was read of those above."""
    if text == base:
        return ()
    if not base:  # then there is nothing that all end with
        names = split_dn(text)
        return tuple(reversed(names)) if names is not None else None
    rdn, comma, rest = text.partition(",")
    if comma and _SIMPLE_RDN.fullmatch(rdn):
        above = _read_above(rest, base)
        if above is not None:
            return (*above, rdn)
    found = _RDN.match(text)
    if found is not None and found["end"]:
        above = _read_above(text[found.end() :], base)
        if above is not None:
            return (*above, _plain_rdn(found["rdn"]))
    names, tail = split_dn(text), split_dn(base)
    same = names is not None and tail is not None and _folded_all(names) == _folded_all(tail)
    return () if same else None


@lru_cache(maxsize=4096)
def _read_above(text: str, base: str) -> Path | None:
    return _read_dn(text, base)


def write_slash(path: Path) -> str:
    """Write `path` as a slash path."""
    return "/" + "/".join(n.replace("\\", "\\\\").replace("/", "\\/") for n in path)


def read_slash(text: str) -> Path:
    """Read a slash path; empty names, as in a slash at the end, are passed over."""
    if "\\" not in text:
        return tuple(name for name in text.split("/") if name)
    names = re.findall(r"(?:[^/\\]|\\.)+", text, re.DOTALL)
    return tuple(re.sub(r"\\(.)", r"\1", n, flags=re.DOTALL) for n in names)


#: An RDN as nearly all are: one type, nothing escaped, no space at its ends.
_SIMPLE_RDN = re.compile(
    r"[A-Za-z][A-Za-z0-9-]*=[^\s\\,;\"+#<>](?:[^\\,;\"+<>\x00]*[^\s\\,;\"+<>])?"
)
_RDN = re.compile(
    r"""\s*(?P<rdn>
        (?:[A-Za-z][A-Za-z0-9-]*|\d+(?:\.\d+)+)\s*=   # attributeType (RFC 4514, section 3)
        (?:\\.|[^\\,;"])*
    )(?P<end>[,;]|$)""",
    re.VERBOSE | re.DOTALL,
)


def split_dn(text: str) -> list[str] | None:
    """Split a DN into its RDNs, first one first (RFC 4514, section 3); None if it is no DN."""
    names: list[str] = []
    position = 0
    while position < len(text):
        found = _RDN.match(text, position)
        if found is None:
            return None
        names.append(_plain_rdn(found["rdn"]))
        position = found.end()
        if found["end"] and position == len(text):
            return None
    return names


_ESCAPED = re.compile(r"((?:\\[0-9A-Fa-f]{2})+)|\\(.)", re.DOTALL)
_SPECIAL = re.compile(r'[,+"\\<>;\x00]')


def pairs_of(rdn: str) -> list[tuple[str, str | bytes]]:
    """Return the attributes and values that a name is made of; bytes where a value is no text."""
    found: list[tuple[str, str | bytes]] = []
    for pair in split_pairs(rdn) if "+" in rdn else [rdn]:
        kind, _, value = pair.partition("=")
        found.append((kind.strip(), text_or_bytes(_raw_value(value))))
    return found


def text_or_bytes(raw: bytes) -> str | bytes:
    """Return the text that bytes are in UTF-8; the bytes themselves where they are none."""
    try:
        return raw.decode()
    except UnicodeDecodeError:
        return raw


def _raw_value(value: str) -> bytes:
    """Return the bytes of a value as it is written in a name (section 2.4)."""
    if value.startswith("#"):
        return _from_ber(value)
    raw, at = bytearray(), 0
    for found in _ESCAPED.finditer(value):
        raw += value[at : found.start()].encode()
        raw += bytes.fromhex(found[1].replace("\\", "")) if found[1] else found[2].encode()
        at = found.end()
    return bytes(raw + value[at:].encode())


def _from_ber(value: str) -> bytes:
    """Return what a value in hexadecimal BER holds (X.690); its own bytes where it is none."""
    try:
        raw = bytes.fromhex(value[1:])
    except ValueError:
        return value.encode()
    if len(raw) < 2:
        return raw
    head = 2 + (raw[1] & 0x7F if raw[1] & 0x80 else 0)
    return raw[head:]


def _plain_rdn(rdn: str) -> str:
    if "\\" not in rdn and "+" not in rdn:
        kind, _, value = rdn.partition("=")
        return f"{kind.strip()}={value.strip()}"
    return "+".join(_plain_pair(pair) for pair in split_pairs(rdn.strip()))


def _plain_pair(pair: str) -> str:
    """Return an attribute and its value with only those escapes that are needed (section 2.4).

    Servers differ in which characters they escape, and how; names must not. Bytes that are no
    text stay escaped.
    """
    kind, _, value = pair.partition("=")
    value = value.lstrip()
    bare = value.rstrip()
    # a space that is escaped belongs to the value
    value = bare + " " if bare.endswith("\\") and len(value) > len(bare) else bare
    if value.startswith("#"):
        return f"{kind.strip()}={value}"
    plain = text_or_bytes(_raw_value(value))
    if isinstance(plain, bytes):
        return f"{kind.strip()}={''.join(map(_byte, plain))}"
    escaped = _SPECIAL.sub(lambda m: "\\00" if m[0] == "\0" else "\\" + m[0], plain)
    if escaped.startswith(("#", " ")):
        escaped = "\\" + escaped
    if escaped.endswith(" ") and len(plain) > 1:
        escaped = escaped[:-1] + "\\ "
    return f"{kind.strip()}={escaped}"


def _byte(value: int) -> str:
    letter = chr(value)
    return letter if letter.isalnum() and value < 128 else f"\\{value:02x}"


def _folded_all(names: list[str]) -> list[str]:
    return [prepared("fold", name) for name in names]
