"""Cameras that look all the time while a vehicle is set: what they see moves the drawing of the pages that want it.

Nothing of this is recorded: no picture is kept, and what a picture tells is told once. The roll that was recorded says where the
wheels' targets are; each look is one more still.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from uuid6 import uuid7

from alignment.camera.pictures import PictureError
from alignment.camera.shots import Rolled, look_at
from alignment.errors import JobFileError
from alignment.jobfile import parse, solve_phase
from rectaxis.record.models import Job, Shot, Sighting
from rectaxis.record.slot import Phase
from rectaxis.stages.moving import Heard, Moving, Watched, messages
from rectaxis.visit.sightings import shots_of
from rectaxis.visit.visit import Visit

log = logging.getLogger("rectaxis.devices")
_FORGET_S = 12.0
"""A page says every four seconds that it looks on."""
_LATE_S = 4.0
"""Pictures that have not come by then are asked for anew."""
_MOST = 20
NAMED = "look-"
"""How the name of a look begins, by which a device's pictures are told from those of a shot that is kept."""


@dataclass
class Look:
    """A visit that is looked at: with which device, how far it is known, and what is asked for now."""

    watched: Watched
    device: str
    asked: str = ""
    asked_at: float = float("-inf")
    found: dict[str, Any] = field(default_factory=dict)
    rolled: Rolled | None = None
    shots: tuple[Any, ...] = ()
    lock: threading.Lock = field(default_factory=threading.Lock)


class Looking:
    """All visits that are looked at."""

    def __init__(self) -> None:
        self._looks: dict[tuple[str, str], Look] = {}
        self._told: list[str] = []

    def want(self, wanted: Mapping[str, str], now: float) -> None:
        """A page wants to see how a vehicle stands, for some seconds more."""
        job, style, device = (str(wanted.get(name, "")) for name in ("job", "style", "device"))
        look = self._looks.get((job, style))
        if look is not None and look.device == device:
            look.watched.until = now + _FORGET_S
        elif job and len(self._looks) < _MOST:
            self._looks[job, style] = Look(Watched(job, str(Phase.SET), style, until=now + _FORGET_S), device)

    def asks(self, now: float) -> list[tuple[str, str]]:
        """The devices that are to take a picture now, each with the look's name: one at a time of each visit."""
        self._looks = {key: look for key, look in self._looks.items() if look.watched.until > now}
        found = []
        for look in self._looks.values():
            if not look.asked or now - look.asked_at > _LATE_S:
                look.asked, look.asked_at, look.found = f"{NAMED}{uuid7()}", now, {}
                found.append((look.device, look.asked))
        return found

    def news(self) -> list[str]:
        """What has been seen since this was asked last."""
        told, self._told = self._told, []
        return told

    def keep(self, shot: str, camera: str, raw: bytes, *, moved: bool) -> None:
        """Take in a picture of a look; with the last one of it the vehicle is told. Cameras that ``moved`` tell nothing."""
        look = next((one for one in self._looks.values() if one.asked == shot), None)
        if look is None:
            return
        try:
            with look.lock:
                visit = _visit(look)
            # Asked again when it is late: there is nothing to be seen before the vehicle was rolled.
            if visit is None or moved or not raw or look.rolled is None:
                return
            rig = look.shots[-1].rig
            seen = look_at(rig, camera, raw)
            with look.lock:
                if look.asked != shot:
                    return
                look.found[camera] = seen
                found = dict(look.found)
                if {one["id"] for one in rig["cameras"]} - set(found):
                    return
                # The next pictures are taken while this one is worked out.
                look.asked = ""
                self._told += _told(look, visit, found)
        except (JobFileError, PictureError, ValueError) as error:
            log.info("what the cameras saw of visit %s could not be used: %s", look.watched.job, error)
            look.asked = ""


def _told(look: Look, visit: Visit, found: Mapping[str, Any]) -> list[str]:
    """What pages are told of what all cameras found at one moment."""
    assert look.rolled is not None  # noqa: S101 - asked for once there is a roll
    readings = [{key: value for key, value in one.items() if key != "phase"} for one in look.rolled.now(found)]
    if not readings:
        return []
    complete = visit.setting.seen_now(Sighting(phase=Phase.SET, readings=readings))
    results = solve_phase(parse(visit.readings.job_file(complete)), Phase.BEFORE, visit.readings.held_u_deg)
    return messages(visit, look.watched, results)


class Watching:
    """All that pages want to be worked out: of what devices say, and of what cameras see."""

    def __init__(self) -> None:
        self.moving, self.looking = Moving(), Looking()

    def want(self, wanted: Mapping[str, str], now: float) -> None:
        """A page wants something."""
        (self.looking if wanted.get("do") == "look" else self.moving).want(wanted, now)

    def asks(self, now: float) -> list[tuple[str, str]]:
        """The devices that are to take pictures now."""
        return self.looking.asks(now)

    async def news(self, heard: Heard, now: float) -> list[str]:
        """What is to be told now."""
        return [*await self.moving.news(heard, now), *self.looking.news()]


def _visit(look: Look) -> Visit | None:
    """The visit as its record stands, and its roll fitted anew when it was rolled anew."""
    watched = look.watched
    added = Job.objects.filter(pk=UUID(watched.job)).values_list("added", flat=True).first()
    if added is None:
        return None
    if watched.visit is None or added != watched.added:
        job = Job.objects.select_related("vehicle__fleet", "technician").get(pk=watched.job)
        watched.visit, watched.added = Visit(job), added
        shots = tuple(
            one for one in shots_of(watched.visit.journal, Phase.SET)
            if one.move != Shot.Move.STILL and not one.wanted and one.found
        )  # fmt: skip
        if [one.pk for one in shots] != [one.pk for one in look.shots]:
            look.shots = shots
            look.rolled = Rolled(shots[-1].rig, [one.as_shot() for one in shots]) if shots else None
    return watched.visit
