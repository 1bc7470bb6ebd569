"""LDIF (RFC 2849): entries of a directory, as its tools read and write them."""

from base64 import b64encode
from collections.abc import Iterator
from typing import IO

from keepsort.core.model import Path, Schema, Value
from keepsort.core.model.matching import prepared
from keepsort.core.model.notation import DistinguishedNames, pairs_of, split_dn, text_or_bytes
from keepsort.files.cells import Told
from keepsort.files.exported import Batch, Line, Manifest
from keepsort.files.opened import DEEPEST, LONGEST_LINE, BadFile, Opened
from keepsort.files.plain_values import NoValue, Secret, from_base64
from keepsort.files.tables import Uncarried

_WRAP = 76
#: What servers keep of entries themselves, and tools that save all of a server write too.
_SERVERS_OWN = frozenset(
    {
        "structuralobjectclass", "entrycsn", "creatorsname", "createtimestamp", "modifiersname",
        "modifytimestamp", "entrydn", "subschemasubentry", "hassubordinates", "contextcsn",
    }
)  # fmt: skip
#: Notation of a file of entries: their names from the end of their DNs.
DNS = DistinguishedNames("")


def write(out: IO[bytes], batch: Batch) -> int:
    """Write entries as LDIF; return how many. Raises `Uncarried` for what is no directory."""
    schema = batch.schema
    if not isinstance(schema.notation, DistinguishedNames):
        raise Uncarried("LDIF holds entries of a directory, and this is none.")
    manifest = batch.manifest
    out.write(_folded(f"# {manifest.system}, {manifest.software}, {manifest.taken_at}".encode()))
    out.write(b"version: 1\n")
    count, read_only = 0, set()
    for line in batch.lines:
        dn = schema.notation.write(line.path)
        if not dn or line.unreadable is not None or schema.is_implied(line.kind):
            batch.left_out.formats.append(f"{dn or 'the root'}: it is no entry that could be read")
            continue
        rows = [b"\n", _row("dn", dn.encode())]
        rows += [_row(name, _raw(value)) for name, value in _naming(line.path)]
        for name, value in line.attributes.items():
            if schema.spec(line.kind, name).read_only:
                read_only.add(name)
                continue
            for one in value if isinstance(value, list) else [value]:
                if isinstance(one, Secret):
                    rows.append(_folded(f"# {name}: a secret, left out".encode()))
                else:
                    rows.append(_row(name, _raw(one)))
        out.write(b"".join(rows))
        count += 1
    batch.left_out.formats += [
        "ids and facts",
        *(f"{n}: the server's own" for n in sorted(read_only)),
    ]
    return count


def _naming(path: Path) -> list[tuple[str, str | bytes]]:
    """Return the attributes that the name of an entry holds; objects do not repeat them."""
    return pairs_of(path[-1]) if path and "=" in path[-1] else []


def _raw(value: Value) -> bytes:
    if isinstance(value, bytes):
        return value
    if isinstance(value, bool):
        return b"TRUE" if value else b"FALSE"
    return str(value).encode()


def _row(name: str, value: bytes) -> bytes:
    # more would be allowed, but some readers take letters that cannot be seen for spaces
    safe = all(31 < c < 127 for c in value)
    if safe and not value.startswith((b" ", b":", b"<")) and not value.endswith(b" "):
        return _folded(f"{name}: ".encode() + value if value else f"{name}:".encode())
    return _folded(f"{name}:: ".encode() + b64encode(value))


def _folded(row: bytes) -> bytes:
    pieces = [row[:_WRAP]]
    pieces += [b" " + row[at : at + _WRAP - 1] for at in range(_WRAP, len(row), _WRAP - 1)]
    return b"\n".join(pieces) + b"\n"


def is_ldif(start: str) -> bool:
    """Tell whether a file begins as LDIF does."""
    for row in start.splitlines():
        if row and not row.startswith(("#", " ")):
            return row.startswith(("version:", "dn:"))
    return False


def read(file: IO[bytes]) -> Opened:
    """Open LDIF. What stands beneath a URL is never fetched. Raises `BadFile` with the line."""
    manifest = Manifest(format="ldif", connector="directory")
    return Opened(manifest, _entries(_rows(file)), Schema(notation=DNS), cells=True)


def _rows(file: IO[bytes]) -> Iterator[tuple[int, bytes]]:
    """Yield unfolded lines with the number that each begins on; blank ones part entries."""
    number, begun, held = 0, 0, b""
    pieces: list[bytes] = []
    size = 0
    while raw := file.readline(LONGEST_LINE + 1):
        number += 1
        if len(raw) > LONGEST_LINE:
            raise BadFile(f"line {number} is longer than {LONGEST_LINE} bytes.")
        row = raw.rstrip(b"\r\n")
        if number == 1:
            row = row.removeprefix(b"\xef\xbb\xbf")
        if row.startswith(b" ") and pieces:
            size += len(row)
            if size > LONGEST_LINE:
                raise BadFile(f"line {begun} is longer than {LONGEST_LINE} bytes.")
            pieces.append(row[1:])
            continue
        if pieces and not (held := b"".join(pieces)).startswith(b"#"):
            yield begun, held
        begun, pieces, size = number, [row], len(row)
    if pieces and not (held := b"".join(pieces)).startswith(b"#"):
        yield begun, held
    yield number + 1, b""


def _entries(rows: Iterator[tuple[int, bytes]]) -> Iterator[Line]:
    line: Line | None = None
    for number, row in rows:
        if not row:
            if line is not None:
                yield _without_naming(line)
            line = None
            continue
        name, value = _parsed(number, row)
        if line is None:
            if name.lower() == "version":
                if value != b"1":
                    raise BadFile(f"line {number}: it is not version 1, the only one there is.")
                continue
            if name.lower() != "dn":
                raise BadFile(f"line {number}: an entry begins with dn:, and this with {name}.")
            line = Line(_path(number, value), "")
        elif name.lower() in ("changetype", "control"):
            if value != b"add":
                raise BadFile(
                    f"line {number}: it tells of a change, not of an entry; only entries are read."
                )
        elif name == "-":
            raise BadFile(f"line {number}: it tells of changes; only entries are read.")
        elif name.lower() == "entryuuid":
            line.id = value.decode("ascii", "replace")
        elif name.lower() not in _SERVERS_OWN:
            told: Told = line.attributes.setdefault(name, [])
            assert isinstance(told, list)
            told.append(text_or_bytes(value))


def _without_naming(line: Line) -> Line:
    for kind, value in _naming(line.path):
        name = next((n for n in line.attributes if n.lower() == kind.lower()), None)
        if name is None:
            continue
        wanted = _folded_value(value)
        kept = [one for one in line.attributes[name] if _folded_value(one) != wanted]
        if kept:
            line.attributes[name] = kept
        else:
            del line.attributes[name]
    return line


def _folded_value(value: str | bytes) -> str | bytes:
    return prepared("fold", value) if isinstance(value, str) else value


def _parsed(number: int, row: bytes) -> tuple[str, bytes]:
    name, colon, rest = row.partition(b":")
    if not colon or not name.strip() or not name.isascii():
        raise BadFile(f"line {number}: it is not NAME: VALUE.")
    if rest.startswith(b"<"):
        raise BadFile(
            f"line {number}: the value of {name.decode()} lies elsewhere, under a URL; nothing is "
            "fetched from there. Put the value itself into the file."
        )
    if rest.startswith(b":"):
        try:
            return name.decode(), from_base64(rest[1:].strip().decode("ascii", "replace"))
        except NoValue as error:
            raise BadFile(f"line {number}: {error}.") from None
    return name.decode(), rest.lstrip(b" ")


def _path(number: int, raw: bytes) -> Path:
    try:
        text = raw.decode()
    except UnicodeDecodeError:
        raise BadFile(f"line {number}: the dn is not UTF-8.") from None
    names = split_dn(text)
    path = DNS.read(text) if names is not None and len(names) <= DEEPEST else None
    if not path:
        raise BadFile(f"line {number}: {text[:80]!r} is no DN that can be read.")
    return path
