"""Record that an adjuster was moved, or that a move was taken back."""

from __future__ import annotations

import math
from typing import Any
from uuid import UUID

from django.db import transaction

from alignment.adjust.hardware import Hardware
from alignment.jobfile import FORMAT, VERSION, parse
from alignment.simulate.world import World
from rectaxis.common.keys import time_key
from rectaxis.jobs.models import Job, Move, Seal
from rectaxis.jobs.setting import position
from rectaxis.jobs.work import Work
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User

MOST_UNITS = 60
"""Nobody turns a rod by more at once."""


class MoveError(ValueError):
    """A move that cannot be recorded; the text says why."""


@transaction.atomic
def record_move(person: User, job: Job, key: object, adjuster: str, *, by: str = "", to: str = "") -> Move:
    """Record a move of an adjuster ``by`` a number of its units, or ``to`` one of its choices. The same key twice is one move.

    ``key`` is a version 7 UUID, which orders the move among the readings. **Raises** PermissionDenied, ValueError.
    """
    locked = _open(person, job)
    one = next((one for one in Work(locked).hardware if one.id == adjuster), None)
    if one is None:
        raise MoveError("This vehicle has no such adjuster; reload the page.")
    known = Move.objects.filter(pk=time_key(key)).first()
    if known is not None:
        return _same(known, job, adjuster)
    start = _stands(job, one)
    return _record(person, locked, key, one, start, _end(one, start, by.strip(), to.strip()))


@transaction.atomic
def undo_move(person: User, job: Job, key: object, move_id: UUID) -> Move:
    """Record that the last move of an adjuster was taken back. **Raises** PermissionDenied, ValueError."""
    locked = _open(person, job)
    move = Move.objects.filter(job=job, pk=move_id).first()
    if move is None:
        raise MoveError("This job has no such move; reload the page.")
    known = Move.objects.filter(pk=time_key(key)).first()
    if known is not None:
        return _same(known, job, move.adjuster)
    newest = Move.objects.filter(job=job, adjuster=move.adjuster).order_by("-id").first()
    one = next((one for one in Work(locked).hardware if one.id == move.adjuster), None)
    if one is None or newest != move or move.undoes_id:
        raise MoveError("Only the last move of an adjuster can be taken back; reload the page.")
    return _record(person, locked, key, one, move.end, move.start, undoes=move)


def _open(person: User, job: Job) -> Job:
    demand(allowed=may_measure(person))
    # Two people who turn at once are recorded one after the other.
    locked = Job.objects.select_for_update().get(pk=job.pk)
    if locked.closed:
        raise MoveError(f"This job is {locked.get_status_display()}; its record stays as it is.")
    if Seal.objects.filter(job=job, phase="after").exists():
        raise MoveError("The after is saved and sealed; what is turned now is a new visit's.")
    return locked


def _same(known: Move, job: Job, adjuster: str) -> Move:
    if (known.job_id, known.adjuster) != (job.pk, adjuster):
        raise MoveError("This save's key was already used for something else; reload the page.")
    return known


def _stands(job: Job, one: Hardware) -> str:
    newest = Move.objects.filter(job=job, adjuster=one.id).order_by("-id").first()
    return newest.end if newest else _text(one.adjuster().installed)


def _text(at: float | str) -> str:
    return at if isinstance(at, str) else f"{at:g}"


def _end(one: Hardware, start: str, by: str, to: str) -> str:
    """Where the move ends, as text. **Raises** MoveError."""
    adjuster = one.adjuster()
    if adjuster.choices is not None:
        if to not in adjuster.choices or to == start:
            raise MoveError(f"Expected another of {', '.join(adjuster.choices)}, got {to or 'nothing'}.")
        return to
    try:
        size = float(by.replace(",", ".").replace("\u2212", "-"))
    except ValueError:
        size = math.nan
    if not 0 < abs(size) <= MOST_UNITS or not (size / adjuster.step * 2).is_integer():
        expected = (
            f"Expected up to {MOST_UNITS} {adjuster.units}, one way or the other, in steps of {adjuster.step / 2:g}"
        )
        raise MoveError(f"The move was not recorded: {expected}, got {by or 'nothing'}.")
    end = float(start) + size
    if one.HARD_ENDS and not adjuster.minimum <= end <= adjuster.maximum:
        raise MoveError(
            f"The move was not recorded: it would end at {end:g}, and it goes from {adjuster.minimum:g} to {adjuster.maximum:g}."
        )
    return f"{end:g}"


def _record(person: User, job: Job, key: object, one: Hardware, start: str, end: str, **extra: Any) -> Move:
    adjuster = one.adjuster()
    there, here = (adjuster.effect_at(position(one, text)) for text in (end, start))
    effect = {path: there.get(path, 0.0) - here.get(path, 0.0) for path in {**here, **there}}
    move = Move.objects.create(
        id=time_key(key),
        job=job,
        by=person,
        axle=one.axle,
        adjuster=one.id,
        start=start,
        end=end,
        effect=effect,
        **extra,
    )
    if job.simulation:
        _move_the_simulated(job, one, move)
    return move


def _move_the_simulated(job: Job, one: Hardware, move: Move) -> None:
    """The demo's vehicle answers to the move, by the hidden share of what is expected that this adjuster does."""
    datum = {"datum": job.layout["datum"]} if "datum" in job.layout else {}
    core = parse({"format": FORMAT, "version": VERSION, "vehicle": job.layout["vehicle"], **datum})
    world = World(core.vehicle, core.datum, job.simulation["truth"])
    share = job.simulation.get("shares", {}).get(one.KIND, job.simulation.get("share", 1.0))
    world.move({path: size * share for path, size in move.effect.items()})
    job.simulation["truth"] = world.truth
    job.save(update_fields=["simulation"])
