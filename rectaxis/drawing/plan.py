"""The plan drawing: a vehicle seen from above with the tools where they hang, as plain data for a template."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

from alignment.judge.derived import heading
from alignment.judge.results import PhaseResults
from alignment.model.vehicle import SIDES, Vehicle
from alignment.procedure.station import Setup, Station
from alignment.procedure.walk import Stop
from alignment.speech import side_name
from alignment.words.sayback import say_line
from rectaxis.drawing.columns import spread_out
from rectaxis.drawing.kinds import Shape
from rectaxis.drawing.kinds.base import HEAD_OUT, MIDDLE, WHEEL_OUT, At, up
from rectaxis.drawing.rulers import FIELD_WIDE, Marks, Ruler, clear_of_beam, drawn, placed, ruler

WIDTH, HEIGHT = 884, 512
_LONGEST_WHEEL = 88.0
_COLUMN, _COLUMN_GAP = FIELD_WIDE, 10.0
_NARROWEST = 24.0
"""So many readings of one file may stand at one axle that their fields overlap; they can still be walked through."""
_LOW, _HIGH = 60.0, WIDTH - 84.0  # what a scale should come to stands to the right of it
_FRONT, _REAR = 160.0, 700.0
_SHORTEST_MM = 2000.0
_LEADER_FROM = 24.0
"""A ruler further than this beside the place where it is read gets a line to that place."""


@dataclass(frozen=True)
class Wheel:
    """A wheel to draw; ``turn`` is its heading in degrees clockwise on the screen, None while unknown."""

    x: float
    y: float
    long: float
    wide: float
    side: str
    axle: int
    turn: float | None

    @property
    def left(self) -> float:
        return self.x - self.long / 2

    @property
    def top(self) -> float:
        return self.y - self.wide / 2

    @property
    def blocks(self) -> tuple[float, ...]:
        """Where the tread's grooves lie."""
        return tuple(self.x + self.long * share for share in (-0.3, -0.1, 0.1, 0.3))


@dataclass(frozen=True)
class AxleDrawn:
    x: float
    number: int
    wheels: tuple[Wheel, ...]
    track: tuple[float, float]


@dataclass(frozen=True)
class Line:
    """A named line through ``(x, MIDDLE)``, turned clockwise by ``turn`` degrees before exaggeration."""

    name: str
    kind: str
    x: float
    turn: float
    label: str
    label_y: float


@dataclass(frozen=True)
class Body:
    """The outline: its group, its two ends, where a cab ends, and where a trailer is coupled (None without)."""

    group: str
    nose: float
    tail: float
    cab: float
    pin: float | None = None

    @property
    def cab_path(self) -> str:
        """A cab seen from above, as an SVG path."""
        nose, behind = f"{self.nose:g}", f"{self.nose + 10:g}"
        return f"M{behind} 172H{self.cab:g}V340H{behind}Q{nose} 340 {nose} 326V186Q{nose} 172 {behind} 172Z"

    @property
    def shell_path(self) -> str:
        """A car, a van or a bus seen from above, as an SVG path."""
        nose, tail = f"{self.nose:g}", f"{self.tail:g}"
        brow, bonnet, rear = (f"{x:g}" for x in (self.nose + 14, self.nose + 62, self.tail - 16))
        upper = f"M{nose} 256C{nose} 196 {brow} 173 {bonnet} 169H{rear}Q{tail} 169 {tail} 187"
        return f"{upper}V325Q{tail} 343 {rear} 343H{bonnet}C{brow} 339 {nose} 316 {nose} 256Z"


_FROM_AN_AXLE, _FROM_A_PIN = 64.0, 20.0
"""How far behind an axle, or a king pin, a word begins that is to be clear of it."""


@dataclass(frozen=True)
class Plan:
    """Everything the template draws."""

    axles: tuple[AxleDrawn, ...]
    body: Body
    lines: tuple[Line, ...] = ()
    rulers: tuple[Ruler, ...] = ()
    pieces: tuple[tuple[float, float, str], ...] = ()
    shapes: tuple[Shape, ...] = ()
    tool_words: tuple[tuple[float, float, str], ...] = ()
    beams: tuple[tuple[float, float, float, float], ...] = ()
    open_x: float = 0.0
    width: int = WIDTH
    height: int = HEIGHT
    middle: float = MIDDLE
    sides: tuple[str, str] = SIDES
    names_x: float = 0.0

    @property
    def alone(self) -> Plan:
        """The vehicle and its lines, without scales and tools."""
        return replace(self, rulers=(), pieces=(), shapes=(), tool_words=(), beams=())


@dataclass(frozen=True)
class VehicleLook:
    """What the layout says of a vehicle's looks, besides its axles."""

    group: str = "van"
    duals: frozenset[int] = frozenset()


Values = Callable[[str], float | None]
"""A result by its path, in degrees or mm; None where there is none."""


def _nothing(_path: str) -> None:
    return None


def _heading(value: Values, axle: int, side: str) -> float | None:
    """A wheel's heading clockwise from above, degrees: left toe-in turns right, right toe-in turns left."""
    toe = value(f"axles/{axle}/{side}/toe_deg")
    if toe is not None:
        return toe if side == "left" else -toe
    return value(f"axles/{axle}/bearing_deg")


class _Sheet:
    """Millimetres behind axle 1 to pixels along the sheet."""

    def __init__(self, vehicle: Vehicle) -> None:
        first = vehicle.kingpin_mm if vehicle.kingpin_mm is not None else 0.0
        length = vehicle.axles[-1].position_mm - first
        self._first = first if length else first - _SHORTEST_MM / 2
        self._per_mm = (_REAR - _FRONT) / max(length, _SHORTEST_MM)

    def x(self, at_mm: float) -> float:
        return float(round(_FRONT + (at_mm - self._first) * self._per_mm))


def _own_slot(stop: Stop) -> Sequence[str]:
    return (stop.slot,)


@dataclass
class PlanMaker:
    """Builds plans of one vehicle with one set-up's rulers. ``stops`` are what is read there, each with its label.

    ``slots_of`` gives the slots of the looks at a scale, the first look's first. ``spread`` keeps rulers apart; without it each stands exactly where it is read, for a drawing without fields.
    """

    vehicle: Vehicle
    setup: Setup | None
    stops: Sequence[tuple[Stop, str]] = ()
    slots_of: Callable[[Stop], Sequence[str]] = _own_slot
    look: VehicleLook = field(default_factory=VehicleLook)
    spread: bool = True

    def __post_init__(self) -> None:
        self._sheet = _Sheet(self.vehicle)
        self._x = {axle.number: self._sheet.x(axle.position_mm) for axle in self.vehicle.axles}
        places = sorted(self._x.values())
        nearest = min((b - a for a, b in pairwise(places)), default=_LONGEST_WHEEL * 2)
        self._wheel = min(_LONGEST_WHEEL, 0.68 * nearest)
        self._columns = self._column_places()
        gaps = [b - a - _COLUMN_GAP for a, b in pairwise(sorted(self._columns.values()))]
        self._wide = max(_NARROWEST, min([_COLUMN, *gaps]))

    def draw(
        self,
        results: PhaseResults | None,
        typed: Mapping[str, tuple[str, float | None]],
        marks: Marks | None = None,
        style: str = "deg",
    ) -> Plan:
        """The plan. ``typed`` is text and number by slot."""
        given = marks or Marks({})
        rulers = [self._ruler(stop, label, typed, given) for stop, label in self.stops]
        shapes = tuple(dict.fromkeys(self._shapes()))
        return Plan(
            axles=self._axles(results.value if results is not None else _nothing),
            body=self._body(),
            lines=tuple(self._lines(results, style)),
            rulers=tuple(rulers),
            pieces=tuple(self._pieces()),
            shapes=shapes,
            tool_words=tuple(_apart(shapes)),
            beams=tuple(self._along()),
            open_x=self._open_x(),
            sides=(side_name("left"), side_name("right")),
            names_x=self._names_x(),
        )

    def turned(self, value: Values) -> Plan:
        """The vehicle alone, its wheels turned as sealed results say, with the line along which it pushes itself."""
        thrust = value("thrust_angle_deg")
        axles = self.vehicle.group or ((self.vehicle.thrust_axle,) if self.vehicle.thrust_axle is not None else ())
        lines = [Line("centre line", "centre", self._x[1], 0.0, "", 276)]
        if thrust is not None and axles:
            middle = sum(self._x[axle] for axle in axles) / len(axles)
            lines.append(Line("thrust line", "thrust", middle, thrust, "", 230))
        return Plan(axles=self._axles(value), body=self._body(), lines=tuple(lines), open_x=self._open_x())

    def _axles(self, value: Values) -> tuple[AxleDrawn, ...]:
        return tuple(self._axle(axle.number, value) for axle in self.vehicle.axles)

    def _axle(self, number: int, value: Values) -> AxleDrawn:
        x = self._x[number]
        twins = number in self.look.duals
        wheels = []
        for side in SIDES:
            turn, y = _heading(value, number, side), MIDDLE + up(side) * WHEEL_OUT
            # Twins stand side by side where one wheel stands elsewhere.
            offsets = ((6.0, 15.0), (-12.0, 15.0)) if twins else ((0.0, 28.0),)
            wheels += [Wheel(x, y + up(side) * out, self._wheel, wide, side, number, turn) for out, wide in offsets]
        return AxleDrawn(x, number, tuple(wheels), (MIDDLE - WHEEL_OUT, MIDDLE + WHEEL_OUT))

    def _body(self) -> Body:
        first, last = min(self._x.values()), max(self._x.values())
        pin = None if self.vehicle.kingpin_mm is None else self._sheet.x(self.vehicle.kingpin_mm)
        nose = max(16.0, first - self._wheel - 8) if pin is None else max(12.0, pin - 50)
        tail = min(WIDTH - 16.0, last + self._wheel + 4)
        steered = [self._x[axle.number] for axle in self.vehicle.axles if axle.role == "steer"]
        return Body(self.look.group, nose, tail, max(steered, default=first) + self._wheel / 2 + 26, pin)

    def _widest_room(self) -> tuple[float, float]:
        """Between axles, or between the king pin and the first."""
        across = sorted(self._x.values())
        if self.vehicle.kingpin_mm is not None:
            across = [self._sheet.x(self.vehicle.kingpin_mm), *across]
        return max(pairwise(across), key=lambda room: room[1] - room[0], default=(across[0], across[0]))

    def _open_x(self) -> float:
        """Where the sides are named: in the middle of the widest room, clear of wheels."""
        return sum(self._widest_room()) / 2

    def _names_x(self) -> float:
        """Where the names of lines begin: in the widest room, clear of what it begins with."""
        begins = self._widest_room()[0]
        return begins + (_FROM_AN_AXLE if begins in self._x.values() else _FROM_A_PIN)

    def _lines(self, results: PhaseResults | None, style: str) -> Iterator[Line]:
        yield Line("centre line", "centre", self._x[1], 0.0, "", 276)
        if results is None:
            return
        name = "frame/bearing_deg"
        frame = results.solution.unknown(name) if results.solution.layout.find(name) is not None else None
        if frame is not None and frame.u > 0:
            text = say_line("bearing_deg", frame, style)
            yield Line("frame", "frame", self._x[1], frame.value, f"frame, {text}", 214)
        axles = self.vehicle.group or ((self.vehicle.thrust_axle,) if self.vehicle.thrust_axle is not None else ())
        runs = heading(results) if axles else None
        if runs is not None:
            whose = f" of axles {', '.join(map(str, axles[:-1]))} and {axles[-1]}" if len(axles) > 1 else ""
            text = f"thrust line{whose}, {say_line('thrust_angle_deg', runs, style)}"
            middle = sum(self._x[axle] for axle in axles) / len(axles)
            yield Line("thrust line", "thrust", middle, runs.value, text, 230)

    def _pieces(self) -> Iterator[tuple[float, float, str]]:
        """What hangs on wheels: numbered where the sides must not be swapped."""
        if self.setup is None:
            return
        for number, side in enumerate(SIDES, start=1):
            y = MIDDLE + up(side) * HEAD_OUT
            if self.setup.piece:
                yield self._x[self.setup.heads], y, f"{self.setup.piece} {number}"
            if self.setup.flags is not None and self.setup.other and self.setup.flags != self.setup.heads:
                yield self._x[self.setup.flags], y, self.setup.other

    def _along(self) -> Iterator[tuple[float, float, float, float]]:
        """Beams between what hangs on two axles, for the drawing without rulers."""
        if self.setup is None or self.setup.flags in (None, self.setup.heads):
            return
        for side in SIDES:
            y = MIDDLE + up(side) * HEAD_OUT
            yield self._x[self.setup.heads], y, self._x[self.setup.flags or 1], y

    def _shapes(self) -> Iterator[Shape]:
        for stop, _ in self.stops:
            at = At(self._x[stop.station.reading["axle"]], self._columns[_column(stop)], stop.station.reading)
            yield from drawn(stop).tools(at)

    def _column_places(self) -> dict[str, float]:
        """Screen x of each column: the scales of one station on both sides stand in one."""
        wanted: dict[str, tuple[float, int]] = {}
        for rank, (stop, _) in enumerate(self.stops):
            # On the left the walk goes forward: what is read first at a place stands rearmost.
            wanted.setdefault(_column(stop), (self._sheet.x(stop.at_mm), -rank if stop.side == "left" else rank))
        order = sorted(wanted, key=lambda name: wanted[name])
        gap = _COLUMN + _COLUMN_GAP if self.spread else 0.0
        places = spread_out([wanted[name][0] for name in order], gap, _LOW, _HIGH)
        return dict(zip(order, (float(round(place)) for place in places), strict=True))

    def _ruler(self, stop: Stop, label: str, typed: Mapping[str, tuple[str, float | None]], marks: Marks) -> Ruler:
        x = self._columns[_column(stop)]
        bare = ruler(stop, label, self.slots_of(stop), x, self._wide)
        text, value = typed.get(str(bare["slot"]), ("", None))
        one = placed(bare, marks, stop, text, value)
        if drawn(stop).beam and self.setup is not None:
            head = self._x[stop.station.reading["axle"]]
            # From the edge of the head's name, which a beam through it would strike out.
            edge = head + math.copysign(_NAME_WIDE / 2, x - head)
            return clear_of_beam(replace(one, beam_from=(edge, MIDDLE + up(stop.side) * HEAD_OUT)))
        read_at = self._sheet.x(stop.at_mm)
        if abs(read_at - x) <= _LEADER_FROM:
            return one
        return replace(
            one, leader_to=(min(max(read_at, 12.0), WIDTH - 12.0), MIDDLE + up(stop.side) * (WHEEL_OUT + 16))
        )


_NAME_WIDE = 62
"""Of a head's name, as ``plan_rig.html`` draws it."""
_LETTER, _ROW = 7.2, 17.0
"""About how wide a letter of a tool's name is, and how far rows of names stand apart."""


def _apart(shapes: Sequence[Shape]) -> Iterator[tuple[float, float, str]]:
    """Names of tools with where each is written: under its tool, a row lower where another name stands there already."""
    written: list[tuple[float, float, float]] = []
    for shape in sorted((shape for shape in shapes if shape.name), key=lambda shape: shape.x1):
        y = shape.y1 if shape.what == "ring" else shape.y2 + 14
        half = _LETTER * len(shape.name) / 2
        while any(
            end > shape.x1 - half and begin < shape.x1 + half and abs(at - y) < _ROW for begin, end, at in written
        ):
            y += _ROW
        written.append((shape.x1 - half, shape.x1 + half, y))
        yield shape.x1, y, shape.name


def _column(stop: Stop) -> str:
    """The scales of left and right that belong together share a name."""
    station: Station = stop.station
    name = station.slot.replace("/left", "").replace("/right", "")
    return f"{name}/{stop.field.replace('left_mm', '').replace('right_mm', '')}"
