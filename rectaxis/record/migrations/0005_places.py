"""Places in the order of a record, keys that order nothing, and what seals keep: the columns."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0004_setting")]

    operations = [
        migrations.AlterModelOptions(
            name='event',
            options={'ordering': ['sequence']},
        ),
        migrations.AlterModelOptions(
            name='mark',
            options={'ordering': ['sequence']},
        ),
        migrations.AlterModelOptions(
            name='move',
            options={'ordering': ['sequence']},
        ),
        migrations.AlterModelOptions(
            name='photo',
            options={'ordering': ['sequence']},
        ),
        migrations.RemoveIndex(
            model_name='entry',
            name='jobs_entry_job_id_6ba37d_idx',
        ),
        migrations.RemoveIndex(
            model_name='move',
            name='jobs_move_job_id_30460a_idx',
        ),
        migrations.RemoveIndex(
            model_name='photo',
            name='jobs_photo_job_id_80a36a_idx',
        ),
        migrations.AddField(
            model_name='entry',
            name='counts',
            field=models.BooleanField(default=True),
        ),
        migrations.AddField(
            model_name='entry',
            name='device_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='entry',
            name='sequence',
            field=models.PositiveBigIntegerField(default=0, editable=False),
        ),
        migrations.AddField(
            model_name='event',
            name='device_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='event',
            name='sequence',
            field=models.PositiveBigIntegerField(default=0, editable=False),
        ),
        migrations.AddField(
            model_name='job',
            name='added',
            field=models.PositiveBigIntegerField(default=0, editable=False, verbose_name='how many things were added to its record'),
        ),
        migrations.AddField(
            model_name='mark',
            name='device_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='mark',
            name='sequence',
            field=models.PositiveBigIntegerField(default=0, editable=False),
        ),
        migrations.AddField(
            model_name='move',
            name='device_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='move',
            name='sequence',
            field=models.PositiveBigIntegerField(default=0, editable=False),
        ),
        migrations.AddField(
            model_name='photo',
            name='device_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='photo',
            name='sequence',
            field=models.PositiveBigIntegerField(default=0, editable=False),
        ),
        migrations.AddField(
            model_name='seal',
            name='device_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='seal',
            name='sequence',
            field=models.PositiveBigIntegerField(default=0, editable=False),
        ),
        migrations.AddField(
            model_name='seal',
            name='statement',
            field=models.JSONField(null=True),
        ),
        migrations.AlterField(
            model_name='entry',
            name='slot',
            field=models.CharField(max_length=200),
        ),
        migrations.AlterField(
            model_name='photo',
            name='slot',
            field=models.CharField(max_length=200),
        ),
        migrations.AlterField(
            model_name='seal',
            name='phase',
            field=models.CharField(choices=[('before', 'before'), ('after', 'after'), ('visit', 'visit')], max_length=7),
        ),
        migrations.AlterField(
            model_name='seal',
            name='sentences',
            field=models.JSONField(default=dict, verbose_name='what the results said, by angle style'),
        ),
    ]
