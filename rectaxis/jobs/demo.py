"""The demo's made-up business: one van serving a chain of islands by ferry. Readings come from the simulator."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from typing import Any

from django.utils import timezone
from uuid6 import uuid7

from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.jobs.actions.hand_over import hand_over
from rectaxis.jobs.actions.open_job import open_job
from rectaxis.jobs.actions.record_move import record_move
from rectaxis.jobs.actions.save_entries import save_entries
from rectaxis.jobs.actions.seal_phase import seal_phase
from rectaxis.jobs.models import Job
from rectaxis.jobs.simulated import read_scales
from rectaxis.jobs.slots import KNOBS_TURNED
from rectaxis.jobs.work import Work, trued_slot
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.specs.models import Specification

PASSWORD = "island ferry"  # noqa: S105 - shown on the demo's own sign-in page
MAKE, MODEL = "Brannoch", "Pelter 27"

VAN = {
    "vehicle": {
        "axles": [
            {"role": "steer", "position_mm": 0, "track_mm": 1540},
            {"role": "drive", "position_mm": 2700, "track_mm": 1530, "rigid": False},
        ],
        "thrust_axle": 2,
    },
    "steering_ratio": 15.8,
    "rods": [
        {"axle": 1, "side": "left", "pitch_mm": 1.25, "arm_mm": 145.0, "ahead": False},
        {"axle": 1, "side": "right", "pitch_mm": 1.25, "arm_mm": 145.0, "ahead": False},
        {"axle": 2, "side": "left", "pitch_mm": 1.25, "arm_mm": 190.0, "ahead": True, "outer_thread": "left"},
        {"axle": 2, "side": "right", "pitch_mm": 1.25, "arm_mm": 190.0, "ahead": True, "outer_thread": "left"},
    ],
}

FIGURES = [
    {"quantity": "total_toe_deg", "axle": 1, "min": 0.0, "max": 0.3, "preferred": 0.14},
    {"quantity": "camber_deg", "axle": 1, "side": "left", "min": -1.0, "max": 0.3, "preferred": -0.3},
    {"quantity": "camber_deg", "axle": 1, "side": "right", "min": -1.0, "max": 0.3, "preferred": -0.3},
    {"quantity": "steer_ahead_deg", "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "total_toe_deg", "axle": 2, "min": 0.0, "max": 0.36, "preferred": 0.18},
    {"quantity": "thrust_angle_deg", "min": -0.08, "max": 0.08, "preferred": 0.0},
    {"quantity": "camber_deg", "axle": 2, "side": "left", "min": -1.6, "max": -0.4, "preferred": -1.0},
    {"quantity": "camber_deg", "axle": 2, "side": "right", "min": -1.6, "max": -0.4, "preferred": -1.0},
]

TRUTH = {
    "axles/1/bearing_deg": 0.33, "axles/1/total_toe_deg": 0.5, "axles/1/setback_mm": 3.0,
    "axles/1/left/camber_deg": -0.42, "axles/1/right/camber_deg": -0.35,
    "axles/2/bearing_deg": 0.14, "axles/2/total_toe_deg": 0.34, "axles/2/setback_mm": 1.0,
    "axles/2/left/camber_deg": -1.1, "axles/2/right/camber_deg": -0.47,
    "axles/1/left/clamp/cosine_deg": 0.21, "axles/1/left/clamp/sine_deg": -0.12,
    "axles/1/right/clamp/cosine_deg": -0.08, "axles/1/right/clamp/sine_deg": 0.17,
    "axles/2/left/clamp/cosine_deg": 0.01, "axles/2/left/clamp/sine_deg": 0.01,
    "axles/2/right/clamp/cosine_deg": -0.3, "axles/2/right/clamp/sine_deg": -0.26,
}  # fmt: skip
"""A kerb strike on the left rear, and front rods that were never set to it."""

_ANSWERS = {
    "arrive/odometer": "82410", "arrive/reason": "steering wheel off centre", "arrive/asked-by": "Edda Quill",
    "look/ball-joints": "sound", "look/bushes": "sound", "look/bearings": "sound", "look/springs": "sound",
    "rig/self-check": "yes", "rig/straps": "yes", "roll/settled": "yes", "roll/locked": "by a level across the spokes",
}  # fmt: skip
_PRESSURES = {1: "3.1", 2: "3.6"}
_TREAD = {"outer": "5.1", "middle": "5.8", "inner": "4.6"}


def type_in(person: User, job: Job, typed: dict[str, str]) -> None:
    """Save fields as a browser would. **Raises** ValueError for a field that is refused."""
    items: list[dict[str, Any]] = [{"id": str(uuid7()), "slot": slot, "typed": text} for slot, text in typed.items()]
    for saved in save_entries(person, job, items):
        if saved.status != "saved":
            raise ValueError(f"{saved.slot}: {saved.text}")


def slots_of(job: Job, phase: str, *, axles: Iterable[int] = (1, 2)) -> list[str]:
    """The slots that a person reads in a phase, of the set-ups whose heads are on the axles named."""
    stage = "roll" if phase == "roll" else "read"
    source = "before" if phase == "roll" else phase
    stations = [s for s in Work(job).stations if s.stage == stage and s.reading["axle"] in set(axles)]
    return [f"{source}/{station.slot}/{field}" for station in stations for field in station.fields]


def read_all(person: User, job: Job, phase: str, *, axles: Iterable[int] = (1, 2)) -> None:
    """Read a phase's simulated scales and type what they show."""
    type_in(person, job, read_scales(person, job, slots_of(job, phase, axles=axles)))


def look_over(person: User, job: Job) -> None:
    """Answer everything up to the readings, and true the clamps."""
    tyres = {}
    for axle in (1, 2):
        for side in ("left", "right"):
            tyres[f"look/tyre/{axle}/{side}/pressure"] = _PRESSURES[axle]
            tyres |= {f"look/tyre/{axle}/{side}/tread-{place}": depth for place, depth in _TREAD.items()}
    type_in(person, job, _ANSWERS | tyres)
    read_all(person, job, "roll")
    type_in(person, job, {trued_slot(s): KNOBS_TURNED for s in Work(job).stations if s.stage == "roll"})
    read_all(person, job, "roll")


def set_axle(person: User, job: Job, axle: int, rounds: int = 4) -> None:
    """Turn an axle's rods as advised and read again, until nothing is left to turn."""
    for _ in range(rounds):
        advice = Work(job).advice(axle)
        if advice is None or advice.settled:
            return
        for move in advice.moves:
            if move.flats:
                record_move(person, job, uuid7(), axle, move.rod.side, move.flats)
        job.refresh_from_db()
        read_all(person, job, "set", axles=(axle,))


def make_people(fleet: Fleet) -> User:
    """The demo's people; answers with the technician."""
    for name, first, last, role, of in (
        ("mara", "Mara", "Tolland", User.Role.TECHNICIAN, None),
        ("jonah", "Jonah", "Wick", User.Role.OFFICE, None),
        ("post", "Edda", "Quill", User.Role.FLEET, fleet),
    ):
        User.objects.create_user(name, password=PASSWORD, first_name=first, last_name=last, role=role, fleet=of)
    return User.objects.get(username="mara")


def make_library() -> Kit:
    """The demo's specification and kit; answers with the kit."""
    Specification.objects.create(
        name=f"{MAKE} {MODEL}", make=MAKE, model=MODEL, source="made up for the demo", rows=FIGURES
    )
    return Kit.objects.create(
        name="Flag lasers, blue case", code="flag_lasers", certified_until=timezone.localdate() + dt.timedelta(days=70)
    )


def make_fleets() -> list[Fleet]:
    """The demo's customers."""
    rows = (("Harbour Post", "Skerry Quay"), ("Wether Dairy", "Upper Holm"), ("Fell Road Coaches", "Ferry Stance"))
    return [Fleet.objects.create(name=name, yard=yard) for name, yard in rows]


def make_van(fleet: Fleet, number: int) -> Vehicle:
    """One mail van."""
    return Vehicle.objects.create(
        fleet=fleet,
        unit=f"Van {number}",
        registration=f"HP {number:02d} ISL",
        make=MAKE,
        model=MODEL,
        year=2022,
        layout=VAN,
    )


def simulated(job: Job, seed: int, **changes: float) -> Job:
    """Put a simulated vehicle behind a job."""
    job.simulation = {"truth": TRUTH | {f"axles/{k.replace('_on_', '/')}": v for k, v in changes.items()}, "seed": seed,
                      "share": 0.93}  # fmt: skip
    job.save(update_fields=["simulation"])
    return job


def make_demo() -> None:
    """Everything, from a fixed seed."""
    fleets = make_fleets()
    person, kit = make_people(fleets[0]), make_library()
    day = timezone.now().replace(minute=0, second=0, microsecond=0)

    def visit(number: int, hour: int, asked: str) -> Job:
        return open_job(person, make_van(fleets[0], number), kit, day.replace(hour=hour), asked)

    done = simulated(visit(9, 8, "Wears the left front tyre"), seed=9)
    look_over(person, done)
    read_all(person, done, "before")
    seal_phase(person, done, "before")
    for axle in (2, 1):
        set_axle(person, done, axle)
    read_all(person, done, "after")
    type_in(person, done, {
        "prove/road-test": "runs straight, wheel straight", "prove/torque": "yes", "prove/sensors": "reset done",
        "hand-over/next": "Right rear camber is close to its limit: measure it again at the next service.",
    })  # fmt: skip
    seal_phase(person, done, "after")
    hand_over(person, done)
    in_hand = simulated(visit(21, 10, "Steering wheel sits to the left"), seed=21)
    look_over(person, in_hand)
    read_all(person, in_hand, "before")
    simulated(visit(14, 13, "Routine, before the winter round"), seed=14)
    visit(6, 15, "Pulls to the left since the quay was resurfaced")
