"""The days as the planner takes them, from what the database holds: visits that are planned and in the tray, people, kits, places, ferries."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

from django.db.models import Q, QuerySet
from django.utils import timezone

from planning import model
from planning.durations import Durations
from rectaxis.business.models import the_business
from rectaxis.common.days import start_of
from rectaxis.kits.models import Kit
from rectaxis.people.access import may_measure
from rectaxis.record.models import CLOSED, Job
from rectaxis.rounds.able import able_kits
from rectaxis.rounds.models import Call, Crew, Ferry, Place, Road
from rectaxis.rounds.took import Asked, kind_of, taught

MOST_VISITS = 400


def key_of(one: Job | Call) -> str:
    """What the planner calls a visit."""
    return f"{'job' if isinstance(one, Job) else 'call'}/{one.pk}"


def wall(moment: dt.datetime) -> dt.datetime:
    """A moment as the clock on the wall shows it here."""
    return timezone.localtime(moment).replace(tzinfo=None)


@dataclass
class Gathered:
    """The days, and by its key a sentence for each visit that cannot be planned: nobody has said where its yard lies, or when who must do
    it works.
    """

    days: model.Days
    unplaced: dict[str, str] = field(default_factory=dict)


def days_between(first: dt.date, last: dt.date) -> tuple[dt.date, ...]:
    """Every day from the first to the last, two weeks at the most."""
    return tuple(first + dt.timedelta(days=number) for number in range(min(14, (last - first).days + 1)))


def crews() -> list[Crew]:
    """Those who work and of whom somebody has said when."""
    found = (
        Crew.objects.select_related("person", "home")
        .prefetch_related("absences", "kits")
        .filter(person__is_active=True)
    )
    return [one for one in found if may_measure(one.person)]


def gathered(
    days: Sequence[dt.date], now: dt.datetime, *, again: bool = False, late: Mapping[UUID, dt.datetime] | None = None
) -> Gathered:
    """What a plan of these days is made from. ``again``: in the middle of the first of them, from what is under way and when it ends."""
    crew, places = crews(), list(Place.objects.select_related("fleet"))
    yards = {(place.fleet_id, place.name): place for place in places if place.kind == Place.Kind.YARD}
    known, kits = taught(), _kits_of(crew)
    jobs = planned_on(days)
    tray = [] if again else list(in_the_tray()[:MOST_VISITS])
    works = {one.person_id for one in crew}
    visits: list[model.Visit] = []
    unplaced: dict[str, str] = {}
    wanted: list[Job | Call] = [*jobs, *tray]
    for one in wanted:
        place = yards.get((one.vehicle.fleet_id, one.vehicle.stands_at))
        only = call_of(one).only
        if place is None:
            where = one.vehicle.stands_at or one.vehicle.fleet.name
            unplaced[key_of(one)] = f"{one.vehicle.unit}: nobody has said where {where} lies."
        elif only is not None and only.pk not in works:
            unplaced[key_of(one)] = f"{one.vehicle.unit}: only {only.shown_name} may do it, who has no working hours."
        else:
            visits.append(_visit(one, place, days, known, kits, crew))
    standing = _standing(days[0], crew, yards, now, late or {}) if again else {}
    return Gathered(
        model.Days(
            zone=the_business().time_zone, now=wall(now), days=tuple(days), places=tuple(_place(place) for place in places),
            technicians=tuple(_technician(one, standing.get(one.pk)) for one in crew), visits=tuple(visits),
            kits=tuple(_kit(kit) for kit in kits), ferries=tuple(_ferries()), roads=tuple(_roads()),
        ),
        unplaced,
    )  # fmt: skip


def in_the_tray() -> QuerySet[Call]:
    """What is wanted and has no time yet."""
    return Call.objects.filter(job=None, set_aside=False).select_related("vehicle__fleet", "kit", "only")


def planned_on(days: Sequence[dt.date]) -> list[Job]:
    """The visits that are planned on some days and have not begun."""
    on_them = Q()
    for day in days:
        on_them |= Q(planned_at__gte=start_of(day), planned_at__lt=start_of(day + dt.timedelta(days=1)))
    found = Job.objects.filter(on_them, status=Job.Status.PLANNED)
    return list(found.select_related("vehicle__fleet", "kit", "technician", "call__only")[:MOST_VISITS])


def call_of(one: Job | Call) -> Call:
    """What is arranged of a visit; what is usual of one of which nothing is; what is wanted, as it is."""
    if isinstance(one, Call):
        return one
    found: Call | None = getattr(one, "call", None)
    return found or Call(vehicle=one.vehicle, job=one, kit=one.kit, asked=one.asked, scope=one.rig.get("scope", "all"))


def minutes_of(one: Job | Call, known: Durations) -> tuple[int, int, int]:
    """How long a visit takes: what a person said, or what the past taught; with a range."""
    call = call_of(one)
    kit = one.kit.code if one.kit else ""
    technician = one.technician_id if isinstance(one, Job) else call.only_id
    takes = known.of(kind_of(Asked(one.vehicle, kit, call.scope, technician))).in_fives()
    return (call.minutes, call.minutes, call.minutes) if call.minutes else takes


def _visit(
    one: Job | Call, place: Place, days: Sequence[dt.date], known: Durations, kits: Sequence[Kit], crew: Sequence[Crew]
) -> model.Visit:
    call = call_of(one)
    minutes, low, high = minutes_of(one, known)
    able = [one.kit] if one.kit else None if isinstance(one, Job) else able_kits(one.vehicle, kits)
    only = None if call.only_id is None else str(call.only_id)
    asked = one.asked or "measure"
    before = None
    if isinstance(one, Job):
        technician = next((str(other.person_id) for other in crew if other.person_id == one.technician_id), None)
        before = technician and model.Before(technician, wall(one.planned_at), told=call.told == one.planned_at)
    return model.Visit(
        key_of(one), f"{one.vehicle.unit} ({asked})"[:120], str(one.vehicle_id), str(place.pk), minutes, low, high,
        model.Urgency(call.urgency), None if able is None else tuple(str(kit.pk) for kit in able if kit in kits),
        (call.skill,) if call.skill else (), _ready(call, days), None, call.by, only, call.on,
        dt.datetime.combine(call.on, call.at) if call.on and call.at else None, before or None,
        {str(part): float(many) for part, many in call.needs.items()},
    )  # fmt: skip


def _ready(call: Call, days: Sequence[dt.date]) -> tuple[model.Span, ...]:
    if call.ready_from is None and call.ready_until is None:
        return ()
    start, end = call.ready_from or dt.time(0), call.ready_until or dt.time(23, 59)
    return tuple(model.Span(dt.datetime.combine(day, start), dt.datetime.combine(day, end)) for day in days)


def _place(place: Place) -> model.Place:
    hours: tuple[model.Hours, ...] = ()
    if place.kind == Place.Kind.YARD:
        hours = (
            model.Hours(_clock(place.opens or dt.time(0)), _clock(place.closes or dt.time(23, 59)), tuple(place.days)),
        )
    if place.kind == Place.Kind.YARD and place.ground == Place.Ground.SOFT:
        hours = (model.Hours("00:00", "00:01", ()),)
    return model.Place(
        str(place.pk), place.name, place.north, place.east, place.island, hours, tuple(place.closed),
        place.unpack if place.kind == Place.Kind.YARD else 0,
    )  # fmt: skip


def _clock(time: dt.time) -> str:
    return f"{time:%H:%M}"


def _technician(crew: Crew, standing: model.Standing | None) -> model.Technician:
    return model.Technician(
        str(crew.person_id), crew.person.shown_name, str(crew.home_id), (model.Hours(_clock(crew.starts), _clock(crew.ends), tuple(crew.days)),),
        model.Pause(crew.pause, _clock(crew.pause_from), _clock(crew.pause_until)) if crew.pause else None,
        tuple(model.Span(wall(one.starts), wall(one.ends)) for one in crew.absences.all()), tuple(crew.skills),
        tuple(str(kit.pk) for kit in crew.kits.all()), (standing,) if standing else (), {str(k): int(v) for k, v in crew.stock.items()},
    )  # fmt: skip


def _kits_of(crew: Iterable[Crew]) -> list[Kit]:
    return list({kit.pk: kit for one in crew for kit in one.kits.all() if not kit.retired}.values())


def _kit(kit: Kit) -> model.Kit:
    # A certificate holds until the end of its day.
    until = None if kit.certified_until is None else dt.datetime.combine(kit.certified_until, dt.time(23, 59))
    return model.Kit(str(kit.pk), kit.name, until, None if kit.battery_hours is None else round(kit.battery_hours * 60))


def _ferries() -> Iterable[model.Ferry]:
    for ferry in Ferry.objects.prefetch_related("sailings"):
        other = defaultdict(list)
        for one in ferry.sailings.all():
            other[one.departs].append(one)
        for departs in ferry.departs:
            yield model.Ferry(
                f"{ferry.pk}/{_clock(departs)}", str(ferry.origin_id), str(ferry.target_id), _clock(departs), ferry.minutes, tuple(ferry.days),
                ferry.check_in, ferry.capacity, None if ferry.books_until is None else ferry.books_until * 60,
                tuple(one.day for one in other[departs] if one.cancelled),
                {one.day: one.booked for one in other[departs] if one.booked and not one.cancelled},
            )  # fmt: skip


def _roads() -> Iterable[model.Road]:
    return (model.Road(str(one.origin_id), str(one.target_id), one.minutes) for one in Road.objects.all())


def _standing(
    day: dt.date,
    crew: Sequence[Crew],
    yards: Mapping[tuple[UUID | None, str], Place],
    now: dt.datetime,
    late: Mapping[UUID, dt.datetime],
) -> dict[UUID, model.Standing]:
    """Where everybody is: at the vehicle in hand until it is done, or at the one that was done last today."""
    begins, ends = start_of(day), start_of(day + dt.timedelta(days=1))
    known, found = taught(), {}
    for one in crew:
        jobs = list(
            Job.objects.filter(technician=one.person, planned_at__gte=begins, planned_at__lt=ends).exclude(status=Job.Status.PLANNED)
            .select_related("vehicle__fleet", "kit", "call").order_by("planned_at")
        )  # fmt: skip
        at = [(job, yards.get((job.vehicle.fleet_id, job.vehicle.stands_at))) for job in jobs]
        there = [(job, place) for job, place in at if place is not None]
        if not there:
            continue
        in_hand = [pair for pair in there if pair[0].status not in CLOSED]
        job, place = (in_hand or there)[-1]
        free = (
            now
            if job.closed
            else late.get(job.pk) or max(now, job.planned_at + dt.timedelta(minutes=minutes_of(job, known)[0]))
        )
        used: dict[str, int] = defaultdict(int)
        for other, _ in there:
            if other.kit_id is not None:
                used[str(other.kit_id)] += minutes_of(other, known)[0]
        kits = {str(kit.pk) for kit in one.kits.all()}
        rested = wall(now).time() > one.pause_until
        found[one.pk] = model.Standing(
            day, str(place.pk), wall(max(now, free)), rested, {kit: many for kit, many in used.items() if kit in kits}
        )
    return found
