"""The command, as whole processes, with a database and a state of its own."""

import os
import subprocess
import sys
from pathlib import Path

from serving.postgres import Postgres

ROOT = Path(__file__).resolve().parents[1]


class Application:
    """What ``keepsort`` is called in, as somebody calls it on a machine of their own."""

    def __init__(self, folder: Path, name: str, postgres: Postgres) -> None:
        postgres.create_database(name)
        self._environment = {
            **os.environ,
            "KEEPSORT_STATE": str(folder / f"{name}-state"),
            "KEEPSORT_DATABASE_URL": postgres.url(name),
            "PYTHONPATH": str(ROOT / "src"),
        }

    def command(self, *arguments: str, given: str = "") -> str:
        """Run a command to its end; return what it prints."""
        done = subprocess.run(
            [sys.executable, "-m", "keepsort.cli", *arguments, "--json"], check=True,
            env=self._environment, text=True, input=given, capture_output=True,
        )  # fmt: skip
        return done.stdout
