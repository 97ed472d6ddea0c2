"""The one process that follows all paired devices. It holds no number that a job needs: killed and started again, it goes on."""

from __future__ import annotations

import asyncio
import contextlib
import datetime as dt
import json
import logging
import time
from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any, Protocol

import httpx
import psycopg
from asgiref.sync import sync_to_async
from django.utils import timezone
from httpx_sse import SSEError, aconnect_sse

from rectaxis.devices.channel import LIVE, WANTED, connect, parcels
from rectaxis.devices.feed import Identity, read_event, read_serials
from rectaxis.devices.listening import Listening
from rectaxis.devices.models import Device

log = logging.getLogger("rectaxis.devices")
TICK_S, KEEP_S = 0.1, 5.0
_WHOLE_EVERY = 10
"""Every so many ticks all values are told, also those that did not change: pages that were just opened wait no longer."""
_AGAIN_S, _LONGEST_WAIT_S = 0.5, 5.0
_QUIET_S = 4.0
_TELLS_BAD_S = 10.0


class Followed:
    """One device, for as long as it is paired."""

    def __init__(self, device: Device, keep: Keep | None = None) -> None:
        self.device, self._keep = device, keep
        self._fetching: set[asyncio.Task[None]] = set()
        self.heard = Listening(read_serials(device.identity.get("wheels")))
        self.last_event = device.last_event
        self.told: dict[str, Any] = {}
        self.rest: dict[str, Any] = {}
        self._logged_bad = float("-inf")
        self._joined = asyncio.Event()

    @property
    def headers(self) -> dict[str, str]:
        return {"Authorization": f"Bearer {self.device.token}"}

    async def follow(self) -> None:
        """Connect, listen, and when that ends do it again."""
        try:
            await self._follow()
        finally:
            await self._client.aclose()

    async def _follow(self) -> None:
        wait = _AGAIN_S
        while True:
            try:
                if await self._listen():
                    wait = _AGAIN_S
            except (httpx.HTTPError, SSEError, OSError, ValueError) as error:
                log.info("%s: %s", self.device, error)
            self._joined.clear()
            if self.heard.connected:
                self.heard.parted()
                wait = _AGAIN_S
            await asyncio.sleep(wait)
            wait = min(wait * 2, _LONGEST_WAIT_S)

    @cached_property
    def _client(self) -> httpx.AsyncClient:
        """One for all that is asked of the device: making one takes as long as a picture."""
        # A device may close a line that rests: one that has rested for long is not trusted.
        rests = httpx.Limits(keepalive_expiry=_RESTS_S)
        return httpx.AsyncClient(base_url=self.device.address, headers=self.headers, timeout=_COMMAND_S, limits=rests)

    async def _listen(self) -> bool:
        """One connection, from its identity to its end; whether events came."""
        limits = httpx.Timeout(_QUIET_S, connect=2.0)
        client = self._client
        answer = await client.get("/device", timeout=limits)
        if answer.status_code == httpx.codes.UNAUTHORIZED:
            self.heard.parted("token")
            return False
        answer.raise_for_status()
        identity = Identity.read(answer.json(), dt.datetime.now(dt.UTC))
        if identity.data["id"] != self.device.identity.get("id"):
            self.heard.parted("other")
            return False
        await self._keep_identity(identity.data)
        asked = {} if self.last_event is None else {"Last-Event-ID": str(self.last_event)}
        async with aconnect_sse(client, "GET", "/events", headers=asked, timeout=limits) as source:
            source.response.raise_for_status()
            self.heard.joined(identity)
            self._joined.set()
            async for event in source.aiter_sse():
                self._take(event.event, event.data, event.id)
        return True

    async def _keep_identity(self, said: Mapping[str, Any]) -> None:
        """Keep what the device now says of itself, but for which of its serial numbers belongs on which wheel: that is as it was
        when it was paired, or first said where it was entered before it answered.
        """
        known = self.device.identity
        kept = {**said, "wheels": known["wheels"]} if "wheels" in known else dict(said)
        if kept == known:
            return
        # Cameras that were calibrated anew say so themselves; what was found here of them before is of no use then.
        anew: dict[str, Any] = {"calibrated": [], "calibrated_at": None} if kept.get("rig") != known.get("rig") else {}
        self.device.identity, self.heard.belongs = kept, read_serials(kept["wheels"])
        await Device.objects.filter(pk=self.device.pk).aupdate(identity=kept, **anew)

    def _take(self, event: str, data: str, number: str) -> None:
        if number.isdecimal() and len(number) < _LONGEST_NUMBER:
            self.last_event = int(number)
        heard = read_event(event, data)
        if heard is None:
            return
        now = time.monotonic()
        self.heard.hear(heard, now)
        if heard.picture is not None and self._keep is not None:
            self._fetching.add(task := asyncio.create_task(self._fetch(self._keep, *heard.picture)))
            task.add_done_callback(self._fetching.discard)
        if heard.bad and now - self._logged_bad > _TELLS_BAD_S:
            self._logged_bad = now
            log.warning("%s says what means nothing: %s", self.device, heard.bad[0])

    async def _fetch(self, keep: Keep, shot: str, camera: str, name: str) -> None:
        """Fetch a picture that an event named, and keep it."""
        raw = bytearray()
        try:
            async with (
                self._client.stream("GET", f"/pictures/{name}", timeout=_PICTURE_S) as answer,
            ):
                answer.raise_for_status()
                async for part in answer.aiter_bytes():
                    raw += part
                    if len(raw) > MOST_PICTURE_BYTES:
                        log.warning("%s: picture %s is larger than %d bytes", self.device, name, MOST_PICTURE_BYTES)
                        return
        except (httpx.HTTPError, OSError) as error:
            log.warning("%s: picture %s did not come: %s", self.device, name, error)
            raw.clear()
        await self._keep_what_came(keep, shot, camera, bytes(raw))

    async def _keep_what_came(self, keep: Keep, shot: str, camera: str, raw: bytes) -> None:
        """Nothing is a picture that did not come; of no camera, that none will."""
        try:
            moved = "cameras" in self.heard.moved
            await sync_to_async(keep, thread_sensitive=False)(str(self.device.pk), shot, camera, raw, moved)
        except Exception:
            # A picture that cannot be kept is told in the log; its shot waits, and can be left out.
            log.exception("%s: a picture of shot %s could not be kept", self.device, shot)

    def news(self, *, whole: bool) -> list[str]:
        """What is to be told now, as texts."""
        now = time.monotonic()
        values = self.heard.values(now)
        fresh = values if whole else {key: value for key, value in values.items() if self.told.get(key) != value}
        gone = [key for key in self.told if key not in values]
        trouble = [list(one) for one in self.heard.trouble(now)]
        heard = self.heard
        rest = {
            "connected": heard.connected,
            "trouble": trouble,
            "said": heard.said,
            "did": heard.did,
            "visit": heard.visit,
        }
        if not (fresh or gone or whole or rest != self.rest):
            return []
        self.told, self.rest = values, rest
        return list(parcels({"device": str(self.device.pk)}, rest | ({"gone": gone} if gone else {}), "values", fresh))

    async def command(self, do: str, visit: str, shot: str = "", *, asked: bool = True) -> None:
        """Ask the device to do something, for a visit or for none; what came of it is an event of its own. ``shot`` names the
        pictures that it is to take. Nobody waits for an answer to what no person has ``asked`` for.
        """
        if do == "seen":
            self.heard.seen()
            return
        if asked:
            self.heard.said, self.heard.did, self.heard.visit = "", "", visit
        # What comes of it is told to those who listen: a device that was just paired is not listened to yet.
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(self._joined.wait(), _QUIET_S)
        try:
            command = {"do": do, "shot": shot} if shot else {"do": do}
            (await self._client.post("/commands", json=command)).raise_for_status()
        except (httpx.HTTPError, OSError) as error:
            self.heard.said = f"It did not {do}: {type(error).__name__}"
            if shot and self._keep is not None:
                await self._keep_what_came(self._keep, shot, "", b"")

    def kept(self) -> dict[str, Any]:
        """What the database keeps of it."""
        trouble = [list(one) for one in self.heard.trouble(time.monotonic())]
        state = {name: value for name, value in self.heard.state.items() if name in _KEPT_STATE}
        found: dict[str, Any] = {
            "connected": self.heard.connected,
            "trouble": trouble,
            "state": state,
            "last_event": self.last_event,
        }
        return found | ({"heard_at": timezone.now()} if self.heard.connected else {})


_LONGEST_NUMBER = 18
_KEPT_STATE = ("battery", "hours_left", "radio", "temperature_c")


Keep = Callable[[str, str, str, bytes, bool], None]
"""Keeps a picture: of the device with that key, the shot, the camera, the file, and whether the cameras were knocked."""
Waiting = Callable[[], list[tuple[str, str]]]
"""The shots that wait for their pictures, each with the device that it was asked of."""
MOST_PICTURE_BYTES = 40_000_000
_PICTURE_S, _COMMAND_S, _RESTS_S = 20.0, 8.0, 2.0


WANTED_OF_WATCHER = ("watch", "gone", "look")
"""What a page wants that is worked out, by what it says."""


class Watcher(Protocol):
    """Who makes more of what devices say, for pages that say that they want it."""

    def want(self, wanted: Mapping[str, str], now: float) -> None:
        """A page wants something."""

    async def news(self, heard: Callable[[str], Mapping[str, tuple[Any, ...]]], now: float) -> list[str]:
        """What is to be told now; ``heard`` gives what a device says, by its key."""

    def asks(self, now: float) -> list[tuple[str, str]]:
        """The devices that are to take pictures now, by their keys, each with the name of what they are of."""


def _reached(device: Device) -> tuple[str, ...]:
    """How a device is reached, and which it is."""
    return device.address, device.token, str(device.identity.get("id")), str(device.identity.get("wheels"))


class Follower:
    """All devices, and what is told of them."""

    def __init__(
        self, watcher: Watcher | None = None, keep: Keep | None = None, waiting: Waiting | None = None
    ) -> None:
        self.following: dict[str, tuple[Followed, asyncio.Task[None]]] = {}
        self._watcher, self._keep_picture, self._waiting = watcher, keep, waiting
        self._asking: set[asyncio.Task[None]] = set()

    def _heard(self, device: str) -> Mapping[str, tuple[Any, ...]]:
        return self.following[device][0].heard.values(time.monotonic()) if device in self.following else {}

    async def run(self) -> None:
        """Follow until stopped; a database that is away for a while is waited for."""
        while True:
            try:
                async with await connect() as telling, await connect() as hearing:
                    await hearing.execute(f"LISTEN {WANTED}")
                    await self._pair()
                    await self._ask_again()
                    async with asyncio.TaskGroup() as tasks:
                        tasks.create_task(self._tell(telling))
                        tasks.create_task(self._hear(hearing))
                        tasks.create_task(self._keep())
                        tasks.create_task(self._watch())
            except* (psycopg.Error, OSError) as errors:
                log.warning("the database is away: %s", errors.exceptions[0])
                await asyncio.sleep(1.0)

    async def _pair(self) -> None:
        """Follow what is paired, and leave what is not."""
        paired = {str(one.pk): one async for one in Device.objects.filter(unpaired=False)}
        for key, (followed, task) in list(self.following.items()):
            now = paired.get(key)
            if now is None or _reached(now) != _reached(followed.device):
                task.cancel()
                del self.following[key]
        for key, device in paired.items():
            if key not in self.following:
                followed = Followed(device, self._keep_picture)
                self.following[key] = followed, asyncio.create_task(followed.follow())

    async def _ask_again(self) -> None:
        """Ask for what was asked for while nobody followed the devices."""
        for device, shot in [] if self._waiting is None else await sync_to_async(self._waiting)():
            self._ask(device, "take", "", shot)

    def _ask(self, device: str, do: str, visit: str, shot: str, *, asked: bool = True) -> None:
        if device in self.following:
            command = self.following[device][0].command(do, visit, shot, asked=asked)
            self._asking.add(task := asyncio.create_task(command))
            task.add_done_callback(self._asking.discard)

    async def _tell(self, telling: psycopg.AsyncConnection[Any]) -> None:
        tick = 0
        while True:
            whole = tick % _WHOLE_EVERY == 0
            texts = [text for followed, _ in self.following.values() for text in followed.news(whole=whole)]
            if whole:
                texts.append(json.dumps({"follower": tick}))
            for text in texts:
                await telling.execute("SELECT pg_notify(%s, %s)", (LIVE, text))
            tick += 1
            await asyncio.sleep(TICK_S)

    async def _watch(self) -> None:
        """Tell what the watcher makes of it, on a connection of its own: it takes longer, and holds up no number."""
        if self._watcher is None:
            return
        async with await connect() as telling:
            while True:
                for device, shot in self._watcher.asks(time.monotonic()):
                    self._ask(device, "take", "", shot, asked=False)
                for text in await self._watcher.news(self._heard, time.monotonic()):
                    await telling.execute("SELECT pg_notify(%s, %s)", (LIVE, text))
                await asyncio.sleep(TICK_S / 2)

    async def _hear(self, hearing: psycopg.AsyncConnection[Any]) -> None:
        async for notice in hearing.notifies():
            try:
                wanted = json.loads(notice.payload)
                device, do, visit = (str(wanted.get(name, "")) for name in ("device", "do", "visit"))
                shot, move = (str(wanted.get(name, "")) for name in ("shot", "move"))
            except (ValueError, AttributeError):
                continue
            if do == "pair":
                await self._pair()
            elif do in WANTED_OF_WATCHER and self._watcher is not None:
                self._watcher.want(wanted, time.monotonic())
            elif device in self.following:
                if move == "roll":
                    # A roll shows anew where the cameras stand.
                    self.following[device][0].heard.seen()
                self._ask(device, do, visit, shot)

    async def _keep(self) -> None:
        while True:
            await asyncio.sleep(KEEP_S)
            for key, (followed, _) in list(self.following.items()):
                await sync_to_async(Device.objects.filter(pk=key).update)(**followed.kept())
