"""Keeps the database in step with the code."""

from pathlib import Path

from django.apps import apps
from django.core.management import call_command
from django.db import ProgrammingError, connection


def migrate_if_needed() -> None:
    """Migrate the database, if a migration is wanting; two processes at once take turns."""
    if _known() <= _applied():
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
