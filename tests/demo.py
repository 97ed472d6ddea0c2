"""The demo's data for tests: made once, then put back row by row."""

from __future__ import annotations

import os
import pickle
from collections.abc import Callable
from pathlib import Path

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import connection, transaction

from tests.ready import make_the_demo, rows_of_all_tables

_DEMO = "the demo alone"
_rows: dict[str, dict[str, bytes]] = {}
"""Rows by table of what was made, by its name."""


def put_out_the_demo() -> None:
    """The demo's data as it was first made; into tables that are empty of it."""
    if _DEMO not in _rows and "RECTAXIS_TEST_READY" not in os.environ:
        with transaction.atomic():
            _rows[_DEMO] = make_the_demo()[0]
        return
    if _DEMO not in _rows:
        rows, files = pickle.loads(Path(os.environ["RECTAXIS_TEST_READY"]).read_bytes())
        for name, content in files.items():
            if not default_storage.exists(name):
                default_storage.save(name, ContentFile(content))
        _rows[_DEMO] = rows
    _put_out(_rows[_DEMO])


def put_out_the_demo_and(name: str, make: Callable[[], object]) -> None:
    """The demo's data with what is made of it under a name, as it was first made; into tables that are empty of it."""
    if name in _rows:
        _put_out(_rows[name])
        return
    put_out_the_demo()
    with transaction.atomic():
        make()
        _rows[name] = rows_of_all_tables()


def _put_out(made: dict[str, bytes]) -> None:
    with transaction.atomic(), connection.cursor() as cursor:
        for table, rows in made.items():
            with cursor.cursor.copy(f"COPY {connection.ops.quote_name(table)} FROM STDIN") as copy:
                copy.write(rows)
