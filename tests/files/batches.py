"""Batches of files from trees, and objects back from files."""

import io

from keepsort.core.model import Path
from keepsort.core.snapshot import Snapshot
from keepsort.files.catalogue import FORMATS
from keepsort.files.exported import Batch, LeftOut, Line, Manifest, Seal, lines


def batch(tree: Snapshot, *branches: Path, seal: Seal | None = None, **more: object) -> Batch:
    manifest = Manifest(
        system="People", connector="directory", software="tests", taken_at="2026-11-26T02:00:00Z",
        branches=list(branches or [tree.at]), whole=not branches, **more,  # type: ignore[arg-type]
    )  # fmt: skip
    left_out = LeftOut()
    return Batch(manifest, tree.schema, lines(tree, manifest.branches, left_out, seal), left_out)


def written(form: str, made: Batch) -> bytes:
    out = io.BytesIO()
    FORMATS[form].write(out, made)
    return out.getvalue()


def read_back(form: str, raw: bytes) -> dict[Path, Line]:
    found = FORMATS[form].read(io.BytesIO(raw))
    back = list(found.lines)
    assert len({line.path for line in back}) == len(back)
    return {line.path: line for line in back}
