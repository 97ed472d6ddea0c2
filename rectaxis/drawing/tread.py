"""A tyre's tread drawn in section from its three depths, outer shoulder to the left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

WIDTH, HEIGHT = 72, 34
_DEEPEST_MM = 16.0
_BASE = 30.0


@dataclass(frozen=True)
class Tread:
    """The outline of the rubber that is left, as a path; empty while a depth is missing. ``wear`` is what was seen."""

    path: str
    wear: str
    text: str
    width: int = WIDTH
    height: int = HEIGHT


def tread(depths: Sequence[float | None], wear: str, said_wear: str = "") -> Tread:
    """The section of a tyre from depths in mm at the outer, middle and inner part; its wear by code and in words."""
    seen = said_wear or wear or "wear not said"
    if any(depth is None for depth in depths):
        return Tread("", wear, f"tread not measured, {seen}")
    tops = [_BASE - 24 * min(depth or 0.0, _DEEPEST_MM) / _DEEPEST_MM - 2 for depth in depths]
    outer, middle, inner = tops
    path = f"M4 {_BASE}V{outer:.1f}L24 {outer:.1f}L28 {middle:.1f}H44L48 {inner:.1f}H68V{_BASE}Z"
    said = ", ".join(f"{depth:g}" for depth in depths)
    return Tread(path, wear, f"tread {said} mm from outer to inner, {seen}")
