"""What is due: proposed with its reason, never booked without a person, and grouped by yard so that one trip serves several."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from uuid import UUID

from alignment.judge.fitness import UNSAFE
from planning.model import Urgency
from rectaxis.door.models import VisitRequest
from rectaxis.door.state import standings
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.record.models import OPEN, Job
from rectaxis.rounds.models import Call
from rectaxis.years.standing import Need, needs_of

SOON = dt.timedelta(days=42)
"""What is due within six weeks is proposed."""
_LIKELY = 50
"""Percent that an angle is outside its limits, from which on it is proposed by its drift."""
_RANK = list(Urgency)


@dataclass(frozen=True)
class Due:
    """One vehicle that is due: what for, by when, why in sentences. ``key`` is the same for the same want."""

    vehicle: Vehicle
    source: str
    key: str
    asked: str
    urgency: Urgency
    by: dt.date | None
    why: tuple[str, ...]


@dataclass
class AtYard:
    """What is due in one yard of a fleet."""

    fleet: Fleet
    yard: str
    due: list[Due] = field(default_factory=list)

    @property
    def rank(self) -> tuple[int, dt.date]:
        """The most urgent first."""
        return min((_RANK.index(one.urgency), one.by or dt.date.max) for one in self.due)


def due_of(fleet: Fleet, today: dt.date) -> list[Due]:
    """What is due of a fleet's vehicles, each vehicle once by what matters most; none that is planned or in the tray already."""
    taken = _taken(fleet)
    found: dict[UUID, list[Due]] = defaultdict(list)
    for one in (*_asked(fleet), *_by_report(fleet, today), *_by_drift(fleet, today)):
        if one.vehicle.pk not in taken:
            found[one.vehicle.pk].append(one)
    return [_together(ones) for ones in found.values()]


def by_yard(today: dt.date, fleets: Iterable[Fleet] | None = None) -> list[AtYard]:
    """What is due of some fleets, or of all, grouped by yard, the yard with what matters most first."""
    yards: dict[tuple[UUID, str], AtYard] = {}
    for fleet in Fleet.objects.all() if fleets is None else fleets:
        for one in due_of(fleet, today):
            yard = one.vehicle.yard or fleet.yard
            yards.setdefault((fleet.pk, yard), AtYard(fleet, yard)).due.append(one)
    for at in yards.values():
        at.due.sort(key=lambda one: (_RANK.index(one.urgency), one.by or dt.date.max, one.vehicle.unit))
    return sorted(yards.values(), key=lambda at: at.rank)


def kits_due(today: dt.date) -> list[tuple[Kit, str]]:
    """Kits whose certificate is to be seen to."""
    return [(kit, kit.certificate(today)) for kit in Kit.objects.filter(retired=False) if kit.needs_certificate(today)]


def _taken(fleet: Fleet) -> set[UUID]:
    planned = Job.objects.filter(vehicle__fleet=fleet, status__in=OPEN).values_list("vehicle_id", flat=True)
    tray = Call.objects.filter(vehicle__fleet=fleet, job=None, set_aside=False).values_list("vehicle_id", flat=True)
    return {*planned, *tray}


def _together(ones: list[Due]) -> Due:
    """One want of a vehicle, with the reasons of all."""
    first = min(ones, key=lambda one: (_RANK.index(one.urgency), one.by or dt.date.max))
    days = [one.by for one in ones if one.by is not None]
    why = tuple(dict.fromkeys(said for one in (first, *ones) for said in one.why))
    return Due(first.vehicle, first.source, first.key, first.asked, first.urgency, min(days, default=None), why)


def _asked(fleet: Fleet) -> Iterator[Due]:
    for one in VisitRequest.objects.filter(vehicle__fleet=fleet, settled="").select_related("vehicle"):
        yield Due(
            one.vehicle, Call.Source.ASKED, str(one.pk), one.wish[:200], Urgency.PROMISED if one.until else Urgency.DUE, one.until,
            (f"The fleet asks: {one.wish}",),
        )  # fmt: skip


def _by_report(fleet: Fleet, today: dt.date) -> Iterator[Due]:
    for one in standings(fleet):
        if one.code == UNSAFE:
            yield Due(
                one.vehicle,
                Call.Source.REPORT,
                f"unsafe/{one.job}",
                "it was unsafe",
                Urgency.UNSAFE,
                today,
                (f"Its last report: {one.head}.",),
            )
        if one.next_day is not None and one.next_day <= today + SOON:
            said = f"Its report says: measure again by {one.next_day:%-d %B %Y}."
            yield Due(
                one.vehicle, Call.Source.REPORT, f"next/{one.job}", "measure again", Urgency.DUE, one.next_day, (said,)
            )
        for advice in one.open_advice:
            if advice.due is not None and advice.due <= today + SOON:
                said = f"Open advice until {advice.due:%-d %B}: {advice.said}"
                yield Due(
                    one.vehicle,
                    Call.Source.ADVICE,
                    f"{advice.job}/{advice.place}",
                    advice.said[:200],
                    Urgency.DUE,
                    advice.due,
                    (said,),
                )


def _by_drift(fleet: Fleet, today: dt.date) -> Iterator[Due]:
    for need in needs_of(fleet, today):
        reason = _drifted(need, today)
        if reason:
            yield Due(
                need.vehicle,
                Call.Source.DRIFT,
                f"{need.vehicle.pk}/{need.last}",
                "measure, by its drift",
                Urgency.WISH,
                need.due,
                (reason,),
            )


def _drifted(need: Need, today: dt.date) -> str:
    if need.chance is not None and need.chance >= _LIKELY:
        return f"By its drift and the kilometres it is believed to have run, {need.angle} is outside its limits at {need.chance} in 100."
    if need.due is not None and need.due <= today + SOON:
        return f"By its drift it should be measured by {need.due:%-d %B %Y}."
    return ""
