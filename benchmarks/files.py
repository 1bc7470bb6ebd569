"""Files out and in: against zip and unzip of the same lines, and key text against the archive."""

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from benchmarks.measuring import Figure, median
from serving.postgres import Postgres

ROOT = Path(__file__).resolve().parents[1]
_OBJECTS = 200_000


def figures(folder: Path) -> Iterator[Figure]:
    """Measure exporting and opening 200,000 objects, and the memory it takes at a million."""
    postgres = Postgres(folder / "files-postgres")
    postgres.create_database("files")
    environment = {
        **os.environ,
        "KEEPSORT_STATE": str(folder / "files-state"),
        "KEEPSORT_DATABASE_URL": postgres.url("files"),
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
        "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
        "KEEPSORT_LOG_LEVEL": "ERROR",
    }

    def work(*arguments: object) -> dict:
        command = [sys.executable, "-m", "benchmarks.files_work", *map(str, arguments)]
        done = subprocess.run(
            command, env=environment, text=True, capture_output=True, check=False, cwd=ROOT
        )
        if done.returncode:
            raise RuntimeError(done.stderr)
        return json.loads(done.stdout.splitlines()[-1])

    try:
        record = work("keep", _OBJECTS)["record"]
        archive, text = folder / "plant.zip", folder / "plant.txt"
        out = work("write", record, "archive", archive)["seconds"]
        lines = folder / "objects.jsonl"
        lines.write_bytes(
            subprocess.run(
                ["unzip", "-p", archive, "objects.jsonl"], capture_output=True, check=True
            ).stdout
        )
        packed = folder / "reference.zip"

        def pack() -> None:
            packed.unlink(missing_ok=True)
            subprocess.run(["zip", "-q", "-6", packed, lines], check=True)

        zipped = median(pack)
        tested = median(
            lambda: subprocess.run(["unzip", "-tq", packed], check=True, capture_output=True)
        )
        checked = work("read", archive)["seconds"]
        opened = work("open", archive)["seconds"]
        told = f"{_OBJECTS:,} objects"
        yield Figure(
            f"export of {told} as an archive, against zip of the same lines", out, zipped, 3
        )
        yield Figure(
            f"export of {told} and reading all of it again, against zip and unzip -t",
            out + checked, zipped + tested, 3,
        )  # fmt: skip
        yield Figure(
            f"export of {told} and opening them into the store, against zip and unzip -t",
            out + opened, zipped + tested, 3,
        )  # fmt: skip
        out_text = work("write", record, "text", text)["seconds"]
        open_text = work("open", text)["seconds"]
        yield Figure(
            f"key text of {told}, out and in, against the archive", out_text + open_text,
            out + opened, 4,
        )  # fmt: skip
        million = work("keep", 1_000_000)["record"]
        large = folder / "million.zip"
        most = work("write", million, "archive", large)["peak_bytes"]
        yield Figure(
            "peak memory of the export of a million objects, against 200 MiB",
            most, 200 << 20, 1, "bytes",
        )  # fmt: skip
        most = work("open", large)["peak_bytes"]
        yield Figure(
            "peak memory of opening a million objects, against 200 MiB",
            most, 200 << 20, 1, "bytes",
        )  # fmt: skip
    finally:
        postgres.stop()
