"""The plan drawing: a vehicle seen from above with the tools where they hang, as plain data for a template."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from alignment.procedure.station import Setup
from alignment.procedure.walk import Stop
from alignment.quantities import say
from alignment.results import PhaseResults
from alignment.vehicle import SIDES, Vehicle

WIDTH, HEIGHT = 860, 512
MIDDLE = HEIGHT / 2
WHEEL_LONG, WHEEL_WIDE = 88, 28
_WHEEL_OUT = 68
_HEAD_OUT = 95
_RULER_NEAR, _RULER_FAR = 107, 183
_FIELD_NEAR = 191
_BLOCK_WIDE = 114
_FIELD_WIDE, _FIELD_HIGH = 104, 44
_NEARLY = 1e-9
_COARSE_SPAN = 20


def up(side: str) -> int:
    """-1 for the right side, which is drawn at the top, +1 for the left."""
    return -1 if side == "right" else 1


@dataclass(frozen=True)
class Wheel:
    """A wheel to draw; ``turn`` is its heading in degrees clockwise on the screen, None while unknown."""

    x: float
    y: float
    side: str
    axle: int
    turn: float | None
    text: str = ""


@dataclass(frozen=True)
class AxleDrawn:
    x: float
    number: int
    wheels: tuple[Wheel, ...]


@dataclass(frozen=True)
class Line:
    """A named line through ``(x, MIDDLE)``, turned clockwise by ``turn`` degrees before exaggeration."""

    name: str
    kind: str
    x: float
    turn: float
    label: str


@dataclass(frozen=True)
class Tick:
    y: float
    long: bool
    label: str = ""


@dataclass(frozen=True)
class Ruler:
    """A scale to read. ``zero_y`` and ``per_unit`` place a number on the screen; ``marker_y`` is None while unread."""

    slot: str
    label: str
    scale: str
    hint: str
    unit: str
    x: float
    top: float
    bottom: float
    side: str
    least: float
    most: float
    zero_y: float
    per_unit: float
    ticks: tuple[Tick, ...]
    field_x: float
    field_y: float
    label_y: float
    step: float
    marker_y: float | None = None
    target_y: float | None = None
    target: str = ""
    beam_from: tuple[float, float] | None = None
    suspect: bool = False
    value: float | None = None
    typed: str = ""


@dataclass(frozen=True)
class Plan:
    """Everything the template draws."""

    axles: tuple[AxleDrawn, ...]
    lines: tuple[Line, ...] = ()
    rulers: tuple[Ruler, ...] = ()
    heads: tuple[tuple[float, float, str], ...] = ()
    flags: tuple[tuple[float, float], ...] = ()
    nose: float = 0.0
    tail: float = 0.0
    open_x: float = 0.0
    width: int = WIDTH
    height: int = HEIGHT
    middle: float = MIDDLE


def _places(vehicle: Vehicle, left: float, right: float) -> dict[int, float]:
    """Screen x of each axle, between two bounds."""
    length = vehicle.axles[-1].position_mm or 1.0
    return {axle.number: left + (right - left) * axle.position_mm / length for axle in vehicle.axles}


def _rearward(vehicle: Vehicle, setup: Setup) -> bool:
    """Whether the heads' own rulers stand behind their axle, clear of the beams ahead of it."""
    return setup.heads > setup.flags or setup.heads == len(vehicle.axles)


def _axle_places(vehicle: Vehicle, setup: Setup | None, most_blocks: int) -> dict[int, float]:
    """Screen x of each axle, with room for the rulers beside the axle that carries the heads."""
    spread = max(0, most_blocks - 1) * _BLOCK_WIDE
    if setup is None or most_blocks == 0:
        return _places(vehicle, 235, 625)
    if _rearward(vehicle, setup):
        return _places(vehicle, 165, max(400, 770 - spread))
    return _places(vehicle, min(460, 80 + spread), 700)


def _heading(results: PhaseResults | None, axle: int, side: str) -> float | None:
    """A wheel's heading clockwise from above, degrees: left toe-in turns right, right toe-in turns left."""
    if results is None:
        return None
    toe = results.value(f"axles/{axle}/{side}/toe_deg")
    if toe is not None:
        return toe if side == "left" else -toe
    return results.value(f"axles/{axle}/bearing_deg")


def _lines(results: PhaseResults | None, vehicle: Vehicle, places: Mapping[int, float], style: str) -> Iterable[Line]:
    yield Line("centre line", "centre", places[1], 0.0, "")
    if results is None or vehicle.thrust_axle is None:
        return
    thrust = results.value("thrust_angle_deg")
    if thrust is not None:
        text = say("thrust_angle_deg", thrust, style)
        yield Line("thrust line", "thrust", places[vehicle.thrust_axle], thrust, f"thrust line, {text}")


def _step(span: float) -> float:
    """Distance of labelled ticks: a round number that leaves room for at most six labels."""
    size = 10.0 ** math.floor(math.log10(span / 6))
    return next(size * step for step in (1, 2, 5, 10) if span / (size * step) <= 6)  # noqa: PLR2004


def _ticks(least: float, most: float, zero_y: float, per_unit: float) -> tuple[Tick, ...]:
    step = _step(most - least)
    found, value = [], least
    while value <= most + _NEARLY:
        found.append(Tick(zero_y + per_unit * value, long=True, label=f"{value:g}".replace("-", "\u2212")))
        if value + step / 2 <= most:
            found.append(Tick(zero_y + per_unit * (value + step / 2), long=False))
        value += step
    return tuple(found)


def _ruler(stop: Stop, label: str, x: float, phase: str) -> Ruler:
    sign, station = up(stop.side), stop.station
    near, far = MIDDLE + sign * _RULER_NEAR, MIDDLE + sign * _RULER_FAR
    per_unit = (far - near) / (station.most - station.least)
    zero_y = near - per_unit * station.least
    field_y = MIDDLE + sign * _FIELD_NEAR - (_FIELD_HIGH if sign < 0 else 0)
    return Ruler(
        slot=f"{phase}/{stop.slot}", label=label, scale=station.scale, hint=_HINTS.get(station.reading["kind"], ""),
        unit="mm" if station.unit == "mm" else "°", x=x, top=min(near, far), bottom=max(near, far), side=stop.side,
        least=station.least, most=station.most, zero_y=zero_y, per_unit=per_unit,
        ticks=_ticks(station.least, station.most, zero_y, per_unit), field_x=x - _FIELD_WIDE / 2, field_y=field_y,
        label_y=field_y - 6 if sign < 0 else field_y + _FIELD_HIGH + 14, step=0.5 if station.most - station.least > _COARSE_SPAN else 0.05,
    )  # fmt: skip


_HINTS = {
    "outboard_pair": "Read where the beam crosses the flag. Larger is further out from the vehicle.",
    "toe_scales": "Read the printed toe scale under the cross beam. Type a minus where the print says toe-out.",
    "setback_scales": "Read the setback scale. The lower number belongs to the wheel that is set back.",
    "camber": "Read the gauge on the clamp. Plus when the top leans out, minus when it leans in.",
    "runout": "Read the gauge, roll the wheel forward as said, read again.",
}
DRAWN = frozenset(_HINTS)
"""Kinds of reading that the drawing has a place for."""


@dataclass
class PlanMaker:
    """Builds plans of one vehicle with one set-up's rulers."""

    vehicle: Vehicle
    setup: Setup | None
    stops: Sequence[tuple[Stop, str]] = ()
    phase: str = ""

    def __post_init__(self) -> None:
        self._near_heads = [s for s, _ in self.stops if self.setup is not None and s.axle == self.setup.heads]
        per_side = [sum(1 for s in self._near_heads if s.side == side) for side in SIDES]
        self._places = _axle_places(self.vehicle, self.setup, max(per_side, default=0))

    def draw(
        self,
        results: PhaseResults | None,
        typed: Mapping[str, tuple[str, float | None]],
        targets: Mapping[str, float] | None = None,
        suspects: Iterable[str] = (),
        style: str = "deg",
    ) -> Plan:
        """The plan. ``typed`` is text and number by slot, ``targets`` numbers by slot, ``suspects`` stations' slots."""
        places = self._places
        axles = tuple(
            AxleDrawn(places[a.number], a.number, self._wheels(a.number, results)) for a in self.vehicle.axles
        )
        doubtful = set(suspects)
        rulers = [self._ruler(stop, label, typed, targets or {}, doubtful) for stop, label in self.stops]
        return Plan(
            axles=axles,
            lines=tuple(_lines(results, self.vehicle, places, style)),
            rulers=tuple(rulers),
            heads=self._heads(),
            flags=self._flags(),
            nose=places[1] - 92,
            tail=places[len(self.vehicle.axles)] + 92,
            open_x=(places[1] + places[len(self.vehicle.axles)]) / 2,
        )

    def _wheels(self, axle: int, results: PhaseResults | None) -> tuple[Wheel, ...]:
        return tuple(
            Wheel(self._places[axle], MIDDLE + up(side) * _WHEEL_OUT, side, axle, _heading(results, axle, side))
            for side in SIDES
        )

    def _heads(self) -> tuple[tuple[float, float, str], ...]:
        if self.setup is None:
            return ()
        x = self._places[self.setup.heads]
        return tuple((x, MIDDLE + up(side) * _HEAD_OUT, str(n)) for n, side in enumerate(SIDES, start=1))

    def _flags(self) -> tuple[tuple[float, float], ...]:
        if self.setup is None or self.setup.flags == self.setup.heads:
            return ()
        return tuple((self._places[self.setup.flags], MIDDLE + up(side) * _HEAD_OUT) for side in SIDES)

    def _x_of(self, stop: Stop) -> float:
        if self.setup is None or stop.axle != self.setup.heads:
            return self._places[stop.axle]
        row = [s for s in self._near_heads if s.side == stop.side]
        away = 1 if _rearward(self.vehicle, self.setup) else -1
        return self._places[stop.axle] + away * row.index(stop) * _BLOCK_WIDE

    def _ruler(
        self,
        stop: Stop,
        label: str,
        typed: Mapping[str, tuple[str, float | None]],
        targets: Mapping[str, float],
        doubtful: set[str],
    ) -> Ruler:
        bare = _ruler(stop, label, self._x_of(stop), self.phase)
        text, value = typed.get(bare.slot, ("", None))
        target = targets.get(stop.slot)
        beam = None
        if stop.station.reading["kind"] == "outboard_pair" and self.setup is not None:
            beam = (self._places[self.setup.heads], MIDDLE + up(stop.side) * _HEAD_OUT)
        return Ruler(
            **{
                **vars(bare),
                "marker_y": _on(bare, value),
                "target_y": _on(bare, target),
                "target": "" if target is None else _short(target, bare),
                "beam_from": beam,
                "suspect": stop.station.slot in doubtful,
                "value": value,
                "typed": text,
            }
        )


def _short(value: float, ruler: Ruler) -> str:
    """A number as finely as its scale can be read."""
    coarse = ruler.most - ruler.least > _COARSE_SPAN
    return f"{value + 0.0:.1f}".replace("-", "\u2212") if coarse else f"{value + 0.0:.2f}".replace("-", "\u2212")


def _on(ruler: Ruler, value: float | None) -> float | None:
    if value is None:
        return None
    y = ruler.zero_y + ruler.per_unit * value
    return min(max(y, ruler.top), ruler.bottom)
