"""A maker's table becomes rules: angles in degrees, minutes, or as lengths in mm or inches at a diameter.

Makers give toe as the difference of two widths, in front and behind, at the rim or at a stated diameter ``D``; with both
wheels ``length = 2·D·sin(T/2)``, with one wheel ``length = D·sin t``. In mm per metre ``D`` is a metre. A direction (the
thrust of the rear) is given as ``length = L·tan a`` over a length ``L`` along the vehicle, such as the flags' spacing.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from alignment.errors import SpecificationError
from alignment.judge.verdict import Rule
from alignment.model.state import DEG
from alignment.model.vehicle import SIDES
from alignment.quantities import DIRECTIONS, QUANTITIES, WHEELS_OF_TOE, say_angle
from alignment.speech import MM_PER_INCH

UNITS = ("deg", "min", "mm", "in", "mm/m")
_METRE = 1000.0


def toe_from_length(length_mm: float, diameter_mm: float, wheels: float = 1.0) -> float:
    """The toe in degrees that shows as a length at a diameter; ``wheels`` is 2 for an axle's total.

    **Raises** ValueError where the diameter is not above 0, or the length is more than the wheels can show.
    """
    if not diameter_mm > 0:
        raise ValueError(f"expected a diameter above 0 mm, got {diameter_mm:g}")
    share = length_mm / (wheels * diameter_mm)
    if abs(share) > 1:
        raise ValueError(
            f"expected at most {wheels * diameter_mm:g} mm of toe at {diameter_mm:g} mm, got {length_mm:g}"
        )
    return wheels * DEG * math.asin(share)


def length_from_toe(toe_deg: float, diameter_mm: float, wheels: float = 1.0) -> float:
    """The length in mm that a toe shows at a diameter: the inverse of ``toe_from_length``."""
    return wheels * diameter_mm * math.sin(toe_deg / wheels / DEG)


def angle_from_length(length_mm: float, over_mm: float) -> float:
    """The angle in degrees between two directions that part by a length over a length along the first.

    **Raises** ValueError where ``over_mm`` is not above 0.
    """
    if not over_mm > 0:
        raise ValueError(f"expected a length above 0 mm, got {over_mm:g}")
    return DEG * math.atan(length_mm / over_mm)


def toe_in_all_units(toe_deg: float, diameter_mm: float, wheels: float = 1.0) -> dict[str, str]:
    """A toe as people of every school write it, with its sign as a word, by unit."""
    way = "" if toe_deg == 0 else " toe-in" if toe_deg > 0 else " toe-out"
    size = abs(toe_deg)
    length = length_from_toe(size, diameter_mm, wheels)
    return {
        "deg": f"{size:.2f}°{way}",
        "min": f"{say_angle(size, 'dms')}{way}",
        "mm": f"{length:.1f} mm{way}",
        "in": f"{length / MM_PER_INCH:.3f} in{way}",
        "mm/m": f"{length_from_toe(size, _METRE, wheels):.1f} mm/m{way}",
    }


@dataclass(frozen=True)
class TableRow:
    """One row of a maker's table, in the table's own unit.

    Either ``minimum`` and ``maximum`` (one of them may be absent), or ``preferred`` with a ``tolerance`` to both sides.
    ``diameter_mm`` is needed for ``mm`` and ``in`` where the quantity is an angle: the diameter at which a toe is given, the
    length along the vehicle over which a direction is.
    """

    quantity: str
    unit: str
    axle: int | None = None
    side: str | None = None
    axles: tuple[int, int] | None = None
    minimum: float | None = None
    maximum: float | None = None
    preferred: float | None = None
    tolerance: float | None = None
    diameter_mm: float | None = None

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> TableRow:
        """A row from plain data, as a library keeps it. **Raises** SpecificationError for a key or word that is not known."""
        try:
            row = cls(**{**data, "axles": tuple(data["axles"]) if data.get("axles") else None})
        except TypeError as error:
            raise SpecificationError("row", f"expected the keys of a table's row: {error}") from None
        if row.quantity not in QUANTITIES:
            raise SpecificationError("quantity", f"expected one of {', '.join(QUANTITIES)}, got {row.quantity}")
        if row.unit not in UNITS:
            raise SpecificationError("unit", f"expected one of {', '.join(UNITS)}, got {row.unit}")
        return row

    def as_rule(self) -> Rule:
        """The row in degrees or millimetres. **Raises** SpecificationError that names the field."""
        low, high = self.minimum, self.maximum
        if self.tolerance is not None:
            if self.preferred is None or low is not None or high is not None:
                raise SpecificationError("tolerance", "expected a preferred value and no minimum or maximum beside it")
            if not self.tolerance >= 0:
                raise SpecificationError("tolerance", f"expected at least 0, got {self.tolerance:g}")
            low, high = self.preferred - self.tolerance, self.preferred + self.tolerance
        if low is not None and high is not None and low > high:
            raise SpecificationError("minimum", f"expected at most the maximum {high:g}, got {low:g}")
        bounds = (None if bound is None else self._converted(bound) for bound in (low, high, self.preferred))
        return Rule(self.quantity, self.axle, self.side, self.axles, *bounds)

    def _converted(self, value: float) -> float:
        """A value of the table in the quantity's own unit."""
        if QUANTITIES[self.quantity].unit == "mm":
            if self.unit not in ("mm", "in"):
                raise SpecificationError("unit", f"expected mm or in for {self.quantity}, got {self.unit}")
            return value * (MM_PER_INCH if self.unit == "in" else 1.0)
        match self.unit:
            case "deg":
                return value
            case "min":
                return value / 60
        if self.quantity not in WHEELS_OF_TOE and self.quantity not in DIRECTIONS:
            raise SpecificationError("unit", f"expected deg or min for {self.quantity}, got {self.unit}")
        length = value * (MM_PER_INCH if self.unit == "in" else 1.0)
        over = _METRE if self.unit == "mm/m" else self.diameter_mm
        if over is None:
            raise SpecificationError(
                "diameter_mm", f"is missing: {self.unit} mean an angle only at a diameter or over a length"
            )
        try:
            if self.quantity in DIRECTIONS:
                return angle_from_length(length, over)
            return toe_from_length(length, over, WHEELS_OF_TOE[self.quantity])
        except ValueError as error:
            raise SpecificationError("diameter_mm", str(error)) from None


def rules_from(rows: Iterable[TableRow]) -> tuple[Rule, ...]:
    """The rows of a table as rules. **Raises** SpecificationError."""
    return tuple(row.as_rule() for row in rows)


def halved(rule: Rule, against: str = "toe_thrust_deg") -> tuple[Rule, Rule]:
    """A rule for total toe as rules for each wheel: half of each bound, against the thrust line or the datum (``toe_deg``).

    **Raises** ValueError for a rule of another quantity.
    """
    if rule.quantity != "total_toe_deg":
        raise ValueError(f"expected a rule for total_toe_deg, got {rule.quantity}")
    halves = [None if bound is None else bound / 2 for bound in (rule.minimum, rule.maximum, rule.preferred)]
    left, right = (
        replace(rule, quantity=against, side=side, minimum=halves[0], maximum=halves[1], preferred=halves[2])
        for side in SIDES
    )
    return left, right
