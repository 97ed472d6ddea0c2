"""The judged angles of a vehicle over its visits, from what is sealed, with what happened between them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import accumulate
from typing import Any
from uuid import UUID

import msgspec

from alignment.history.ahead import Limits
from alignment.history.drift import Drift, drift_of
from alignment.history.life import Life, Look
from alignment.history.tread import Depth
from alignment.judge.verdict import COVERAGE
from alignment.quantities import QUANTITIES
from rectaxis.drawing.strips import Judged
from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import CLOSED
from rectaxis.reports.search import said_of
from rectaxis.years.models import Happening

USUAL_KM_A_YEAR = 30_000.0
"""What a vehicle is taken to drive where no two odometers were written down: an assumption, said as one."""
DAYS_A_YEAR = 365.25
_LEAST_U = 0.003
"""No reading is surer than this, whatever a seal says (degrees)."""
_ADJUSTED_U = 1.0
"""How far an angle may stand after something moved it and nobody read it."""


@dataclass(frozen=True)
class Visit:
    """A closed visit with its judged rows. ``km`` is the odometer, reckoned from the days where ``read`` is False."""

    job: UUID
    day: dt.date
    km: float
    read: bool
    kit: str
    rows: tuple[Judged, ...]
    after: bool
    tyres: tuple[tuple[str, tuple[str, ...]], ...] = ()


@dataclass(frozen=True)
class Track:
    """One angle over the visits at which it was read: ``looks`` with the visit of each, and the limits of the last."""

    path: str
    title: str
    label: str
    quantity: str
    limits: Limits
    preferred: float | None
    visits: tuple[Visit, ...]
    looks: tuple[Look, ...]

    @cached_property
    def drift(self) -> Drift:
        return drift_of(Life(self.looks))

    @property
    def matters(self) -> float:
        """The drift that is small enough to be none: a tenth of what is allowed, or 0.02°, in 10,000 km."""
        low, high = self.limits.low, self.limits.high
        return 0.02 if low is None or high is None else max(0.005, (high - low) / 10)


@dataclass(frozen=True)
class Years:
    """A vehicle over the years. ``a_year`` is what it drives in one, ``known`` whether that is from odometers."""

    vehicle: Vehicle
    visits: tuple[Visit, ...]
    happenings: tuple[Happening, ...]
    a_year: float
    known: bool
    tracks: tuple[Track, ...] = field(default=())

    def driven_until(self, day: dt.date) -> float:
        """How many km it has run since its last visit, reckoned."""
        return max(0.0, (day - self.visits[-1].day).days / DAYS_A_YEAR * self.a_year) if self.visits else 0.0

    def depths(self) -> dict[str, list[Depth]]:
        """The shallowest depth of each tyre at each visit that read it, by its name."""
        found: dict[str, list[Depth]] = {}
        for visit in self.visits:
            for name, (_, *cells) in visit.tyres:
                read = [float(cell) for cell in cells[:3] if cell]
                if read:
                    found.setdefault(name, []).append(Depth(visit.km, min(read)))
        return found


def years_of(vehicle: Vehicle) -> Years:
    """Everything that is sealed of a vehicle's closed visits, and what was noted between them. Two questions."""
    happenings = tuple(Happening.objects.filter(vehicle=vehicle, taken_back=False).select_related("by"))
    jobs = list(vehicle.jobs.filter(status__in=CLOSED).order_by("planned_at", "pk"))
    said = said_of(jobs, ("judged", "answers", "subject", "phase", "tyres"))
    given = [(job.pk, said[job.pk]) for job in jobs if said.get(job.pk, {}).get("judged")]
    days = [dt.date.fromisoformat(one["subject"]["day"]) for _, one in given]
    read = [_odometer(one["answers"]) for _, one in given]
    a_year, known = _a_year(days, read)
    visits = tuple(
        Visit(job, day, km, odometer is not None, one["subject"]["kit"], msgspec.convert(one["judged"], tuple[Judged, ...]),
              one["phase"] == "after", tuple((name, tuple(cells)) for name, cells in one["tyres"] or ()))
        for (job, one), day, odometer, km in zip(given, days, read, _reckoned(days, read, a_year), strict=True)
    )  # fmt: skip
    found = Years(vehicle, visits, happenings, a_year, known)
    return replace(found, tracks=tuple(_tracks(found)))


def _odometer(answers: dict[str, Any]) -> float | None:
    """In km, as it is said: "82,410 km"."""
    said = answers.get("arrive/odometer", {}).get("said", "")
    digits = "".join(c for c in said.partition(".")[0] if c.isdigit())
    return float(digits) if digits else None


def _a_year(days: Sequence[dt.date], read: Sequence[float | None]) -> tuple[float, bool]:
    known = [(day, km) for day, km in zip(days, read, strict=True) if km is not None]
    if len(known) > 1:
        (first, at), (last, until) = known[0], known[-1]
        if (last - first).days > 0 and until > at:
            return (until - at) / (last - first).days * DAYS_A_YEAR, True
    return USUAL_KM_A_YEAR, False


def _reckoned(days: Sequence[dt.date], read: Sequence[float | None], a_year: float) -> list[float]:
    """An odometer for each visit, growing: as read, or by the days since the one before; one that went back counts as no way at all."""
    found: list[float] = []
    for number, (day, km) in enumerate(zip(days, read, strict=True)):
        if km is None:
            run = (day - days[number - 1]).days / DAYS_A_YEAR * a_year if number else 0.0
            km = (found[-1] if found else 0.0) + run  # noqa: PLW2901 - reckoned in its place
        found.append(km)
    return list(accumulate(found, max))


def _tracks(years: Years) -> Iterator[Track]:
    """The angles that the last visits judged, in degrees, in the order in which they were judged."""
    newest: dict[str, tuple[Judged, list[tuple[Visit, Judged]]]] = {}
    for visit in years.visits:
        for row in visit.rows:
            if row.path and QUANTITIES[row.quantity].unit == "deg":
                _, before = newest.get(row.path, (row, []))
                newest[row.path] = (row, [*before, (visit, row)])
    for path, (row, seen) in newest.items():
        looks = [(visit, look) for visit, of in seen if (look := _look(visit, of)) is not None]
        if looks:
            told = _with_happenings(years.happenings, row.axle, looks)
            yield Track(
                path, row.title, row.label, row.quantity, Limits(row.low, row.high), row.preferred,
                tuple(visit for visit, _ in looks), tuple(told),
            )  # fmt: skip


def _look(visit: Visit, row: Judged) -> Look | None:
    """What a visit found and left of an angle; None where it was not read."""
    if not visit.after:
        return None if row.value is None else Look(visit.km, row.value, _u(row.expanded), visit.kit)
    if row.earlier is None:
        return None if row.value is None else Look(visit.km, row.value, _u(row.expanded), visit.kit)
    found = Look(visit.km, row.earlier, _u(row.earlier_expanded), visit.kit)
    if row.value is not None and not row.moved:
        # Read twice as it was: no surer than the surer of both, for the same tools hung there.
        return replace(found, found=(row.earlier + row.value) / 2, u=min(_u(row.earlier_expanded), _u(row.expanded)))
    if row.value is not None:
        return replace(found, left=row.value, left_u=_u(row.expanded))
    return replace(found, left=row.earlier, left_u=_ADJUSTED_U) if row.moved else found


def _u(expanded: float | None) -> float:
    return max(_LEAST_U, (expanded or 0.0) / COVERAGE)


def _with_happenings(happenings: Sequence[Happening], axle: int, looks: Sequence[tuple[Visit, Look]]) -> Iterator[Look]:
    """The looks, each with whether something between it and the one before may have moved its axle."""
    before = dt.date.min
    for visit, look in looks:
        between = [one for one in happenings if before < one.day <= visit.day and one.axle in (None, axle)]
        yield replace(look, struck=any(one.moves for one in between), renewed=any(one.renewed for one in between))
        before = visit.day
