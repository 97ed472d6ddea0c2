"""A layout lists its adjusters of every kind, where it listed its tie rods."""

from django.db import migrations


def rods_become_adjusters(apps, schema_editor):
    for name in ("Vehicle", "HistoricalVehicle"):
        model = apps.get_model("fleets", name)
        for one in model.objects.filter(layout__has_key="rods").iterator():
            rods = one.layout.pop("rods")
            one.layout["adjusters"] = [{"kind": "tie_rod", **rod} for rod in rods]
            one.save(update_fields=["layout"])


class Migration(migrations.Migration):
    dependencies = [("fleets", "0003_any_vehicle")]
    operations = [migrations.RunPython(rods_become_adjusters, migrations.RunPython.noop)]
