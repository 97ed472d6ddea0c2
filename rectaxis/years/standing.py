"""How badly each vehicle of a fleet needs a visit: what was reckoned of it when its last report was sealed, looked at today.

What takes long, the drift of every angle, is kept in the cache by what it was made of: the newest seal and the notes. The worker makes it
when a job is closed; a page makes a few that are missing, and leaves the rest to the worker.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.core.cache import cache
from django.db.models import Count, Q

from alignment.estimate.solve import Estimate
from alignment.history.ahead import FURTHEST_KM, outside
from alignment.judge.fitness import UNSAFE
from alignment.judge.wear import Assumptions, AxleSlip, Prices, Range, cost_a_year, cost_of_leaving, saved, side_slip
from alignment.model.vehicle import SIDES
from rectaxis.drawing.strips import Judged
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.models import CLOSED, Job
from rectaxis.reports.search import said_of
from rectaxis.years.models import Reckoning
from rectaxis.years.naming import axles_of
from rectaxis.years.told import next_due
from rectaxis.years.tracks import DAYS_A_YEAR, Track, Years, years_of

_FORM, _KEPT_S = 4, 90 * 24 * 3600
_HERE = 4
"""So many vehicles are reckoned while a page waits; the rest by the worker."""
_EVERY_KM = 2_500.0
_LIFE_DOUBT = 0.25
"""How far a tyre's life may be from what the fleet says it lasts, as a share: an assumption, no source."""


Toes = Mapping[int, tuple[float, float]]
"""Total toe and its standard uncertainty, degrees, by axle."""


@dataclass(frozen=True)
class Era:
    """What a vehicle ran after a visit that set a toe, and the toes that were found and left. ``km`` is None of the last: until today."""

    day: dt.date
    km: float | None
    found: Toes
    left: Toes


@dataclass(frozen=True)
class Kept:
    """What is kept of a vehicle: its last visit, what it drives, by angle the chance to be outside every 2,500 km on, and its toes;
    each angle as it was left last, and of each visit that set a toe how far it ran with it and the toes before and after.
    """

    day: dt.date
    a_year: float
    known: bool
    chances: Mapping[str, tuple[float, ...]]
    due: tuple[dt.date, str] | None
    toes: Toes
    angles: Mapping[str, tuple[str, Estimate]]
    eras: tuple[Era, ...]


@dataclass(frozen=True)
class Need:
    """How a vehicle stands today. ``chance`` is in percent that its likeliest angle is outside; None where nothing is known of it yet."""

    vehicle: Vehicle
    last: dt.date | None
    answer: str
    head: str
    chance: int | None
    angle: str
    due: dt.date | None
    cost: Range | None
    waiting: bool = False
    saved: Range | None = None

    @property
    def axles(self) -> str:
        return axles_of(self.vehicle)


def needs_of(fleet: Fleet, today: dt.date) -> list[Need]:
    """Every vehicle of a fleet, the one that needs a visit most first."""
    vehicles = list(fleet.vehicles.select_related("fleet"))
    stamps = _stamps(vehicles)
    kept = cache.get_many([stamps[one.pk] for one in vehicles if one.pk in stamps])
    missing = [one for one in vehicles if one.pk in stamps and stamps[one.pk] not in kept]
    for one in missing[:_HERE]:
        kept[stamps[one.pk]] = reckon(one, stamps[one.pk])
    reckoning = Reckoning.objects.filter(fleet=fleet).first() or Reckoning(fleet=fleet)
    answers = _answers(vehicles)
    found = [
        _need(
            one, kept.get(stamps.get(one.pk, "")), answers.get(one.pk), reckoning, today, waiting=one in missing[_HERE:]
        )
        for one in vehicles
    ]
    return sorted(
        found, key=lambda one: (one.answer != UNSAFE, -(one.chance if one.chance is not None else -1), one.vehicle.unit)
    )


def _stamps(vehicles: Iterable[Vehicle]) -> dict[UUID, str]:
    """What each vehicle's reckoning is made of, by the vehicle's key; none of one that has no report."""
    counted = Vehicle.objects.filter(pk__in=[one.pk for one in vehicles]).annotate(
        seals=Count("jobs__seal_set", filter=Q(jobs__status__in=CLOSED), distinct=True),
        notes=Count("happenings", filter=Q(happenings__taken_back=False), distinct=True),
    )
    found = counted.values_list("pk", "seals", "notes")
    return {pk: f"years-{_FORM}-{pk}-{seals}-{notes}" for pk, seals, notes in found if seals}


def reckon_missing(fleet: Fleet) -> None:
    """Reckon every vehicle of a fleet of which nothing is kept. Takes as long as there are many: the worker's."""
    vehicles = list(fleet.vehicles.select_related("fleet"))
    stamps = _stamps(vehicles)
    kept = cache.get_many(stamps.values())
    for one in vehicles:
        if one.pk in stamps and stamps[one.pk] not in kept:
            reckon(one, stamps[one.pk])


def reckon(vehicle: Vehicle, stamp: str | None = None) -> Kept | None:
    """Reckon a vehicle and keep it; None of one of which nothing is sealed."""
    stamp = stamp or _stamps([vehicle]).get(vehicle.pk)
    years = years_of(vehicle)
    if stamp is None:
        return None
    kept = _kept(years) if years.visits else None
    cache.set(stamp, kept, _KEPT_S)  # that nothing is known is kept, too
    return kept


def _kept(years: Years) -> Kept:
    return Kept(
        years.visits[-1].day, years.a_year, years.known, dict(_chances(years)), next_due(years),
        _toes(years.visits[-1].rows), {f"{track.title}, {track.label}": (track.quantity, _last(track)) for track in years.tracks}, tuple(_eras(years)),
    )  # fmt: skip


def _last(track: Track) -> Estimate:
    look = track.looks[-1]
    return Estimate(look.found, look.u) if look.left is None else Estimate(look.left, look.left_u)


def _toes(rows: Iterable[Judged], *, earlier: bool = False) -> Toes:
    """The toes that rows judge: as they are, or as they were before."""
    named = [
        (row.axle, *((row.earlier, row.earlier_expanded) if earlier else (row.value, row.expanded)))
        for row in rows
        if row.quantity == "total_toe_deg"
    ]
    return {axle: (value, (expanded or 0.0) / 2) for axle, value, expanded in named if value is not None}


def _eras(years: Years) -> Iterable[Era]:
    """Of each visit that changed a toe: the toes before and after, and how far it then ran."""
    for visit, after in zip(years.visits, (*years.visits[1:], None), strict=True):
        found, left = _toes(visit.rows, earlier=True), _toes(visit.rows)
        if (
            visit.after
            and found
            and found.keys() == left.keys()
            and any(row.moved for row in visit.rows if row.quantity == "total_toe_deg")
        ):
            yield Era(visit.day, None if after is None else after.km - visit.km, found, left)


def _chances(years: Years) -> Iterable[tuple[str, tuple[float, ...]]]:
    steps = [_EVERY_KM * step for step in range(int(FURTHEST_KM / _EVERY_KM) // 2)]
    for track in years.tracks:
        yield f"{track.title}, {track.label}", tuple(round(outside(track.drift, track.limits, km), 3) for km in steps)


def _answers(vehicles: Iterable[Vehicle]) -> dict[UUID, tuple[dt.date, str, str]]:
    """The day and the answer of each vehicle's latest report."""
    latest = (
        Job.objects.filter(vehicle__in=list(vehicles), status__in=CLOSED)
        .order_by("vehicle_id", "-planned_at", "-pk")
        .distinct("vehicle_id")
    )
    jobs = {job.pk: job for job in latest}
    found = {}
    for key, said in said_of(jobs.values(), ("left", "found", "subject")).items():
        answer: dict[str, Any] = said["left"] or said["found"] or {"code": "", "head": ""}
        found[jobs[key].vehicle_id] = (dt.date.fromisoformat(said["subject"]["day"]), answer["code"], answer["head"])
    return found


def _need(
    vehicle: Vehicle,
    kept: Kept | None,
    answer: tuple[dt.date, str, str] | None,
    reckoning: Reckoning,
    today: dt.date,
    *,
    waiting: bool,
) -> Need:
    day, code, head = answer or (None, "", "never measured")
    if kept is None:
        return Need(vehicle, day, code, head, None, "", None, None, waiting)
    a_year = kept.a_year if kept.known else reckoning.km_a_year
    driven = max(0, (today - kept.day).days) / 365.25 * a_year
    at = int(driven / _EVERY_KM)
    chances = {name: of[min(at, len(of) - 1)] for name, of in kept.chances.items()}
    angle = max(chances, key=lambda name: chances[name], default="")
    chance = round(100 * chances[angle]) if angle else None
    return Need(
        vehicle,
        day,
        code,
        head,
        chance,
        angle,
        kept.due[0] if kept.due else None,
        _cost(vehicle, kept, reckoning, a_year),
        saved=_saved(vehicle, kept, reckoning, today),
    )


def _cost(vehicle: Vehicle, kept: Kept, reckoning: Reckoning, a_year: float) -> Range | None:
    """What leaving it costs a year, by its toe alone, in the fleet's own money."""
    if not kept.toes:
        return None
    assumed, prices = _reckoned(vehicle, kept.toes, reckoning)
    return cost_a_year(cost_of_leaving(_slips(kept.toes), assumed), assumed, prices, a_year)


def _saved(vehicle: Vehicle, kept: Kept, reckoning: Reckoning, today: dt.date) -> Range | None:
    """What all its visits that set a toe saved until today; the last counts for a year at the most."""
    total = None
    for era in kept.eras:
        assumed, prices = _reckoned(vehicle, era.left, reckoning)
        km = min((today - era.day).days / DAYS_A_YEAR, 1.0) * kept.a_year if era.km is None else era.km
        one = saved(_slips(era.found), _slips(era.left), assumed, prices, max(km, 0.0))
        total = one if total is None else Range(total.low + one.low, total.high + one.high)
    return total


def _slips(toes: Toes) -> list[AxleSlip]:
    return [
        AxleSlip(axle, dict.fromkeys(SIDES, side_slip(Estimate(toe / 2, u / 2))), None)
        for axle, (toe, u) in toes.items()
    ]


def _reckoned(vehicle: Vehicle, toes: Toes, reckoning: Reckoning) -> tuple[Assumptions, Prices]:
    """What the fleet reckons with, for the axles of one vehicle."""
    life = reckoning.life_km
    assumed = Assumptions(
        life_km=Range(life * (1 - _LIFE_DOUBT), life * (1 + _LIFE_DOUBT)), fuel_l_per_100km=reckoning.fuel_l_per_100km
    )
    twins = set(vehicle.layout.get("duals", ()))
    return assumed, Prices(
        reckoning.tyre_price, reckoning.fuel_price, {axle: 4 if axle in twins else 2 for axle in toes}
    )


def kept_of(vehicles: Sequence[Vehicle]) -> dict[UUID, Kept]:
    """What is kept of vehicles, by their keys; those of which nothing is reckoned yet are left out."""
    stamps = _stamps(vehicles)
    kept = cache.get_many(stamps.values())
    return {pk: found for pk, stamp in stamps.items() if (found := kept.get(stamp)) is not None}
