"""The simulated vehicle behind a demo job: what a person would read off each scale."""

from __future__ import annotations

import random
from collections.abc import Iterable

from alignment.simulate.world import World
from rectaxis.jobs.models import Job
from rectaxis.jobs.work import Work
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

_STEPS = {"outboard_pair": 0.5, "setback_scales": 0.5, "toe_scales": 0.1, "camber": 0.01, "runout": 0.01}
"""What each scale can be read to, in its own unit."""


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
        for phase in ("before", "set", "after"):
            mine = {f"{phase}/{station.slot}/{field}": field for field in station.fields}
            if wanted.isdisjoint(mine):
                continue
            rng = random.Random(f"{job.simulation['seed']}/{phase}/{station.slot}/{len(work.moves)}")  # noqa: S311 - made-up data
            values = world.read(station, rng)
            step = _STEPS[station.reading["kind"]]
            shown |= {
                slot: f"{round(values[field] / step) * step + 0.0:.2f}".rstrip("0").rstrip(".")
                for slot, field in mine.items()
                if slot in wanted
            }
    return shown
