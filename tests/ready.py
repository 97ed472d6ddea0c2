"""What every part of the tests begins with, made once: a database with its tables, and the demo's data beside it."""

from __future__ import annotations

import pickle
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

DATABASE = "test_rectaxis_ready"
"""What the parts' databases are copied from."""
Made = tuple[dict[str, bytes], dict[str, bytes]]
"""The demo's rows by table, and the files in its store by name."""


def make_it(path: Path) -> None:
    """Make the database, and write the demo's data into a file. The tables are left empty; their sequences have gone on."""
    import django

    django.setup()
    from django.db import connection, transaction

    connection.creation.create_test_db(verbosity=0, autoclobber=True)
    with transaction.atomic():
        made = make_the_demo()
        transaction.set_rollback(True)
    path.write_bytes(pickle.dumps(made))
    connection.close()
    connection.close_pool()


def make_the_demo() -> Made:
    """The demo made in the tables that are there, and copied out of them."""
    from django.core.files.storage import default_storage

    from rectaxis.demo.business import make_demo

    make_demo()
    return rows_of_all_tables(), dict(_files(default_storage))


def rows_of_all_tables() -> dict[str, bytes]:
    """The rows of every table that the product fills, by its name."""
    from django.db import connection

    rows = {}
    with connection.cursor() as cursor:
        for table in tables():
            with cursor.cursor.copy(f"COPY {connection.ops.quote_name(table)} TO STDOUT") as copy:
                rows[table] = b"".join(copy)
    return rows


def tables() -> list[str]:
    """The tables that the product fills, in an order in which they can be filled again: their keys are checked at the end."""
    from django.apps import apps

    labels = {config.label for config in apps.get_app_configs() if config.name.startswith("rectaxis.")}
    models = [m for m in apps.get_models(include_auto_created=True) if m._meta.app_label in labels]
    return list(dict.fromkeys(model._meta.db_table for model in models))


def _files(store: Any, folder: str = "") -> Iterator[tuple[str, bytes]]:
    folders, names = store.listdir(folder)
    for name in names:
        with store.open(f"{folder}{name}") as file:
            yield f"{folder}{name}", file.read()
    for name in folders:
        yield from _files(store, f"{folder}{name}/")


if __name__ == "__main__":
    make_it(Path(sys.argv[1]))
