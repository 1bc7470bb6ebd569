"""Our archive: a ZIP that `unzip`, `sha256sum` and a text editor can read, and any other program.

The format is described in ``docs/archive-format.md``.
"""

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import IO, TypeVar
from zipfile import ZIP_DEFLATED, BadZipFile, ZipFile, ZipInfo

import msgspec

from keepsort.core.model import ConfigObject, Path, Schema
from keepsort.core.snapshot import Snapshot
from keepsort.formats.exported import LeftOut, Line, lines
from keepsort.formats.plain_values import NoValue, from_plain, is_left_out

_T = TypeVar("_T")
FORMAT, VERSION = "keepsort-archive", 1
MANIFEST, KINDS, OBJECTS, SUMS, README = (
    "manifest.json", "kinds.json", "objects.jsonl", "SHA256SUMS", "README.txt",
)  # fmt: skip
_MEMBERS = (README, OBJECTS, KINDS, MANIFEST, SUMS)
_SMALL = 16 << 20
_LONGEST_LINE = 64 << 20
_MOST_BYTES = 64 << 30
_MOST_RATIO = 1100  # deflate gives 1032 at most
_MOST_OBJECTS = 20_000_000
_DEEPEST = 64
_STORED_AT = (1980, 1, 1, 0, 0, 0)
_TEXT = """This is a backup of configuration, kept by Keep Sort.

manifest.json   what it is of, when it was taken, and what was left out of it
kinds.json      the kinds of object and what their attributes mean
objects.jsonl   one object a line, as JSON, in order of their paths
SHA256SUMS      checksums of all that; check them with: sha256sum -c SHA256SUMS
"""


class Manifest(msgspec.Struct, kw_only=True):
    """What an archive is of.

    branches: the places that it holds, each with all beneath it; whole: whether that is all.
    secrets: places of the secrets that are left out, as path and attribute.
    """

    format: str = FORMAT
    version: int = VERSION
    system: str
    connector: str
    software: str
    taken_at: str
    by: str = ""
    note: str = ""
    branches: list[Path]
    whole: bool
    objects: int = 0
    secrets: list[tuple[Path, str]] = []


class BadArchive(ValueError):
    """A file is no archive that can be trusted; the text says where and why."""


def write(out: IO[bytes], tree: Snapshot, manifest: Manifest, left_out: LeftOut) -> Manifest:
    """Write branches of a tree as an archive, a line at a time; return its manifest, filled in.

    out: needs no seeking.
    """
    sums: dict[str, str] = {}
    encode = msgspec.json.Encoder().encode
    count = 0

    def told() -> Iterator[bytes]:
        nonlocal count
        for line in lines(tree, manifest.branches, left_out):
            count += 1
            yield encode(line) + b"\n"

    with ZipFile(out, "w", ZIP_DEFLATED, compresslevel=6) as archive:
        sums[README] = _put(archive, README, [_TEXT.encode()])
        sums[OBJECTS] = _put(archive, OBJECTS, told())
        sums[KINDS] = _put(archive, KINDS, [_pretty(tree.schema)])
        full = msgspec.structs.replace(manifest, objects=count, secrets=left_out.secrets)
        sums[MANIFEST] = _put(archive, MANIFEST, [_pretty(full)])
        listed = "".join(f"{digest}  {name}\n" for name, digest in sums.items())
        _put(archive, SUMS, [listed.encode()])
    return full


def _pretty(value: object) -> bytes:
    return msgspec.json.format(msgspec.json.encode(value), indent=1) + b"\n"


def _put(archive: ZipFile, name: str, pieces: Iterable[bytes]) -> str:
    digest = hashlib.sha256()
    info = ZipInfo(name, _STORED_AT)
    info.compress_type, info.external_attr = ZIP_DEFLATED, 0o644 << 16
    with archive.open(info, "w", force_zip64=True) as member:
        for piece in pieces:
            digest.update(piece)
            member.write(piece)
    return digest.hexdigest()


@dataclass
class Archive:
    """An archive that was checked: every member is as its checksum says."""

    manifest: Manifest
    schema: Schema
    _zip: ZipFile

    def objects(self) -> Iterator[tuple[Path, ConfigObject, list[str]]]:
        """Yield every object, what holds it first, with the names of secrets left out of it.

        Raises `BadArchive` at the first line that is no object.
        """
        decode = msgspec.json.Decoder(Line).decode
        with self._zip.open(OBJECTS) as member:
            for number, raw in enumerate(_lines_of(member), 1):
                try:
                    line = decode(raw)
                    if len(line.path) > _DEEPEST:
                        raise NoValue(f"it lies more than {_DEEPEST} levels deep")
                    secrets = [n for n, v in line.attributes.items() if is_left_out(v)]
                    obj = ConfigObject(
                        name=line.path[-1] if line.path else "",
                        kind=line.kind,
                        identity=line.id,
                        attributes={
                            n: from_plain(v) for n, v in line.attributes.items() if n not in secrets
                        },
                        facts={n: from_plain(v) for n, v in line.facts.items()},
                        unreadable=line.unreadable,
                    )
                except (msgspec.MsgspecError, NoValue, RecursionError) as error:
                    raise BadArchive(f"{OBJECTS}, line {number}: {error}.") from None
                yield line.path, obj, secrets


def read(file: IO[bytes]) -> Archive:
    """Check an archive, in bounded memory, and open it. Raises `BadArchive`, with the place.

    Nothing in it is believed before its checksum has been seen to hold.
    """
    try:
        archive = ZipFile(file)
        members = {info.filename: info for info in archive.infolist()}
        if len(members) != len(archive.infolist()) or set(members) != set(_MEMBERS):
            raise BadArchive(
                f"It should hold {', '.join(_MEMBERS)}, each once, and holds "
                f"{', '.join(sorted(members)[:8]) or 'nothing'}."
            )
        for info in members.values():
            _check_bounds(info)
        sums = _read_sums(_all_of(archive, SUMS))
        for name in _MEMBERS[:-1]:
            _check_sum(archive, members[name], sums.get(name, ""))
        manifest = _decoded(_all_of(archive, MANIFEST), Manifest, MANIFEST)
        if (manifest.format, manifest.version) != (FORMAT, VERSION):
            raise BadArchive(
                f"{MANIFEST}: it is {manifest.format}, version {manifest.version}; what can be "
                f"read is {FORMAT}, version {VERSION}."
            )
        if manifest.objects > _MOST_OBJECTS:
            raise BadArchive(f"{MANIFEST}: it tells of more than {_MOST_OBJECTS} objects.")
        return Archive(manifest, _decoded(_all_of(archive, KINDS), Schema, KINDS), archive)
    except (BadZipFile, EOFError, OSError, NotImplementedError, RuntimeError, ValueError) as error:
        if isinstance(error, BadArchive):
            raise
        raise BadArchive(f"It is no whole ZIP: {error}.") from None
    except Exception as error:
        # what decompresses has errors of its own, and a broken ZIP meets all of them
        raise BadArchive(f"It cannot be unpacked ({type(error).__name__}).") from None


def _check_bounds(info: ZipInfo) -> None:
    most = _MOST_BYTES if info.filename == OBJECTS else _SMALL
    if info.file_size > most:
        raise BadArchive(f"{info.filename} says that it is {info.file_size} bytes long.")
    if info.file_size > max(1, info.compress_size) * _MOST_RATIO:
        raise BadArchive(f"{info.filename} says that it unpacks to what it cannot.")
    if info.flag_bits & 1 or info.compress_type not in (0, ZIP_DEFLATED):
        raise BadArchive(f"{info.filename} is encrypted, or packed in a way that is not used here.")


def _check_sum(archive: ZipFile, info: ZipInfo, expected: str) -> None:
    digest, size = hashlib.sha256(), 0
    with archive.open(info) as member:
        while piece := member.read(1 << 20):
            size += len(piece)
            if size > info.file_size:
                raise BadArchive(f"{info.filename} is longer than the ZIP says.")
            digest.update(piece)
    if digest.hexdigest() != expected:
        raise BadArchive(f"{info.filename} is not as its checksum in {SUMS} says.")


def _read_sums(raw: bytes) -> dict[str, str]:
    found = {}
    for line in raw.decode("ascii", "replace").splitlines():
        digest, _, name = line.partition("  ")
        found[name] = digest
    return found


def _all_of(archive: ZipFile, name: str) -> bytes:
    with archive.open(name) as member:
        return member.read(_SMALL + 1)[: _SMALL + 1]


def _decoded(raw: bytes, shape: type[_T], name: str) -> _T:
    try:
        return msgspec.json.decode(raw, type=shape)
    except (msgspec.MsgspecError, RecursionError) as error:
        raise BadArchive(f"{name}: {error}.") from None


def _lines_of(member: IO[bytes]) -> Iterator[bytes]:
    while line := member.readline(_LONGEST_LINE + 1):
        if len(line) > _LONGEST_LINE:
            raise BadArchive(f"{OBJECTS}: a line is longer than {_LONGEST_LINE} bytes.")
        if not line.endswith(b"\n"):
            raise BadArchive(f"{OBJECTS}: the last line has no end.")
        yield line
