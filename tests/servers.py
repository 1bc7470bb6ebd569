"""Starts the tests' PostgreSQL before Django reads its settings; loaded with ``-p tests.servers``."""

import atexit
import base64
import os
import shutil
import tempfile
from pathlib import Path

from demo.servers.postgres import Postgres

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
