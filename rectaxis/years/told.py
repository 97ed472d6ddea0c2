"""What a page says of a vehicle's years, in a reader's style: plain data for templates."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass, replace

from alignment.history.ahead import next_visit, outside
from alignment.history.tread import this_tyre, wear_of
from alignment.quantities import say, say_size
from alignment.words.years import SHORT, say_ahead, say_before, say_does
from rectaxis.years.chart import Chart, chart_of
from rectaxis.years.tracks import DAYS_A_YEAR, Track, Visit, Years

LEAST_TREAD_MM = 1.6
"""The depth at which a tyre is changed, for what is said of wear. In many places the law's; some ask for more: said as an assumption."""


@dataclass(frozen=True)
class Row:
    """A visit's line in an angle's table, and its cell in the row of small strips: places on a line from 0 to 100, None where not read."""

    visit: Visit
    found: str
    left: str
    found_at: float | None
    left_at: float | None
    outside: bool


@dataclass(frozen=True)
class AngleTold:
    """What is told of one angle. ``chance`` is that it is outside today, in percent."""

    track: Track
    name: str
    does: str
    sentences: tuple[str, ...]
    chance: int
    chart: Chart
    rows: tuple[Row, ...]


@dataclass(frozen=True)
class TyreTold:
    name: str
    depth: str
    said: str


def angles(years: Years, style: str, today: dt.date) -> list[AngleTold]:
    """Every angle, the likeliest to be outside first."""
    driven = years.driven_until(today)
    found = [_angle(track, years, style, driven) for track in years.tracks]
    return sorted(found, key=lambda one: -one.chance)


def _angle(track: Track, years: Years, style: str, driven: float) -> AngleTold:
    days = tuple(f"{visit.day:%-d %B %Y}" for visit in track.visits)
    quantity, drift = track.quantity, track.drift
    sentences = [say_does(quantity, drift, track.matters, days, style), *say_before(quantity, drift, days, style)]
    sentences.append(say_ahead(drift, track.limits, driven))
    chart = chart_of(track, years)
    chart = replace(chart, ticks=tuple((y, say_size(quantity, float(mark), style)) for y, mark in chart.ticks))
    chance = round(100 * outside(drift, track.limits, driven))
    name = f"{track.title}, {track.label}"
    return AngleTold(
        track, name, SHORT.get(drift.does(track.matters), "cannot be told yet"), tuple(one for one in sentences if one), chance, chart,
        tuple(_rows(track, style)),
    )  # fmt: skip


def _rows(track: Track, style: str) -> Iterator[Row]:
    for visit, look in zip(track.visits, track.looks, strict=True):
        left = say(track.quantity, look.left, style) if look.left is not None and look.left_known else ""
        stands = look.found if look.left is None else look.left
        yield Row(
            visit, say(track.quantity, look.found, style), left, _place(track, look.found), _place(track, look.left) if left else None,
            not (track.limits.low is None or stands >= track.limits.low) or not (track.limits.high is None or stands <= track.limits.high),
        )  # fmt: skip


def _place(track: Track, value: float | None) -> float | None:
    """On a line from 0 to 100 on which what is allowed is the middle half."""
    low, high = track.limits.low, track.limits.high
    if value is None or (low is None and high is None):
        return None
    least, most = (low if low is not None else (high or 0) - 0.5), (high if high is not None else (low or 0) + 0.5)
    half = max((most - least) / 2, 0.01)
    return round(min(97.0, max(3.0, 50 + 25 * (value - (least + most) / 2) / half)), 1)


def tyres(years: Years) -> list[TyreTold]:
    """How each tyre wears, and from when to when it reaches its least depth."""
    return [_tyre(name, years) for name in years.depths()]


def _tyre(name: str, years: Years) -> TyreTold:
    depths = this_tyre(years.depths()[name])
    wear = wear_of(depths, LEAST_TREAD_MM)
    depth = f"{depths[-1].mm:g} mm"
    if wear is None:
        return TyreTold(name, depth, "how fast it wears cannot be told yet")
    early, late = (None if km is None else _day(years, depths[-1].km, km) for km in (wear.early, wear.late))
    until = f" and {late:%B %Y}" if late is not None else ""
    said = f"wears {wear.per_10_000_km:.1f} mm in 10,000 km: at {LEAST_TREAD_MM:g} mm between {early:%B %Y}{until}"
    return TyreTold(name, depth, said if until else said.replace("between", "from") + " on, at the earliest")


def _day(years: Years, last_km: float, more_km: float) -> dt.date:
    last = years.visits[-1]
    days = (last_km + more_km - last.km) / years.a_year * DAYS_A_YEAR
    return last.day + dt.timedelta(days=min(36_500.0, days))


def next_due(years: Years) -> tuple[dt.date, str] | None:
    """By when the vehicle should be measured again so that nine in ten angles of each kind are still inside, and for which angle."""
    found = [(next_visit(track.drift, track.limits), f"{track.title.lower()}, {track.label}") for track in years.tracks]
    if not found:
        return None
    km, name = min(found)
    return years.visits[-1].day + dt.timedelta(days=min(3_650.0, km / years.a_year * DAYS_A_YEAR)), name
