"""Everything that is added to a record has a place of its own."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0006_order_and_codes")]

    operations = [
        migrations.AddIndex(
            model_name='entry',
            index=models.Index(fields=['job', 'slot', '-sequence'], name='jobs_entry_job_id_90e6f8_idx'),
        ),
        migrations.AddConstraint(
            model_name='entry',
            constraint=models.UniqueConstraint(fields=('job', 'sequence'), name='entry_has_its_place'),
        ),
        migrations.AddConstraint(
            model_name='event',
            constraint=models.UniqueConstraint(fields=('job', 'sequence'), name='event_has_its_place'),
        ),
        migrations.AddConstraint(
            model_name='mark',
            constraint=models.UniqueConstraint(fields=('job', 'sequence'), name='mark_has_its_place'),
        ),
        migrations.AddConstraint(
            model_name='move',
            constraint=models.UniqueConstraint(fields=('job', 'sequence'), name='move_has_its_place'),
        ),
        migrations.AddConstraint(
            model_name='photo',
            constraint=models.UniqueConstraint(fields=('job', 'sequence'), name='photo_has_its_place'),
        ),
        migrations.AddConstraint(
            model_name='seal',
            constraint=models.UniqueConstraint(fields=('job', 'sequence'), name='seal_has_its_place'),
        ),
        *(
            migrations.AlterField(name, "sequence", models.PositiveBigIntegerField(editable=False))
            for name in ("entry", "event", "mark", "move", "photo", "seal")
        ),
    ]
