"""Our archive: a ZIP that `unzip`, `sha256sum` and a text editor can read, and any other program.

The format is described in ``docs/archive-format.md``.
"""

import hashlib
from base64 import b64decode, b64encode
from collections.abc import Iterable, Iterator
from typing import IO, TypeVar
from zipfile import ZIP_DEFLATED, BadZipFile, ZipFile, ZipInfo

import msgspec
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

from keepsort.core.model import Schema
from keepsort.files.exported import Batch, Line, Manifest, plain
from keepsort.files.json_lines import read_line
from keepsort.files.opened import LONGEST_LINE, MOST_OBJECTS, BadFile, Opened
from keepsort.files.plain_values import NoValue
from keepsort.files.zips import check_listing

_T = TypeVar("_T")
FORMAT, VERSION = "keepsort-archive", 1
MANIFEST, KINDS, OBJECTS, SUMS, README, SIGNATURE = (
    "manifest.json", "kinds.json", "objects.jsonl", "SHA256SUMS", "README.txt", "SIGNATURE",
)  # fmt: skip
_MEMBERS = (README, OBJECTS, KINDS, MANIFEST, SUMS)
_SMALL, _PIECE = 16 << 20, 1 << 16
_MOST_BYTES = 64 << 30
_MOST_RATIO = 1100  # deflate gives 1032 at most
_STORED_AT = (1980, 1, 1, 0, 0, 0)
_TEXT = """This is a backup of configuration, kept by Keep Sort.

manifest.json   what it is of, when it was taken, and what was left out of it
kinds.json      the kinds of object and what their attributes mean
objects.jsonl   one object a line, as JSON, in order of their paths
SHA256SUMS      checksums of all that; check them with: sha256sum -c SHA256SUMS
"""


class Signature(msgspec.Struct, frozen=True):
    """An Ed25519 signature (RFC 8032) over the bytes of SHA256SUMS; both in base64."""

    key: str
    signature: str
    algorithm: str = "Ed25519"


def write(out: IO[bytes], batch: Batch) -> int:
    """Write a batch as an archive, a line at a time; return how many objects it holds.

    out: needs no seeking.
    """
    sums: dict[str, str] = {}
    encode = msgspec.json.Encoder().encode
    count = 0

    def told() -> Iterator[bytes]:
        nonlocal count
        piece = bytearray()
        for line in batch.lines:
            count += 1
            piece += encode(plain(line)) + b"\n"
            if len(piece) > _PIECE:
                yield bytes(piece)
                piece.clear()
        yield bytes(piece)

    with ZipFile(out, "w", ZIP_DEFLATED, compresslevel=6) as archive:
        sums[README] = _put(archive, README, [_TEXT.encode()])
        sums[OBJECTS] = _put(archive, OBJECTS, told())
        sums[KINDS] = _put(archive, KINDS, [_pretty(batch.schema)])
        left_out = batch.left_out
        full = msgspec.structs.replace(
            batch.manifest, format=FORMAT, version=VERSION, objects=count,
            secrets=[*left_out.secrets, *left_out.sealed],
        )  # fmt: skip
        sums[MANIFEST] = _put(archive, MANIFEST, [_pretty(full)])
        listed = "".join(f"{digest}  {name}\n" for name, digest in sums.items()).encode()
        _put(archive, SUMS, [listed])
        if batch.signer is not None:
            key = b64encode(batch.signer.public_key().public_bytes_raw()).decode()
            signed = Signature(key, b64encode(batch.signer.sign(listed)).decode())
            _put(archive, SIGNATURE, [_pretty(signed)])
    return count


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


def _objects(archive: ZipFile) -> Iterator[Line]:
    """Yield every object, what holds it first. Raises `BadFile` at the first line that is none."""
    with archive.open(OBJECTS) as member:
        for number, raw in enumerate(_lines_of(member), 1):
            try:
                yield read_line(raw)
            except NoValue as error:
                raise BadFile(f"{OBJECTS}, line {number}: {error}.") from None


def read(file: IO[bytes]) -> Opened:
    """Check an archive, in bounded memory, and open it. Raises `BadFile`, with the place.

    Nothing in it is believed before its checksum has been seen to hold.
    """
    check_listing(file)
    try:
        archive = ZipFile(file)
        members = {info.filename: info for info in archive.infolist()}
        listed = set(members) - {SIGNATURE}
        if len(members) != len(archive.infolist()) or listed != set(_MEMBERS):
            raise BadFile(
                f"It should hold {', '.join(_MEMBERS)}, each once, and holds "
                f"{', '.join(sorted(members)[:8]) or 'nothing'}."
            )
        for info in members.values():
            _check_bounds(info)
        listing = _all_of(archive, SUMS)
        sums = _read_sums(listing)
        for name in _MEMBERS[:-1]:
            _check_sum(archive, members[name], sums.get(name, ""))
        signed = _signed(archive, listing) if SIGNATURE in members else ""
        manifest = _decoded(_all_of(archive, MANIFEST), Manifest, MANIFEST)
        if (manifest.format, manifest.version) != (FORMAT, VERSION):
            raise BadFile(
                f"{MANIFEST}: it is {manifest.format}, version {manifest.version}; what can be "
                f"read is {FORMAT}, version {VERSION}."
            )
        if manifest.objects > MOST_OBJECTS:
            raise BadFile(f"{MANIFEST}: it tells of more than {MOST_OBJECTS} objects.")
        schema = _decoded(_all_of(archive, KINDS), Schema, KINDS)
        return Opened(manifest, _objects(archive), schema, signed_by=signed)
    except (BadZipFile, EOFError, OSError, NotImplementedError, RuntimeError, ValueError) as error:
        if isinstance(error, BadFile):
            raise
        raise BadFile(f"It is no whole ZIP: {error}.") from None
    except Exception as error:
        # what decompresses has errors of its own, and a broken ZIP meets all of them
        raise BadFile(f"It cannot be unpacked ({type(error).__name__}).") from None


def _signed(archive: ZipFile, listing: bytes) -> str:
    """Return the key, in base64, that the checksums are signed with. Raises `BadFile`."""
    told = _decoded(_all_of(archive, SIGNATURE), Signature, SIGNATURE)
    try:
        key = Ed25519PublicKey.from_public_bytes(b64decode(told.key, validate=True))
        key.verify(b64decode(told.signature, validate=True), listing)
    except (InvalidSignature, ValueError):
        raise BadFile(f"{SIGNATURE}: it is not the signature of {SUMS}.") from None
    return told.key


def _check_bounds(info: ZipInfo) -> None:
    most = _MOST_BYTES if info.filename == OBJECTS else _SMALL
    if info.file_size > most:
        raise BadFile(f"{info.filename} says that it is {info.file_size} bytes long.")
    if info.file_size > max(1, info.compress_size) * _MOST_RATIO:
        raise BadFile(f"{info.filename} says that it unpacks to what it cannot.")
    if info.flag_bits & 1 or info.compress_type not in (0, ZIP_DEFLATED):
        raise BadFile(f"{info.filename} is encrypted, or packed in a way that is not used here.")


def _check_sum(archive: ZipFile, info: ZipInfo, expected: str) -> None:
    digest, size = hashlib.sha256(), 0
    with archive.open(info) as member:
        while piece := member.read(1 << 20):
            size += len(piece)
            if size > info.file_size:
                raise BadFile(f"{info.filename} is longer than the ZIP says.")
            digest.update(piece)
    if digest.hexdigest() != expected:
        raise BadFile(f"{info.filename} is not as its checksum in {SUMS} says.")


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
        raise BadFile(f"{name}: {error}.") from None


def _lines_of(member: IO[bytes]) -> Iterator[bytes]:
    while line := member.readline(LONGEST_LINE + 1):
        if len(line) > LONGEST_LINE:
            raise BadFile(f"{OBJECTS}: a line is longer than {LONGEST_LINE} bytes.")
        if not line.endswith(b"\n"):
            raise BadFile(f"{OBJECTS}: the last line has no end.")
        yield line
