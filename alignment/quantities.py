"""Every quantity's name, unit, sign and words; reading and writing of typed values.

A sign is written as a word wherever a person could be wrong: "0.12° right", "1.4 mm toe-in".
"""

from __future__ import annotations

import math
import re
import unicodedata
from typing import NamedTuple

from alignment.errors import TypedValueError
from alignment.speech import MM_PER_INCH, of_sides, say_length

BAR_PER_PSI = 0.0689475729
"""From the pound-force (0.45359237 kg at 9.80665 m/s²) and the inch, both exact by definition."""


class Quantity(NamedTuple):
    """A judged quantity. ``positive`` and ``negative`` are the words that stand for its sign, with ``{left}`` and ``{right}``
    where they name a side of the vehicle and not a direction.
    """

    name: str
    label: str
    unit: str
    positive: str
    negative: str
    scope: str

    @property
    def decimals(self) -> int:
        """How many decimals are worth showing, in the quantity's own unit."""
        return 2 if self.unit == "deg" else 1

    def way(self, value: float) -> str:
        """The words that stand for the sign of a value."""
        return of_sides(self.positive if value > 0 else self.negative)


def _table(*rows: tuple[str, str, str, str, str, str]) -> dict[str, Quantity]:
    return {row[0]: Quantity(*row) for row in rows}


QUANTITIES = _table(
    ("bearing_deg", "out of square", "deg", "to the right", "to the left", "axle"),
    ("total_toe_deg", "total toe", "deg", "toe-in", "toe-out", "axle"),
    ("offset_mm", "offset", "mm", "to the right", "to the left", "axle"),
    ("setback_mm", "setback", "mm", "{right} wheel back", "{left} wheel back", "axle"),
    ("toe_deg", "toe", "deg", "toe-in", "toe-out", "wheel"),
    ("toe_thrust_deg", "toe against the thrust line", "deg", "toe-in", "toe-out", "wheel"),
    ("camber_deg", "camber", "deg", "leaning out", "leaning in", "wheel"),
    ("caster_deg", "caster", "deg", "leaning back", "leaning forward", "wheel"),
    ("sai_deg", "steering axis inclination", "deg", "leaning in", "leaning out", "wheel"),
    ("included_deg", "included angle", "deg", "wide", "narrow", "wheel"),
    ("camber_gravity_deg", "camber against gravity", "deg", "leaning out", "leaning in", "wheel"),
    (
        "cross_camber_gravity_deg",
        "cross camber against gravity",
        "deg",
        "more on the {left}",
        "more on the {right}",
        "axle",
    ),
    ("cross_camber_deg", "cross camber", "deg", "more on the {left}", "more on the {right}", "axle"),
    ("cross_caster_deg", "cross caster", "deg", "more on the {left}", "more on the {right}", "axle"),
    ("cross_sai_deg", "cross inclination", "deg", "more on the {left}", "more on the {right}", "axle"),
    ("toe_out_left_turn_deg", "toe-out turning left", "deg", "toe-out", "toe-in", "axle"),
    ("toe_out_right_turn_deg", "toe-out turning right", "deg", "toe-out", "toe-in", "axle"),
    ("lock_out_deg", "full lock out", "deg", "turned out", "turned in", "wheel"),
    ("lock_in_deg", "full lock in", "deg", "turned in", "turned out", "wheel"),
    ("tread_mm", "tread width", "mm", "wide", "wide", "axle"),
    ("stagger_mm", "stagger", "mm", "larger on the {right}", "larger on the {left}", "axle"),
    ("track_mm", "track", "mm", "wide", "wide", "axle"),
    ("position_mm", "position", "mm", "behind axle 1", "ahead of axle 1", "axle"),
    ("thrust_angle_deg", "thrust angle", "deg", "right", "left", "vehicle"),
    ("group_thrust_deg", "thrust of the group", "deg", "right", "left", "vehicle"),
    ("steer_ahead_deg", "steer ahead", "deg", "right", "left", "vehicle"),
    ("scrub_deg", "scrub", "deg", "with the rear one to the right", "with the rear one to the left", "pair"),
    (
        "parallelism_deg",
        "parallelism",
        "deg",
        "with the rear one to the right",
        "with the rear one to the left",
        "pair",
    ),
)


WHEELS_OF_TOE = {"total_toe_deg": 2, "toe_deg": 1, "toe_thrust_deg": 1}
"""How many wheels a toe counts: a toe given as a length adds up over its wheels."""

DIRECTIONS = frozenset(
    ("bearing_deg", "thrust_angle_deg", "group_thrust_deg", "steer_ahead_deg", "scrub_deg", "parallelism_deg")
)
"""Angles between directions along the vehicle: given as a length, it is how far they part over a length along it."""


MM_PER_METRE = "mpm"
"""The style in which toe is said in mm per metre, and other angles in degrees."""


def say_angle(degrees: float, style: str = "deg") -> str:
    """An angle of at least 0 in words of the person's style: ``dms`` gives 0°07', any other 0.12°."""
    if style == "dms":
        minutes = round(degrees * 60)
        return f"{minutes // 60}°{minutes % 60:02d}'"
    return f"{degrees:.2f}°"


def say_size(quantity: str, size: float, style: str = "deg") -> str:
    """The size of a value without its sign, with its unit: "0.12°", "1.4 mm"; a toe in ``mpm`` style "2.1 mm/m".

    A toe ``T`` of ``n`` wheels together is ``n·1000·sin(T/n)`` mm over a metre, as makers' tables have it.
    """
    if style == MM_PER_METRE and quantity in WHEELS_OF_TOE:
        wheels = WHEELS_OF_TOE[quantity]
        return f"{wheels * 1000 * math.sin(math.radians(abs(size)) / wheels):.1f} mm/m"
    if QUANTITIES[quantity].unit == "deg":
        return say_angle(abs(size), style)
    return say_length(size)


def say(quantity: str, value: float, style: str = "deg") -> str:
    """A value with its unit and its sign as a word: "0.12° right".

    A value that rounds to nothing is said without a side, since it has none that could be told.
    """
    entry = QUANTITIES[quantity]
    size = say_size(quantity, value, style)
    if not re.search(r"[1-9]", size):
        return size
    return f"{size} {entry.way(value)}"


class Typed(NamedTuple):
    """A typed value as understood: ``value`` in millimetres or degrees, and the text to show beside the field."""

    value: float
    understood: str


_NUMBER = r"(?:\d+\.?\d*|\.\d+)"
_WITH_UNIT = re.compile(
    rf"(?P<sign>[+-]?)\s*(?:(?:(?P<whole>\d+)(?:\s*-\s*|\s+))?(?P<top>\d+)/(?P<bottom>\d+)|(?P<number>{_NUMBER}))"
    r"\s*(?P<unit>mm|cm|m|inches|inch|in|\"|''|deg|degrees|°|'|min|bar|psi|kpa)?",
    re.IGNORECASE,
)
_SEXAGESIMAL = re.compile(
    rf"(?P<sign>[+-]?)\s*(?P<deg>\d+)\s*(?:°|deg)\s*(?P<min>{_NUMBER})\s*(?:'|min)?(?:\s*(?P<sec>{_NUMBER})\s*(?:\"|''))?",
    re.IGNORECASE,
)
_FACTORS = {
    "length": {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": MM_PER_INCH, "inch": MM_PER_INCH,
               "inches": MM_PER_INCH, '"': MM_PER_INCH, "''": MM_PER_INCH},
    "angle": {"deg": 1.0, "degrees": 1.0, "°": 1.0, "'": 1 / 60, "min": 1 / 60},
    "pressure": {"bar": 1.0, "psi": BAR_PER_PSI, "kpa": 0.01},
    "plain": {},
}  # fmt: skip
_LONGEST = 40
_EXPECTED = {
    "length": "a length, such as 46, 4.6 cm, 5 7/8 in or -12.5",
    "angle": "an angle, such as 0.25, 0°12' or -15'",
    "pressure": "a pressure, such as 2.4, 35 psi or 240 kPa",
    "plain": "a number, such as 82410 or 2.4",
}
_ALIKE = str.maketrans({"−": "-", "–": "-", "’": "'", "′": "'", "”": '"', "″": '"', "º": "°", "⁄": "/", ",": "."})


def parse_typed(text: str, dimension: str, unit: str | None = None) -> Typed:
    """Read what a person typed.

    ``dimension`` is ``length`` (answer in mm), ``angle`` (degrees), ``pressure`` (bar) or ``plain``; ``unit`` is the
    field's own unit, for a number typed without one. Forgiving: ``5 7/8``, ``5-7/8"``, ``149,2``, ``0°12'``,
    ``12'`` and ``.5 in`` are all read. **Raises** TypedValueError, which says what would have been understood.
    """
    # Half a digit and a fraction sign become three characters; a whole number before it needs its gap back.
    spaced = re.sub(r"(\d)([¼-¾⅐-⅞])", r"\1 \2", text)
    cleaned = unicodedata.normalize("NFKC", spaced.replace("º", "°").replace("″", '"')).translate(_ALIKE).strip()
    value = _read(cleaned, dimension, unit)
    if value is None or not math.isfinite(value):
        raise TypedValueError(text, _EXPECTED[dimension])
    value += 0.0  # a typed -0 is 0
    return Typed(value, _understood(value, dimension))


_KM_PER_MILE = 1.609344
"""Exact by the definition of the international mile (1959)."""
_DISTANCE = re.compile(
    r"(?P<whole>\d{1,3}(?:(?P<gap>[ '.,\u2019\u202f])\d{3}(?:(?P=gap)\d{3})*)|\d+)(?:[.,](?P<part>\d{1,2}))?\s*(?P<unit>km|mi|miles?)?",
    re.IGNORECASE,
)


def parse_distance(text: str) -> float:
    """What an odometer shows, in km: with or without its thousands apart, in kilometres or, where it says so, in miles.

    ``82410``, ``82 410 km``, ``82,410``, ``51'200 mi``. **Raises** TypedValueError.
    """
    match = _DISTANCE.fullmatch(unicodedata.normalize("NFKC", text).strip())
    if match is None:
        raise TypedValueError(text, "a distance, such as 82410, 82 410 km or 51,200 miles")
    whole = re.sub(r"\D", "", match["whole"])
    size = float(f"{whole}.{match['part'] or 0}")
    return size * (_KM_PER_MILE if (match["unit"] or "km").lower().startswith("mi") else 1.0)


def _read(text: str, dimension: str, unit: str | None) -> float | None:
    if len(text) > _LONGEST:
        return None
    if dimension == "angle" and (match := _SEXAGESIMAL.fullmatch(text)):
        size = int(match["deg"]) + float(match["min"]) / 60 + float(match["sec"] or 0) / 3600
        return -size if match["sign"] == "-" else size
    match = _WITH_UNIT.fullmatch(text)
    if match is None or (match["bottom"] is not None and int(match["bottom"]) == 0):
        return None
    factors = _FACTORS[dimension]
    if match["unit"] and match["unit"].lower() not in factors:
        return None
    if match["number"] is not None:
        size = float(match["number"])
    else:
        size = int(match["whole"] or 0) + int(match["top"]) / int(match["bottom"])
    size *= factors.get((match["unit"] or unit or "").lower(), 1.0)
    return -size if match["sign"] == "-" else size


def _understood(value: float, dimension: str) -> str:
    if dimension == "length":
        return f"{value:.2f}".rstrip("0").rstrip(".") + " mm"
    if dimension == "pressure":
        return f"{value:.2f}".rstrip("0").rstrip(".") + " bar"
    if dimension == "angle":
        return f"{value:.3f}".rstrip("0").rstrip(".") + "°"
    return f"{value:.2f}".rstrip("0").rstrip(".")
