"""The demo's made-up business: one van serving a chain of islands by ferry. Readings come from the simulator."""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Mapping

from django.utils import timezone

from alignment.procedure.checklist import UNSAFE
from alignment.simulate.truth import random_truth
from rectaxis.business.models import Business
from rectaxis.demo.data import (
    CAR,
    COACH,
    KITS,
    LOWERED_FIGURES,
    MAKE,
    MODEL,
    OLD_FIGURES,
    RIGID,
    SPECIFICATIONS,
    SPORTS,
    TRACTOR,
    TRAILER,
    TRUTH,
    TWIN_STEER,
    VAN,
    YARD,
)
from rectaxis.demo.doing import look_over, read_all, set_all, type_in
from rectaxis.demo.extras import mark_and_photograph
from rectaxis.door.actions.ask_for_visit import ask_for_visit
from rectaxis.door.actions.ask_question import ask_question
from rectaxis.fleets.layout import Json, Layout
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.post.models import Contact
from rectaxis.record.models import Job
from rectaxis.record.slot import OfAdjuster, Phase
from rectaxis.record.snapshot import is_runout
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.hold_job import hold_job
from rectaxis.visit.actions.keep_in_place import written_down
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.kits import rig_of
from rectaxis.visit.visit import Visit

PASSWORD = "island ferry"  # noqa: S105 - shown on the demo's own sign-in page
LIVE = (("Van 30", 7, "wheel_heads"), ("Rigid 12", 6, "frame_cameras"), ("Loan car 3", 5, "target_cameras"),
        ("Rigid 14", 4, "target_cameras_posts"))  # fmt: skip
"""Vehicles that stand-ins hang on: unit, hour of the visit, kind of kit."""


SECOND_YARD = "Upper Holm"
"""Where some of the mail vans stand, and Ivo Marn looks after them."""


def make_people(fleet: Fleet) -> User:
    """The demo's people; answers with the technician."""
    for name, first, last, role, of in (
        ("mara", "Mara", "Tolland", User.Role.TECHNICIAN, None),
        ("jonah", "Jonah", "Wick", User.Role.OFFICE, None),
        ("post", "Edda", "Quill", User.Role.FLEET, fleet),
        ("holm", "Ivo", "Marn", User.Role.FLEET, fleet),
    ):
        User.objects.create_user(name, password=PASSWORD, first_name=first, last_name=last, role=role, fleet=of)
    User.objects.filter(username="holm").update(asks=False, yards=[SECOND_YARD])
    return User.objects.get(username="mara")


def make_library() -> dict[str, Kit]:
    """The demo's specifications and kits; answers with the kits by their kind."""
    for make, model, rows in SPECIFICATIONS:
        Specification.objects.create(
            name=f"{make} {model}", make=make, model=model, source="made up for the demo", rows=rows
        )
    Specification.objects.create(
        name=f"{MAKE} {MODEL}", make=MAKE, model=MODEL, year_to=2017, applies="first series, 15 in wheels",
        source="made up for the demo", rows=OLD_FIGURES,
    )  # fmt: skip
    Specification.objects.create(
        name="Merrin Whimbrel 9", make="Merrin", model="Whimbrel 9", tyres="215/40 R18", applies="springs that can be turned down",
        source="made up for the demo", rows=LOWERED_FIGURES,
    )  # fmt: skip
    today = timezone.localdate()
    zones = {"flag_lasers": {"toe_in_zone": "white", "toe_out_zone": "grey"}}
    return {
        code: Kit.objects.create(
            name=name,
            code=code,
            serial=f"K-{number:03d}",
            certified_until=today + dt.timedelta(days=days),
            **zones.get(code, {}),
        )
        for number, (name, code, days) in enumerate(KITS, start=11)
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
        yard=SECOND_YARD if number in (2, 6, 21) else "",
        layout=VAN,
    )


def van_simulation(seed: int, **changes: float) -> Json:
    """A made-up van: the demo's truth, with changes named as ``1_on_bearing_deg``."""
    truth = TRUTH | YARD | {f"axles/{name.replace('_on_', '/')}": value for name, value in changes.items()}
    return {"truth": truth, "seed": seed, "share": 0.93}


def random_simulation(vehicle: Vehicle, kit: Kit, seed: int, **shares: float) -> Json:
    """A made-up vehicle whose hidden truth is drawn about what is usual. Clamps that nothing trues run true.

    ``shares`` are what adjusters of a kind really do, of what their dimensions say.
    """
    layout = Layout.from_json(vehicle.layout)
    chance = random.Random(f"demo/{seed}")  # noqa: S311 - made-up data
    truth = random_truth(layout.core.vehicle, layout.core.datum, chance)
    if not any(is_runout(station) for station in rig_of([kit], layout).stations):
        truth = {name: value for name, value in truth.items() if "clamp" not in name}
    return {"truth": truth | YARD, "seed": seed, "share": 0.93, "shares": shares, "toe_per_camber": -0.4}


def lowered(simulation: Json) -> Json:
    """Lean a simulated car's wheels in and its axes back, as after shorter springs; one rear tyre is newer."""
    shift = {"camber_deg": -1.5, "caster_deg": 0.4}
    truth = {name: value + shift.get(name.rsplit("/", 1)[-1], 0.0) for name, value in simulation["truth"].items()}
    return simulation | {"truth": truth | {"axles/2/stagger_mm": 4.0}}


def put_behind(job: Job, simulation: Json) -> Job:
    """Put a made-up vehicle behind a job that is open already."""
    job.simulation = simulation
    job.save(update_fields=["simulation"])
    return job


def _finished(person: User, job: Job, **typed: str) -> None:
    """A van's job done to the end; ``typed`` on Arrive is otherwise than usual."""
    look_over(person, job)
    type_in(person, job, {f"arrive/{name}": text for name, text in typed.items()})
    mark_and_photograph(person, job)
    read_all(person, job, "before")
    seal_phase(person, job, Phase.BEFORE)
    set_all(person, job)
    type_in(person, job, {str(OfAdjuster("torque", one.id)): "55 Nm" for one in Visit(job).moved})
    read_all(person, job, "after")
    type_in(person, job, {
        "prove/road-test": "straight", "prove/torque": "yes", "prove/sensors": "done",
        "hand-over/next": "Right rear camber is close to its limit: measure it again at the next service.",
        "hand-over/advice/1": "Left front tyre: replace it, its inner edge is near the marks.",
        "hand-over/advice/1/due": (timezone.localdate() + dt.timedelta(days=60)).isoformat(),
        "hand-over/next-day": (timezone.localdate() + dt.timedelta(days=180)).isoformat(),
        "hand-over/next-odometer": "105000",
        "hand-over/received-by": "Edda Quill",
    })  # fmt: skip
    seal_phase(person, job, Phase.AFTER)
    hand_over(person, job)


def _two_weeks_ago(person: User, van: Vehicle, kit: Kit, day: dt.datetime) -> None:
    """A van that was measured two weeks ago, and comes again: a demo's visits leave nothing by themselves."""
    before = day - dt.timedelta(days=14)
    first = open_job(person, van, kit, before, "Pulls to the left", simulation=van_simulation(17))
    type_in(person, first, {"look/size/1": "205/65 R16", "look/size/2": "205/65 R16"})
    _finished(person, first, odometer="79300")
    van.layout = van.layout | written_down(Visit(first), timezone.localdate(before).isoformat())
    van.save(update_fields=["layout"])
    open_job(person, van, kit, day.replace(hour=19), "Second look, after two weeks", simulation=van_simulation(18))


def make_business() -> None:
    """Whoever does the work."""
    Business.objects.create(
        name="Tolland Alignment", address="2 Slipway\nSkerry Quay", contact="office@tolland.example", prefix="TA-",
        next_number=118, mail_from="office@tolland.example", words="Questions about this report: ask Jonah Wick, Monday to Friday.",
    )  # fmt: skip


def make_contacts(fleets: list[Fleet]) -> None:
    """Who of the customers gets letters, and which."""
    wants = Contact.Wants
    for fleet, name, email, what in (
        (0, "Edda Quill", "edda@harbourpost.example", wants.EACH), (0, "Orrin Vale", "orrin@harbourpost.example", wants.WEEKLY),
        (3, "Brisa Holt", "brisa@stacktimber.example", wants.NOT_IN_ORDER), (4, "Tam Ferrow", "tam@ferrygarage.example", wants.NOTHING),
    ):  # fmt: skip
        Contact.objects.create(fleet=fleets[fleet], name=name, email=email, wants=what)


def _at_the_door(fleet: Fleet) -> None:
    """What a customer asked for and asked about."""
    edda = User.objects.get(username="post")
    van = Vehicle.objects.get(fleet=fleet, unit="Van 14")
    ask_for_visit(edda, van, "It pulls to the left since Monday", timezone.localdate() + dt.timedelta(days=10))
    done = Job.objects.get(vehicle__unit="Van 9")
    ask_question(edda, done, "What does it mean that the right rear camber is too close to say?")


def _unsafe(person: User, van: Vehicle, kit: Kit, day: dt.datetime) -> None:
    """A van that was not safe to drive: its visit ended there."""
    ended = open_job(person, van, kit, day - dt.timedelta(days=1), "Wanders")
    type_in(person, ended, {"arrive/odometer": "120300", "look/part/1/springs": UNSAFE,
                            "look/part/1/springs/why": "left coil broken"})  # fmt: skip
    hold_job(person, ended, "end", "left front spring is broken; to be repaired first")


def _live(person: User, kits: Mapping[str, Kit], day: dt.datetime, vehicles: Mapping[str, Vehicle]) -> None:
    """Visits with kits that read themselves: no made-up vehicle is kept with them, since stand-ins play the devices."""
    for unit, hour, code in LIVE:
        open_job(person, vehicles[unit], kits[code], day.replace(hour=hour), "With the kit that reads itself")


def _loan_cars(person: User, kits: Mapping[str, Kit], day: dt.datetime, sports: Vehicle, quick: Vehicle) -> None:
    """A sports car that was lowered, and a car whose toe alone is asked for."""
    mirrors, plate = kits["mirror_lasers"], kits["drive_over_plate"]
    low = lowered(random_simulation(sports, mirrors, seed=7, insert_plate=1.0))
    open_job(person, sports, mirrors, day.replace(hour=9), "Lowered last week", simulation=low)
    open_job(person, quick, plate, day.replace(hour=18), "Toe only", scope="toe",
             simulation=random_simulation(quick, plate, seed=4))  # fmt: skip


def _other_vans(person: User, fleet: Fleet, kit: Kit, day: dt.datetime) -> None:
    """One that is not safe to drive, and one that was measured two weeks ago."""
    _unsafe(person, make_van(fleet, 2), kit, day)
    _two_weeks_ago(person, make_van(fleet, 17), kit, day)


def make_demo() -> None:
    """Everything, from a fixed seed."""
    make_business()
    fleets = make_fleets()
    person, kits = make_people(fleets[0]), make_library()
    make_contacts(fleets)
    day = timezone.now().replace(minute=0, second=0, microsecond=0)

    def van(number: int, hour: int, asked: str, simulation: Json | None) -> Job:
        made = make_van(fleets[0], number)
        return open_job(person, made, kits["flag_lasers"], day.replace(hour=hour), asked, simulation=simulation)

    def visit(of: Vehicle, hour: int, asked: str, kit: str, seed: int, **shares: float) -> Job:
        made_up = random_simulation(of, kits[kit], seed, **shares)
        return open_job(person, of, kits[kit], day.replace(hour=hour), asked, simulation=made_up)

    def vehicle(fleet: int, unit: str, plate: str, layout: Json, make: str = "", model: str = "") -> Vehicle:
        return Vehicle.objects.create(
            fleet=fleets[fleet], unit=unit, registration=plate, layout=layout, make=make, model=model
        )

    _finished(person, van(9, 8, "Wears the left front tyre", van_simulation(9)))
    in_hand = van(21, 10, "Steering wheel sits to the left", van_simulation(21))
    look_over(person, in_hand)
    read_all(person, in_hand, "before")
    van(14, 13, "Routine, before the winter round", van_simulation(14))
    van(6, 15, "Pulls to the left since the quay was resurfaced", None)
    tractor = vehicle(3, "Tractor 3", "ST 03 ISL", TRACTOR, "Tarvane", "Hauler 64")
    visit(tractor, 11, "Drive tyres wear in patches", "frame_gauge_lasers", seed=3, spring_shims=1.6)
    car = vehicle(4, "Loan car 2", "FG 02 ISL", CAR, "Skerrow", "Dunlin")
    visit(car, 12, "After a new lower arm", "mirror_lasers", seed=2)
    trailer = vehicle(3, "Trailer 5", "ST 05 ISL", TRAILER, "Holmgard", "Flat 3")
    visit(trailer, 14, "Follows beside the tractor", "straightedge_tape", seed=5)
    coach = vehicle(2, "Coach 1", "FR 01 ISL", COACH)
    visit(coach, 16, "Rear axle was off for a bearing", "tyre_bars", seed=1)
    rigid = vehicle(3, "Rigid 8", "ST 08 ISL", RIGID)
    held = visit(rigid, 17, "Is the second drive axle square?", "frame_flags", seed=8)
    hold_job(person, held, "pause", "waits for the evening ferry")
    sports = vehicle(4, "Loan car 7", "FG 07 ISL", SPORTS, "Merrin", "Whimbrel 9")
    _loan_cars(person, kits, day, sports, vehicle(4, "Loan car 5", "FG 05 ISL", CAR, "Skerrow", "Dunlin"))
    van_30 = make_van(fleets[0], 30)
    rigid_12, rigid_14 = (vehicle(3, f"Rigid {n}", f"ST {n} ISL", TWIN_STEER) for n in (12, 14))
    loan_3 = vehicle(4, "Loan car 3", "FG 03 ISL", CAR, "Skerrow", "Dunlin")
    _live(person, kits, day, {one.unit: one for one in (van_30, rigid_12, loan_3, rigid_14)})
    _other_vans(person, fleets[0], kits["flag_lasers"], day)
    _at_the_door(fleets[0])
