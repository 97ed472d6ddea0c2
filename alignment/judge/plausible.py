"""Questions a person would ask of a number that was just read: a wrong unit, a sign turned round, sides swapped, a slip of
ten.

Two equal blunders hide from the adjustment, and few readings are read twice over. So each number is held against its like on
the other side, against the order of size of the figures, and against what was left at the last visit. A question never
blocks, and says what looks odd. What usually differs by how much is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple, Protocol

from alignment.judge.verdict import Rule
from alignment.quantities import say
from alignment.speech import MM_PER_INCH, side_name

USUALLY_APART = {
    "outboard_pair": 40.0, "mirror_pair": 40.0, "toe_scales": 6.0, "setback_scales": 25.0, "hub_square": 30.0,
    "frame_side": 30.0, "camber": 1.5, "rim_angle": 1.5, "caster": 2.0, "sai": 2.0, "toe": 1.0,
}  # fmt: skip
"""By how much like scales on the two sides of a vehicle usually differ at most, mm or degrees, by kind of reading."""
_DIRECT = {
    "camber": "camber_deg", "caster": "caster_deg", "sai": "sai_deg", "toe": "toe_deg", "drive_over": "total_toe_deg",
}  # fmt: skip
"""Kinds that read an angle which the figures judge, and its quantity."""
_FAR_DEG = 3.0
"""An angle beyond its limits by more than this is asked about."""
_CHANGED_DEG = 1.0
"""An angle that differs from what was left at the last visit by more than this is asked about."""
_NEAR = 0.06
"""How near a ratio must come to that of two units, as a share of it."""
_SAME_SIZE = 0.3
"""Two numbers of opposite sign count as one size where they differ by no more than this share."""
_UNITS = ((MM_PER_INCH, "inches"), (10.0, "centimetres"))


class Place(Protocol):
    """Where numbers are read, as a kit's stations are."""

    @property
    def slot(self) -> str:
        """Its name."""

    @property
    def reading(self) -> Mapping[str, Any]:
        """The reading that it takes."""

    def sides(self, path: str) -> tuple[str, str]:
        """What lies above and below zero; empty on a one-sided scale."""


class _Pair(NamedTuple):
    """The same scale on the left and on the right: the place and field of each, and what they read."""

    kind: str
    places: tuple[str, str]
    values: tuple[float, float]
    sides: tuple[str, str]


def questions(
    places: Sequence[Place],
    values: Mapping[str, Mapping[str, float]],
    rules: Iterable[Rule] = (),
    last: Mapping[str, float] | None = None,
) -> dict[str, str]:
    """What to ask, by place and field (``camber/1/left/deg``): at most one question of each number.

    ``values`` are by a place's slot and field, in mm and degrees; ``last`` are results of the last visit by path.
    """
    asked: dict[str, str] = {}
    for pair in _pairs(places, values):
        question = _of_pair(pair)
        if question:
            for at in pair.places:
                asked.setdefault(at, question)
    limits = {rule.path: rule for rule in rules}
    for place in places:
        value = values.get(place.slot, {}).get("deg")
        quantity = _DIRECT.get(place.reading["kind"])
        if value is None or quantity is None:
            continue
        side = place.reading.get("side")
        path = "/".join(str(part) for part in ("axles", place.reading["axle"], side, quantity) if part)
        question = _of_size(quantity, value, limits.get(path)) or _of_last(quantity, value, (last or {}).get(path))
        if question:
            asked.setdefault(f"{place.slot}/deg", question)
    return asked


def _pairs(places: Sequence[Place], values: Mapping[str, Mapping[str, float]]) -> Iterator[_Pair]:
    """Like scales that were read on both sides: two numbers of one reading, or one number of two."""
    by_slot = {place.slot: place for place in places}
    for place in places:
        kind, read = place.reading["kind"], values.get(place.slot, {})
        if "left_mm" in read and "right_mm" in read:
            ends = (f"{place.slot}/left_mm", f"{place.slot}/right_mm")
            yield _Pair(kind, ends, (read["left_mm"], read["right_mm"]), place.sides("left_mm"))
        other = place.slot.replace("/left", "/right")
        if place.reading.get("side") == "left" and other in by_slot:
            for field in read.keys() & values.get(other, {}).keys() & {"deg"}:
                ends = (f"{place.slot}/{field}", f"{other}/{field}")
                yield _Pair(kind, ends, (read[field], values[other][field]), place.sides(field))


def _of_pair(pair: _Pair) -> str:
    """A question about two like numbers; empty where nothing is odd."""
    usual, (left, right) = USUALLY_APART.get(pair.kind), pair.values
    if usual is None or abs(left - right) <= usual:
        return ""
    small, large = sorted((abs(left), abs(right)))
    unit = "°" if pair.places[0].endswith("deg") else " mm"
    stands = f"{side_name('left').capitalize()} reads {left:g}{unit}, {side_name('right')} {right:g}{unit}".replace(
        "-", "\u2212"
    )
    if small > 0:
        for factor, name in _UNITS:
            if abs(large / small / factor - 1) <= _NEAR:
                slip = "has one of them its point in another place" if factor == 10.0 else f"is one of them in {name}"  # noqa: PLR2004
                return f"{stands}: {slip}?"
    if left * right < 0 and large - small <= _SAME_SIZE * large:
        return f"{stands}: alike but for the sign. Is one of them turned round?"
    return f"{stands}: further apart than the two sides usually are. Is that what stands there?"


def _of_size(quantity: str, value: float, rule: Rule | None) -> str:
    """A question about an angle that lies far beyond its limits."""
    if rule is None:
        return ""
    low, high = rule.minimum, rule.maximum
    beyond = max(low - value if low is not None else 0.0, value - high if high is not None else 0.0)
    if beyond <= _FAR_DEG:
        return ""
    for other, words in ((value / 10, "is its point in the right place"), (-value, "is its sign turned round")):
        if (low is None or other >= low) and (high is None or other <= high):
            return f"{say(quantity, value)} is far from what the figures ask: {words}?"
    return f"{say(quantity, value)} is far from what the figures ask. Is that what stands there?"


def _of_last(quantity: str, value: float, last: float | None) -> str:
    """A question about an angle that is far from what was left at the last visit."""
    if last is None or abs(value - last) <= _CHANGED_DEG:
        return ""
    return f"It was left at {say(quantity, last)} at the last visit, and reads {say(quantity, value)} now. Is that so?"
