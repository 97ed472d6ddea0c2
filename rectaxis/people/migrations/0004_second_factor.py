"""The table in which tries and used codes are counted for all web processes."""

from django.core.management import call_command
from django.db import migrations


def make_table(apps, schema_editor):
    call_command("createcachetable", database=schema_editor.connection.alias, verbosity=0)


class Migration(migrations.Migration):
    dependencies = [("people", "0003_words")]
    operations = [migrations.RunPython(make_table, migrations.RunPython.noop)]
