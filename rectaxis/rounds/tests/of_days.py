"""What tables of everything that can be done, and of everybody who may, say of the days."""

import datetime as dt

from django.utils import timezone

from planning.model import Urgency
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.rounds.actions.ask_for_plan import ask_for_plan, drop_plan, take_what_there_is
from rectaxis.rounds.actions.move_visit import back_to_tray, move_visit, release
from rectaxis.rounds.actions.say_crew import be_away, be_back, give_calendar, read_calendar, say_crew
from rectaxis.rounds.actions.say_place import read_roads, remove_place, say_ferry, say_place, say_sailing
from rectaxis.rounds.actions.tell import tell
from rectaxis.rounds.actions.undo_move import Undo, undo_move
from rectaxis.rounds.actions.use_plan import use_plan
from rectaxis.rounds.actions.want_visit import add_call, change_call, set_aside, take_due
from rectaxis.rounds.due import Due
from rectaxis.rounds.models import Absence, Call, Crew, Ferry, Place, Run

WORKS_HERE = ("mara", "jonah")


def in_days(many):
    return timezone.localdate() + dt.timedelta(days=many)


def a_crew():
    """Mara's hours, from a home beside the yard of the vehicle that actions are tried on, with the kit that reads it."""
    home, _ = Place.objects.get_or_create(kind="home", name="H", defaults={"north": 1, "east": 1})
    crew, made = Crew.objects.get_or_create(
        person=User.objects.get(username="mara"), defaults={"home": home, "days": [0, 1, 2, 3, 4, 5, 6]}
    )
    if made:
        crew.kits.set(Kit.objects.filter(code="flag_lasers"))
        for fleet, name in {(one.fleet, one.stands_at) for one in Vehicle.objects.select_related("fleet")}:
            Place.objects.create(kind="yard", fleet=fleet, name=name, north=1, east=1.01, days=[0, 1, 2, 3, 4, 5, 6])
    return crew


def a_ferry():
    ports = [Place.objects.get_or_create(kind="port", name=name, defaults={"north": 1, "east": 1})[0] for name in "PQ"]
    days = {"departs": [dt.time(8)], "minutes": 20, "days": [0, 1, 2, 3, 4, 5, 6]}
    return Ferry.objects.get_or_create(origin=ports[0], target=ports[1], defaults=days)[0]


def an_absence():
    return Absence.objects.create(crew=a_crew(), starts=timezone.now(), ends=timezone.now() + dt.timedelta(hours=2))


def a_call(vehicle):
    a_crew()
    kit = Kit.objects.get(code="flag_lasers")
    return Call.objects.create(vehicle=vehicle, added_by=User.objects.get(username="mara"), kit=kit)


def a_planned():
    return Job.objects.filter(status="planned", added=0).first()


def a_run():
    plan, day = {"turns": [], "left_out": []}, timezone.localdate()
    mara = User.objects.get(username="mara")
    return Run.objects.create(by=mara, first=day, last=day, days={"visits": []}, plan=plan, status="ready")


A_CALENDAR = b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART:20270104T080000Z\r\nDTEND:20270104T100000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"


# How each is called with a person and a vehicle, and who may.
ACTIONS = {
    add_call: (lambda p, v: add_call(p, v, asked="Routine"), WORKS_HERE),
    take_due: (lambda p, v: take_due(p, [Due(v, "drift", "x", "Routine", Urgency.DUE, None, ())]), WORKS_HERE),
    change_call: (lambda p, v: change_call(p, a_call(v), asked="Other"), WORKS_HERE),
    set_aside: (lambda p, v: set_aside(p, a_call(v)), WORKS_HERE),
    ask_for_plan: (lambda p, v: a_call(v) and ask_for_plan(p, timezone.localdate(), in_days(2)), WORKS_HERE),
    take_what_there_is: (lambda p, _: take_what_there_is(p, a_run()), WORKS_HERE),
    drop_plan: (lambda p, _: drop_plan(p, a_run()), WORKS_HERE),
    use_plan: (lambda p, _: use_plan(p, a_run()), WORKS_HERE),
    move_visit: (
        lambda p, v: move_visit(p, a_call(v), a_crew(), dt.datetime.combine(in_days(3), dt.time(9))),
        WORKS_HERE,
    ),
    undo_move: (lambda p, _: undo_move(p, Undo("Van", timezone.now(), timezone.localdate(), ())), WORKS_HERE),
    release: (lambda p, v: release(p, a_call(v)), WORKS_HERE),
    back_to_tray: (lambda p, v: back_to_tray(p, a_planned()), WORKS_HERE),
    tell: (lambda p, v: tell(p, [a_planned()]), WORKS_HERE),
    say_place: (lambda p, _: say_place(p, Place(kind="port", name="New", north=1, east=1)), WORKS_HERE),
    say_ferry: (lambda p, _: say_ferry(p, a_ferry()), WORKS_HERE),
    say_sailing: (lambda p, _: say_sailing(p, a_ferry(), in_days(3), dt.time(8), cancelled=True), WORKS_HERE),
    remove_place: (lambda p, _: remove_place(p, a_ferry()), WORKS_HERE),
    read_roads: (lambda p, _: read_roads(p, f"{a_crew().home},{a_ferry().origin},5"), WORKS_HERE),
    say_crew: (lambda p, _: say_crew(p, a_crew(), []), WORKS_HERE),
    be_away: (lambda p, _: be_away(p, a_crew(), timezone.now(), timezone.now() + dt.timedelta(hours=1)), WORKS_HERE),
    be_back: (lambda p, _: be_back(p, an_absence()), WORKS_HERE),
    read_calendar: (lambda p, _: read_calendar(p, a_crew(), A_CALENDAR), WORKS_HERE),
    give_calendar: (lambda p, _: give_calendar(p, a_crew()), WORKS_HERE),
}


NO = 403
# Addresses that name nothing; then by name: technician, office, viewer of the fleet, viewer of another fleet.
_PLAIN_PAGES = tuple(
    f"rounds:{name}" for name in ("week", "day", "to-tell", "due", "want", "places", "new-place", "new-ferry", "roads")
)
PLAIN_OF_DAYS = (*_PLAIN_PAGES, "rounds:plan", "rounds:told", "rounds:undo")
_OF_ONE = tuple(f"rounds:{name}" for name in ("move", "run", "wish", "place", "ferry", "crew", "calendar"))
PAGES_OF_DAYS = dict.fromkeys((*_PLAIN_PAGES, *_OF_ONE), (200, 200, NO, NO))
WRITES_OF_DAYS = {
    **dict.fromkeys(
        (f"rounds:{name}" for name in ("give-up", "plan", "decide", "told", "aside", "undo")), (302, 302, NO, NO)
    ),
    **dict.fromkeys(("rounds:sailing", "rounds:away"), (422, 422, NO, NO)),  # it names no day
    "rounds:address": (200, 200, NO, NO),
    **dict.fromkeys(("rounds:remove", "rounds:back"), (302, 404, 404, 404)),  # the first to ask has taken it away
}


def addresses_of_days(mara, vehicle):
    """Something of everything, and by an address's name what stands in it."""
    home, port, pier, lone = (
        Place.objects.create(kind=kind, name=name, island=name, north=n, east=0)
        for n, (kind, name) in enumerate((("home", "H"), ("port", "P"), ("port", "Q"), ("port", "R")))
    )
    crew, day, today = (
        Crew.objects.create(person=mara, home=home),
        timezone.now() + dt.timedelta(days=9),
        timezone.localdate(),
    )
    ferry = Ferry.objects.create(origin=port, target=pier, departs=[dt.time(8)], minutes=20)
    absence = Absence.objects.create(crew=crew, starts=day, ends=day + dt.timedelta(hours=1))
    call = Call.objects.create(vehicle=vehicle, added_by=mara)
    run = Run.objects.create(by=mara, first=today, last=today, days={}, status="dropped")
    return {
        **{f"rounds:{name}": {"key": f"call/{call.pk}"} for name in ("move", "give-up")},
        **{f"rounds:{name}": {"pk": run.pk} for name in ("run", "decide")},
        **{f"rounds:{name}": {"pk": call.pk} for name in ("wish", "aside")},
        **{f"rounds:{name}": {"pk": ferry.pk} for name in ("ferry", "sailing")},
        **{f"rounds:{name}": {"pk": crew.pk} for name in ("calendar", "away", "address")},
        "rounds:place": {"pk": port.pk}, "rounds:crew": {"pk": mara.pk}, "rounds:back": {"pk": absence.pk},
        "rounds:remove": {"kind": "place", "pk": lone.pk},
    }  # fmt: skip
