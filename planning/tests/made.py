"""A small island with one yard, one home and Ann: what tests of days begin with."""

import datetime as dt
import json

from planning.checker import check
from planning.model import Days, Hours, Kit, Place, Technician, Visit
from planning.plan import plan_of

TUESDAY = dt.date(2026, 11, 3)
YARD = Place("yard", "Brae yard", 57.0, -6.0, "main", (Hours("08:00", "17:00"),))
HOME = Place("home", "home", 57.05, -6.0, "main")
ANN = Technician("ann", "Ann", "home", (Hours("08:00", "17:00"),), kits=("heads",))
HEADS = Kit("heads", "Wheel heads")


def at(clock, day=TUESDAY):
    return dt.datetime.combine(day, dt.time.fromisoformat(clock))


def visit(name, place="yard", minutes=60, **more):
    return Visit(name, name, more.pop("vehicle", name), place, minutes, kits=("heads",), **more)


def days(*visits, places=(), crew=(ANN,), kits=(HEADS,), **more):
    return Days(
        zone=more.pop("zone", "Europe/Lisbon"), now=more.pop("now", at("06:00")), days=more.pop("days", (TUESDAY,)),
        places=(YARD, HOME, *places), technicians=crew, visits=visits, kits=kits, **more,
    )  # fmt: skip


def planned(these):
    """A plan that the checker finds nothing wrong with."""
    plan = plan_of(these, seconds=30, steps=400)
    faults = check(json.loads(these.to_json()), plan.plain())
    assert faults == [], faults
    return plan


def done(plan):
    return {call.visit: call for out in plan.turns for call in out.stops}


def why(plan, name):
    return next((one.code, one.why) for one in plan.left_out if one.visit == name)


def shifted(moment, minutes):
    return (dt.datetime.fromisoformat(moment) + dt.timedelta(minutes=minutes)).isoformat()
