"""What misalignment costs in tyres and fuel: side slip by geometry, tread life and fuel by stated assumptions.

Side slip is exact geometry: a wheel that points ``t`` away from where it goes slips ``1000·tan t`` metres sideways in a
kilometre. What that costs is not geometry: roads, loads and tyres differ, and the factors in ``Assumptions`` are no
published figures but a start from memory of the trade, given as ranges, for a fleet to set from its own books.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass

from alignment.estimate.solve import Estimate
from alignment.judge.results import PhaseResults
from alignment.model.state import DEG
from alignment.model.vehicle import SIDES, Axle, Vehicle, side_sign

METRES_PER_KM = 1000.0


def side_slip(angle: Estimate) -> Estimate:
    """Side slip of a wheel in metres per kilometre, positive inwards, from its toe against where it goes (degrees)."""
    tangent = math.tan(angle.value / DEG)
    return Estimate(METRES_PER_KM * tangent, METRES_PER_KM * (1 + tangent * tangent) * angle.u / DEG)


@dataclass(frozen=True)
class AxleSlip:
    """Side slip on one axle, m/km; each None while it is not determined.

    ``wheels`` by side: of half the axle's total toe, since an axle left to itself shares its toe evenly. ``axle_slip``,
    positive to the right: of the axle's bearing against the mean of the axles that it must follow, None for one that
    follows none.
    """

    axle: int
    wheels: Mapping[str, Estimate | None]
    axle_slip: Estimate | None

    def worst(self) -> float | None:
        """The largest slip of any wheel of the axle in size, axle's own included; None while nothing is known."""
        own = self.axle_slip.value if self.axle_slip is not None else 0.0
        # An axle dragged to the right drags its left wheel inwards.
        known = [e.value + side_sign(side) * own for side, e in self.wheels.items() if e is not None]
        if known:
            return max(abs(value) for value in known)
        return None if self.axle_slip is None else abs(own)


def slips(results: PhaseResults) -> list[AxleSlip]:
    """Side slip of every axle of a phase.

    Axles that do not steer go where their mean points; neighbouring axles that steer together likewise.
    """
    solution, vehicle = results.solution, results.solution.layout.vehicle
    found = []
    for axle in vehicle.axles:
        total = results.estimates[f"axles/{axle.number}/total_toe_deg"]
        half = None if total is None else side_slip(Estimate(total.value / 2, total.u / 2))
        group = _goes_with(vehicle, axle)
        fight = None
        if len(group) > 1:
            combination = {solution.layout.bearing(other): -1.0 / len(group) for other in group}
            combination[solution.layout.bearing(axle.number)] += 1.0
            fight = solution.estimate(combination, length=False)
        found.append(AxleSlip(axle.number, dict.fromkeys(SIDES, half), None if fight is None else side_slip(fight)))
    return found


def _goes_with(vehicle: Vehicle, axle: Axle) -> list[int]:
    """Numbers of the axles whose mean heading the axle must follow, its own among them."""
    if not axle.steers:
        return [other.number for other in vehicle.axles if not other.steers]
    runs = itertools.groupby(vehicle.axles, key=lambda other: other.steers)
    numbers = [[other.number for other in run] for steers, run in runs if steers]
    return next(run for run in numbers if axle.number in run)


@dataclass(frozen=True)
class Range:
    """A figure known only between two ends."""

    low: float
    high: float

    def __post_init__(self) -> None:
        if not self.low <= self.high:
            raise ValueError(f"expected the low end to be at most the high end, got {self.low:g} and {self.high:g}")

    def times(self, factor: float) -> Range:
        """Both ends times a factor of at least 0."""
        return Range(self.low * factor, self.high * factor)


@dataclass(frozen=True)
class Assumptions:
    """What a fleet reckons with. From memory of the trade, no source: ranges to begin with, not figures to trust.

    ``life_lost`` is the share of a tyre's life lost for each m/km of side slip, ``free_slip`` the slip that costs nothing
    worth naming, ``fuel`` the share of fuel for each m/km averaged over all axles, ``life_km`` what a tyre lasts on a
    straight vehicle.
    """

    life_km: Range = Range(60_000, 120_000)
    free_slip: float = 1.0
    life_lost: Range = Range(0.02, 0.06)
    fuel: Range = Range(0.001, 0.004)
    fuel_l_per_100km: float = 30.0

    def say(self) -> list[str]:
        """The assumptions as sentences, to stand beside every figure that rests on them."""
        life, lost, fuel = self.life_km, self.life_lost, self.fuel
        shares = f"{lost.low:.0%} to {lost.high:.0%}"
        litres = f"{self.fuel_l_per_100km:g} l in 100 km"
        return [
            f"A tyre on a straight vehicle lasts {life.low:,.0f} to {life.high:,.0f} km.",
            f"Side slip up to {self.free_slip:g} m in a km costs nothing; each metre beyond takes {shares} of a tyre's life.",
            f"Each m/km, averaged over all axles, takes {fuel.low:.1%} to {fuel.high:.1%} more fuel, of {litres}.",
            "These are assumptions for this fleet to set from its own books, not measurements.",
        ]


@dataclass(frozen=True)
class Cost:
    """What leaving it costs: km of life lost on each tyre of an axle, and litres in 100 km for the vehicle, as ranges."""

    life_lost_km: Mapping[int, Range]
    fuel_l_per_100km: Range | None


@dataclass(frozen=True)
class Prices:
    """What a fleet pays: for a tyre and a litre of fuel, in its own money; and how many tyres each axle has. Its own figures, no source."""

    tyre: float
    fuel_l: float
    tyres_on: Mapping[int, int]


def cost_a_year(cost: Cost, assumptions: Assumptions, prices: Prices, km: float) -> Range:
    """What leaving it costs in a year of ``km``, as a range: tyres that are worn out sooner, and fuel where that is known.

    A tyre that lasts ``life`` km is bought ``km / life`` times a year; one that loses a share of that ``km / (life (1 - share))`` times. The
    least is that of a long life and a small share, the most that of a short life and a large one.
    """
    low = high = 0.0
    for axle, lost in cost.life_lost_km.items():
        tyres = prices.tyre * prices.tyres_on.get(axle, 2)
        low += tyres * _sooner(assumptions.life_km.high, lost.low / assumptions.life_km.low, km)
        high += tyres * _sooner(assumptions.life_km.low, lost.high / assumptions.life_km.high, km)
    if cost.fuel_l_per_100km is not None:
        fuel = cost.fuel_l_per_100km.times(prices.fuel_l * km / 100)
        low, high = low + fuel.low, high + fuel.high
    return Range(low, high)


def _sooner(life_km: float, share: float, km: float) -> float:
    """How many tyres more a year are bought where a share of a life is lost; a tyre lasts a twentieth of its life at the least."""
    return km / (life_km * max(1.0 - share, 0.05)) - km / life_km


def cost_of_leaving(found: list[AxleSlip], assumptions: Assumptions | None = None) -> Cost:
    """Ranges of what the slips cost. Axles whose slip is not known are left out; the fuel then is None."""
    given = assumptions or Assumptions()
    lost, worst = {}, []
    for slip in found:
        size = slip.worst()
        if size is None:
            continue
        worst.append(size)
        beyond = max(0.0, size - given.free_slip)
        share = Range(min(1.0, beyond * given.life_lost.low), min(1.0, beyond * given.life_lost.high))
        lost[slip.axle] = Range(given.life_km.low * share.low, given.life_km.high * share.high)
    if len(worst) < len(found) or not worst:
        return Cost(lost, None)
    return Cost(lost, given.fuel.times(given.fuel_l_per_100km * sum(worst) / len(worst)))


def saved(found: list[AxleSlip], left: list[AxleSlip], assumptions: Assumptions, prices: Prices, km: float) -> Range:
    """What it saved over ``km`` to leave an axle's slips as ``left`` and not as ``found``: what the one would have cost less what the other did.

    The same assumptions hold for both, so that least stands against least and most against most. Below nothing where it was left worse.
    """
    was, now = (cost_a_year(cost_of_leaving(slips, assumptions), assumptions, prices, km) for slips in (found, left))
    low, high = sorted((was.low - now.low, was.high - now.high))
    return Range(low, high)
