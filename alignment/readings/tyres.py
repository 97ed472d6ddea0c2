"""Readings of the tyres with a tape: how far apart those of an axle run, and how much larger the right one is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from alignment.model.formula import Formula
from alignment.model.state import Ground, Layout
from alignment.readings.base import Field, Observed, Reading

_WIDE_MM = 205.0
"""A usual tyre's width."""


class Tread(Reading):
    """Tread width from two lengths across the axle: over the tyres' outer edges and between their inner edges.

    Their mean is the distance between the tyres' middles, whatever their widths. Taken at the same height at both wheels, so
    that a camber adds to both ends alike.
    """

    KIND = "tread"
    WALK = 200
    AT_REST = 1500.0
    TITLE = "tread width"
    UNIT = "mm"
    SHOWN = False
    FIELDS = (
        Field("outer_mm", "length", measured=True, part="over the outer edges", short="outer edges"),
        Field("inner_mm", "length", measured=True, part="between the inner edges", short="inner edges"),
    )

    @classmethod
    def at_rest(cls, name: str) -> float:
        return cls.AT_REST + (_WIDE_MM if name == "outer_mm" else -_WIDE_MM)

    def declare(self, layout: Layout) -> None:
        layout.tread(self.axle)

    def observed(self) -> tuple[Observed, ...]:
        return (Observed((self.number("outer_mm") + self.number("inner_mm")) / 2, self.u / 2**0.5),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return (Formula().linear(1.0, layout.tread(self.axle)),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        half = (self.number("outer_mm") - self.number("inner_mm")) / 2
        return {"outer_mm": predicted[0] + half, "inner_mm": predicted[0] - half}


class Stagger(Reading):
    """How much further it is round the right tyre than round the left one, from a tape laid round each."""

    KIND = "stagger"
    WALK = 210
    AT_REST = 1900.0
    TITLE = "lengths round the tyres"
    PLURAL = True
    UNIT = "mm"
    SHOWN = False
    FIELDS = (
        Field("left_mm", "length", measured=True, above_zero=True, part="left tyre", short="left tyre"),
        Field("right_mm", "length", measured=True, above_zero=True, part="right tyre", short="right tyre"),
    )

    def declare(self, layout: Layout) -> None:
        layout.stagger(self.axle)

    def observed(self) -> tuple[Observed, ...]:
        return (Observed(self.number("right_mm") - self.number("left_mm"), self.u * 2**0.5),)

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        return (Formula().linear(1.0, layout.stagger(self.axle)),)

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        middle = (self.number("right_mm") + self.number("left_mm")) / 2
        return {"left_mm": middle - predicted[0] / 2, "right_mm": middle + predicted[0] / 2}
