"""A tread and pressure probe, or a resetter: what goes with any kit."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from pathlib import Path

from alignment.live.measures import Measure, Measured
from alignment.procedure.checklist import TREADS
from standins.yard import Yard

_U = {"tread": 0.1, "pressure": 0.03}


class Probe:
    """A hand-held thing that measures the tyre it is held on, and nothing else. ``tyres`` are by wheel: pressure, bar, and the depths
    of tread outside, in the middle and inside, mm.
    """

    def __init__(self, tyres: dict[str, dict[str, object]], seed: int = 0) -> None:
        self.kit_code = "any"
        self._tyres = tyres
        self._chance = random.Random(seed)  # noqa: S311 - made-up data
        self._held: Measure | None = None

    @classmethod
    def load(cls, path: Path) -> Probe:
        """From the file of a vehicle that has ``tyres``."""
        data = json.loads(path.read_text())
        return cls(data["tyres"], int(data.get("seed", 0)))

    @property
    def wheels(self) -> list[tuple[int, str]]:
        """The wheels that it knows of."""
        return sorted((int(axle), side) for axle, side in (name.split("/") for name in self._tyres))

    def hold(self, what: str, axle: int, side: str, place: str) -> None:
        """Hold it on a tyre; on nothing that is there: take it away."""
        there = f"{axle}/{side}" in self._tyres and what in _U and (what == "pressure" or place in TREADS)
        self._held = Measure(what, axle, side, "", place if what == "tread" else "") if there else None

    def measured(self) -> Iterator[Measured]:
        """What it is held on."""
        if self._held is None:
            return
        of, tyre = self._held, self._tyres[f"{self._held.axle}/{self._held.side}"]
        depths = tyre["tread"]
        truth = tyre["pressure"] if of.what == "pressure" else depths[TREADS.index(of.place)]  # type: ignore[index]
        u = _U[of.what]
        yield Measured(of, float(truth) + self._chance.gauss(0.0, 0.3 * u), u)  # type: ignore[arg-type]


Hung = Yard | Probe
"""What a device measures: a vehicle that it hangs on, or what it is held on."""
