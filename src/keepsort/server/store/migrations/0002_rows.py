from django.db import migrations


class Migration(migrations.Migration):
    """Keep chunks of up to 8 KiB in their row, and spare compressing them a second time."""

    dependencies = [("store", "0001_initial")]

    operations = [
        migrations.RunSQL(
            [
                "alter table store_chunk alter column data set storage external",
                "alter table store_chunk set (toast_tuple_target = 8160)",
            ],
            [
                "alter table store_chunk alter column data set storage extended",
                "alter table store_chunk reset (toast_tuple_target)",
            ],
        )
    ]
