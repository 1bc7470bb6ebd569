"""Backups as a practice: scheduled ones of what did not change, retention, and reading again."""

import json
import os
import statistics
import subprocess
import sys
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from benchmarks.keystore import fill
from benchmarks.measuring import Figure
from demo.servers.etcd import Etcd
from serving.postgres import Postgres

ROOT = Path(__file__).resolve().parents[1]
_KEYS, _BACKUPS, _SHARED, _MILLION = 200_000, 2_000, 100_000, 1_000_000
_ROUNDS = 3
Work = Callable[..., dict]


def figures(folder: Path) -> Iterator[Figure]:
    """Measure each on a database of its own."""
    postgres = Postgres(folder / "keeping-postgres")
    try:
        yield from _unchanged(_works(folder, postgres, "unchanged"), folder)
        yield from _retention(_works(folder, postgres, "retention"))
        yield from _verify(_works(folder, postgres, "verify"))
    finally:
        postgres.stop()


def _works(folder: Path, postgres: Postgres, name: str) -> "Work":
    postgres.create_database(name)
    environment = {
        **os.environ,
        "KEEPSORT_STATE": str(folder / "keeping-state"),
        "KEEPSORT_DATABASE_URL": postgres.url(name),
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
        "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
        "KEEPSORT_LOG_LEVEL": "ERROR",
    }

    def work(*arguments: object, beside: Sequence[object] = ()) -> dict:
        command = [sys.executable, "-m", "benchmarks.keeping_work"]
        other = None
        if beside:
            other = subprocess.Popen(
                [*command, *map(str, beside)], env=environment, cwd=ROOT, text=True,
                stdout=subprocess.PIPE,
            )  # fmt: skip
            assert other.stdout is not None
            other.stdout.readline()  # it has begun
        done = subprocess.run(
            [*command, *map(str, arguments)], env=environment, text=True, capture_output=True,
            check=False, cwd=ROOT,
        )  # fmt: skip
        if done.returncode:
            raise RuntimeError(done.stderr)
        found = json.loads(done.stdout.splitlines()[-1])
        if other is not None:
            found["beside"] = json.loads(other.communicate()[0].splitlines()[-1])
        return found

    return work


def _unchanged(work: Work, folder: Path) -> Iterator[Figure]:
    server = Etcd(
        folder / "etcd-unchanged",
        options=["--unsafe-no-fsync", "--max-txn-ops", "5000", "--max-request-bytes", str(8 << 20)],
    )
    try:
        fill(server, _KEYS)
        stored = work("unchanged", server.address)["stored_bytes"]
    finally:
        server.stop()
    told = f"a scheduled backup of {_KEYS:,} keys of which none changed, against 10 KB"
    yield Figure(told, stored, 10_000, 1, "bytes")


def _retention(work: Work) -> Iterator[Figure]:
    work("many", _BACKUPS, _SHARED)
    told = f"retention over {_BACKUPS:,} backups that share {_SHARED:,} objects"
    planned = statistics.median(work("plan")["seconds"] for _ in range(_ROUNDS))
    yield Figure(f"{told}: planned, against 2 s", planned, 2, 1)
    alone = statistics.median(work("build", _SHARED)["seconds"] for _ in range(_ROUNDS))
    both = work("build", _SHARED, beside=("collect",))
    collected = both["beside"]["seconds"]
    yield Figure(f"{told}: dropped and collected, against 60 s", collected, 60, 1)
    yield Figure(
        f"a backup of {_SHARED:,} objects while that is collected, against one alone",
        both["seconds"], alone, 1.3,
    )  # fmt: skip


def _verify(work: Work) -> Iterator[Figure]:
    work("keep", _MILLION)
    ours = statistics.median(work("verify")["seconds"] for _ in range(_ROUNDS))
    reference = statistics.median(work("hash")["seconds"] for _ in range(_ROUNDS))
    yield Figure(
        f"verifying a backup of {_MILLION:,} objects, against reading the same rows from "
        "PostgreSQL and hashing them",
        ours, reference, 2,
    )  # fmt: skip
