"""A backup of many years and its restore: how long each takes, and whether all of it is the same afterwards, row by row.

Beside ``scale`` it takes the database that was made for that; alone it makes one of ``RECTAXIS_SCALE`` vehicles.
"""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from pathlib import Path
from typing import cast

from django.core.cache import cache
from django.db import connection

from bench import scale
from launch import backup
from launch.cluster import Cluster
from rectaxis.demo.business import make_demo
from rectaxis.fleets.models import Vehicle


class _Here:
    """The database of the bench, where a cluster's would be."""

    @property
    def url(self) -> str:
        given = connection.settings_dict
        return f"postgresql://{given['USER']}:{given['PASSWORD']}@{given['HOST']}:{given['PORT']}/{given['NAME']}"


def _digests() -> dict[str, tuple[int, object]]:
    """Each table's rows and a sum over what stands in all of them."""
    found = {}
    with connection.cursor() as cursor:
        cursor.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1")
        for (table,) in cursor.fetchall():
            cursor.execute(f'SELECT count(*), sum(hashtextextended(t::text, 0)) FROM "{table}" t')
            found[table] = cursor.fetchone()
    return found


def report() -> bool:
    """Print it; whether everything is the same."""
    if not Vehicle.objects.filter(unit="Unit 000007").exists():
        make_demo()
        scale.grow(0, int(os.environ.get("RECTAXIS_SCALE", "20000")))
    cache.clear()
    before, rows = _digests(), connection.settings_dict["NAME"]
    here = cast("Cluster", _Here())
    with tempfile.TemporaryDirectory(dir=Path(__file__).resolve().parent.parent / "var") as place:
        folder = Path(place)
        folder.chmod(0o755)
        (folder / "secret").write_text("made up")
        connection.close()
        connection.close_pool()  # type: ignore[attr-defined] # of the PostgreSQL one
        started = time.monotonic()
        made = backup.back_up(here, folder / "media", folder / "secret", folder / "to")
        backed_up = time.monotonic()
        size = sum(path.stat().st_size for path in made.iterdir())
        said = backup.restore(here, folder / "media", folder / "secret", made)
        restored = time.monotonic()
        shutil.rmtree(made)
    after = _digests()
    alike = before == after
    visits = before["jobs_job"][0]
    print(
        f"{visits:,} visits, {before['jobs_entry'][0]:,} entries, {scale.size()}: backed up in {backed_up - started:.0f} s as {size / 1e6:,.0f} MB, "
        f"restored in {restored - backed_up:.0f} s; {len(before)} tables are {'the same' if alike else 'NOT the same'}, row by row"
    )
    old = next(word for word in said.replace(",", " ").split() if word.startswith(f"{rows}_before"))
    with connection.cursor() as cursor:
        cursor.execute(f'DROP DATABASE "{old}"')
    return alike
