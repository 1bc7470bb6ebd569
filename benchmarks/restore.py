"""Restoring much at once: against the server's own tool with the same changes."""

import json
import os
import statistics
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.directory import _UNITS, _directory
from benchmarks.measuring import Figure
from demo.servers.etcd import Etcd
from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from serving.postgres import Postgres

ROOT = Path(__file__).resolve().parents[1]
_ENTRIES, _KEYS, _ROUNDS = 2000, 5000, 3
_WORK = r"""
import json, sys, time
import django; django.setup()
from keepsort.core.plan import Pick
from keepsort.server.restores import engine
from keepsort.server.restores.previewing import open_plan, preview
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.systems.models import System

system = System.objects.get(name=sys.argv[1])
backup = Record.objects.filter(system=system, kind="backup").last()
look = take(system, Record.Kind.LOOK)
began, used = time.perf_counter(), time.process_time()
plan = preview(backup, [Pick((), "branch")], look=look)
preview_used = time.process_time() - used
run = engine.start(plan, [f.name for f in open_plan(plan).findings if f.level == "confirm"], None)
began = time.perf_counter()
run = engine.carry_out(run.pk)
assert run.outcome == "verified", run.message
print(json.dumps({"restore": (run.finished_at - run.started_at).total_seconds(),
                  "looked": time.perf_counter() - began, "preview": preview_used,
                  "steps": run.steps.count()}))
"""


def figures(folder: Path) -> Iterator[Figure]:
    """Measure a restore of 2,000 entries and one of 5,000 keys, as a worker carries them out."""
    postgres = Postgres(folder / "restore-postgres")
    postgres.create_database("restore")
    environment = {
        **os.environ,
        "KEEPSORT_STATE": str(folder / "restore-state"),
        "KEEPSORT_DATABASE_URL": postgres.url("restore"),
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
        "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
        "KEEPSORT_LOG_LEVEL": "ERROR",
    }
    try:
        yield from _entries(folder, environment)
        yield from _keys(folder, environment)
    finally:
        postgres.stop()


def _command(environment: dict[str, str], *arguments: str, stdin: str = "") -> None:
    subprocess.run(
        [sys.executable, "-m", "keepsort.cli", *arguments, "--json"], env=environment,
        input=stdin, text=True, capture_output=True, check=True,
    )  # fmt: skip


def _restored(environment: dict[str, str], system: str) -> dict[str, float]:
    done = subprocess.run(
        [sys.executable, "-c", _WORK, system], env=environment, text=True, capture_output=True,
        check=False,
    )  # fmt: skip
    if done.returncode:
        raise RuntimeError(done.stderr)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


def _entries(folder: Path, environment: dict[str, str]) -> Iterator[Figure]:
    slapd = Slapd(folder / "restore-slapd", "bench-only")
    try:
        slapd.load(_directory())
        _command(
            environment, "system", "add", "People", "--connector", "directory", "--address",
            slapd.address, "--option", f"base={SUFFIX}", "--user", ADMIN, "--password-stdin",
            stdin="bench-only\n",
        )  # fmt: skip
        _command(environment, "backup", "People")
        places = [f"cn=Keeper {n:05},ou={_UNITS[n % 4]},{SUFFIX}" for n in range(_ENTRIES)]
        ours, looked, theirs, previews = [], [], [], []
        for number in range(_ROUNDS):
            ldif = "\n".join(
                f"dn: {place}\nchangetype: modify\nreplace: title\ntitle: Round {number}\n"
                for place in places
            )
            began = time.perf_counter()
            slapd.change(ldif)
            theirs.append(time.perf_counter() - began)
            found = _restored(environment, "People")
            assert found["steps"] == _ENTRIES
            ours.append(found["restore"])
            looked.append(found["looked"])
            previews.append(found["preview"])
        yield Figure(
            "restore of 2,000 changed entries, each read before and after, against ldapmodify",
            statistics.median(ours), statistics.median(theirs), 10,
        )  # fmt: skip
        yield Figure(
            "the same with the look at all 20,000 entries after it",
            statistics.median(looked), statistics.median(theirs), 20,
        )  # fmt: skip
        yield Figure(
            "preview of 2,000 picks in 20,000 objects, processor time, against 2 s",
            statistics.median(previews), 2.0, 2,
        )  # fmt: skip
    finally:
        slapd.stop()


def _keys(folder: Path, environment: dict[str, str]) -> Iterator[Figure]:
    etcd = Etcd(folder / "restore-etcd")
    try:
        names = [f"/plant/tank-{n % 50}/sensor-{n}" for n in range(_KEYS)]
        _put(etcd, names, "12.5")
        _command(
            environment, "system", "add", "Plant", "--connector", "keystore", "--address",
            etcd.address, "--option", "prefix=/plant/",
        )  # fmt: skip
        _command(environment, "backup", "Plant")
        ours, theirs = [], []
        for number in range(_ROUNDS):
            theirs.append(_put(etcd, names, f"7.{number}1"))
            found = _restored(environment, "Plant")
            ours.append(found["restore"])
        yield Figure(
            "restore of 5,000 changed keys, each read before and after, against etcdctl txn",
            statistics.median(ours), statistics.median(theirs), 8,
        )  # fmt: skip
    finally:
        etcd.stop()


def _put(etcd: Etcd, names: list[str], value: str) -> float:
    """Write keys with etcd's own command, in transactions of as many as the server takes."""
    began = time.perf_counter()
    etcd.put_all(dict.fromkeys(names, value))
    return time.perf_counter() - began
