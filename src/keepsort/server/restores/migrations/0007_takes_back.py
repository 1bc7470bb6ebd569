"""Undo of chosen steps."""

from django.db import migrations, models


class Migration(migrations.Migration):
    """Which steps of a run a plan takes back."""

    dependencies = [("restores", "0006_entries")]
    operations = [
        migrations.AddField("planrecord", "takes_back", models.JSONField(null=True)),
    ]
