"""Moves of adjusters of every kind, where moves were turns of tie rods; what moves taught, kept for a model."""

import django.db.models.deletion
import uuid6
from django.conf import settings
from django.db import migrations, models


def rods_become_adjusters(apps, schema_editor):
    for name in ("Job", "HistoricalJob"):
        model = apps.get_model("jobs", name)
        for one in model.objects.filter(layout__has_key="rods").iterator():
            rods = one.layout.pop("rods")
            one.layout["adjusters"] = [{"kind": "tie_rod", **rod} for rod in rods]
            one.save(update_fields=["layout"])


def turns_become_moves(apps, schema_editor):
    stands = {}
    for move in apps.get_model("jobs", "Move").objects.order_by("id").iterator():
        start = stands.get((move.job_id, move.adjuster), 0)
        stands[move.job_id, move.adjuster] = start + move.flats
        move.start, move.end = str(start), str(start + move.flats)
        move.effect = {f"axles/{move.axle}/{move.side}/toe_deg": move.change_deg}
        move.save(update_fields=["start", "end", "effect"])


class Migration(migrations.Migration):
    dependencies = [("jobs", "0003_any_vehicle"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]
    operations = [
        migrations.RunPython(rods_become_adjusters, migrations.RunPython.noop),
        migrations.AlterField("move", "adjuster", models.CharField(max_length=100)),
        migrations.AddField("move", "start", models.CharField(max_length=20, default="0"), preserve_default=False),
        migrations.AddField("move", "end", models.CharField(max_length=20, default="0"), preserve_default=False),
        migrations.AddField("move", "effect", models.JSONField(default=dict), preserve_default=False),
        migrations.AddField(
            "move", "undoes",
            models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT,
                                 related_name="undone_by", to="jobs.move"),
        ),
        migrations.RunPython(turns_become_moves, migrations.RunPython.noop),
        migrations.RemoveField("move", "side"),
        migrations.RemoveField("move", "flats"),
        migrations.RemoveField("move", "change_deg"),
        migrations.CreateModel(
            name="Taught",
            fields=[
                ("id", models.UUIDField(default=uuid6.uuid7, editable=False, primary_key=True, serialize=False)),
                ("make", models.CharField(max_length=40)),
                ("model", models.CharField(max_length=40)),
                ("family", models.CharField(max_length=300)),
                ("share", models.FloatField()),
                ("u", models.FloatField()),
                ("job", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="taught",
                                          to="jobs.job")),
            ],
            options={
                "ordering": ["-id"],
                "indexes": [models.Index(fields=["make", "model", "-id"], name="jobs_taught_model_idx")],
                "constraints": [models.UniqueConstraint(fields=("job", "family"), name="a_job_teaches_a_family_once")],
            },
        ),
    ]
