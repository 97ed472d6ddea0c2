"""The demo's data for tests: made once in a process, then put back row by row."""

from __future__ import annotations

from django.apps import apps
from django.db import connection, transaction

from rectaxis.demo.business import make_demo

_rows: dict[str, bytes] = {}


def put_out_the_demo() -> None:
    """The demo's data, as it was when it was first made in this process; into tables that are empty of it."""
    labels = {config.label for config in apps.get_app_configs() if config.name.startswith("rectaxis.")}
    models = [m for m in apps.get_models(include_auto_created=True) if m._meta.app_label in labels]
    if not _rows:
        make_demo()
    with transaction.atomic(), connection.cursor() as cursor:
        for table in dict.fromkeys(model._meta.db_table for model in models):
            name = connection.ops.quote_name(table)
            if table in _rows:
                with cursor.cursor.copy(f"COPY {name} FROM STDIN") as copy:
                    copy.write(_rows[table])
            else:
                with cursor.cursor.copy(f"COPY {name} TO STDOUT") as copy:
                    _rows[table] = b"".join(copy)
