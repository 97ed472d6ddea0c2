"""How the business's own work did: kits that read apart, vehicles that had to be seen again soon, how long a job takes."""

from __future__ import annotations

import datetime as dt
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from django.core.cache import cache
from django.db.models import Count, Max, Min, Q, QuerySet
from django.utils import timezone

from alignment.history.life import Life
from alignment.history.readers import Apart, apart
from alignment.quantities import QUANTITIES, say, say_size
from rectaxis.devices.models import SelfCheck
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import CLOSED, Job
from rectaxis.years.tracks import years_of

_KEY, _KEPT_S = "practice-1", 30 * 24 * 3600
_LOOKED_BACK = dt.timedelta(days=730)
"""Visits that are older say nothing of how the work is done now."""
_MOST_VEHICLES = 150
"""So many vehicles, those measured last, tell what kits differ by: enough to tell hundredths of a degree."""
SOON = dt.timedelta(days=60)
"""A vehicle that is measured again sooner than this was probably not right."""
_LONGEST = dt.timedelta(hours=12)
"""A job that was open longer lay about, and says nothing of how long the work takes."""
_FEWEST = 3


@dataclass(frozen=True)
class Checked:
    """A self-check: the day, and the worst of what it told as a share of what may be, in percent. ``x`` and ``y`` draw it, 60 by 24."""

    day: dt.date
    worst: int
    x: float
    y: float


@dataclass(frozen=True)
class KitTold:
    """A kit, how long its certificate holds, and what is said of how it reads, line by line with whether that is ``odd``: it reads apart."""

    kit: Kit
    days: int | None
    lines: tuple[tuple[str, bool], ...]
    odd: bool
    checks: tuple[Checked, ...] = ()

    @property
    def checks_said(self) -> str:
        """The last self-check, and the first of those that are shown."""
        first, last = self.checks[0], self.checks[-1]
        now = f"{last.day:%-d %b %Y}: at worst {last.worst} % of what may be"
        return now if first is last else f"{now}; {first.worst} % on {first.day:%-d %b %Y}"


@dataclass(frozen=True)
class Again:
    """Of how many visits of a technician the vehicle was measured again within ``SOON``."""

    name: str
    visits: int
    again: int


@dataclass(frozen=True)
class Took:
    """How long jobs took with a kit on a group of vehicles: the middle one, in minutes, of how many."""

    group: str
    kit: str
    minutes: int
    jobs: int


def kits_told(found: Mapping[str, Sequence[Apart]], style: str, today: dt.date) -> list[KitTold]:
    """Every kit in use, with what was found of how it reads against the others."""
    told, checks = [], _checks()
    for kit in Kit.objects.filter(retired=False).order_by("name"):
        of_kit = [
            (quantity, one, all_of) for quantity, all_of in found.items() for one in all_of if one.name == kit.name
        ]
        lines = [(_line(quantity, one, all_of, style), one.said) for quantity, one, all_of in of_kit]
        days = (kit.certified_until - today).days if kit.certified_until else None
        told.append(KitTold(kit, days, tuple(lines), any(odd for _, odd in lines), checks.get(kit.pk, ())))
    return sorted(told, key=lambda one: (not one.odd, not one.lines, one.kit.name))


def _checks() -> dict[UUID, tuple[Checked, ...]]:
    """The last self-checks of each kit, the oldest first: one question."""
    found: dict[UUID, list[tuple[dt.date, int]]] = {}
    ended = SelfCheck.objects.filter(ended_at__isnull=False, dropped=False).order_by("-ended_at")
    for kit, at, results in ended.values_list("device__kit_id", "ended_at", "results")[:_MOST_CHECKS]:
        shares = [abs(one["off"]) / one["limit"] for one in results if one["limit"]]
        if shares and len(found.setdefault(kit, [])) < _CHECKS:
            found[kit].append((timezone.localdate(at), round(100 * max(shares))))
    return {
        kit: tuple(Checked(day, worst, 4 + 52 * place / max(1, len(of) - 1), 20 - 10 * min(worst, 160) / 100) for place, (day, worst) in enumerate(of[::-1]))
        for kit, of in found.items()
    }  # fmt: skip


_CHECKS, _MOST_CHECKS = 8, 400


def _line(quantity: str, one: Apart, all_of: Sequence[Apart], style: str) -> str:
    if not one.u:
        return f"{QUANTITIES[quantity].label}: the middle one of {len(all_of)} kits, by {one.lives} angles"
    label, doubt = QUANTITIES[quantity].label, say_size(quantity, 2 * one.u, style)
    if one.said and len(all_of) == 2:  # noqa: PLR2004 - of two nobody knows which is right
        other = next(name for name in (each.name for each in all_of) if name != one.name)
        apart_by = say_size(quantity, 2 * one.value, style)
        return f"{label}: reads {apart_by} apart from {other}, and which of them is right is not told. Have it checked."
    if one.said:
        return f"{label}: reads {say(quantity, one.value, style)} more than the others (± {doubt}, by {one.lives} angles). Have it checked."
    return (
        f"{label}: within {say_size(quantity, abs(one.value) + 2 * one.u, style)} of the others, by {one.lives} angles"
    )


@dataclass(frozen=True)
class Practice:
    """What was reckoned of all visits, and when: what kits differ by for each quantity, what was seen again, how long jobs take."""

    at: dt.datetime
    apart: Mapping[str, Sequence[Apart]]
    again: Sequence[Again]
    took: Sequence[Took]


def reckoned() -> Practice | None:
    """What was reckoned last; None where nothing was."""
    kept: Practice | None = cache.get(_KEY)
    return kept


def reckon() -> Practice:
    """Reckon it and keep it. It looks at every visit of two years and takes seconds to minutes: the worker's."""
    found = {quantity: told for quantity, lives in _lives().items() if (told := apart(lives))}
    made = Practice(timezone.now(), found, seen_again(), took())
    cache.set(_KEY, made, _KEPT_S)
    return made


def _lives() -> dict[str, list[Life]]:
    """Lives that more than one kit read, by quantity."""
    several = (
        Vehicle.objects.annotate(
            kits=Count("jobs__kit", filter=Q(jobs__status__in=CLOSED), distinct=True), last=Max("jobs__planned_at", filter=Q(jobs__status__in=CLOSED))
        )
        .filter(kits__gt=1).select_related("fleet").order_by("-last")[:_MOST_VEHICLES]
    )  # fmt: skip
    found: dict[str, list[Life]] = {}
    for vehicle in several:
        for track in years_of(vehicle).tracks:
            if len({look.kit for look in track.looks}) > 1:
                found.setdefault(track.quantity, []).append(Life(track.looks))
    return found


def seen_again() -> list[Again]:
    """By technician, of how many of their visits the vehicle was measured again soon."""
    visits: dict[object, list[tuple[dt.datetime, int]]] = {}
    done = _lately().order_by("vehicle_id", "planned_at").values_list("vehicle_id", "planned_at", "technician_id")
    for vehicle, when, technician in done.iterator():
        visits.setdefault(vehicle, []).append((when, technician))
    names = {user.pk: user.shown_name for user in User.objects.all()}
    counts: dict[str, list[int]] = {}
    for of in visits.values():
        for number, (when, technician) in enumerate(of):
            count = counts.setdefault(names[technician], [0, 0])
            count[0] += 1
            count[1] += number + 1 < len(of) and of[number + 1][0] - when < SOON
    return [Again(name, visits, again) for name, (visits, again) in sorted(counts.items())]


def took() -> list[Took]:
    """How long jobs take, by group of vehicle and kit, from the first to the last number that was typed: for planning the day."""
    spans: dict[tuple[str, str], list[float]] = {}
    for group, kit, begun, ended in _spans():
        if ended - begun < _LONGEST:
            spans.setdefault((group, kit), []).append((ended - begun).total_seconds() / 60)
    return [
        Took(group, kit, round(statistics.median(of)), len(of))
        for (group, kit), of in sorted(spans.items())
        if len(of) >= _FEWEST
    ]


def _lately() -> QuerySet[Job]:
    return Job.objects.filter(status=Job.Status.DONE, planned_at__gte=timezone.now() - _LOOKED_BACK)


def _spans() -> Iterable[tuple[str, str, dt.datetime, dt.datetime]]:
    jobs = _lately().filter(kit__isnull=False).annotate(begun=Min("entry_set__at"), ended=Max("entry_set__at"))
    for group, kit, begun, ended in jobs.values_list("layout__group", "kit__name", "begun", "ended").iterator():
        if begun and ended:
            yield group or "van", kit, begun, ended
