"""Jobs on which nothing was moved yet get the rods that beams that steer really have, as their vehicles did."""

from importlib import import_module

from django.db import migrations

without_tie_rods = import_module("rectaxis.fleets.migrations.0006_beams_that_steer").without_tie_rods


def put_right(apps, schema_editor):
    jobs = apps.get_model("jobs", "Job").objects.filter(status__in=("planned", "open", "paused"), move_set__isnull=True)
    for job in jobs.iterator():
        layout = without_tie_rods(job.layout)
        if layout is not None:
            job.layout = layout
            job.save(update_fields=["layout"])


class Migration(migrations.Migration):
    dependencies = [("jobs", "0008_events_by_code"), ("fleets", "0006_beams_that_steer")]
    operations = [migrations.RunPython(put_right, migrations.RunPython.noop)]
