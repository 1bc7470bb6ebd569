"""Backing up and comparing a directory of 20,000 entries."""

import json
import os
import statistics
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from benchmarks.measuring import Figure, median
from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from serving.postgres import Postgres

ROOT = Path(__file__).resolve().parents[1]
_ENTRIES = 20_000
_ROUNDS = 5
_UNITS = ("keepers", "divers", "vets", "volunteers")


def _directory() -> str:
    out = [f"dn: {SUFFIX}\nobjectClass: dcObject\nobjectClass: organization\ndc: kelpmoor\no: K\n"]
    out += [f"dn: ou={u},{SUFFIX}\nobjectClass: organizationalUnit\nou: {u}\n" for u in _UNITS]
    for n in range(_ENTRIES - 5):
        out.append(
            f"dn: cn=Keeper {n:05},ou={_UNITS[n % 4]},{SUFFIX}\nobjectClass: inetOrgPerson\n"
            f"cn: Keeper {n:05}\nsn: Keeper\nuid: k{n}\nmail: k{n}@kelpmoor.example\n"
            f"title: Feeds tank {n * 7 % 400}\ntelephoneNumber: +1 555 01{n % 100:02}\n"
            f"employeeNumber: {n * 31 % 99991:05}\n"
        )
    return "\n".join(out)


def figures(folder: Path) -> Iterator[Figure]:
    """Measure backups against ldapsearch, and a compare against a backup."""
    postgres = Postgres(folder / "postgres")
    slapd = Slapd(folder / "slapd", "bench-only")
    environment: dict[str, str] = {}

    def command(*arguments: str, stdin: str = "") -> dict:
        done = subprocess.run(
            [sys.executable, "-m", "keepsort.cli", *arguments, "--json"],
            env=environment, input=stdin, text=True, capture_output=True, check=True,
        )  # fmt: skip
        return json.loads(done.stdout)

    try:
        slapd.load(_directory())
        out = folder / "all.ldif"
        reference, first, second = [], [], []
        for number in range(_ROUNDS):  # a database each, so that each first backup is one
            postgres.create_database(f"bench{number}")
            environment = {
                **os.environ,
                "KEEPSORT_STATE": str(folder / "state"),
                "KEEPSORT_DATABASE_URL": postgres.url(f"bench{number}"),
                "PYTHONPATH": str(ROOT / "src"),
            }
            command(
                "system", "add", "People", "--connector", "directory", "--address", slapd.address,
                "--option", f"base={SUFFIX}", "--user", ADMIN, "--password-stdin",
                stdin="bench-only\n",
            )  # fmt: skip
            page = ("-E", "pr=1000/noprompt", "*", "+")
            reference.append(median(lambda: slapd.search(*page, output=out), 3))  # noqa: B023
            stored: list[dict] = []
            first.append(median(lambda: stored.append(command("backup", "People")), 1))  # noqa: B023
            second.append(median(lambda: command("backup", "People"), 1))
        yield Figure(
            "backup of 20,000 entries, whole process, against ldapsearch",
            statistics.median(first), statistics.median(reference), 8,
        )  # fmt: skip
        yield Figure(
            "second, unchanged backup, against the first",
            statistics.median(second), statistics.median(first), 1,
        )  # fmt: skip
        changed = [
            f"dn: cn=Keeper {n:05},ou={_UNITS[n % 4]},{SUFFIX}\n"
            f"changetype: modify\nreplace: title\ntitle: changed {n}\n"
            for n in range(100, _ENTRIES, _ENTRIES // 20)
        ]
        slapd.change("\n".join(changed[:5]))
        few = command("backup", "People")
        yield Figure(
            "bytes stored by a backup after 5 edits, against the first backup",
            few["stored_bytes"], stored[0]["stored_bytes"], 0.01, "bytes",
        )  # fmt: skip
        slapd.change(
            "\n".join(changed[5:])
            + "\n"
            + "\n".join(c.replace("changed", "again") for c in changed[:5])
        )
        last = command("backup", "People")
        yield _compare(environment, few["backup"] - 1, last["backup"], last["seconds"])
    finally:
        slapd.stop()
        postgres.stop()


def _compare(environment: dict[str, str], left: int, right: int, backup: float) -> Figure:
    """Compare two stored backups cold, in a process of its own, without the process's start."""
    code = f"""
import os, time
os.environ["DJANGO_SETTINGS_MODULE"] = "keepsort.server.settings"
import django; django.setup()
from keepsort.server.snapshots.services import find_record
from keepsort.server.sorting.comparing import compared
one, two = find_record({left}), find_record({right})
began = time.perf_counter()
found = compared(one, two)
print(time.perf_counter() - began, len(found.differences))
"""
    taken = []
    for _ in range(3):
        done = subprocess.run(
            [sys.executable, "-c", code],
            env=environment,
            text=True,
            capture_output=True,
            check=True,
        )
        seconds, count = done.stdout.split()
        assert int(count) == 20, count
        taken.append(float(seconds))
    name = "comparing two stored backups of 20,000 entries with 20 differences, against the backup"
    return Figure(name, sorted(taken)[1], backup, 0.1)
