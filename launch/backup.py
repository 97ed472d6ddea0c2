"""The whole of an installation as one folder, and an installation from it: database, files, and the secret that some of it is encrypted with.

The database is dumped first: files are only ever added, so that each one it names is there when the files are taken after it.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import os
import shutil
import subprocess
import tarfile
import time
from pathlib import Path
from urllib.parse import urlsplit

from launch import CannotStartError
from launch.cluster import Cluster
from launch.held import write_whole
from launch.packages import postgres_tool

DUMP, FILES, SECRET, MANIFEST = "database.dump", "files.tar", "secret-key", "manifest.json"
FORMAT, VERSION = "rectaxis-backup", 1
KEPT = 14
"""So many whole backups are kept in one folder; the oldest beyond them goes once a new one is whole."""
_PACKED = "--compress=1"
"""Lightly: packing takes nearly all of the time that a backup takes, and the next levels save little."""
_AT_ONCE = 4
"""So many tables and indexes are restored beside each other, where there are as many processors."""
_FOR_INDEXES = "-c maintenance_work_mem=256MB"
"""What each of them may sort in memory; PostgreSQL's own default sorts the indexes of many years on the disk."""
_MADE_ANEW = ("exports", "imports", "batches", "reports")
"""What lies among the files only to be taken away or made again."""


def back_up(cluster: Cluster, media: Path, secret: Path, to: Path) -> Path:
    """Write a backup below a folder, checked; answers with where it is. **Raises** CannotStartError; what was written then says so by having no manifest."""
    began = time.monotonic()
    folder = to / f"rectaxis-{dt.datetime.now():%Y%m%d-%H%M%S}"  # noqa: DTZ005 - as the clock on the wall says
    folder.mkdir(parents=True)
    folder.chmod(0o700)
    # Before the dump: what is sealed while it is written is in it, and no part of this head.
    chain = _chain(cluster)
    _tool(cluster, "pg_dump", "--format=custom", _PACKED, "--no-owner", "--file", str(folder / DUMP), _name(cluster))
    with tarfile.open(folder / FILES, "w") as tar:
        if media.exists():
            tar.add(media, "media", filter=_kept)
    write_whole(folder / SECRET, secret.read_text() if secret.exists() else "")
    _tool(cluster, "pg_restore", "--list", str(folder / DUMP))
    parts = {name: _digest(folder / name) for name in (DUMP, FILES, SECRET)}
    about = {
        "format": FORMAT,
        "version": VERSION,
        "chain": chain,
        "made": folder.name.removeprefix("rectaxis-"),
        "seconds": round(time.monotonic() - began, 1),
        "parts": parts,
    }
    write_whole(folder / MANIFEST, json.dumps(about, indent=1))
    _prune(to)
    return folder


def restore(cluster: Cluster, media: Path, secret: Path, folder: Path) -> str:
    """Put a backup in place; answers with what was there before and where it is now, in words. Nothing that was there is deleted.

    **Raises** CannotStartError for a backup that is not whole; then nothing was changed.
    """
    _check(folder)
    name, stamp = _name(cluster), f"{dt.datetime.now():%Y%m%d_%H%M%S}"  # noqa: DTZ005 - as above
    fresh, before = f"{name}_{stamp}_new", f"{name}_before_{stamp}"
    aside = media.with_name(f"{media.name}.{stamp}.new")
    _sql(cluster, f'CREATE DATABASE "{fresh}"')
    try:
        at_once = f"--jobs={min(os.cpu_count() or 1, _AT_ONCE)}"
        _tool(cluster, "pg_restore", at_once, "--no-owner", "--exit-on-error", "--dbname", fresh, str(folder / DUMP))
        with tarfile.open(folder / FILES) as tar:
            tar.extractall(aside, filter="data")
        # One after the other in one transaction: whatever happens, there is a database of that name.
        _sql(cluster, f'ALTER DATABASE "{name}" RENAME TO "{before}"; ALTER DATABASE "{fresh}" RENAME TO "{name}"')
    except (CannotStartError, OSError, tarfile.TarError) as error:
        _sql(cluster, f'DROP DATABASE "{fresh}"')
        shutil.rmtree(aside, ignore_errors=True)
        raise CannotStartError(f"The backup could not be put in place, and nothing was changed: {error}") from None
    kept = [f"the database as {before}"]
    for path, new in ((media, aside / "media"), (secret, None)):
        if path.exists():
            old = path.with_name(f"{path.name}.before_{stamp}")
            path.replace(old)
            kept.append(str(old))
        if new is not None:
            (new if new.exists() else _empty(new)).replace(path)
    write_whole(secret, (folder / SECRET).read_text())
    shutil.rmtree(aside)
    return f"What was there before is kept: {', '.join(kept)}."


def _empty(folder: Path) -> Path:
    folder.mkdir(parents=True)
    return folder


def _kept(member: tarfile.TarInfo) -> tarfile.TarInfo | None:
    parts = Path(member.name).parts
    return None if len(parts) > 1 and parts[1] in _MADE_ANEW else member


def _check(folder: Path) -> None:
    """A backup that is whole, as its manifest says."""
    try:
        about = json.loads((folder / MANIFEST).read_text())
        good = about["format"] == FORMAT and about["version"] == VERSION
        parts = {name: str(about["parts"][name]) for name in (DUMP, FILES, SECRET)}
    except (OSError, ValueError, KeyError, TypeError):
        raise CannotStartError(
            f"Expected a backup with its {MANIFEST} in {folder}: it is none, or it was never finished."
        ) from None
    if not good:
        raise CannotStartError(f"Expected a backup of format {FORMAT}, version {VERSION}, in {folder}.")
    for name, digest in parts.items():
        if not (folder / name).exists() or _digest(folder / name) != digest:
            raise CannotStartError(f"{folder / name} is not what its manifest says: take another backup.")


def anchor_of(folder: Path) -> str:
    """The head that the chain of seals had when a backup was made. **Raises** CannotStartError for one that is not whole."""
    _check(folder)
    return str(json.loads((folder / MANIFEST).read_text()).get("chain", ""))


def _chain(cluster: Cluster) -> str:
    """The last link of the chain of seals: what was cut off later is found by it. Empty where there is none."""
    if not _tool(cluster, *_ASK, "SELECT to_regclass('jobs_link')", "--dbname", _name(cluster)).strip():
        return ""
    last = "SELECT number || '-' || mac FROM jobs_link ORDER BY number DESC LIMIT 1"
    return _tool(cluster, *_ASK, last, "--dbname", _name(cluster)).strip()


_ASK = ("psql", "--tuples-only", "--no-align", "--quiet", "-v", "ON_ERROR_STOP=1", "--command")


def _prune(to: Path) -> None:
    whole = sorted(path.parent for path in to.glob(f"rectaxis-*/{MANIFEST}"))
    for old in whole[:-KEPT]:
        shutil.rmtree(old)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _name(cluster: Cluster) -> str:
    return urlsplit(cluster.url).path.lstrip("/")


def _tool(cluster: Cluster, tool: str, *words: str) -> str:
    """Run one of PostgreSQL's programs on the cluster; answers with what it printed. **Raises** CannotStartError with what it said."""
    address, program = urlsplit(cluster.url), postgres_tool(tool)
    if program is None:
        raise CannotStartError(f"PostgreSQL's {tool} was not found. Install the package postgresql.")
    where = {
        "PGHOST": address.hostname or "",
        "PGPORT": str(address.port),
        "PGUSER": address.username or "",
        "PGPASSWORD": address.password or "",
        "PGOPTIONS": _FOR_INDEXES,
    }
    done = subprocess.run([program, *words], env=os.environ | where, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        raise CannotStartError(f"PostgreSQL's {tool} failed: {done.stderr.strip()[-400:]}")
    return done.stdout


def _sql(cluster: Cluster, sql: str) -> None:
    _tool(cluster, "psql", "--dbname", "postgres", "--quiet", "-v", "ON_ERROR_STOP=1", "--command", sql)
