"""Record that a rod was turned."""

from __future__ import annotations

from django.db import transaction

from alignment.adjust.rods import TieRod
from alignment.jobfile import FORMAT, VERSION, parse
from alignment.simulate.world import World
from rectaxis.common.keys import time_key
from rectaxis.jobs.models import Job, Move, Seal
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

MOST_FLATS = 60


class MoveError(ValueError):
    """A move that cannot be recorded; the text says why."""


@transaction.atomic
def record_move(person: User, job: Job, key: object, axle: int, side: str, flats: int) -> Move:
    """Record a turn of one rod by ``flats`` (positive lengthens). The same key twice is one move.

    ``key`` is a version 7 UUID, which orders the turn among the readings. **Raises** PermissionDenied, ValueError.
    """
    demand(allowed=may_measure(person))
    if job.closed:
        raise MoveError(f"This job is {job.get_status_display()}; its record stays as it is.")
    if Seal.objects.filter(job=job, phase="after").exists():
        raise MoveError("The after is saved and sealed; what is turned now is a new visit's.")
    rods = [TieRod.from_dict(rod) for rod in job.layout.get("rods", [])]
    rod = next((rod for rod in rods if (rod.axle, rod.side) == (axle, side)), None)
    if rod is None:
        raise MoveError("This vehicle has no such rod; reload the page.")
    if not 0 < abs(flats) <= MOST_FLATS:
        raise MoveError(f"Expected 1 to {MOST_FLATS} flats, one way or the other, got {flats}.")
    move, made = Move.objects.get_or_create(
        id=time_key(key),
        defaults={
            "job": job, "by": person, "axle": axle, "side": side, "adjuster": rod.id, "flats": flats,
            "change_deg": flats * rod.toe_per_flat_deg,
        },
    )  # fmt: skip
    if move.job_id != job.id:
        raise MoveError("This save's key was already used for something else; reload the page.")
    if made and job.simulation:
        _turn_the_simulated_wheel(job, move)
    return move


def _turn_the_simulated_wheel(job: Job, move: Move) -> None:
    """The demo's vehicle answers to the rod, by its own hidden share of what is expected."""
    datum = {"datum": job.layout["datum"]} if "datum" in job.layout else {}
    core = parse({"format": FORMAT, "version": VERSION, "vehicle": job.layout["vehicle"], **datum})
    locked = Job.objects.select_for_update().get(pk=job.pk)
    world = World(core.vehicle, core.datum, locked.simulation["truth"])
    world.turn(move.axle, move.side, move.change_deg * locked.simulation.get("share", 1.0))
    locked.simulation["truth"] = world.truth
    locked.save(update_fields=["simulation"])
