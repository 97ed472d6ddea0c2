"""Readings of beams along the vehicle: pairs of like scales, returned beams, and scales that show setback."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from alignment.model.formula import Formula, Length
from alignment.model.state import Ground, Layout
from alignment.model.vehicle import SIDES
from alignment.readings.base import CLAMP, SQRT2, Field, Observed, PairReading


class OutboardPair(PairReading):
    """Beams from heads on this axle's wheels strike two like scales whose readings grow outboard.

    ``(right - left)/2 = (o - o_on) + ahead·tan b - e·tan b_on``, with ``e`` how far the scales stand ahead of the
    axle that carries them. On the frame or king pin ``o_on`` is where the frame line runs at the scales and
    there is no last term. With a ``mount`` the scales have one unknown length, so that also
    ``(left + right)/2 = base - ahead·tan(T/2) + e·tan(T_on/2)``.
    """

    KIND = "outboard_pair"
    MEASURES = {"left_mm": "scale", "right_mm": "scale"}
    WALK = 190
    AT_REST = 40.0
    TITLE = "flag scales read from the heads"
    FIELDS = (
        Field("ahead_mm", "length", asked="how far the scales stand from the axle"),
        Field("on", "carrier"),
        *PairReading.SCALES,
        Field("mount", "text", required=False),
        CLAMP,
    )

    def title(self) -> str:
        """The scales, told apart by where they stand where they do not hang on another axle."""
        carrier, ahead = self.data["on"], self.number("ahead_mm")
        if carrier == "kingpin":
            return f"scales about the king pin read from axle {self.axle}"
        if carrier == "frame":
            way = "ahead of" if ahead > 0 else "behind"
            return f"frame scales {abs(ahead) / 1000:.2g} m {way} axle {self.axle}"
        return super().title()

    @property
    def carrier(self) -> int | None:
        """Number of the axle that carries the scales; None for the frame or the king pin."""
        on = self.data["on"]
        return on if isinstance(on, int) else None

    def declare(self, layout: Layout) -> None:
        super().declare(layout)
        if self.carrier is None:
            layout.frame()
        if "mount" in self.data:
            layout.base(self.axle, self.data["mount"])

    def observed(self) -> tuple[Observed, ...]:
        difference = super().observed()
        if "mount" not in self.data:
            return difference
        return (*difference, Observed((self.left + self.right) / 2, self.u / SQRT2))

    def _beyond_carrier(self, layout: Layout, carrier: int) -> Length:
        """How far the scales stand ahead of the axle that carries them."""
        return self._ahead_of_first(layout).plus(layout.position(carrier))

    def _ahead_of_first(self, layout: Layout) -> Length:
        """How far the scales stand ahead of axle 1."""
        return Length(self.number("ahead_mm")).plus(layout.position(self.axle).times(-1))

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        ahead, carrier = self.number("ahead_mm"), self.carrier
        difference = Formula().linear(1, layout.offset(self.axle)).tan(ahead, *layout.heading(self.axle, raw=self.raw))
        if carrier is None:
            bearing, offset = layout.frame()
            difference.linear(-1, offset).tan(self._ahead_of_first(layout).times(-1), (1, bearing))
        else:
            beyond = self._beyond_carrier(layout, carrier)
            difference.linear(-1, layout.offset(carrier)).tan(beyond.times(-1), (1, layout.bearing(carrier)))
        if "mount" not in self.data:
            return (difference,)
        mean = Formula().linear(1, layout.base(self.axle, self.data["mount"]))
        mean.tan(-ahead, *layout.closing(self.axle, 0.5, raw=self.raw))
        if carrier is not None:
            mean.tan(self._beyond_carrier(layout, carrier), (0.5, layout.total_toe(carrier)))
        return difference, mean

    def showing(self, predicted: Sequence[float]) -> dict[str, Any]:
        difference = predicted[0]
        mean = predicted[1] if len(predicted) > 1 else (self.left + self.right) / 2
        return {"left_mm": mean - difference, "right_mm": mean + difference}


class MirrorPair(PairReading):
    """Beams from heads on ``from_axle`` come back from mirrors on this axle's wheels, so that angles count double.

    The scales stand on the heads and grow outboard; ``distance_mm`` is how far the mirrors stand behind the heads:
    ``(right - left)/2 = distance·tan(2·(b - b_from))``.
    """

    KIND = "mirror_pair"
    WALK = 180
    AT_REST = 60.0
    TITLE = "returned beams from the mirrors"
    FIELDS = (Field("from_axle", "axle"), Field("distance_mm", "length"), *PairReading.SCALES, CLAMP)

    @property
    def clamps(self) -> tuple[tuple[int, str], ...]:
        """Of the mirrors' wheels, and of the heads'."""
        return (*super().clamps, *((int(self.data["from_axle"]), side) for side in SIDES))

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        mirrors = layout.heading(self.axle, 2.0, raw=self.raw)
        heads = layout.heading(int(self.data["from_axle"]), -2.0, raw=self.raw)
        return (Formula().tan(self.number("distance_mm"), *mirrors, *heads),)


class SetbackScales(PairReading):
    """Two scales of which the lower belongs to the wheel that is set back.

    Square to the wheels: ``left - right = s - track·tan b``. Square to the datum: ``left - right = s``.
    """

    KIND = "setback_scales"
    WALK = 150
    AT_REST = 30.0
    TITLE = "setback scales"
    HALF = False
    RIGHT_FIRST = False
    FIELDS = (
        *PairReading.SCALES,
        Field("square_to", "word", required=False, words=("wheels", "datum")),
        CLAMP,
    )

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        difference = Formula().linear(1, layout.setback(self.axle))
        if self.data.get("square_to", "wheels") == "wheels":
            difference.tan(layout.track(self.axle).times(-1), *layout.heading(self.axle, raw=self.raw))
        return (difference,)


class HubSquare(PairReading):
    """Lengths from a straightedge square to the frame, ahead of the axle, back to points ``span_mm`` apart on the spindles.

    ``right - left = s + (span - track)·tan b`` against the frame; where the frame has a bearing ``B`` of its own,
    ``(s - track·tan B) + (span - track)·tan(b - B)``.
    """

    KIND = "hub_square"
    WALK = 160
    AT_REST = 600.0
    TITLE = "lengths from the straightedge"
    HALF = False
    FIELDS = (
        *PairReading.SCALES,
        Field("span_mm", "length", above_zero=True, asked="distance between the points taped to on the spindles"),
    )

    def declare(self, layout: Layout) -> None:
        layout.frame()

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        wider, (frame, _) = layout.track(self.axle).times(-1), layout.frame()
        difference = Formula().linear(1, layout.setback(self.axle)).tan(wider, (1, frame))
        across = Length(self.number("span_mm")).plus(wider)
        return (difference.tan(across, (1, layout.bearing(self.axle)), (-1, frame)),)


class FrameSide(PairReading):
    """Lengths from each side of the frame outward to the tyre: ``(right - left)/2 = o`` against the frame."""

    KIND = "frame_side"
    WALK = 170
    AT_REST = 400.0
    TITLE = "lengths from the frame to the tyres"
    FIELDS = PairReading.SCALES

    def declare(self, layout: Layout) -> None:
        layout.frame()

    def formulas(self, layout: Layout, ground: Ground) -> tuple[Formula, ...]:  # noqa: ARG002 - no gravity in it
        bearing, offset = layout.frame()
        difference = Formula().linear(1, layout.offset(self.axle)).linear(-1, offset)
        return (difference.tan(layout.position(self.axle), (1, bearing)),)
