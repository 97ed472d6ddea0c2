"""An angle over the odometer as plain data for an SVG template: limits as a band, readings with whiskers, what happened, what comes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from alignment.history.ahead import expected
from alignment.quantities import QUANTITIES
from rectaxis.years.models import Happening
from rectaxis.years.tracks import Track, Years

WIDTH, HEIGHT = 640, 196
_LEFT, _RIGHT, _TOP, _BOTTOM = 66.0, 14.0, 30.0, 154.0
_AHEAD = 0.18
"""The share of the width that is kept for what comes."""
_MARKS = {"repair": "R", "strike": "B", "tyres": "T", "recall": "C", "paper": "P", "other": "N"}


@dataclass(frozen=True)
class Spot:
    """A reading of the visit at a place among the looks: ``left`` is whether it was taken after something was moved."""

    look: int
    x: float
    y: float
    low: float
    high: float
    left: bool


@dataclass(frozen=True)
class Mark:
    """Something that happened, by its letter, or a jump of which nobody knew."""

    x: float
    letter: str
    said: str


@dataclass(frozen=True)
class Chart:
    """``band`` is where the limits lie (top and bottom), ``paths`` join what was left with what was found next, ``fan`` what comes;
    ``above`` and ``below`` say what lies on either side of nothing.
    """

    spots: tuple[Spot, ...]
    paths: tuple[str, ...]
    marks: tuple[Mark, ...]
    band: tuple[float, float] | None
    notch: float | None
    fan: str
    ticks: tuple[tuple[float, str], ...]
    above: str
    below: str
    years: tuple[tuple[float, str], ...]
    width: int = WIDTH
    height: int = HEIGHT


def chart_of(track: Track, years: Years) -> Chart:
    """The chart of one angle. What comes is drawn for a year, as wide as it may be wrong (95 %)."""
    scale = _Scale(track, years)
    spots, paths, stood = [], [], None
    for place, look in enumerate(track.looks):
        x = scale.x(look.km)
        spots.append(
            Spot(
                place,
                x,
                scale.y(look.found),
                scale.y(look.found + 2 * look.u),
                scale.y(look.found - 2 * look.u),
                left=False,
            )
        )
        if stood is not None:
            paths.append(f"M{stood[0]:.1f} {stood[1]:.1f}L{x:.1f} {scale.y(look.found):.1f}")
        stood = (x, scale.y(look.found))
        if look.left is not None and look.left_known:
            shifted = x + 6
            spots.append(
                Spot(
                    place,
                    shifted,
                    scale.y(look.left),
                    scale.y(look.left + 2 * look.left_u),
                    scale.y(look.left - 2 * look.left_u),
                    left=True,
                )
            )
            stood = (shifted, scale.y(look.left))
        elif look.left is not None:
            stood = None
    return Chart(
        tuple(spots), tuple(paths), tuple(_marks(track, years, scale)), scale.band(track), _at(scale, track.preferred),
        _fan(track, years, scale), scale.ticks(), *_ways(track), _days(years, scale),
    )  # fmt: skip


def _at(scale: _Scale, value: float | None) -> float | None:
    return None if value is None else scale.y(value)


def _fan(track: Track, years: Years, scale: _Scale) -> str:
    """Between where the angle may be, from the last visit to a year on, as an SVG path."""
    last = track.looks[-1].km
    upper, lower = [], []
    for km in np.linspace(0.0, years.a_year, 7):
        mean, u = expected(track.drift, float(km))
        x = scale.x(last + float(km))
        upper.append(f"{x:.1f} {scale.y(mean + 2 * u):.1f}")
        lower.append(f"{x:.1f} {scale.y(mean - 2 * u):.1f}")
    return f"M{'L'.join(upper)}L{'L'.join(reversed(lower))}Z"


def _marks(track: Track, years: Years, scale: _Scale) -> list[Mark]:
    found = [
        Mark(scale.x(_km_of(one, years)), _MARKS[one.kind], f"{one.day:%-d %B %Y}: {one}") for one in years.happenings
    ]
    for jump in track.drift.jumps:
        before, after = track.looks[jump.visit - 1 : jump.visit + 1]
        found.append(Mark(scale.x((before.km + after.km) / 2), "?", "it jumped here, and nobody noted why"))
    return found


def _km_of(one: Happening, years: Years) -> float:
    """Where on the odometer something happened: as noted, or by its day between the visits."""
    if one.odometer is not None:
        return float(one.odometer)
    days = [visit.day.toordinal() for visit in years.visits]
    return float(np.interp(one.day.toordinal(), days, [visit.km for visit in years.visits])) if days else 0.0


def _ways(track: Track) -> tuple[str, str]:
    """What lies above and below nothing: "toe-in" and "toe-out"."""
    entry = QUANTITIES[track.quantity]
    return entry.way(1.0), entry.way(-1.0)


def _days(years: Years, scale: _Scale) -> tuple[tuple[float, str], ...]:
    """The first visit of each year, for the foot of the chart."""
    firsts: dict[int, float] = {}
    for visit in years.visits:
        firsts.setdefault(visit.day.year, visit.km)
    found, free = [], 0.0
    for year, km in firsts.items():
        x = scale.x(km)
        if x >= free:
            found.append((round(x, 1), str(year)))
            free = x + 62
    return tuple(found)


class _Scale:
    def __init__(self, track: Track, years: Years) -> None:
        kms = [look.km for look in track.looks]
        self._from, span = kms[0], max(kms[-1] - kms[0], years.a_year)
        self._km = (WIDTH - _LEFT - _RIGHT) * (1 - _AHEAD) / span
        values = [end for look in track.looks for end in (look.found - 2 * look.u, look.found + 2 * look.u)]
        values += [look.left for look in track.looks if look.left is not None]
        values += [bound for bound in (track.limits.low, track.limits.high) if bound is not None]
        middle, half = (min(values) + max(values)) / 2, max((max(values) - min(values)) / 2, 0.05) * 1.1
        self._top, self._degree = middle + half, (_BOTTOM - _TOP) / (2 * half)

    def x(self, km: float) -> float:
        return float(min(WIDTH - _RIGHT, max(_LEFT - 8, _LEFT + (km - self._from) * self._km)))

    def y(self, value: float) -> float:
        return float(min(_BOTTOM, max(_TOP, _TOP + (self._top - value) * self._degree)))

    def band(self, track: Track) -> tuple[float, float] | None:
        low, high = track.limits.low, track.limits.high
        if low is None and high is None:
            return None
        return (_TOP if high is None else self.y(high)), (_BOTTOM if low is None else self.y(low))

    def ticks(self) -> tuple[tuple[float, str], ...]:
        """Round numbers of degrees up the side, by their places; what stands beside each is said by the view, in the reader's style."""
        span = (_BOTTOM - _TOP) / self._degree
        step = next(step for step in (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 90.0) if span / step <= 5)  # noqa: PLR2004 - marks that are read
        first = np.ceil((self._top - span) / step)
        marks = [float(step * number) for number in range(int(first), int(first) + 7) if step * number <= self._top]
        return tuple((self.y(mark), f"{mark:.6g}") for mark in marks)


def letters(happenings: Sequence[Happening]) -> list[tuple[str, Happening]]:
    """Each happening with its letter on the charts."""
    return [(_MARKS[one.kind], one) for one in happenings]
