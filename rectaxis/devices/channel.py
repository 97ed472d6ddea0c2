"""How the follower and the pages speak: PostgreSQL's LISTEN and NOTIFY. No state in a web process, and any number of those."""

from __future__ import annotations

import asyncio
import contextlib
import json
from collections.abc import AsyncIterator, Iterator, Mapping
from typing import Any

import psycopg
from django.db import connection

LIVE, WANTED = "rectaxis_live", "rectaxis_wanted"
"""What the follower tells, and what is wanted of it."""
MOST_BYTES = 7_500
"""PostgreSQL takes less than 8,000 bytes at once."""


def conninfo() -> dict[str, Any]:
    """How to reach the application's own database, as psycopg has it."""
    settings = connection.settings_dict
    return {
        "dbname": settings["NAME"], "user": settings["USER"], "password": settings["PASSWORD"], "host": settings["HOST"],
        "port": settings["PORT"],
    }  # fmt: skip


async def connect() -> psycopg.AsyncConnection[Any]:
    """A connection of its own, outside Django's, on which notices are heard and given."""
    return await psycopg.AsyncConnection.connect(**conninfo(), autocommit=True)


def want(**what: str) -> None:
    """Ask something of the follower: ``what`` names the device and what to do. Told when the transaction is through."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [WANTED, json.dumps(what)])


def tell_kept(device: str, visit: str) -> None:
    """Tell the pages of a visit that a picture of a device's was kept, once the transaction under way is done."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [LIVE, json.dumps({"device": device, "values": {}, "kept": visit})])


def parcels(head: dict[str, Any], rest: dict[str, Any], name: str, items: Mapping[str, Any]) -> Iterator[str]:
    """What is told, in pieces that PostgreSQL takes: each has ``head`` and under ``name`` some of the ``items``, the first also
    ``rest``.
    """
    first = {**head, **rest}
    piece, size = dict[str, Any](), len(json.dumps(first))
    for key, value in items.items():
        more = len(json.dumps({key: value}))
        if size + more > MOST_BYTES:
            yield json.dumps({**first, name: piece})
            piece, first, size = {}, head, len(json.dumps(head))
        piece[key] = value
        size += more
    yield json.dumps({**first, name: piece})


class Hub:
    """One ear of a web process: all its open pages hear through it."""

    def __init__(self) -> None:
        self._pages: set[asyncio.Queue[str]] = set()
        self._task: asyncio.Task[None] | None = None

    async def _listen(self) -> None:
        while self._pages:
            try:
                async with await connect() as heard:
                    await heard.execute(f"LISTEN {LIVE}")
                    async for notice in heard.notifies():
                        for page in self._pages:
                            if page.full():
                                page.get_nowait()
                            page.put_nowait(notice.payload)
                        if not self._pages:
                            return
            except (OSError, psycopg.Error):
                await asyncio.sleep(1.0)

    async def hear(self) -> AsyncIterator[str]:
        """What the follower tells, until the page is gone; an empty text where nothing came for two seconds."""
        page: asyncio.Queue[str] = asyncio.Queue(maxsize=_MOST_WAITING)
        self._pages.add(page)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._listen())
        try:
            while True:
                text = ""
                # Not wait_for: until Python 3.12 it swallows a cancellation that comes with a text, and a page that is gone is told for ever.
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(_QUIET_S):
                        text = await page.get()
                yield text
        finally:
            self._pages.discard(page)


_MOST_WAITING, _QUIET_S = 100, 2.0
_hubs: dict[int, Hub] = {}


def hub() -> Hub:
    """The hub of the event loop that runs."""
    loop = id(asyncio.get_running_loop())
    if loop not in _hubs:
        _hubs[loop] = Hub()
    return _hubs[loop]
