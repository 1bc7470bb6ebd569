"""How much room there is where PostgreSQL keeps its data, as far as that can be seen from here."""

import os
import shutil

from django.db import DatabaseError, connection, transaction

_LOCAL = ("", "localhost", "127.0.0.1", "::1")


def free_bytes() -> int | None:
    """Return the free bytes; None where they are not known.

    They are known where PostgreSQL runs on this machine and lets us know its folder, and where
    KEEPSORT_DATABASE_FOLDER names one that is mounted here.
    """
    folder = os.environ.get("KEEPSORT_DATABASE_FOLDER") or _folder()
    try:
        return shutil.disk_usage(folder).free if folder else None
    except OSError:
        return None


def _folder() -> str | None:
    host = str(connection.settings_dict.get("HOST") or "")
    if host not in _LOCAL and not host.startswith("/"):
        return None
    try:
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("select current_setting('data_directory')")
            row = cursor.fetchone()
    except DatabaseError:  # only some accounts may see it
        return None
    return str(row[0]) if row else None
