"""Keeps the database in step with the code."""

from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor


def migrate_if_needed() -> None:
    """Migrate the database, if a migration is wanting; two processes at once take turns."""
    executor = MigrationExecutor(connection)
    if not executor.migration_plan(executor.loader.graph.leaf_nodes()):
        return
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_lock(hashtext('keepsort migrations'))")
        try:
            call_command("migrate", verbosity=0, interactive=False)
        finally:
            cursor.execute("select pg_advisory_unlock(hashtext('keepsort migrations'))")
