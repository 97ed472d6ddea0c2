"""The demo's made-up business: one van serving a chain of islands by ferry. Readings come from the simulator."""

from __future__ import annotations

import datetime as dt
import random
from typing import Any

from django.utils import timezone

from alignment.jobfile import FORMAT, VERSION, parse
from alignment.procedure.checklist import UNSAFE
from alignment.simulate.truth import random_truth
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.jobs.actions.hand_over import hand_over
from rectaxis.jobs.actions.hold_job import hold_job
from rectaxis.jobs.actions.open_job import open_job
from rectaxis.jobs.actions.seal_phase import seal_phase
from rectaxis.jobs.demo.data import (
    CAR,
    COACH,
    KITS,
    MAKE,
    MODEL,
    RIGID,
    SPECIFICATIONS,
    SPORTS,
    TRACTOR,
    TRAILER,
    TRUTH,
    VAN,
)
from rectaxis.jobs.demo.doing import look_over, read_all, set_all, slots_of, type_in
from rectaxis.jobs.demo.extras import mark_and_photograph
from rectaxis.jobs.models import Job
from rectaxis.jobs.sheet import torque_slot
from rectaxis.jobs.work import Work
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.specs.models import Specification

PASSWORD = "island ferry"  # noqa: S105 - shown on the demo's own sign-in page


def make_people(fleet: Fleet) -> User:
    """The demo's people; answers with the technician."""
    for name, first, last, role, of in (
        ("mara", "Mara", "Tolland", User.Role.TECHNICIAN, None),
        ("jonah", "Jonah", "Wick", User.Role.OFFICE, None),
        ("post", "Edda", "Quill", User.Role.FLEET, fleet),
    ):
        User.objects.create_user(name, password=PASSWORD, first_name=first, last_name=last, role=role, fleet=of)
    return User.objects.get(username="mara")


def make_library() -> dict[str, Kit]:
    """The demo's specifications and kits; answers with the kits by their kind."""
    for make, model, rows in SPECIFICATIONS:
        Specification.objects.create(
            name=f"{make} {model}", make=make, model=model, source="made up for the demo", rows=rows
        )
    today = timezone.localdate()
    zones = {"flag_lasers": {"toe_in_zone": "white", "toe_out_zone": "grey"}}
    return {
        code: Kit.objects.create(
            name=name, code=code, certified_until=today + dt.timedelta(days=days), **zones.get(code, {})
        )
        for name, code, days in KITS
    }


def make_fleets() -> list[Fleet]:
    """The demo's customers."""
    rows = (("Harbour Post", "Skerry Quay"), ("Wether Dairy", "Upper Holm"), ("Fell Road Coaches", "Ferry Stance"),
            ("Stack Timber", "Long Slip"), ("Ferry Garage", "Pier Head"))  # fmt: skip
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
    """Put a simulated van behind a job."""
    job.simulation = {"truth": TRUTH | {f"axles/{k.replace('_on_', '/')}": v for k, v in changes.items()}, "seed": seed,
                      "share": 0.93}  # fmt: skip
    job.save(update_fields=["simulation"])
    return job


def drawn_at_random(job: Job, seed: int, **shares: float) -> Job:
    """Put a vehicle behind a job whose hidden truth is drawn about what is usual. Clamps that nothing trues run true.

    ``shares`` are what adjusters of a kind really do, of what their dimensions say.
    """
    layout = job.layout
    datum = {"datum": layout["datum"]} if "datum" in layout else {}
    core = parse({"format": FORMAT, "version": VERSION, "vehicle": layout["vehicle"], **datum})
    truth = random_truth(core.vehicle, core.datum, random.Random(f"demo/{seed}"))  # noqa: S311 - made-up data
    if not any(station["reading"]["kind"] == "runout" for station in job.rig["stations"]):
        truth = {name: value for name, value in truth.items() if "clamp" not in name}
    job.simulation = {"truth": truth, "seed": seed, "share": 0.93, "shares": shares}
    job.save(update_fields=["simulation"])
    return job


def lowered(job: Job) -> Job:
    """Lean a simulated car's wheels in and its axes back, as after shorter springs."""
    for name in job.simulation["truth"]:
        shift = {"camber_deg": -1.5, "caster_deg": 0.4}.get(name.rsplit("/", 1)[-1], 0.0)
        job.simulation["truth"][name] += shift
    job.save(update_fields=["simulation"])
    return job


def _finished(person: User, job: Job) -> None:
    """A van's job done to the end."""
    look_over(person, job)
    mark_and_photograph(person, job)
    read_all(person, job, "before")
    seal_phase(person, job, "before")
    set_all(person, job)
    type_in(person, job, {torque_slot(one.id): "55 Nm" for one in Work(job).moved})
    read_all(person, job, "after")
    type_in(person, job, {
        "prove/road-test": "runs straight, wheel straight", "prove/torque": "yes", "prove/sensors": "reset done",
        "hand-over/next": "Right rear camber is close to its limit: measure it again at the next service.",
        "hand-over/advice/1": "Left front tyre: replace it, its inner edge is near the marks.",
        "hand-over/advice/1/due": (timezone.localdate() + dt.timedelta(days=60)).isoformat(),
        "hand-over/received-by": "Edda Quill",
    })  # fmt: skip
    seal_phase(person, job, "after")
    hand_over(person, job)


def make_demo() -> None:
    """Everything, from a fixed seed."""
    fleets = make_fleets()
    person, kits = make_people(fleets[0]), make_library()
    day = timezone.now().replace(minute=0, second=0, microsecond=0)

    def visit(vehicle: Vehicle, hour: int, asked: str, kit: str = "flag_lasers") -> Job:
        return open_job(person, vehicle, kits[kit], day.replace(hour=hour), asked)

    def vehicle(fleet: int, unit: str, plate: str, layout: dict[str, Any], make: str = "", model: str = "") -> Vehicle:
        return Vehicle.objects.create(
            fleet=fleets[fleet], unit=unit, registration=plate, layout=layout, make=make, model=model
        )

    _finished(person, simulated(visit(make_van(fleets[0], 9), 8, "Wears the left front tyre"), seed=9))
    in_hand = simulated(visit(make_van(fleets[0], 21), 10, "Steering wheel sits to the left"), seed=21)
    look_over(person, in_hand)
    read_all(person, in_hand, "before")
    simulated(visit(make_van(fleets[0], 14), 13, "Routine, before the winter round"), seed=14)
    visit(make_van(fleets[0], 6), 15, "Pulls to the left since the quay was resurfaced")
    tractor = vehicle(3, "Tractor 3", "ST 03 ISL", TRACTOR, "Tarvane", "Hauler 64")
    drawn_at_random(visit(tractor, 11, "Drive tyres wear in patches", "frame_gauge_lasers"), seed=3, spring_shims=1.6)
    car = vehicle(4, "Loan car 2", "FG 02 ISL", CAR, "Skerrow", "Dunlin")
    drawn_at_random(visit(car, 12, "After a new lower arm", "mirror_lasers"), seed=2)
    trailer = vehicle(3, "Trailer 5", "ST 05 ISL", TRAILER, "Holmgard", "Flat 3")
    drawn_at_random(visit(trailer, 14, "Follows beside the tractor", "straightedge_tape"), seed=5)
    coach = visit(vehicle(2, "Coach 1", "FR 01 ISL", COACH), 16, "Rear axle was off for a bearing", "tyre_bars")
    drawn_at_random(coach, seed=1)
    rigid = visit(vehicle(3, "Rigid 8", "ST 08 ISL", RIGID), 17, "Is the second drive axle square?", "frame_flags")
    hold_job(person, drawn_at_random(rigid, seed=8), "pause", "waits for the evening ferry")
    sports = vehicle(4, "Loan car 7", "FG 07 ISL", SPORTS, "Merrin", "Whimbrel 9")
    lowered(drawn_at_random(visit(sports, 9, "Lowered last week", "mirror_lasers"), seed=7, insert_plate=1.0))
    quick = vehicle(4, "Loan car 5", "FG 05 ISL", CAR, "Skerrow", "Dunlin")
    drawn_at_random(
        open_job(person, quick, kits["drive_over_plate"], day.replace(hour=18), "Toe only", scope="toe"), seed=4
    )
    ended = open_job(person, make_van(fleets[0], 2), kits["flag_lasers"], day - dt.timedelta(days=1), "Wanders")
    type_in(person, ended, {"arrive/odometer": "120300", "look/part/1/springs": UNSAFE,
                            "look/part/1/springs/why": "left coil broken"})  # fmt: skip
    hold_job(person, ended, "end", "left front spring is broken; to be repaired first")


__all__ = ["PASSWORD", "look_over", "make_demo", "make_van", "read_all", "set_all", "simulated", "slots_of", "type_in"]
