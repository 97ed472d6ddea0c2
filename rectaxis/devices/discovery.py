"""Which devices announce themselves on the yard's network, by multicast DNS (RFC 6762, RFC 6763). Looked for at a press only."""

from __future__ import annotations

import asyncio
import contextlib
from typing import NamedTuple

from zeroconf import ServiceStateChange, Zeroconf
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

SERVICE = "_rectaxis._tcp.local."
"""As docs/devicefeed.md has it."""
_LOOK_S, _ASK_MS = 1.5, 800
_MOST, _LONGEST = 40, 60


class Announced(NamedTuple):
    """A device that says where it is: what it calls itself, the kind of kit that it belongs to, its serial, and its address."""

    name: str
    kit: str
    serial: str
    address: str


async def announced(seconds: float = _LOOK_S) -> list[Announced]:
    """The devices that answer within some seconds, by name. Nothing is believed of them before one is paired."""
    heard: set[str] = set()

    def hear(zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange) -> None:  # noqa: ARG001 - as it is called
        if len(heard) < _MOST and state_change is not ServiceStateChange.Removed:
            heard.add(name)

    try:
        line = AsyncZeroconf()
    except OSError:
        # A machine without any network: nothing can be heard.
        return []
    try:
        browser = AsyncServiceBrowser(line.zeroconf, SERVICE, handlers=[hear])
        await asyncio.sleep(seconds)
        await browser.async_cancel()
        found = await asyncio.gather(*(_asked(line, name) for name in heard))
    finally:
        await line.async_close()
    return sorted({one for one in found if one is not None})


async def _asked(line: AsyncZeroconf, name: str) -> Announced | None:
    info = AsyncServiceInfo(SERVICE, name)
    with contextlib.suppress(OSError, ValueError):
        if await info.async_request(line.zeroconf, _ASK_MS):
            places = info.parsed_addresses()
            place = next((one for one in places if ":" not in one), None)
            if place is not None and info.port:
                says = {key: _text(info.decoded_properties.get(key)) for key in ("name", "kit", "serial")}
                return Announced(**says, address=f"http://{place}:{info.port}")
    return None


def _text(value: str | None) -> str:
    return "".join(c for c in value or "" if c.isprintable())[:_LONGEST]
