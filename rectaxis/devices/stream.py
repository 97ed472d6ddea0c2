"""What the follower tells of some devices, as server-sent events of a page."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import AsyncIterator, Callable, Collection, Mapping
from typing import Any
from uuid import uuid4

from asgiref.sync import sync_to_async
from django.http import StreamingHttpResponse

from rectaxis.common.connections import give_back
from rectaxis.devices.channel import hub, want
from rectaxis.devices.trouble import CODES, Trouble

Named = Callable[[str], Collection[str]]
"""Under which names a page knows what a device measures, by the measure's key."""


def stream(
    devices: Collection[str], named: Named, watch: Mapping[str, str] | None = None, *, asks: bool = True
) -> StreamingHttpResponse:
    """The answer that goes on for as long as the page is open. ``watch`` is the visit, phase and style that it shows; it ``asks``
    for that to be worked out, or only looks on at what other pages ask for.
    """
    events = _events(frozenset(devices), named, dict(watch or {}), asks=asks)
    answer = StreamingHttpResponse(events, content_type="text/event-stream")
    answer["Cache-Control"] = "no-store"
    # Packed, it would wait until there is enough to pack.
    answer["Content-Encoding"] = "identity"
    answer["X-Accel-Buffering"] = "no"
    return answer


async def _events(devices: frozenset[str], named: Named, watch: dict[str, str], *, asks: bool) -> AsyncIterator[str]:
    # A stream lasts for hours, and its request with it: it must not hold what was asked for it to begin.
    await sync_to_async(give_back)()
    yield _event({"listening": True})
    silent, told_at, page = False, float("-inf"), uuid4().hex
    try:
        async for text in hub().hear():
            if watch and asks and time.monotonic() - told_at > _AGAIN_S:
                told_at = time.monotonic()
                await sync_to_async(_say)(watch | {"do": "watch", "page": page})
            if not text:
                # Nothing of any device, and no sign of life of the follower: the page says so.
                silent = True
                yield _event({"follower": False})
                continue
            told = json.loads(text)
            if "follower" in told:
                if silent:
                    silent = False
                    yield _event({"follower": True})
            elif told.get("device") in devices:
                yield _event(_for_page(told, named))
            elif watch and all(told.get(key) == value for key, value in watch.items()):
                yield _event(told)
    finally:
        if watch and asks:
            # Whoever ends this does not wait for it.
            asyncio.get_running_loop().run_in_executor(None, _say, watch | {"do": "gone", "page": page})


def _say(what: Mapping[str, str]) -> None:
    """Say that a page is open, or gone, and hold no connection for it."""
    try:
        want(**what)
    finally:
        give_back()


_AGAIN_S = 10.0
"""How often a page says that it is still open."""


def _for_page(told: Mapping[str, Any], named: Named) -> dict[str, Any]:
    """The same with the page's own names, and trouble in words."""
    found = {key: value for key, value in told.items() if key not in ("values", "gone", "trouble")}
    found["values"] = {name: value for key, value in told["values"].items() for name in named(key)}
    found["gone"] = [name for key in told.get("gone", ()) for name in named(key)]
    if "trouble" in told:
        found["trouble"] = [said(one) for one in told["trouble"] if one[0] in CODES]
    return found


def said(one: Any) -> dict[str, Any]:
    """One trouble in words, with the wheel that it is of."""
    trouble = Trouble(*one)
    return {
        "code": trouble.code,
        "axle": trouble.axle,
        "side": trouble.side,
        "text": trouble.say(),
        "short": trouble.short,
    }


def _event(data: Mapping[str, Any]) -> str:
    return f"data: {json.dumps(data)}\n\n"
