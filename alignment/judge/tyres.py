"""What pressures and treads of tyres say: whether an axle's pressures are equal, and how fast a tyre wears."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

EQUAL_BAR = 0.1
"""By so much pressures on an axle may differ and still count as equal; common practice, no source."""
FAR_ENOUGH_KM = 500.0
"""What wore over less says nothing of a rate: a depth is read to a few tenths of a millimetre; a choice."""


class Worn(NamedTuple):
    """How much tread went where it went most (the index of the place), mm, and mm in 1,000 km."""

    place: int
    gone_mm: float
    per_1000_km: float


def unequal(pressures_bar: Sequence[float]) -> bool:
    """Whether pressures of one axle differ by more than counts as equal."""
    return bool(pressures_bar) and max(pressures_bar) - min(pressures_bar) > EQUAL_BAR


def worn(was_mm: Sequence[float | None], now_mm: Sequence[float | None], run_km: float) -> Worn | None:
    """The wear of one tyre between two visits, from its depths across; None where it cannot be told, or there is none."""
    if run_km < FAR_ENOUGH_KM:
        return None
    pairs = enumerate(zip(was_mm, now_mm, strict=False))
    gone = [(was - now, place) for place, (was, now) in pairs if was is not None and now is not None]
    most, place = max(gone, default=(0.0, 0))
    return Worn(place, most, 1000 * most / run_km) if most > 0 else None
