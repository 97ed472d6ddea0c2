"""Events are kept by the status that a job was given, not by words for it."""

from django.db import migrations, models

CODES = {"taken up again": "open", "handed over": "done", "ended early": "ended"}


def words_become_codes(apps, schema_editor):
    for words, code in CODES.items():
        apps.get_model("jobs", "Event").objects.filter(what=words).update(what=code)


class Migration(migrations.Migration):
    dependencies = [("jobs", "0007_one_place_each")]

    operations = [
        migrations.RunPython(words_become_codes, migrations.RunPython.noop),
        migrations.AlterField(
            model_name='event',
            name='what',
            field=models.CharField(choices=[('planned', 'planned'), ('open', 'in hand'), ('paused', 'paused'), ('done', 'handed over'), ('ended', 'ended early')], max_length=20),
        ),
    ]
