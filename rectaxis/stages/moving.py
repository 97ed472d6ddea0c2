"""What the devices' numbers make of a vehicle, many times a second: for the pages that are open on it.

Nothing of this is recorded. The numbers stand in for those of the phase that a page shows, and what follows from them is told as plain
numbers for the drawing: by how much each wheel and line is turned, and where each strip's dot stands.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from asgiref.sync import sync_to_async

from alignment.jobfile import parse, solve_phase
from alignment.judge.results import PhaseResults
from alignment.live.guide import guide_roll, guide_sweep
from alignment.live.measures import measure_of, turned_at
from rectaxis.business.words import in_words_of_the_business
from rectaxis.devices.channel import parcels
from rectaxis.drawing.plan import PlanMaker
from rectaxis.drawing.strips import Strip, strip_groups
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.record.snapshot import is_runout
from rectaxis.stages.devices import devices_of
from rectaxis.visit.judged import judged
from rectaxis.visit.visit import Visit

log = logging.getLogger("rectaxis.devices")
Heard = Callable[[str], Mapping[str, tuple[Any, ...]]]
"""What a device says now, by its key: for each measure its value first."""
_FORGET_S = 25.0
"""A page says every ten seconds that it is open; one that has not said so twice is closed."""
_AT_ONCE_S, _AGAIN_S = 0.15, 1.0
_MOST_WATCHED = 100
GUIDED = ("roll", "sweep")
"""What a page may show besides a phase: how to roll, and how to steer."""


@dataclass
class Watched:
    """A visit that pages are open on, in one phase and one style of angles."""

    job: str
    phase: str
    style: str
    until: float
    pages: dict[str, float] = field(default_factory=dict)
    """Until when each page that shows it is taken as open, by a name of its own."""
    visit: Visit | None = None
    added: int = -1
    devices: tuple[str, ...] = ()
    asked_at: float = float("-inf")
    due: float = 0.0
    last: Any = None
    told_at: float = float("-inf")

    @property
    def head(self) -> dict[str, str]:
        """By what a page knows that something is told of what it shows."""
        return {"job": self.job, "phase": self.phase, "style": self.style}

    def is_news(self, found: Any, now: float) -> bool:
        """Whether something was found that has not been told, or not within a second: a page may just have been opened."""
        if found == self.last and now - self.told_at < _AGAIN_S:
            return False
        self.last, self.told_at = found, now
        return True


class Moving:
    """All visits that are watched."""

    def __init__(self) -> None:
        self._watched: dict[tuple[str, str, str], Watched] = {}

    def want(self, wanted: Mapping[str, str], now: float) -> None:
        """A page says that it is open, or that it no longer is."""
        key = (str(wanted.get("job", "")), str(wanted.get("phase", "")), str(wanted.get("style", "")))
        gone, page = wanted.get("do") == "gone", str(wanted.get("page", ""))
        if key not in self._watched and not gone and len(self._watched) < _MOST_WATCHED and key[1] in {*Phase, *GUIDED}:
            self._watched[key] = Watched(*key, until=now)
        if key not in self._watched:
            return
        one = self._watched[key]
        one.pages = {name: until for name, until in one.pages.items() if until > now and name != page}
        if not gone:
            one.pages[page] = now + _FORGET_S
        one.until = max(one.pages.values(), default=now)

    async def news(self, heard: Heard, now: float) -> list[str]:
        """What is to be told now of what is watched."""
        self._watched = {key: one for key, one in self._watched.items() if one.until > now}
        told: list[str] = []
        for one in list(self._watched.values()):
            if one.due <= now:
                one.due = now + _AT_ONCE_S
                told += await sync_to_async(self._tell)(one, heard, now)
        return told

    def _tell(self, one: Watched, heard: Heard, at: float) -> list[str]:
        """What one watched visit comes to; nothing where its devices say nothing new."""
        try:
            visit = self._visit(one, at)
            if visit is None:
                return []
            said = {key: (device, *value) for device in one.devices for key, value in heard(device).items()}
            now = {key: value[1] for key, value in said.items()}
            if one.phase in GUIDED:
                guide = _guided(visit, one.phase, now)
                if guide is not None and (guide["way"] == "stop" or guide["press"]):
                    guide["take"] = _to_take(visit, guide["places"], said)
                return [json.dumps(one.head | {"guide": guide})] if one.is_news(guide, at) else []
            values = dict(_values(visit, now))
            if not values or not one.is_news(values, at):
                return []
            return messages(visit, one, _solved(visit, Phase(one.phase), values))
        except Exception:
            # One visit that cannot be worked out is told in the log, and does not stop the others.
            log.exception("what the devices say of visit %s could not be worked out", one.job)
            one.due += _FORGET_S
            return []

    @staticmethod
    def _visit(one: Watched, at: float) -> Visit | None:
        """The visit as its record stands, read again when something was added to it; and every second which devices it has."""
        added = Job.objects.filter(pk=UUID(one.job)).values_list("added", flat=True).first()
        if added is None:
            return None
        if one.visit is None or added != one.added:
            job = Job.objects.select_related("vehicle__fleet", "technician").get(pk=one.job)
            one.visit, one.added, one.last = Visit(job), added, None
        if at - one.asked_at >= _AGAIN_S:
            one.asked_at = at
            one.devices = tuple(str(device.pk) for device in devices_of(one.visit.job))
        return one.visit


def _guided(visit: Visit, what: str, now: Mapping[str, float]) -> dict[str, Any] | None:
    """How to roll, or to steer, on from where the wheels are; None where no wheel says how far."""
    readings, rig = visit.readings, visit.snapshot.rig
    measured, wheels = "rolled" if what == "roll" else "turned", {}
    for key, value in now.items():
        named, _, wheel = key.partition("/")
        if named == measured:
            axle, _, side = wheel.partition("/")
            wheels[int(axle), side] = value
    read = {f"{slot}/{field}" for slot, fields in readings.values(Phase.BEFORE).items() for field in fields}
    with in_words_of_the_business():
        if what == "roll":
            stations = [station for station in readings.stations if is_runout(station)]
            guide = guide_roll(visit.snapshot.vehicle, stations, read, wheels, lifted=rig.lifted)
        else:
            guide = guide_sweep(readings.of_stage(sweep=True), read, wheels)
    if guide is None:
        return None
    return guide.as_dict()


def _to_take(visit: Visit, places: Sequence[str], said: Mapping[str, tuple[Any, ...]]) -> dict[str, Any]:
    """The numbers that are read where the wheels hold still, each with its uncertainty, spread, samples and device; none until all of
    them, and how far those wheels have turned, have settled. What is there and what is read is of one moment: a number that
    came before the wheel did is never taken.
    """
    found: dict[str, Any] = {}
    measures = {
        f"{station.slot}/{path}": turned_at(station, path) or (measure_of(station, path), 1.0)
        for station in visit.readings.stations
        for path in station.fields
    }
    for place in places:
        of, sign = measures.get(place, (None, 1.0))
        if of is None:
            return {}
        came = [said[key] for key in (f"rolled/{of.axle}/{of.side}", f"turned/{of.axle}/{of.side}") if key in said]
        if of.key not in said or not all(settled for *_, settled, _ in (said[of.key], *came)):
            return {}
        device, value, u, spread, samples, _, _ = said[of.key]
        found[place] = [sign * value, u, spread, samples, device]
    return found


def _values(visit: Visit, now: Mapping[str, float]) -> Iterator[tuple[str, float]]:
    """Live numbers by the places of the visit's scales, in the order of the stations."""
    for station in visit.readings.stations:
        # A runout or a sweep is read at its time, not as the wheel stands.
        if station.stage != "read" or is_runout(station):
            continue
        for path in station.fields:
            of = measure_of(station, path)
            if of is not None and of.key in now:
                yield f"{station.slot}/{path}", now[of.key]


def _solved(visit: Visit, phase: Phase, live: Mapping[str, float]) -> PhaseResults:
    """Results of a phase in which live numbers stand in where nothing is typed; while setting, of live numbers alone."""
    readings, setting = visit.readings, phase in (Phase.SET, Phase.AIR)
    of = Phase.AFTER if setting else phase
    typed = {} if setting else readings.values(of)
    values = {slot: dict(fields) for slot, fields in typed.items()}
    for at, value in live.items():
        slot, _, field = at.rpartition("/")
        values.setdefault(slot, {}).setdefault(field, value)
    stations = [one for one in readings.stations if of == Phase.BEFORE or not is_runout(one)]
    if setting:
        # What a sweep or a roll told stays as it was: it is carried by the page, and not read again here.
        stations = [one for one in stations if one.stage == "read"]
    complete = readings.complete(of, stations, values, {} if setting else readings.looks(of))
    return solve_phase(parse(readings.job_file(complete)), of, readings.held_u_deg)


def messages(visit: Visit, one: Watched, results: PhaseResults) -> list[str]:
    """What pages are told of results, as texts."""
    drawn = _drawn(visit, one, results)
    return list(parcels(one.head, {"wheels": drawn["wheels"], "lines": drawn["lines"]}, "strips", drawn["strips"]))


def _drawn(visit: Visit, one: Watched, results: PhaseResults) -> dict[str, Any]:
    """What the drawing shows of results, as numbers and words."""
    snapshot = visit.snapshot
    with in_words_of_the_business():
        plan = PlanMaker(snapshot.vehicle, None, look=snapshot.look).draw(results, {}, style=one.style)
        rows = judged(snapshot.vehicle, results.verdicts, snapshot.rows, (), [one.style])
    wheels = {
        f"{wheel.axle}/{wheel.side}": wheel.turn
        for axle in plan.axles
        for wheel in axle.wheels
        if wheel.turn is not None
    }
    return {
        "wheels": {name: round(turn, 4) for name, turn in wheels.items()},
        "lines": {line.kind: [round(line.turn, 4), line.label, line.x, plan.names_x, line.label_y] for line in plan.lines if line.label},
        "strips": {strip.path: [*_strip(strip), group.name] for group in strip_groups(rows, one.style) for strip in group.strips if strip.dot is not None},
    }  # fmt: skip


def _strip(strip: Strip) -> list[Any]:
    low, high = strip.whisker or (0.0, 0.0)
    return [strip.dot, low, high, strip.verdict, strip.text, strip.word, strip.doubt, strip.label]
