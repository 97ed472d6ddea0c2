"""The rulers: one for each number to read, with its ticks, its marker and the place of its field."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from alignment.procedure.station import Station
from alignment.procedure.walk import Stop, turned
from rectaxis.drawing.kinds import DRAWN, Drawn
from rectaxis.drawing.kinds.base import MIDDLE, RULER_FAR, RULER_NEAR, up

FIELD_NEAR = 191.0
FIELD_WIDE, FIELD_HIGH = 104.0, 48.0
_COARSE_SPAN = 20
_NEARLY = 1e-9
_NO_HINT = Drawn("Read the scale.")


@dataclass(frozen=True)
class Tick:
    y: float
    long: bool
    label: str = ""
    zero: bool = False


@dataclass(frozen=True)
class Ruler:
    """A scale to read. ``zero_y`` and ``per_unit`` place a number on the screen; ``marker_y`` is None while unread.

    On a tape the marker stands in the middle and the ticks move: ``shift`` is by how much.
    """

    slot: str
    looks: tuple[str, ...]
    station: str
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
    field_wide: float
    label_y: float
    step: float
    plus: str = ""
    minus: str = ""
    tape: bool = False
    shift: float = 0.0
    marker_y: float | None = None
    target_y: float | None = None
    target: str = ""
    target_text_y: float = 0.0
    beam_from: tuple[float, float] | None = None
    leader_to: tuple[float, float] | None = None
    suspect: bool = False
    share: str = ""
    not_asked: bool = False
    value: float | None = None
    typed: str = ""


@dataclass(frozen=True)
class Marks:
    """What is drawn on rulers besides what was typed: targets by slot, stations that are suspect, and by station the share
    (0 to 1) of the doubt of a result that is asked about, and the stations that need not be read.
    """

    targets: Mapping[str, float]
    suspects: frozenset[str] = frozenset()
    shares: Mapping[str, float] = field(default_factory=dict)
    not_asked: frozenset[str] = frozenset()


def drawn(stop: Stop) -> Drawn:
    """How the stop's kind is drawn."""
    return DRAWN.get(stop.station.reading["kind"], _NO_HINT)


def ruler(stop: Stop, label: str, slots: Sequence[str], x: float, wide: float) -> dict[str, object]:
    """A ruler at ``x`` as it hangs there before anything is read, as the fields of a Ruler.

    ``slots`` are those of the first look at it and of further ones.
    """
    sign, station, look = up(stop.side), stop.station, drawn(stop)
    near, far = MIDDLE + sign * RULER_NEAR, MIDDLE + sign * RULER_FAR
    least, most = (-look.tape / 2, look.tape / 2) if look.tape else (station.least, station.most)
    per_unit = (far - near) / (most - least)
    zero_y = near - per_unit * least
    field_y = MIDDLE + sign * FIELD_NEAR - (FIELD_HIGH if sign < 0 else 0)
    plus, minus = station.sides(stop.field)
    return {
        "slot": slots[0], "looks": tuple(slots[1:]), "station": station.slot, "label": label, "scale": _short_name(stop),
        "hint": look.hint, "unit": "mm" if station.unit == "mm" else "°", "x": x, "top": min(near, far),
        "bottom": max(near, far), "side": stop.side, "least": station.least, "most": station.most, "zero_y": zero_y,
        "per_unit": per_unit, "ticks": _ticks(least, most, zero_y, per_unit, labelled=not look.tape),
        "field_x": x - wide / 2, "field_y": field_y, "field_wide": wide,
        "label_y": field_y - 6 if sign < 0 else field_y + FIELD_HIGH + 12, "step": _drag_step(stop), "plus": plus,
        "minus": minus, "tape": bool(look.tape),
    }  # fmt: skip


def scale_name(station: Station) -> str:
    """A scale's name, told apart from another like it on the same axle."""
    return f"{station.scale}, {station.place}" if station.place else station.scale


def _short_name(stop: Stop) -> str:
    """The scale's name under its field, told apart from its neighbours."""
    sweep = turned(stop)
    if scale_name(stop.station) != stop.station.scale:
        return scale_name(stop.station)
    if sweep:
        return f"pitch, {sweep}" if stop.field.startswith("pitch") else f"turned {sweep}"
    field = stop.station.kind.field(stop.field)
    return field.short if field is not None and field.short else stop.station.scale


def _drag_step(stop: Stop) -> float:
    """What a drag rounds to: as finely as the scale can be read, where a pixel is not coarser."""
    station = stop.station
    usual = 0.5 if station.most - station.least > _COARSE_SPAN else 0.05
    return max(station.step, usual) if station.step else usual


def placed(bare: dict[str, object], marks: Marks, stop: Stop, text: str, value: float | None) -> Ruler:
    """The ruler with what was typed, what must be seen, and what is doubtful."""
    one = Ruler(**bare)  # type: ignore[arg-type]
    target = marks.targets.get(stop.slot)
    at = _on(one, target)
    shift = 0.0 if value is None or not one.tape else -(value % 10) * one.per_unit
    extra = {
        "marker_y": _on(one, value),
        "target_y": at,
        "target_text_y": (at or 0.0) + _BASELINE,
        "target": "" if target is None else short(target, coarse=one.most - one.least > _COARSE_SPAN),
        "suspect": stop.station.slot in marks.suspects,
        "share": f"{share:.0%}" if (share := marks.shares.get(stop.station.slot)) else "",
        "not_asked": value is None and stop.station.slot in marks.not_asked,
        "value": value,
        "typed": text,
        "shift": shift,
    }
    return Ruler(**{**bare, **extra})  # type: ignore[arg-type]


_TEXT_AT, _CLEAR, _BASELINE = 45.0, 14.0, 4.0
"""Where the middle of a target's number stands from its ruler; how far a line must stay from it; its baseline below its middle."""


def clear_of_beam(one: Ruler) -> Ruler:
    """The ruler with its target's number above or below the beam, where the beam would run through it."""
    if one.target_y is None or one.marker_y is None or one.beam_from is None or one.beam_from[0] <= one.x:
        return one
    rise = (one.beam_from[1] - one.marker_y) / (one.beam_from[0] - one.x)
    beam_y = one.marker_y + rise * _TEXT_AT
    if abs(one.target_y - beam_y) >= _CLEAR:
        return one
    away = beam_y + _CLEAR if one.target_y >= beam_y else beam_y - _CLEAR
    return replace(one, target_text_y=away + _BASELINE)


def short(value: float, *, coarse: bool) -> str:
    """A number as finely as its scale can be read."""
    return f"{value + 0.0:.1f}".replace("-", "\u2212") if coarse else f"{value + 0.0:.2f}".replace("-", "\u2212")


def _on(one: Ruler, value: float | None) -> float | None:
    if value is None:
        return None
    if one.tape:
        return (one.top + one.bottom) / 2
    return min(max(one.zero_y + one.per_unit * value, one.top), one.bottom)


_GAPS = 4


def _step(span: float) -> float:
    """Distance of labelled ticks: a round number that leaves room for at most five labels that can be read."""
    size = 10.0 ** math.floor(math.log10(span / _GAPS))
    return next(size * step for step in (1, 2, 5, 10) if span / (size * step) <= _GAPS)


def _ticks(least: float, most: float, zero_y: float, per_unit: float, *, labelled: bool) -> tuple[Tick, ...]:
    # A tape's ticks move by up to one long step either way, so there are more of them than the window shows.
    step, start, end = (_step(most - least), least, most) if labelled else (10.0, -20.0, 20.0)
    half = step / 2
    found = []
    for number in range(math.ceil(start / half - _NEARLY), math.floor(end / half + _NEARLY) + 1):
        value, whole = half * number, number % 2 == 0
        label = f"{value:g}".replace("-", "\u2212") if labelled and whole else ""
        found.append(Tick(zero_y + per_unit * value, long=whole, label=label, zero=labelled and number == 0))
    return tuple(found)
