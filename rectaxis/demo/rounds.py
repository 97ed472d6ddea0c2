"""The demo's days: three made-up islands with yards and ferries, two vans, and a week that is planned of what is due."""

from __future__ import annotations

import datetime as dt
import json
import random

from django.utils import timezone

from planning.plan import plan_of
from rectaxis.demo.business import PASSWORD, SECOND_YARD
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import CLOSED, Event, Job
from rectaxis.rounds.actions.tell import tell
from rectaxis.rounds.actions.use_plan import use_plan
from rectaxis.rounds.actions.want_visit import add_call, take_due
from rectaxis.rounds.due import by_yard
from rectaxis.rounds.gather import days_between, gathered
from rectaxis.rounds.models import Absence, Call, Crew, Ferry, Place, Run, Sailing
from rectaxis.rounds.took import Asked, kind_of

_PORTS = (
    ("Skerry port", "Skerry", 50.006, -29.975),
    ("Holm port", "Holm", 50.112, -29.905),
    ("Stack port", "Stack", 50.058, -29.752),
)
_YARDS = (
    (0, "Skerry Quay", "Skerry", 50.001, -29.996, "level", "0.4° down to the right", True, "good", "Orrin Vale, 0 11 22", "six vans from 7:00 to 9:00"),
    (4, "Pier Head", "Skerry", 50.018, -29.962, "level", "", True, "good", "Tam Ferrow", "two cars at a time"),
    (1, SECOND_YARD, "Holm", 50.128, -29.884, "sloping", "1.1° up to the front", False, "weak", "the dairy's office", "after the morning round"),
    (0, SECOND_YARD, "Holm", 50.131, -29.887, "sloping", "1.1° up to the front", False, "weak", "Ivo Marn", "from 10:00"),
    (2, "Ferry Stance", "Stack", 50.069, -29.741, "level", "", True, "good", "Fell Road's yard master", "coaches from 9:30 to 14:00"),
    (3, "Long Slip", "Stack", 50.041, -29.703, "level", "0.2° down to the back", True, "none", "Brisa Holt", "any time it is open"),
)  # fmt: skip
_HOMES = (("Mara's home", "Skerry", 50.012, -30.021), ("Brin's home", "Holm", 50.104, -29.931))
_LINES = (
    (0, 1, ("07:00", "08:30", "10:30", "13:00", "15:30", "17:15"), 25), (1, 0, ("06:30", "07:45", "09:30", "11:45", "14:15", "16:30", "18:00"), 25),
    (0, 2, ("07:15", "09:45", "12:30", "15:00"), 40), (2, 0, ("08:15", "11:00", "13:45", "16:15", "18:00"), 40),
    (1, 2, ("08:00", "11:30", "14:30"), 30), (2, 1, ("09:00", "12:45", "16:45"), 30),
)  # fmt: skip


_LONG_MIN = 40
_WANTED = (
    ("Rigid 12", "promised", "Promised after the last trip"), ("Coach 1", "due", "Before the inspection"), ("Van 6", "due", "Before the winter round"),
    ("Van 17", "due", "Before the winter round"), ("Van 21", "due", "Before the winter round"), ("Rigid 8", "due", "Second drive axle again"),
    ("Trailer 5", "due", "Tyres were changed"), ("Rigid 14", "due", "After new bushes"), ("Loan car 2", "due", "After a new lower arm"),
    ("Loan car 3", "wish", "Before it is sold"), ("Loan car 7", "wish", "Look at the springs again"), ("Van 30", "due", "Steering wheel sits to the right"),
)  # fmt: skip
"""Unit, how much it matters, and what is wanted."""


def _time(text: str) -> dt.time:
    return dt.time.fromisoformat(text)


def make_places() -> dict[str, Place]:
    """Yards, homes, ports and the ferries between them; the homes and ports by name."""
    fleets = list(Fleet.objects.order_by("pk"))
    ports = [
        Place.objects.create(kind="port", name=name, island=island, north=n, east=e, unpack=0)
        for name, island, n, e in _PORTS
    ]
    homes = [
        Place.objects.create(kind="home", name=name, island=island, north=n, east=e, unpack=0)
        for name, island, n, e in _HOMES
    ]
    for fleet, name, island, north, east, ground, tilt, power, signal, contact, ready in _YARDS:
        Place.objects.create(
            kind="yard", fleet=fleets[fleet], name=name, island=island, north=north, east=east, opens=_time("07:00"), closes=_time("18:00"),
            ground=ground, tilt=tilt, power=power, signal=signal, contact=contact, ready=ready,
        )  # fmt: skip
    for one, other, departs, minutes in _LINES:
        Ferry.objects.create(
            origin=ports[one], target=ports[other], departs=[_time(text) for text in departs], days=[0, 1, 2, 3, 4, 5], minutes=minutes,
            capacity=2 if minutes < _LONG_MIN else 1, books_until=1,
        )  # fmt: skip
    return {place.name: place for place in (*ports, *homes)}


def make_crew(places: dict[str, Place], first: dt.date) -> list[Crew]:
    """Mara and Brin, each with a van."""
    User.objects.create_user("brin", password=PASSWORD, first_name="Brin", last_name="Oake", role=User.Role.TECHNICIAN)
    kits = list(Kit.objects.filter(retired=False))
    made = []
    for name, home, skills, mine in (
        ("mara", "Mara's home", ["air suspension"], kits),
        ("brin", "Brin's home", [], kits[::2]),
    ):
        crew = Crew.objects.create(
            person=User.objects.get(username=name), home=places[home], starts=_time("07:00"), ends=_time("18:00"), skills=skills,
            stock={"shim 0.5°": 6, "spring plate": 2},
        )  # fmt: skip
        crew.kits.set(mine)
        made.append(crew)
    third = first + dt.timedelta(days=2)
    at = timezone.make_aware(dt.datetime.combine(third, _time("12:00")))
    Absence.objects.create(crew=made[1], starts=at, ends=at + dt.timedelta(hours=6), why="dentist")
    return made


def _next_workday() -> dt.date:
    day = timezone.localdate() + dt.timedelta(days=1)
    while day.weekday() >= 5:  # noqa: PLR2004 - the weekend
        day += dt.timedelta(days=1)
    return day


def make_it_take_time() -> None:
    """Visits of the past took as long as such visits do: the slower kit a third longer, Brin's island a little longer."""
    chance = random.Random("demo/took")  # noqa: S311 - made-up data
    for job in (
        Job.objects.filter(status__in=CLOSED)
        .select_related("vehicle__fleet", "kit", "technician")
        .order_by("-planned_at", "-pk")[:80]
    ):
        code = job.kit.code if job.kit else ""
        usual = kind_of(Asked(job.vehicle, code, job.rig.get("scope", "all"), job.technician_id)).usual
        minutes = (
            usual * (1.3 if code in ("straightedge_tape", "mirror_lasers") else 0.95) * chance.lognormvariate(0, 0.15)
        )
        for place, (what, at) in enumerate(
            (("open", job.planned_at), (job.status, job.planned_at + dt.timedelta(minutes=minutes))), start=1
        ):
            event = job.event_set.filter(what=what).first() or Event.objects.create(
                job=job, by=job.technician, what=what, sequence=job.added + place
            )
            Event.objects.filter(pk=event.pk).update(at=at)
        Job.objects.filter(pk=job.pk).update(added=job.added + 2)


def make_rounds(office: User, first: dt.date | None = None) -> None:
    """The days ahead, from the next day of work on or another: places, people, what is due in the tray, and a week that is planned of it."""
    first = first or _next_workday()
    make_crew(make_places(), first)
    make_it_take_time()
    cancelled = Ferry.objects.filter(origin__name="Skerry port", target__name="Stack port").first()
    if cancelled is not None:
        Sailing.objects.create(
            ferry=cancelled, day=first + dt.timedelta(days=1), departs=cancelled.departs[1], cancelled=True
        )
    take_due(office, [one for yard in by_yard(timezone.localdate()) for one in yard.due][:4])
    for unit, urgency, asked in _WANTED:
        add_call(office, Vehicle.objects.get(unit=unit), urgency=urgency, asked=asked, by=first + dt.timedelta(days=3))
    Call.objects.filter(vehicle__unit="Trailer 5", job=None).update(needs={"spring plate": 4})
    _use_a_plan(office, first)
    for unit, urgency, asked, skill in (
        ("Tractor 3", "due", "New springs", "air suspension"), ("Van 14", "wish", "When there is time: rear toe again", ""),
        ("Loan car 5", "due", "Back from the body shop", ""),
    ):  # fmt: skip
        add_call(office, Vehicle.objects.get(unit=unit), urgency=urgency, asked=asked, skill=skill)


def _use_a_plan(office: User, first: dt.date) -> None:
    last = first + dt.timedelta(days=4)
    found = gathered(days_between(first, last), timezone.now())
    plan = plan_of(found.days, seconds=60, steps=150)
    run = Run.objects.create(
        by=office, first=first, last=last, days=json.loads(found.days.to_json()), unplaced=found.unplaced, plan=plan.plain(), status=Run.Status.READY,
        share=100,
    )  # fmt: skip
    use_plan(office, run)
    planned = [
        call.job
        for call in Call.objects.filter(job__isnull=False).select_related("job__vehicle", "job__kit")
        if call.job is not None
    ]
    tell(office, sorted(planned, key=lambda job: job.planned_at)[:2])
