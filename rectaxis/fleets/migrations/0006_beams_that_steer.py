"""A steered axle of a truck, a bus or a trailer is a beam with one track rod and a drag link: two tie rods do not exist there."""

from django.db import migrations

ON_BEAMS = ("truck", "bus", "trailer")
INVENTED = {"pitch_mm": 1.5, "arm_mm": 150.0}


def without_tie_rods(layout):
    """The layout with its tie rods put right, or None where it has none to put right."""
    if layout.get("group", "van") not in ON_BEAMS:
        return None
    axles = layout["vehicle"]["axles"]
    steers = {n for n, axle in enumerate(axles, start=1) if axle.get("steers", axle["role"] == "steer")}
    wrong = [one for one in layout.get("adjusters", []) if one["kind"] == "tie_rod" and one["axle"] in steers]
    if not wrong:
        return None
    kept = [one for one in layout["adjusters"] if one not in wrong]
    beams = list(dict.fromkeys(one["axle"] for one in wrong))
    for axle in beams:
        rod = next(one for one in wrong if one["axle"] == axle)
        measured = {name: rod[name] for name in INVENTED if name in rod and rod[name] != INVENTED[name]}
        kept.append({"kind": "track_rod", "axle": axle, "ahead": rod.get("ahead", False), **measured})
        if not any(one["kind"] == "drag_link" and one["axle"] == axle for one in kept):
            carries = {"carries": beams[1]} if axle == beams[0] and len(beams) > 1 else {}
            kept.append({"kind": "drag_link", "axle": axle, **carries})
    return {**layout, "adjusters": kept, "changed": ["beam-steer"]}


def put_right(apps, schema_editor):
    model = apps.get_model("fleets", "Vehicle")
    for one in model.objects.all().iterator():
        layout = without_tie_rods(one.layout)
        if layout is not None:
            one.layout = layout
            one.save(update_fields=["layout"])


class Migration(migrations.Migration):
    dependencies = [("fleets", "0005_parts_of_what_is_written")]
    operations = [migrations.RunPython(put_right, migrations.RunPython.noop)]
