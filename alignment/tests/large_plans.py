"""Plans too large to try every setting, made up: for the tests and for the benchmark."""

from random import Random

import numpy as np

from alignment.adjust.scoring import Options, Rows
from alignment.model.vehicle import SIDES


def big_truck(rng: Random) -> tuple[Rows, list[Options]]:
    """Rows and fourteen adjusters of a truck with two steer axles and two drive axles, in half widths.

    Rods and camber shims on both steer axles, a drag link between them, shims and torque rods on both drive axles.
    """
    names = ["T1", "T2", "ahead", "parallel", "thrust", "scrub", "c1l", "c1r", "c2l", "c2r"]
    at = {name: place for place, name in enumerate(names)}
    options = []

    def add(low, high, cost, **degrees):
        unit = np.zeros(len(names))
        for name, size in degrees.items():
            unit[at[name]] = size / 0.1 * rng.uniform(0.8, 1.25)
        steps = np.arange(low, high + 1)
        options.append(Options(steps[:, None] * unit, cost, np.abs(steps).astype(float), -low))

    for side, sign in (("l", 0.5), ("r", -0.5)):
        add(-24, 24, 1, T1=0.06, ahead=sign * 0.06, parallel=-sign * 0.06)
        add(-24, 24, 1, T2=0.06, parallel=sign * 0.06)
        add(-4, 4, 12, T1=-0.05, ahead=-sign * 0.05, parallel=sign * 0.05, **{f"c1{side}": 0.25})
        add(-4, 4, 12, T2=-0.05, parallel=-sign * 0.05, **{f"c2{side}": 0.25})
        add(0, 6, 8, thrust=sign * 0.06, ahead=-sign * 0.06, scrub=-sign * 0.06)
        add(0, 6, 8, scrub=sign * 0.06)
    add(-24, 24, 2, parallel=0.05)
    add(-12, 12, 3, scrub=0.04)
    ones = np.ones(len(names))
    return Rows(np.array([rng.gauss(0, 2.5) for _ in names]), -ones, ones, np.zeros(len(names))), options


def plates(rng: Random) -> tuple[Rows, list[Options]]:
    """Rows and eight mountings with nine plates each: two to a wheel, for camber, caster and toe together."""
    wheels = [(axle, side) for axle in (1, 2) for side in SIDES]
    names = ["T1", "T2", "ahead", "thrust", *(f"{q}{a}{s}" for q in ("camber", "caster") for a, s in wheels)]
    at = {name: place for place, name in enumerate(names)}
    options = []
    for axle, side in wheels:
        for fore in (1, -1):
            adds, installed, half = np.zeros((9, len(names))), rng.randrange(9), 0.5 if side == "left" else -0.5
            for plate in range(9):
                step = (plate - 4) / 4
                toe = fore * 0.15 * step + rng.gauss(0, 0.01)
                adds[plate, at[f"camber{axle}{side}"]] = 0.4 * step + rng.gauss(0, 0.02)
                adds[plate, at[f"caster{axle}{side}"]] = fore * 0.3 * step
                adds[plate, at[f"T{axle}"]] = toe
                adds[plate, at["ahead"]] = half * toe * (1 if axle == 1 else -1)
                adds[plate, at["thrust"]] = half * toe if axle == 2 else 0.0
            movement = (np.arange(9) != installed).astype(float)
            options.append(Options((adds - adds[installed]) / 0.1, 12, movement, installed))
    ones = np.ones(len(names))
    return Rows(np.array([rng.gauss(0, 3) for _ in names]), -ones, ones, np.zeros(len(names))), options
