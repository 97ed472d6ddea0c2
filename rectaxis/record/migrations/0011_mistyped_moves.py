"""A move that was mistyped is struck: it stays on the record and counts as never made."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0010_taught_set_aside")]

    operations = [
        migrations.AddField(
            model_name="move",
            name="strikes",
            field=models.OneToOneField(
                blank=True,
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="struck_by",
                to="jobs.move",
            ),
        ),
        migrations.AlterField(
            model_name="move",
            name="undoes",
            field=models.ForeignKey(
                blank=True,
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="undone_by",
                to="jobs.move",
            ),
        ),
    ]
