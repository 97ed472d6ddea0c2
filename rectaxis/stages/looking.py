"""Cameras that look all the time, for the pages that want it: how to roll and to steer on, and, while a vehicle is set, how it stands.

Nothing of this is recorded: no picture is kept, and what a picture tells is told once. While setting, the roll that was recorded says
where the wheels' targets are, and each look is one more still; while rolling, each target's turn since the first picture is enough.
"""

from __future__ import annotations

import json
import logging
import threading
from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from uuid import UUID

from uuid6 import uuid7

from alignment.camera.pictures import PictureError
from alignment.camera.shots import Rolled, look_at
from alignment.camera.turning import Wheel, plates_of, turned_between
from alignment.errors import JobFileError
from alignment.jobfile import parse, solve_phase
from alignment.live.guide import guide_pictures, rolled_enough
from alignment.model.formula import Array
from rectaxis.business.words import in_words_of_the_business
from rectaxis.record.models import Job, Shot, Sighting
from rectaxis.record.slot import Phase
from rectaxis.stages.moving import Heard, Moving, Watched, messages
from rectaxis.visit.actions.look_on import LOOKED_AT
from rectaxis.visit.actions.take_shot import MOST_SHOTS
from rectaxis.visit.sightings import shots_of
from rectaxis.visit.visit import Visit

log = logging.getLogger("rectaxis.devices")
_FORGET_S = 5.0
"""A page says every two seconds that it looks on."""
_LATE_S = 4.0
"""Pictures that have not come by then are asked for anew."""
_MOST = 20
_STILL_DEG = 0.3
"""Between two looks a vehicle that stands turns no wheel by so much."""
NAMED = "look-"
"""How the name of a look begins, by which a device's pictures are told from those of a shot that is kept."""


@dataclass
class Look:
    """A visit that is looked at: for which phase's pictures, with which device, how far it is known, and what is asked for now.

    ``stood`` is how far it was rolled and steered at the last look.
    """

    watched: Watched
    of: Phase
    device: str
    asked: str = ""
    asked_at: float = float("-inf")
    found: dict[str, Any] = field(default_factory=dict)
    rolled: Rolled | None = None
    shots: tuple[Shot, ...] = ()
    pace: Pace | None = None
    stood: tuple[float, float] | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)


class Looking:
    """All visits that are looked at."""

    def __init__(self) -> None:
        self._looks: dict[tuple[str, str, str], Look] = {}
        # Pictures come in threads of their own: what they tell is put in at one end, and taken out at the other.
        self._told = deque[str]()

    def want(self, wanted: Mapping[str, str], now: float) -> None:
        """A page wants to see how a vehicle stands, for some seconds more."""
        job, shows, style, of, device = (
            str(wanted.get(name, "")) for name in ("job", "phase", "style", "of", "device")
        )
        look = self._looks.get((job, shows, style))
        if look is not None and look.device == device:
            look.watched.until = now + _FORGET_S
        elif job and of in LOOKED_AT and len(self._looks) < _MOST:
            self._looks[job, shows, style] = Look(Watched(job, shows, style, until=now + _FORGET_S), Phase(of), device)

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
        return [self._told.popleft() for _ in range(len(self._told))]

    def keep(self, device: str, shot: str, camera: str, raw: bytes, *, moved: bool) -> None:
        """Take in a picture of a look; with the last one of it the vehicle is told. Cameras that ``moved`` tell nothing."""
        looks = list(self._looks.values())
        look = next((one for one in looks if (one.device, one.asked) == (device, shot)), None)
        if look is None:
            return
        try:
            with look.lock:
                visit = _visit(look)
            # Asked again when it is late: there is nothing to be seen before the first picture was taken.
            if visit is None or moved or not raw or not look.shots:
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
                self._told.extend(_told(look, visit, found))
        except (JobFileError, PictureError, ValueError) as error:
            log.info("what the cameras saw of visit %s could not be used: %s", look.watched.job, error)
            look.asked = ""


def _told(look: Look, visit: Visit, found: Mapping[str, Any]) -> list[str]:
    """What pages are told of what all cameras found at one moment."""
    if look.of != Phase.SET:
        return _guided(look, visit, found)
    if look.rolled is None:
        return []
    readings = [{key: value for key, value in one.items() if key != "phase"} for one in look.rolled.now(found)]
    if not readings:
        return []
    complete = visit.setting.seen_now(Sighting(phase=Phase.SET, readings=readings))
    results = solve_phase(parse(visit.readings.job_file(complete)), Phase.BEFORE, visit.readings.held_u_deg)
    return messages(visit, look.watched, results)


@dataclass(frozen=True)
class Pace:
    """How far a vehicle had been rolled and steered in the pictures that were taken: each against the first of its kind."""

    rig: Mapping[str, Any]
    steered_axles: tuple[int, ...]
    first: Mapping[Wheel, Array]
    straight: Mapping[Wheel, Array]
    rolled: tuple[float, ...] = ()
    steered: tuple[float, ...] = ()

    @classmethod
    def of(cls, visit: Visit, shots: Sequence[Shot]) -> Pace:
        """Of the shots of a roll and a sweep, of which at least the first is there."""
        rig = shots[0].rig
        rolls = [plates_of(rig, one.found) for one in shots if one.move == Shot.Move.ROLL]
        sweeps = [plates_of(rig, one.found) for one in shots if one.move == Shot.Move.SWEEP]
        axles = tuple(axle.number for axle in visit.snapshot.vehicle.axles if axle.steers)
        bare = cls(rig, axles, rolls[0], rolls[-1])
        return replace(
            bare,
            rolled=tuple(ahead for one in rolls if (ahead := bare.ahead(one)) is not None),
            steered=tuple(turned for one in sweeps if (turned := bare.turned(one)) is not None),
        )

    def ahead(self, now: Mapping[Wheel, Array]) -> float | None:
        """How far forward the wheels have rolled since the first picture, degrees; None where none is seen."""
        return _mean(float(turn[1]) for turn in turned_between(self.first, now).values())

    def turned(self, now: Mapping[Wheel, Array]) -> float | None:
        """How far to the left the steered wheels have turned since the last picture of the roll, degrees."""
        turns = turned_between(self.straight, now).items()
        return _mean(float(turn[2]) for (axle, _), turn in turns if axle in self.steered_axles)


def _mean(values: Iterable[float]) -> float | None:
    seen = list(values)
    return sum(seen) / len(seen) if seen else None


def _guided(look: Look, visit: Visit, found: Mapping[str, Any]) -> list[str]:
    """How to move on, and, once it stands where a picture is wanted, which."""
    pace = look.pace
    plates = plates_of(pace.rig, found) if pace is not None else {}
    ahead = pace.ahead(plates) if pace is not None else None
    if pace is None or ahead is None:
        return []
    now = ahead, (pace.turned(plates) or 0.0)
    with in_words_of_the_business():
        guide = guide_pictures(pace.rolled, pace.steered, now, steers=bool(pace.steered_axles))
    told = guide.as_dict()
    before, look.stood = look.stood, now
    still = before is not None and abs(now[0] - before[0]) < _STILL_DEG and abs(now[1] - before[1]) < _STILL_DEG
    # Where the last pictures did not come, or no more are kept, a person looks first.
    last = shots_of(visit.journal, look.of)[-1]
    may = not last.wanted and not last.faults and len(visit.journal.shots) < MOST_SHOTS
    if guide.way == "stop" and still and may:
        swept = pace.steered or rolled_enough(pace.rolled)
        told["shoot"] = str(Shot.Move.SWEEP if swept else Shot.Move.ROLL)
    return [json.dumps(look.watched.head | {"guide": told})]


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
            one
            for one in shots_of(watched.visit.journal, look.of)
            if one.move != Shot.Move.STILL and not one.wanted and one.found
        )
        if [one.pk for one in shots] != [one.pk for one in look.shots]:
            look.shots, look.rolled, look.pace = shots, None, None
            if shots and look.of == Phase.SET:
                look.rolled = Rolled(shots[-1].rig, [one.as_shot() for one in shots])
            elif shots and shots[0].move == Shot.Move.ROLL:
                look.pace = Pace.of(watched.visit, shots)
    return watched.visit
