"""Writing what a backup holds into files, in open formats."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import IO

import msgspec

from keepsort.core.model import Path
from keepsort.core.snapshot import Snapshot
from keepsort.formats import archive
from keepsort.formats.exported import LeftOut, lines
from keepsort.formats.tables import write_csv, write_json
from keepsort.server.problems import NotFound
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot

FORMATS = {
    "archive": ("zip", "application/zip"),
    "json": ("json", "application/json"),
    "csv": ("csv", "text/csv"),
}


@dataclass(frozen=True)
class Exported:
    """What was written.

    name: what the file may be called. secrets: how many were left out.
    left_out: what the format does not carry, and each of these secrets.
    """

    name: str
    objects: int
    secrets: int
    left_out: list[str]


def export(record: Record, branches: Sequence[Path], form: str, out: IO[bytes]) -> Exported:
    """Write branches of a backup into a file; all of it where none is named. Raises `Problem`."""
    tree = open_snapshot(record)
    for branch in branches:
        if tree.find(branch) is None:
            raise NotFound(
                f"The backup does not hold {tree.schema.notation.write(branch)}.",
                "Choose what it holds; see its tree.",
            )
    told, left_out = _manifest(record, tree, branches), LeftOut()
    if form == "archive":
        count = archive.write(out, tree, told, left_out).objects
    elif form == "json":
        head = msgspec.to_builtins(told)
        count = write_json(
            out, lines(tree, told.branches, left_out),
            {k: head[k] for k in ("system", "connector", "software", "taken_at", "branches")},
        )  # fmt: skip
    else:
        count = write_csv(out, lines(tree, told.branches, left_out), tree.schema, left_out)
    write = tree.schema.notation.write
    secrets = [f"{write(path)}: {name}, a secret" for path, name in left_out.secrets]
    return Exported(
        _name(record, branches, form), count, len(secrets), [*left_out.formats, *secrets]
    )


def _manifest(record: Record, tree: Snapshot, branches: Sequence[Path]) -> archive.Manifest:
    return archive.Manifest(
        system=record.system.name,
        connector=record.system.connector,
        software=record.software,
        taken_at=record.taken_at.isoformat(timespec="seconds"),
        by=record.by.shown_name if record.by else "",
        note=record.note,
        branches=list(branches) or [tree.at],
        whole=not branches and not tree.at,
    )


def _name(record: Record, branches: Sequence[Path], form: str) -> str:
    parts = [record.system.name, f"{record.taken_at:%Y-%m-%d-%H%M}"]
    if len(branches) == 1 and branches[0]:
        parts.append(branches[0][-1].partition("=")[2] or branches[0][-1])
    plain = "-".join(re.sub(r"[^A-Za-z0-9]+", "-", part).strip("-").lower() for part in parts)
    return f"{plain[:120]}.{FORMATS[form][0]}"
