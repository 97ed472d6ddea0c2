"""A device of the yard's network: identity, events, commands and a page where a person makes trouble. The feed is described in
docs/devicefeed.md.
"""

from __future__ import annotations

import asyncio
import datetime as dt
import hmac
import json
from collections import deque
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qsl

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response, StreamingResponse
from starlette.routing import Route

from standins.cameras import CameraYard
from standins.page import control_page
from standins.probe import Hung, Probe
from standins.yard import Yard

FEED_VERSION = 1
KEPT = 3000
"""Events that a device can be asked for again."""
_KEPT_PICTURES = 40
_STATE_EVERY_S = 1.0
_FULL_HOURS = 8.0
_BATTERY_LOW = 0.08


@dataclass
class Trouble:
    """What a person made go wrong: wheels by axle and side whose sight is ``blocked``, or whose head is ``tilted``, two whose heads are
    ``swapped``; ``away``
    drops the connection, ``nonsense`` mixes in what means nothing.
    """

    blocked: set[tuple[int, str]] = field(default_factory=set)
    tilted: set[tuple[int, str]] = field(default_factory=set)
    swapped: tuple[tuple[int, str], ...] = ()
    away: bool = False
    drained: bool = False
    nonsense: bool = False
    silent: bool = False
    clock_off_s: float = 0.0


class Device:
    """One device: what it is, what it says, and how it answers."""

    def __init__(self, yard: Hung, token: str, name: str, kind: str, serial: str, rate: float = 10.0) -> None:
        self.yard, self.token, self.name, self.kind, self.serial, self.rate = yard, token, name, kind, serial, rate
        self.trouble = Trouble()
        self.pictures: dict[str, bytes] = {}
        self._events: deque[tuple[int, str, dict[str, Any]]] = deque(maxlen=KEPT)
        self._number = 0
        self._news = asyncio.Condition()
        self._told_state = 0.0

    def now(self) -> str:
        """The time by the device's own clock."""
        return (dt.datetime.now(dt.UTC) + dt.timedelta(seconds=self.trouble.clock_off_s)).isoformat()

    def identity(self) -> dict[str, Any]:
        """What ``GET /device`` answers."""
        return {
            "format": "rectaxis-device", "version": FEED_VERSION, "id": self.serial, "name": self.name, "kind": self.kind,
            "kit": self.yard.kit_code, "serial": self.serial, "clock": self.now(),
            "certificate": {"until": "2027-06-30", "by": "the maker's own bench"},
            "wheels": self._wheels(), **(self.yard.rig() if isinstance(self.yard, CameraYard) else {}),
        }  # fmt: skip

    async def take(self, shot: str) -> None:
        """Take a picture with each camera, and tell of each as it is there."""
        yard = self.yard
        if not isinstance(yard, CameraYard):
            await self.say("done", {"do": "take", "ok": False, "said": "it has no cameras"})
            return
        yard.covered = set(self.trouble.blocked)
        taken = await asyncio.to_thread(lambda: dict(yard.take()))
        for camera, picture in taken.items():
            name = f"{self.newest}-{camera.lower()}.png"
            self.pictures[name] = picture
            await self.say("picture", {"shot": shot, "camera": camera, "name": name})
        while len(self.pictures) > _KEPT_PICTURES:
            self.pictures.pop(next(iter(self.pictures)))
        await self.say("done", {"do": "take", "ok": True, "said": f"{len(taken)} pictures taken"})

    def _wheels(self) -> list[dict[str, Any]]:
        """Which of its parts hangs on which wheel."""
        swapped = dict(zip(self.trouble.swapped, self.trouble.swapped[::-1], strict=True))
        found = []
        for axle, side in self.yard.wheels:
            at, on = swapped.get((axle, side), (axle, side))
            found.append({"axle": axle, "side": side, "serial": f"{self.serial}-{at}{on[0]}"})
        return found

    async def say(self, event: str, data: dict[str, Any]) -> None:
        """Tell everybody who listens, and keep it for those who come back."""
        async with self._news:
            self._number += 1
            self._events.append((self._number, event, {"time": self.now(), "quality": "good", **data}))
            self._news.notify_all()

    async def run(self) -> None:
        """Measure and tell until stopped."""
        loop = asyncio.get_running_loop()
        while True:
            began = loop.time()
            if not (self.trouble.away or self.trouble.silent):
                await self._measure()
                if began - self._told_state >= _STATE_EVERY_S:
                    self._told_state = began
                    await self.say("state", self.state())
            await asyncio.sleep(max(0.0, 1.0 / self.rate - (loop.time() - began)))

    async def _measure(self) -> None:
        hidden = self.trouble.blocked
        told = [
            {"what": one.of.what, "axle": one.of.axle, "side": one.of.side, "value": round(one.value, 5), "u": one.u}
            | ({"to": one.of.to} if one.of.to else {}) | ({"place": one.of.place} if one.of.place else {})
            for one in self.yard.measured()
            if not (one.of.what in ("sight", "scale") and (one.of.axle, one.of.side) in hidden)
        ]  # fmt: skip
        await self.say("reading", {"measured": told})
        if self.trouble.nonsense:
            await self.say("reading", {"measured": [{"what": "colour", "value": "blue"}]})
            await self.say("weather", {"sun": True})

    def state(self) -> dict[str, Any]:
        """Battery, levels, and which lines of sight are blocked."""
        left = _BATTERY_LOW if self.trouble.drained else 0.8
        return {
            "battery": left, "hours_left": round(left * _FULL_HOURS, 2), "radio": 0.9, "temperature_c": 18.5,
            "wheels": self._wheels(), "blocked": _wheels(self.trouble.blocked), "not_level": _wheels(self.trouble.tilted),
        }  # fmt: skip

    async def stream(self, last: int) -> AsyncIterator[str]:
        """Events after the one of that number, for as long as the connection stands."""
        while not self.trouble.away:
            async with self._news:
                if not any(number > last for number, _, _ in self._events):
                    try:
                        async with asyncio.timeout(1.0):
                            await self._news.wait()
                    except TimeoutError:
                        continue
                fresh = [one for one in self._events if one[0] > last]
            for number, event, data in fresh:
                last = number
                yield f"id: {number}\nevent: {event}\ndata: {json.dumps(data)}\n\n"

    @property
    def newest(self) -> int:
        """The number of the newest event."""
        return self._number


def _wheels(found: set[tuple[int, str]]) -> list[dict[str, Any]]:
    return [{"axle": axle, "side": side} for axle, side in sorted(found)]


class Server:
    """The device as a server."""

    def __init__(self, device: Device) -> None:
        self.device = device
        self._taking: set[asyncio.Task[None]] = set()
        self.application = Starlette(routes=[
            Route("/device", self.identity), Route("/events", self.events), Route("/commands", self.commands, methods=["POST"]),
            Route("/pictures/{name}", self.picture),
            Route("/", self.page), Route("/control", self.control, methods=["POST"]),
        ])  # fmt: skip

    def _refused(self, request: Request) -> Response | None:
        given = request.headers.get("authorization", "").removeprefix("Bearer ")
        if self.device.trouble.away:
            return Response(status_code=503)
        if not hmac.compare_digest(given.encode(), self.device.token.encode()):
            return JSONResponse({"error": "expected the token that is on the device"}, 401)
        return None

    async def identity(self, request: Request) -> Response:
        """``GET /device``."""
        return self._refused(request) or JSONResponse(self.device.identity())

    async def events(self, request: Request) -> Response:
        """``GET /events``, from the event after ``Last-Event-ID`` on."""
        no = self._refused(request)
        if no is not None:
            return no
        asked = request.headers.get("last-event-id", "")
        last = int(asked) if asked.isdecimal() else self.device.newest
        return StreamingResponse(
            self.device.stream(last), media_type="text/event-stream", headers={"Cache-Control": "no-store"}
        )

    async def commands(self, request: Request) -> Response:
        """``POST /commands``."""
        no = self._refused(request)
        if no is not None:
            return no
        try:
            asked = json.loads(await request.body())
            do = asked["do"]
        except (ValueError, KeyError, TypeError):
            return JSONResponse({"error": 'expected {"do": …}'}, 400)
        if do == "take":
            self._taking.add(task := asyncio.create_task(self.device.take(str(asked.get("shot", "")))))
            task.add_done_callback(self._taking.discard)
            return JSONResponse({"taken": True}, 202)
        if do not in _COMMANDS:
            return JSONResponse({"error": f"expected one of {', '.join(_COMMANDS)}"}, 400)
        await self.device.say("done", {"do": do, "ok": True, "said": _COMMANDS[do]})
        return JSONResponse({"taken": True}, 202)

    async def picture(self, request: Request) -> Response:
        """``GET /pictures/NAME``."""
        no = self._refused(request)
        if no is not None:
            return no
        picture = self.device.pictures.get(request.path_params["name"])
        return Response(status_code=404) if picture is None else Response(picture, media_type="image/png")

    async def page(self, _: Request) -> Response:
        """Where a person makes trouble."""
        return HTMLResponse(control_page(self.device))

    async def control(self, request: Request) -> Response:
        """One thing that a person does there."""
        await change(self.device, dict(parse_qsl((await request.body()).decode())))
        return RedirectResponse("/", 303)


_COMMANDS = {
    "zero": "the levels are set to zero",
    "start": "measuring",
    "stop": "at rest",
    "identify": "the lamp blinks",
    "reset_sensor": "the sensor is at zero",
}


async def change(device: Device, asked: dict[str, str]) -> None:
    """What a person does at the control page: each form says one thing."""
    wheel = (int(asked["axle"]), asked["side"]) if asked.get("axle") and asked.get("side") else None
    if isinstance(device.yard, Probe):
        held = wheel or (0, "")
        device.yard.hold(asked.get("what", ""), *held, asked.get("place", ""))
    elif asked.get("do") in _MOVES:
        _move(device.yard, asked, wheel)
    else:
        await _trouble(device, asked, wheel)


_MOVES = ("roll", "steer", "adjust", "lift", "bar")


def _move(yard: Yard, asked: dict[str, str], wheel: tuple[int, str] | None) -> None:
    match asked["do"]:
        case "roll":
            yard.rolled_deg = float(asked["deg"])
        case "steer":
            yard.steered_deg = float(asked["deg"])
        case "adjust":
            yard.adjust({asked["path"]: float(asked["by"])})
        case "lift" if wheel:
            yard.lifted ^= {wheel}
        case "bar":
            yard.bar = (yard.bar + 1) % 3


async def _trouble(device: Device, asked: dict[str, str], wheel: tuple[int, str] | None) -> None:
    trouble = device.trouble
    match asked.get("do", ""):
        case "block" if wheel:
            trouble.blocked ^= {wheel}
        case "tilt" if wheel:
            trouble.tilted ^= {wheel}
        case "swap" if wheel:
            other = (wheel[0], "right" if wheel[1] == "left" else "left")
            trouble.swapped = () if trouble.swapped else (wheel, other)
        case "knock":
            if isinstance(device.yard, CameraYard) and asked.get("what") == "cameras":
                device.yard.knocked = True
            await device.say("moved", {"what": asked.get("what", "vehicle")})
        case "hold" if isinstance(device.yard, CameraYard):
            device.yard.held += 1
        case "put_away" if isinstance(device.yard, CameraYard):
            device.yard.held = 0
        case "clock":
            trouble.clock_off_s = float(asked["seconds"])
        case "away" | "drained" | "nonsense" | "silent" as which:
            setattr(trouble, which, not getattr(trouble, which))
