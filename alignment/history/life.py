"""One angle of one vehicle over its visits: plain data, and the equations between its readings and what is not known of it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.floating[Any]]

KM = 10_000.0
"""Drift is counted for each 10,000 km."""


_KNOWN_U = 0.5
"""What is less sure than this, in degrees, nobody read."""


@dataclass(frozen=True)
class Look:
    """One visit: the odometer in km, the angle as found and as left with their standard uncertainties (degrees), and the kit.

    ``left`` is None where nothing was done that moves the angle: it is then as found. ``struck`` says that something happened since
    the visit before that may have moved the angle at once, as a kerb strike or a repair; ``renewed`` that what wears was renewed then,
    so that its drift began anew.
    """

    km: float
    found: float
    u: float
    kit: str = ""
    left: float | None = None
    left_u: float = 0.0
    struck: bool = False
    renewed: bool = False

    @property
    def left_known(self) -> bool:
        """Whether it was read where it was left, and not only moved."""
        return self.left is not None and self.left_u < _KNOWN_U


@dataclass(frozen=True)
class Beliefs:
    """What is taken for granted of an angle before anything is read, in degrees. Common practice, no source: to begin with.

    ``drift`` is how far an angle of some vehicle drifts in 10,000 km, ``walks`` the sizes that its wandering about that drift may have
    over 10,000 km (it grows with the root of the distance), ``jump`` how far a strike or a repair moves it, ``kit`` how far
    kits read apart, all as standard deviations. ``struck`` is how often an interval between visits has a jump of which nobody knows.
    """

    drift: float = 0.06
    walks: tuple[float, ...] = (0.0, 0.01, 0.02, 0.035, 0.06)
    jump: float = 0.4
    kit: float = 0.02
    struck: float = 0.02
    anywhere: float = 5.0
    """Where an angle may stand at first, and where an adjustment may bring it."""


@dataclass(frozen=True)
class Life:
    """The visits of one angle in their order; each has driven no less than the one before. **Raises** ValueError."""

    looks: tuple[Look, ...]
    beliefs: Beliefs = field(default_factory=Beliefs)

    def __post_init__(self) -> None:
        if not self.looks:
            raise ValueError("expected at least one visit")
        backwards = [n for n in range(1, len(self.looks)) if self.looks[n].km < self.looks[n - 1].km]
        if backwards:
            before, after = self.looks[backwards[0] - 1].km, self.looks[backwards[0]].km
            raise ValueError(
                f"expected odometers that grow from visit to visit, got {before:g} km and then {after:g} km"
            )

    @property
    def driven(self) -> Array:
        """What was driven before each visit but the first, in 10,000 km."""
        return np.diff([look.km for look in self.looks]) / KM

    def known(self, jumps: Iterable[int]) -> Life:
        """The same life, with jumps in intervals of which nobody knew; interval ``n`` ends with visit ``n``, counted from 0."""
        at = set(jumps)
        return replace(
            self, looks=tuple(replace(look, struck=look.struck or n in at) for n, look in enumerate(self.looks))
        )


@dataclass(frozen=True)
class Equations:
    """``values = rows @ unknowns + noise``: the unknowns have the standard deviations ``spread`` and are around zero, the noise ``u``.

    ``now`` is the row that makes the angle as it stands after the last visit; ``drifts`` are the places of the drifts, the last one
    that of now, ``kits`` those of the kits by name, ``walks`` those of the wandering, for which ``spread`` holds a wandering of one.
    """

    values: Array
    rows: Array
    u: Array
    spread: Array
    now: Array
    drifts: tuple[int, ...]
    kits: dict[str, int]
    walks: tuple[int, ...]

    def covariance(self, walk: float, *, without: Sequence[int] = ()) -> Array:
        """Of the values, for a wandering of some size; ``without`` are unknowns that are left out."""
        spread = self.spread.copy()
        spread[list(self.walks)] *= walk
        spread[list(without)] = 0.0
        scaled = self.rows * spread
        found: Array = scaled @ scaled.T + np.diag(self.u**2)
        return found


def equations(life: Life) -> Equations:
    """The equations of a life: from visit to visit the angle drifts, wanders and, where something happened, jumps."""
    beliefs, looks = life.beliefs, life.looks
    spread: list[float] = []
    kits: dict[str, int] = {}

    def unknown(size: float) -> int:
        spread.append(size)
        return len(spread) - 1

    drifts, walks, rows, values, us = [unknown(beliefs.drift)], [], [], [], []
    state = {unknown(beliefs.anywhere): 1.0}
    for number, look in enumerate(looks):
        if number:
            driven = (look.km - looks[number - 1].km) / KM
            if look.renewed:
                drifts.append(unknown(beliefs.drift))
            state[drifts[-1]] = state.get(drifts[-1], 0.0) + driven
            walks.append(unknown(float(np.sqrt(driven))))
            state[walks[-1]] = 1.0
            if look.struck or look.renewed:
                state[unknown(beliefs.jump)] = 1.0
        if look.kit not in kits:
            kits[look.kit] = unknown(beliefs.kit)
        rows.append({**state, kits[look.kit]: 1.0})
        values.append(look.found)
        us.append(look.u)
        if look.left is not None:
            state[unknown(beliefs.anywhere)] = 1.0
            rows.append({**state, kits[look.kit]: 1.0})
            values.append(look.left)
            us.append(look.left_u)
    dense = np.zeros((len(rows), len(spread)))
    for number, row in enumerate(rows):
        dense[number, list(row)] = list(row.values())
    now = np.zeros(len(spread))
    now[list(state)] = list(state.values())
    return Equations(np.array(values), dense, np.array(us), np.array(spread), now, tuple(drifts), kits, tuple(walks))
