"""The strips: one number line for each judged angle, as plain data for a template."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from alignment.quantities import QUANTITIES, say, say_size
from alignment.vehicle import Vehicle, axle_title
from alignment.verdict import COVERAGE

WIDTH = 170
_PAD = 10
WORDS = {"inside": "inside", "undecided": "too close to say", "outside": "outside", "undetermined": "not measured"}


@dataclass(frozen=True)
class Strip:
    """One strip, in pixels of a drawing WIDTH wide. Positions that are None are not drawn."""

    label: str
    verdict: str
    word: str
    text: str
    doubt: str
    low: float | None
    high: float | None
    preferred: float | None
    dot: float | None
    whisker: tuple[float, float] | None
    earlier: float | None
    earlier_text: str
    width: int = WIDTH


@dataclass(frozen=True)
class StripGroup:
    name: str
    strips: tuple[Strip, ...]


def strip_groups(
    vehicle: Vehicle,
    verdicts: Sequence[Mapping[str, Any]],
    rows: Sequence[Mapping[str, Any]],
    earlier: Sequence[Mapping[str, Any]] = (),
    style: str = "deg",
) -> list[StripGroup]:
    """Strips grouped by axle, the vehicle's own with the thrust axle's. ``rows`` are the specification's."""
    groups: dict[int, list[Strip]] = {}
    for index, (verdict, row) in enumerate(zip(verdicts, rows, strict=True)):
        before = earlier[index] if index < len(earlier) else None
        axle = _belongs_to(vehicle, verdict)
        groups.setdefault(axle, []).append(_strip(verdict, row.get("preferred"), before, style))
    return [
        StripGroup(axle_title(vehicle, axle), tuple(strips)) for axle, strips in sorted(groups.items(), reverse=True)
    ]


def _belongs_to(vehicle: Vehicle, verdict: Mapping[str, Any]) -> int:
    """The axle whose group a verdict stands in: steering goes with the steered axle, thrust with the thrust axle."""
    if verdict["axle"]:
        return int(verdict["axle"])
    if verdict["quantity"] == "steer_ahead_deg" and vehicle.first_steered is not None:
        return vehicle.first_steered.number
    return int(verdict["axles"][1]) if "axles" in verdict else vehicle.thrust_axle or 1


def _strip(verdict: Mapping[str, Any], preferred: float | None, earlier: Mapping[str, Any] | None, style: str) -> Strip:
    quantity, value = verdict["quantity"], verdict["value"]
    scale = _Scale(verdict, preferred)
    label = QUANTITIES[quantity].label
    word = WORDS[verdict["verdict"]]
    before = earlier["value"] if earlier is not None else None
    doubt = "" if value is None else say_size(quantity, COVERAGE * verdict["u"], style)
    if verdict["verdict"] == "outside":
        word = f"outside by {say_size(quantity, scale.beyond(value), style)}"
    return Strip(
        label=f"{verdict['side']} {label}" if verdict["side"] else label,
        verdict=verdict["verdict"],
        word=word,
        text="" if value is None else say(quantity, value, style),
        doubt=doubt,
        low=scale.at(verdict["min"]),
        high=scale.at(verdict["max"]),
        preferred=scale.at(preferred),
        dot=scale.at(value),
        whisker=None if value is None else scale.whisker(value, COVERAGE * verdict["u"]),
        earlier=scale.at(before),
        earlier_text="" if before is None else say(quantity, before, style),
    )


class _Scale:
    """Places numbers on a strip: the tolerance takes the middle half, what lies far out is drawn at the end."""

    def __init__(self, verdict: Mapping[str, Any], preferred: float | None) -> None:
        self.low, self.high = verdict["min"], verdict["max"]
        known = [bound for bound in (self.low, self.high, preferred) if bound is not None]
        centre = (min(known) + max(known)) / 2 if known else 0.0
        half = (max(known) - min(known)) / 2 if known else 0.0
        self._start = centre - 2 * (half or 0.1)
        self._span = 4 * (half or 0.1)

    def at(self, value: float | None) -> float | None:
        if value is None:
            return None
        x = _PAD + (WIDTH - 2 * _PAD) * (value - self._start) / self._span
        return round(min(max(x, 5.0), WIDTH - 5.0), 1)

    def whisker(self, value: float, expanded: float) -> tuple[float, float]:
        low, high = self.at(value - expanded), self.at(value + expanded)
        return (low or 0.0, high or 0.0)

    def beyond(self, value: float) -> float:
        if self.low is not None and value < self.low:
            return float(self.low - value)
        return float(value - self.high)
