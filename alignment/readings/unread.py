"""Rows that no tool reads: the tie between bearing and setback of a rigid axle, and what a gauge's zero is taken for."""

from __future__ import annotations

import math
from collections.abc import Sequence

from alignment.model.formula import Formula, Input, Term
from alignment.model.state import DEG, Ground, Layout
from alignment.readings.base import Assumed, Observed


class RigidTie:
    """``tan b = s / track`` on a rigid axle: one beam that does not steer, as a row in degrees."""

    U_DEG = 0.005
    """Standard uncertainty of the tie (the job file's contract)."""

    def __init__(self, axle: int) -> None:
        self.axle = axle

    def title(self) -> str:
        """What it is, within a sentence."""
        return f"beam of axle {self.axle}, square to its wheels"

    def determines(self, layout: Layout) -> frozenset[int] | None:  # noqa: ARG002 - it determines all
        return None

    def assumes(self, layout: Layout) -> tuple[Assumed, ...]:  # noqa: ARG002 - it assumes nothing
        return ()

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(0.0, self.U_DEG),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        at = layout.setback(self.axle)
        tie = Formula().linear(-DEG, layout.bearing(self.axle))
        track = layout.track(self.axle)
        return (tie.own(_square_of(track.known), Input(((1.0, at),)), Input(track.unknown)),)


class GaugeZero:
    """The zero of a gauge, 0 with its standard uncertainty: a row that adds as much to the rows as its unknown to the rank."""

    def __init__(self, gauge: str, u_deg: float) -> None:
        self.gauge = gauge
        self.u_deg = u_deg

    def title(self) -> str:
        """What it is, within a sentence."""
        return f"zero of the {self.gauge}"

    def determines(self, layout: Layout) -> frozenset[int] | None:  # noqa: ARG002 - it determines all
        return None

    def assumes(self, layout: Layout) -> tuple[Assumed, ...]:  # noqa: ARG002 - it assumes nothing
        return ()

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(0.0, self.u_deg),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return (Formula().linear(DEG, layout.zero(self.gauge)),)


def _square_of(known: float) -> Term:
    """The bearing in degrees of a beam whose ends stand a setback apart along the datum, and a track apart across it."""

    def term(x: tuple[float, ...]) -> tuple[float, Sequence[float]]:
        setback, track = x[0], known + x[1]
        # The slope of atan(s/w) against s is w/(w² + s²), written so that it cannot overflow; against w it is -s/(w² + s²).
        size = math.hypot(track, setback) or 1.0
        return DEG * math.atan2(setback, track), (DEG * (track / size) / size, -DEG * (setback / size) / size)

    return term
