"""Targets on the wheels that the file names: left of right, and axle 1 ahead of axle 2."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from alignment.camera.model import Rigid
from alignment.camera.setups import Setup
from alignment.camera.start import spin
from alignment.model.formula import Array
from alignment.model.vehicle import SIDES

_LEAST_TURN = np.radians(3.0)
"""A plate that turned by less says little of where the vehicle's left is."""


def misplaced(setup: Setup, plates: Mapping[int, Mapping[int, Rigid]]) -> dict[int, tuple[int, str]]:
    """Targets that hang on another wheel than the file says, each with the wheel (axle, side) on which it hangs.

    ``plates`` are where they stood, by target and shot. Which way is left the spin axes tell, or the rig's own frame where
    nothing rolled.
    """
    rolls = set(setup.taken("roll"))
    first = {target: shots[min(shots)][1] for target, shots in plates.items()}
    if len(first) < 2:  # noqa: PLR2004 - one target alone is nowhere wrong
        return {}
    left = _left(rolls, plates)
    ahead = np.cross(left, [0.0, 0.0, 1.0])
    across = {target: float(place @ left) for target, place in first.items()}
    along = {target: float(place @ ahead) for target, place in first.items()}
    middle = (max(across.values()) + min(across.values())) / 2
    if not _both_sides(setup, first):
        middle = min(across.values()) - 1.0 if _sides(setup, first) == {"left"} else max(across.values()) + 1.0
    found: dict[int, tuple[int, str]] = {}
    wanted = {target: (setup.targets[target].axle, setup.targets[target].side) for target in first}
    by_side: dict[str, list[int]] = {side: [] for side in SIDES}
    for target in first:
        by_side["left" if across[target] > middle else "right"].append(target)
    for side, here in by_side.items():
        axles = sorted(axle for axle, its in wanted.values() if its == side)
        if len(axles) != len(here):
            # Then no swap explains it: those whose side is another than they are named for are told all the same.
            found |= {target: (wanted[target][0], side) for target in here if wanted[target][1] != side}
            continue
        for target, axle in zip(sorted(here, key=lambda one: -along[one]), axles, strict=True):
            if wanted[target] != (axle, side):
                found[target] = axle, side
    return dict(sorted(found.items()))


def _sides(setup: Setup, first: Mapping[int, Array]) -> set[str]:
    return {setup.targets[target].side for target in first}


def _both_sides(setup: Setup, first: Mapping[int, Array]) -> bool:
    return len(_sides(setup, first)) == len(SIDES)


def _left(rolls: set[int], plates: Mapping[int, Mapping[int, Rigid]]) -> Array:
    """The vehicle's left (3,): the mean of the axes about which plates turned, in the level plane."""
    total = np.zeros(3)
    for shots in plates.values():
        seen = [shots[shot] for shot in sorted(shots) if shot in rolls]
        if len(seen) > 1:
            axis, angles = spin(seen, 1.0)
            if float(angles.max() - angles.min()) > _LEAST_TURN:
                total += axis
    total[2] = 0.0
    size = float(np.linalg.norm(total))
    return total / size if size > 0 else np.array([0.0, 1.0, 0.0])
