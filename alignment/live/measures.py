"""What a device measures, and which of a job's numbers that is.

A device knows nothing of jobs, stations or clamps: it says that the left wheel of axle 1 has a camber. The same camber is the
number of a ``camber`` reading, of a position of a ``runout`` and of an end of a ``swing``, each at its time.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from alignment.model.vehicle import SIDES
from alignment.procedure.checklist import TREADS
from alignment.procedure.station import NEAR_FAR, Station

UNITS = {
    "camber": "deg", "pitch": "deg", "toe": "deg", "sight": "deg", "scale": "mm", "turned": "deg", "rolled": "deg",
    "tread": "mm", "pressure": "bar",
}  # fmt: skip
"""What may be measured of a wheel, with its unit. ``turned`` is by how much the wheel is steered from straight ahead,
toe-out positive; ``rolled`` how far it has rolled forward; ``sight`` an angle to another head, ``scale`` a number on a scale or
target.
"""
MOST_AXLES = 40
_LARGEST = {"deg": 360.0, "mm": 1e6, "bar": 50.0}


@dataclass(frozen=True)
class Measure:
    """One thing that is measured of one wheel. ``to`` is what is looked at, an axle's number or a carrier; ``place`` tells two
    like it apart (``near``, ``far``), or where across a tyre its tread is (``outer``, ``middle``, ``inner``).
    """

    what: str
    axle: int
    side: str
    to: str = ""
    place: str = ""

    @property
    def key(self) -> str:
        """Its name in a line: ``camber/1/left``, ``scale/2/right/frame/near``."""
        return "/".join(part for part in (self.what, str(self.axle), self.side, self.to, self.place) if part)

    @property
    def unit(self) -> str:
        return UNITS[self.what]


@dataclass(frozen=True)
class Measured:
    """A number that a device says: what it is of, its value, and its standard uncertainty by the device, both in its unit."""

    of: Measure
    value: float
    u: float

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Measured:
        """What an event says. **Raises** ValueError that names the key, what was expected and what came."""
        what, side = _word(data, "what", UNITS), _word(data, "side", SIDES)
        axle = data.get("axle")
        if not isinstance(axle, int) or isinstance(axle, bool) or not 1 <= axle <= MOST_AXLES:
            raise ValueError(f"axle: expected a number from 1 to {MOST_AXLES}, got {_shown(axle)}")
        place = _word(data, "place", ("", *NEAR_FAR, *TREADS)) if "place" in data else ""
        value, u = _number(data, "value"), _number(data, "u")
        most = _LARGEST[UNITS[what]]
        if abs(value) > most:
            raise ValueError(f"value: expected at most {most:g} {UNITS[what]}, got {value:g}")
        if not 0 < u <= most:
            raise ValueError(f"u: expected a standard uncertainty above 0 {UNITS[what]}, got {u:g}")
        to = data.get("to", "")
        if not isinstance(to, str | int) or isinstance(to, bool) or len(str(to)) > _LONGEST:
            raise ValueError(f"to: expected an axle's number, frame or kingpin, got {_shown(to)}")
        return cls(Measure(what, axle, side, str(to), place), value, u)


_LONGEST = 12


def _word(data: Mapping[str, Any], key: str, words: Any) -> str:
    value = data.get(key)
    if not isinstance(value, str) or value not in words:
        raise ValueError(f"{key}: expected one of {', '.join(filter(None, words))}, got {_shown(value)}")
    return value


def _number(data: Mapping[str, Any], key: str) -> float:
    value = data.get(key)
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError(f"{key}: expected a number, got {_shown(value)}")  # noqa: TRY004 - one error for all that is refused
    try:
        number = float(value)
    except OverflowError:
        number = math.inf
    if not math.isfinite(number):
        raise ValueError(f"{key}: expected a finite number, got {_shown(value)}")
    return number


def _shown(value: object) -> str:
    text = ascii(value) if not isinstance(value, int) or abs(value) < 1e12 else "a huge number"  # noqa: PLR2004 - to be read
    return text if len(text) <= _MOST_SHOWN else f"{text[:_MOST_SHOWN]}…"


_MOST_SHOWN = 40


def measure_of(station: Station, path: str) -> Measure | None:
    """What a device measures for the number at a path of a station; None where no device gives it."""
    reading, what = station.reading, station.kind.measures(path)
    if not what:
        return None
    side = reading.get("side") or next((side for side in SIDES if path.startswith(side)), "")
    to = str(reading.get("to_axle", reading.get("on", "")))
    return Measure(what, int(reading["axle"]), side, to, station.place)


def turned_at(station: Station, path: str) -> tuple[Measure, float] | None:
    """What says how far a wheel is steered at its stop, and the sign that makes it the number at a path of a station."""
    sign = station.kind.TURNED.get(path)
    if sign is None:
        return None
    return Measure("turned", int(station.reading["axle"]), str(station.reading["side"])), sign
