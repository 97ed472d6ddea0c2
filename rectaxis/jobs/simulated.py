"""The simulated vehicle behind a demo job: what a person would read off each scale."""

from __future__ import annotations

import itertools
import random
from collections.abc import Iterable

from alignment.simulate.world import World
from rectaxis.jobs.models import Job
from rectaxis.jobs.sheet import MOST_LOOKS, look_slot
from rectaxis.jobs.slots import READ_PHASES
from rectaxis.jobs.work import Work
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

_USUAL_STEP = 0.1
"""What a scale can be read to, in its own unit, where its kit does not say."""

_DROOP = 3.0
"""By how many of its steps a scale reads otherwise while a wheel is lifted. Invented."""


def read_scales(person: User, job: Job, slots: Iterable[str]) -> dict[str, str]:
    """What the scales of a demo job show, as typed text by slot. Empty for a job without a simulated vehicle.

    **Raises** PermissionDenied.
    """
    demand(allowed=may_measure(person))
    if not job.simulation:
        return {}
    work = Work(job)
    truth = dict(job.simulation["truth"])
    world = World(work.core.vehicle, work.core.datum, truth)
    wanted = set(slots)
    shown: dict[str, str] = {}
    for station in work.stations:
        at, side = station.reading["axle"], station.reading.get("side", "")
        if side and work.answer(f"before/runout/{at}/{side}/trued"):
            world.true_clamp(at, side, 0.008)
        for phase, look in itertools.product(READ_PHASES, range(1, MOST_LOOKS + 1)):
            mine = {look_slot(phase, station, field, look): field for field in station.fields}
            if wanted.isdisjoint(mine):
                continue
            rng = random.Random(f"{job.simulation['seed']}/{phase}/{station.slot}/{len(work.moves)}/{look}")  # noqa: S311 - made-up data
            values = world.read(station, rng)
            step = station.step or _USUAL_STEP
            droop = _DROOP * step if phase == "air" else 0.0
            shown |= {
                slot: f"{round((values[field] + droop) / step) * step + 0.0:.3f}".rstrip("0").rstrip(".")
                for slot, field in mine.items()
                if slot in wanted
            }
    return shown
