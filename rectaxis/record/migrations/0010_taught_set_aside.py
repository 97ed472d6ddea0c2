"""What a move taught can be thrown away: it stays on the record and no longer counts."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0009_beams_that_steer")]

    operations = [
        migrations.AddField(model_name="taught", name="set_aside", field=models.BooleanField(default=False)),
    ]
