"""Camber against gravity, beside that against the ground on which the vehicle stands.

A specification names the one that it means. Both are told where a plumb line was read; else the one against gravity only where
the specification asks for it, since on level ground they are the same.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping

from alignment.estimate.solve import Estimate, Solution
from alignment.model import gravity
from alignment.model.formula import Prediction
from alignment.model.state import DEG
from alignment.model.vehicle import SIDES
from alignment.readings.plumb import Plumb

CAMBER_AGAINST_GRAVITY = "camber_gravity_deg"


def against_gravity(path: str) -> str:
    """The path of a camber against gravity, for that of a camber or a cross camber; else the same."""
    return path.removesuffix("camber_deg") + CAMBER_AGAINST_GRAVITY if path.endswith("camber_deg") else path


def with_those_asked_for(
    solution: Solution, estimates: Mapping[str, Estimate | None], asked: Collection[str]
) -> dict[str, Estimate | None]:
    """Estimates by path with cambers against gravity worked out exactly; without those that nobody asks for.

    ``asked`` are the paths that a specification names.
    """
    both = any(isinstance(reading, Plumb) for reading in solution.readings)
    found = {}
    for path, estimate in estimates.items():
        if not path.endswith(CAMBER_AGAINST_GRAVITY):
            found[path] = estimate
        elif both or path in asked:
            found[path] = None if estimate is None else _against_gravity(solution, path)
    return found


def _against_gravity(solution: Solution, path: str) -> Estimate | None:
    """A camber against gravity, degrees, or that of the left wheel less the right's where the path names no side."""
    parts = path.split("/")
    axle, sides = int(parts[1]), tuple(side for side in SIDES if side in parts) or SIDES
    signs = dict(zip(sides, (1.0, -1.0), strict=False))
    value, slopes = 0.0, dict[int, float]()
    for side, sign in signs.items():
        lean = _lean(solution, axle, side)
        value += sign * lean.value
        for index, slope in lean.slopes.items():
            slopes[index] = slopes.get(index, 0.0) + sign * slope / DEG
    doubt = solution.estimate(slopes, length=False)
    return None if doubt is None else Estimate(value, doubt.u)


def _lean(solution: Solution, axle: int, side: str) -> Prediction:
    """A wheel's camber against gravity. On pitched ground its toe enters, as 0 where it is not known."""
    layout = solution.layout
    formula = gravity.camber(layout, solution.ground, axle, side)
    toes = frozenset(
        toe for toe in formula.secondary() if solution.estimate({i: f for f, i in toe}, length=False) is None
    )
    return formula.without(toes).at(solution.x.tolist())
