"""Choices for one restore."""

from django.db import migrations, models


class Migration(migrations.Migration):
    """What of the connector's options a plan was made with."""

    dependencies = [("restores", "0007_takes_back")]
    operations = [
        migrations.AddField("planrecord", "chosen", models.JSONField(default=dict)),
    ]
