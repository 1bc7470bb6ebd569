"""Backing up a key store of 500,000 keys."""

import json
import os
import statistics
import subprocess
import sys
from base64 import b64encode
from collections.abc import Iterator
from pathlib import Path

import httpx

from benchmarks.measuring import Figure, median
from demo.servers.etcd import Etcd
from serving.postgres import Postgres

ROOT = Path(__file__).resolve().parents[1]
_KEYS = 500_000
_AT_ONCE = 5000
_ROUNDS = 3


def _text(value: str) -> str:
    return b64encode(value.encode()).decode()


def fill(server: Etcd, count: int = _KEYS) -> None:
    """Put so many keys into a server."""
    with httpx.Client(base_url=server.address, timeout=60) as http:
        for start in range(0, count, _AT_ONCE):
            puts = []
            for n in range(start, start + _AT_ONCE):
                value = f'{{"setpoint":{n % 40},"unit":"C"}}' if n % 3 else str(n)
                key = f"/plant/hall-{n // 5000}/pump-{n // 50}/point-{n}"
                puts.append({"request_put": {"key": _text(key), "value": _text(value)}})
            http.post("/v3/kv/txn", json={"success": puts}).raise_for_status()


def figures(folder: Path) -> Iterator[Figure]:
    """Measure a backup, the whole process, against the server's own tool writing a file."""
    postgres = Postgres(folder / "keys-postgres")
    options = ["--unsafe-no-fsync", "--max-txn-ops", str(_AT_ONCE)]
    options += ["--quota-backend-bytes", str(4 << 30), "--max-request-bytes", str(8 << 20)]
    server = Etcd(folder / "etcd", options=options)
    try:
        fill(server)
        out = folder / "keys.txt"

        def reference() -> None:
            command = ["etcdctl", "--endpoints", server.address, "get", "--prefix", "/plant/"]
            with out.open("wb") as file:
                subprocess.run(
                    command, stdout=file, check=True, env={**os.environ, "ETCDCTL_API": "3"}
                )

        ours, theirs = [], []
        for number in range(_ROUNDS):
            postgres.create_database(f"keys{number}")
            environment = {
                **os.environ,
                "KEEPSORT_STATE": str(folder / "keys-state"),
                "KEEPSORT_DATABASE_URL": postgres.url(f"keys{number}"),
                "PYTHONPATH": str(ROOT / "src"),
            }

            def command(*arguments: str, env: dict[str, str] = environment) -> dict:
                done = subprocess.run(
                    [sys.executable, "-m", "keepsort.cli", *arguments, "--json"],
                    env=env, text=True, capture_output=True, check=True,
                )  # fmt: skip
                return json.loads(done.stdout)

            command(
                "system", "add", "Plant", "--connector", "keystore", "--address", server.address,
                "--option", "prefix=/plant/",
            )  # fmt: skip
            theirs.append(median(reference, 1))
            ours.append(median(lambda run=command: run("backup", "Plant"), 1))
        yield Figure(
            "backup of 500,000 keys, whole process, against etcdctl get --prefix into a file",
            statistics.median(ours), statistics.median(theirs), 3,
        )  # fmt: skip
    finally:
        server.stop()
        postgres.stop()
