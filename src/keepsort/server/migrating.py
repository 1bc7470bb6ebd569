"""Keeps the database in step with the code. Run as a module, it migrates the database."""

import os
from pathlib import Path

from django.apps import apps
from django.core.management import call_command
from django.db import ProgrammingError, connection


def is_current() -> bool:
    """Tell whether every migration of the installed applications has been carried out."""
    return _known() <= _applied()


def migrate_if_needed() -> None:
    """Migrate the database, if a migration is wanting; two processes at once take turns."""
    if is_current():
        return
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_lock(hashtext('keepsort migrations'))")
        try:
            call_command("migrate", verbosity=0, interactive=False)
        finally:
            cursor.execute("select pg_advisory_unlock(hashtext('keepsort migrations'))")


def _known() -> set[tuple[str, str]]:
    """List the migrations there are by their files; loading them all would slow every command."""
    return {
        (app.label, file.stem)
        for app in apps.get_app_configs()
        for file in Path(app.path, "migrations").glob("[0-9]*.py")
    }


def _applied() -> set[tuple[str, str]]:
    try:
        with connection.cursor() as cursor:
            cursor.execute("select app, name from django_migrations")
            return set(cursor.fetchall())
    except ProgrammingError:  # the table is not there yet
        return set()


if __name__ == "__main__":
    os.environ["DJANGO_SETTINGS_MODULE"] = "keepsort.server.settings"
    import django

    django.setup()
    migrate_if_needed()
