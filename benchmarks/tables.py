"""Backing up 120,000 rows, and finding and putting back what a bulk edit lost among them."""

import subprocess
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import unquote, urlsplit

from benchmarks.application import Application
from benchmarks.measuring import Figure, median
from demo import register
from serving.postgres import Postgres, programs

_ROWS = 120_000
_ROUNDS = 3
_TABLES = ("tank", "diet", "animal", "treatment", "feeding", "visitor_count", "measurement")


def figures(folder: Path) -> Iterator[Figure]:
    """Measure whole processes against the database's own tool."""
    postgres = Postgres(folder / "tables-postgres")
    try:
        app = Application(folder, "tables", postgres)
        postgres.create_database("register")
        postgres.run(register.register(_ROWS), "register")
        parts = urlsplit(postgres.admin_url("register"))
        app.command(
            "system", "add", "Register", "--connector", "tables",
            "--address", f"postgresql://127.0.0.1:{postgres.port}/register",
            "--user", parts.username or "", "--password-stdin", "--option", "leave=change_log",
            given=unquote(parts.password or ""),
        )  # fmt: skip

        def copied() -> None:
            words = [f"\\copy {name} to '{folder / name}'" for name in _TABLES]
            command = [str(programs() / "psql"), "-Xq", postgres.admin_url("register")]
            subprocess.run(command, input="\n".join(words), text=True, check=True)

        theirs = median(copied, _ROUNDS)
        first = median(lambda: app.command("backup", "Register"), 1)
        yield Figure(
            "backup of 120,000 rows, whole process, against psql copying the same tables into files",
            first, theirs, 8,
        )  # fmt: skip
        again = median(lambda: app.command("backup", "Register"), _ROUNDS)
        yield Figure("the same backup again, unchanged, against the first", again, first, 1)
        postgres.run(register.trouble(), "register")
        found = median(lambda: app.command("compare", "1", "--with", "live"), _ROUNDS)
        yield Figure(
            "a look at 120,000 rows after a bulk edit, compared, against the first backup",
            found, first, 1,
        )  # fmt: skip
    finally:
        postgres.stop()
