"""Writing what a backup holds into files, in open formats."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import IO

from keepsort.core.model import Path
from keepsort.core.snapshot import Snapshot
from keepsort.files.catalogue import FORMATS
from keepsort.files.exported import Batch, LeftOut, Line, Manifest, Seal, Sealing, lines
from keepsort.files.tables import Uncarried
from keepsort.server import cycle_collector
from keepsort.server.files.sealing import sealing, signer
from keepsort.server.problems import NotFound, Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import Progress, open_apart
from keepsort.server.systems.vault import Vault

_TOLD_EVERY = 2000


@dataclass(frozen=True)
class Exported:
    """What was written.

    name: what the file may be called. secrets: how many were left out; sealed: how many are in it.
    left_out: what the format does not carry, and each of the secrets that are left out.
    """

    name: str
    objects: int
    secrets: int
    sealed: int
    left_out: list[str]


@dataclass(frozen=True)
class Wanted:
    """What of a backup goes out: branches, and objects without what is beneath them."""

    branches: Sequence[Path] = ()
    single: Sequence[Path] = ()


def export(
    record: Record,
    wanted: Wanted,
    form: str,
    out: IO[bytes],
    passphrase: str | None = None,
    progress: Progress | None = None,
) -> Exported:
    """Write some of a backup into a file; all of it where nothing is named. Raises `Problem`.

    passphrase: what the secrets are sealed with; they are left out where None. progress: is told
    now and then how many objects are written.
    """
    tree = open_apart(record)
    for path in (*wanted.branches, *wanted.single):
        if tree.find(path) is None:
            raise NotFound(
                f"The backup does not hold {tree.schema.notation.write(path)}.",
                "Choose what it holds; see its tree.",
            )
    kind, left_out = FORMATS[form], LeftOut()
    told: Sealing | None = None
    seal: Seal | None = None
    if passphrase is not None:
        if not kind.seals:
            able = ", ".join(name for name, one in FORMATS.items() if one.seals)
            raise Problem(f"{form} cannot hold sealed secrets.", f"Use one of: {able}.")
        told, seal = sealing(passphrase, Vault(record.system))
    manifest = _manifest(record, tree, wanted, told)
    whole = [] if wanted.single and not wanted.branches else [tree.at]
    branches = wanted.branches or whole
    found = lines(tree, branches, left_out, seal, wanted.single, kind.ordered)
    told_of = _counted(found, progress) if progress else found
    batch = Batch(manifest, tree.schema, told_of, left_out, signer())
    try:
        with cycle_collector.paused():
            count = kind.write(out, batch)
    except Uncarried as error:
        raise Problem(f"{error}", "Choose another format.") from None
    write = tree.schema.notation.write
    secrets = [f"{write(path)}: {name}, a secret" for path, name in left_out.secrets]
    return Exported(
        _name(record, wanted, kind.extension), count, len(secrets), len(left_out.sealed),
        [*left_out.formats, *secrets],
    )  # fmt: skip


def _counted(found: Iterator[Line], progress: Progress) -> Iterator[Line]:
    for count, line in enumerate(found):
        if count % _TOLD_EVERY == 0:
            progress(count)
        yield line


def _manifest(record: Record, tree: Snapshot, wanted: Wanted, told: Sealing | None) -> Manifest:
    """Tell what a file is of; one that was opened passes on what it says of itself."""
    some = bool(wanted.branches or wanted.single)
    file = getattr(record, "file", None) if record.kind == Record.Kind.FILE else None
    partial = file is not None and not file.whole
    taken_at = record.taken_at.isoformat(timespec="seconds")
    return Manifest(
        system=file.told["system"] if file else record.system.name,
        connector=record.system.connector,
        software=record.software,
        taken_at=file.told["taken_at"] if file else taken_at,
        by=file.told["by"] if file else (record.by.shown_name if record.by else ""),
        note=record.note,
        branches=list(wanted.branches) if some else ([] if partial else [tree.at]),
        single=list(wanted.single),
        whole=not some and not tree.at and not partial,
        sealing=told,
    )


def _name(record: Record, wanted: Wanted, extension: str) -> str:
    parts = [record.system.name, f"{record.taken_at:%Y-%m-%d-%H%M}"]
    paths = [*wanted.branches, *wanted.single]
    if len(paths) == 1 and paths[0]:
        parts.append(paths[0][-1].partition("=")[2] or paths[0][-1])
    plain = "-".join(re.sub(r"[^A-Za-z0-9]+", "-", part).strip("-").lower() for part in parts)
    return f"{plain[:120]}.{extension}"
