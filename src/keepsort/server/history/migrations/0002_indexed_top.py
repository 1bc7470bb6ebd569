"""Backups of branches are told apart; the index is built anew where there are any."""

from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def build_anew(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    """Empty the index of systems that have backups of branches; it is filled when asked for."""
    indexed = apps.get_model("history", "Indexed")
    systems = set(indexed.objects.exclude(record__at=[]).values_list("system", flat=True))
    for model in (indexed, apps.get_model("history", "Version"), apps.get_model("history", "Head")):
        model.objects.filter(system__in=systems).delete()


class Migration(migrations.Migration):
    """Adds the branch that an indexed backup holds."""

    dependencies = [("history", "0001_initial")]

    operations = [
        migrations.AddField("indexed", "top", models.TextField(default="/")),
        migrations.RunPython(build_anew, migrations.RunPython.noop),
    ]
