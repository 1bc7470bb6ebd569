"""Starts the tests' PostgreSQL before Django reads its settings; loaded with ``-p tests.servers``."""

import atexit
import base64
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from serving.postgres import Postgres

_folder = Path(tempfile.mkdtemp(prefix="keepsort-tests-"))
_folder.chmod(0o755)
postgres = Postgres(_folder / "postgres", durable=False)


def _stop() -> None:
    postgres.stop()
    shutil.rmtree(_folder, ignore_errors=True)


atexit.register(_stop)
os.environ["KEEPSORT_STATE"] = str(_folder / "state")
os.environ["KEEPSORT_LOCAL_FILES"] = "yes"
os.environ["KEEPSORT_KEY"] = base64.b64encode(bytes(range(32))).decode()
os.environ["KEEPSORT_DATABASE_URL"] = postgres.url()
postgres.create_database("keepsort")
_TEMPLATE = "keepsort_migrated"


def migrated() -> str:
    """Return the name of a database that has the application's tables; they are made once."""
    if "1" not in postgres.run(f"select 1 from pg_database where datname = '{_TEMPLATE}'"):
        postgres.create_database(_TEMPLATE)
        environment = {**os.environ, "KEEPSORT_DATABASE_URL": postgres.url(_TEMPLATE)}
        migrating = [sys.executable, "-m", "keepsort.server.migrating"]
        subprocess.run(migrating, env=environment, check=True)
    return _TEMPLATE


def create_migrated(name: str) -> None:
    """Create a database that has the application's tables already."""
    postgres.create_database(name, migrated())
