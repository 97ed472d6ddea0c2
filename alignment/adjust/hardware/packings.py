"""Spring packings: ride height in steps, with limits above and below the spring."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from alignment.adjust.hardware.base import HardwareError


class Packed(NamedTuple):
    """How many packings lie above and below a spring."""

    above: int
    below: int

    @property
    def total(self) -> int:
        return self.above + self.below


@dataclass(frozen=True)
class SpringPackings:
    """Packings of ``thickness_mm`` on one spring: at most ``most``, of them so many above and so many below it.

    ``above`` and ``below`` lie there now; ``low_mm`` and ``high_mm`` are the maker's ride height, None where nobody gave it;
    ``axle`` where it is. Either place lifts the body; ``ratio`` is how far the body is lifted at the wheel for each mm (1 where the spring stands on
    the axle at the wheel).
    """

    thickness_mm: float
    most_above: int = 2
    most_below: int = 3
    most: int = 5
    ratio: float = 1.0
    above: int = 0
    below: int = 0
    low_mm: float | None = None
    high_mm: float | None = None
    axle: int = 0

    @property
    def packed(self) -> Packed:
        """What lies there now."""
        return Packed(self.above, self.below)

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> SpringPackings:
        """The packings of a layout. **Raises** HardwareError."""
        try:
            made = cls(**data)
        except TypeError as error:
            raise HardwareError(f"packings: {str(error).replace('__init__() ', '')}") from None
        if not (made.thickness_mm > 0 and made.ratio > 0):
            raise HardwareError(
                f"packings: expected thickness_mm and ratio above 0, got {made.thickness_mm}, {made.ratio}"
            )
        if made.low_mm is not None and made.high_mm is not None and made.low_mm > made.high_mm:
            raise HardwareError(
                f"packings: expected a least height of at most {made.high_mm:g} mm, got {made.low_mm:g}"
            )
        made.check(made.packed)
        return made

    def check(self, packed: Packed) -> None:
        """**Raises** HardwareError for more packings than a place or the spring takes."""
        for place, count, most in (("above", packed.above, self.most_above), ("below", packed.below, self.most_below)):
            if not 0 <= count <= most:
                raise HardwareError(f"expected at most {most} packings {place} the spring, got {count}")
        if packed.total > self.most:
            raise HardwareError(f"expected at most {self.most} packings on a spring, got {packed.total}")

    def lift_mm(self, packings: int) -> float:
        """How far the body is lifted at the wheel by that many packings."""
        return packings * self.thickness_mm * self.ratio

    def for_height(self, packed: Packed, height_mm: float, low_mm: float, high_mm: float) -> Packed:
        """Where packings should lie so that a height comes within its limits, nearest to their middle; as few as do.

        Places below are filled first. **Raises** HardwareError where ``packed`` is itself not allowed.
        """
        self.check(packed)
        middle = (low_mm + high_mm) / 2
        most = min(self.most, self.most_above + self.most_below)

        def off(count: int) -> tuple[float, float, int]:
            height = height_mm + self.lift_mm(count - packed.total)
            return max(low_mm - height, height - high_mm, 0.0), round(abs(height - middle), 9), count

        wanted = min(range(most + 1), key=off)
        return self._placed(packed, wanted)

    def _placed(self, packed: Packed, wanted: int) -> Packed:
        """That many packings, with as few of those that lie there moved as can be."""
        if wanted >= packed.total:
            below = min(self.most_below, packed.below + wanted - packed.total)
            return Packed(wanted - below, below)
        above = max(0, packed.above - (packed.total - wanted))
        return Packed(above, wanted - above)

    def advise(self, height_mm: float) -> str:
        """What to do for a measured height, as a sentence; what stays out of reach is said. Empty without limits."""
        if self.low_mm is None or self.high_mm is None:
            return ""
        wanted = self.for_height(self.packed, height_mm, self.low_mm, self.high_mm)
        reached = height_mm + self.lift_mm(wanted.total - self.packed.total)
        said = self.say(self.packed, wanted)
        if self.low_mm <= reached <= self.high_mm:
            return said
        return f"{said} Even so it stands at {reached:.0f} mm, wanted {self.low_mm:g} to {self.high_mm:g}: look at the spring."

    def say(self, packed: Packed, wanted: Packed) -> str:
        """The change as a sentence."""
        more = wanted.total - packed.total
        if not more:
            return "Leave the packings as they are."
        way = "more" if more > 0 else "fewer"
        lift = abs(self.lift_mm(more))
        return (
            f"{abs(more)} packing{'' if abs(more) == 1 else 's'} {way}, {wanted.above} above and {wanted.below} below the "
            f"spring: {lift:.1f} mm {'higher' if more > 0 else 'lower'}."
        )
