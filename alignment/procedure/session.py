"""From numbers typed at stations to the readings that the adjustment takes."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

from alignment.adjust.effects import disturbed, unknowns_moved
from alignment.adjust.see import unknowns_shown
from alignment.estimate.solve import Estimate
from alignment.judge.results import quantity_of
from alignment.judge.runout import ClampError, in_doubt, judge_clamp
from alignment.judge.verdict import Rule
from alignment.model.vehicle import Datum, Vehicle
from alignment.procedure.station import LookedAt, Station
from alignment.readings import KINDS

Values = Mapping[str, Mapping[str, float]]
"""Numbers read, by a station's slot and then by its field."""


CLAMP_AS_IT_COMES_DEG = 0.25
"""Standard uncertainty of each part of a clamp's error where nobody rolled the wheel and no kit says; common practice, no source."""
Wheel = tuple[int, str]
"""A wheel by axle and side."""


def clamps(vehicle: Vehicle, stations: Iterable[Station], values: Values, limit_deg: float) -> dict[str, ClampError]:
    """The state of each clamp that has runout readings, by the station's slot."""
    found = {}
    for station in stations:
        reading = station.with_values(values.get(station.slot, {})) if station.reading["kind"] == "runout" else None
        if reading is not None:
            found[station.slot] = _rolled(vehicle, station, {**reading, "phase": "before"}, limit_deg)[1]
    return found


def _rolled(
    vehicle: Vehicle, station: Station, reading: dict[str, Any], limit_deg: float = 0.0
) -> tuple[dict[str, Any], ClampError]:
    """A runout with the doubt of where the wheel stood, which that of a job file has already, and the clamp by it."""
    clamp = judge_clamp(vehicle, reading, limit_deg)
    if not station.spreads or clamp.size_deg is None:
        return reading, clamp
    doubtful = in_doubt(reading, clamp.size_deg)
    return doubtful, judge_clamp(vehicle, doubtful, limit_deg)


def readings(
    vehicle: Vehicle,
    stations: Sequence[Station],
    values: Values,
    phase: str,
    looks: Mapping[str, LookedAt] | None = None,
    *,
    earlier: Mapping[Wheel, ClampError] | None = None,
    unrolled_deg: float = 0.0,
) -> list[dict[str, Any]]:
    """The complete readings of one phase, as the job file gives them.

    ``looks`` says, by a station's slot, of how many looks its numbers are the mean; one where it says nothing.

    Tools that hang on clamps are read with the clamps' errors in the numbers. These come from the phase's own runout, or
    else from ``earlier`` ones by wheel; a wheel that was never rolled has 0 with ``unrolled_deg``.
    """
    found, rolled = [], set()
    for station in stations:
        reading = station.with_values(values.get(station.slot, {}), (looks or {}).get(station.slot, LookedAt()))
        if reading is None:
            continue
        made = {"phase": phase, **reading}
        if reading["kind"] == "runout":
            made, clamp = _rolled(vehicle, station, made)
            if whole(clamp):
                rolled.add((reading["axle"], reading["side"]))
        found.append(made)
    return found + carried_clamps(found, rolled, earlier or {}, unrolled_deg)


def whole(clamp: ClampError | None) -> bool:
    """Whether both parts of a clamp's error are known."""
    return clamp is not None and clamp.cosine is not None and clamp.sine is not None


def carried_clamps(
    found: Iterable[Mapping[str, Any]],
    rolled: Collection[Wheel],
    earlier: Mapping[Wheel, ClampError],
    unrolled_deg: float,
) -> list[dict[str, Any]]:
    """Readings of kind ``clamp`` for the wheels whose clamps enter readings ``found`` of one phase, but were not ``rolled``
    in it.
    """
    wheels: dict[Wheel, str] = {}
    for data in found:
        reading = KINDS[data["kind"]](data)
        if reading.raw:
            wheels |= dict.fromkeys(reading.clamps, reading.phase)
    made = []
    for (axle, side), phase in wheels.items():
        if (axle, side) in rolled:
            continue
        clamp = earlier.get((axle, side))
        parts = (clamp.cosine, clamp.sine) if clamp is not None else (None, None)
        cosine, sine = (Estimate(0.0, unrolled_deg) if part is None else part for part in parts)
        if cosine.u > 0 and sine.u > 0:
            made.append({"phase": phase, "kind": "clamp", "axle": axle, "side": side, "cosine_deg": cosine.value,
                         "sine_deg": sine.value, "u_deg": max(cosine.u, sine.u)})  # fmt: skip
    return made


def unknowns_told(
    vehicle: Vehicle, datum: Datum, station: Station, values: Mapping[str, float]
) -> frozenset[str] | None:
    """The names of the unknowns that a station's numbers tell; None while there are too few of them.

    The numbers hold as long as nothing moves one of these (``unknowns_changed``).
    """
    reading = station.with_values(values)
    return (
        None
        if reading is None
        else unknowns_shown(vehicle, datum, KINDS[reading["kind"]]({"phase": "before", **reading}))
    )


def unknowns_changed(vehicle: Vehicle, datum: Datum, effect: Mapping[str, float]) -> frozenset[str]:
    """The names of the unknowns that a move with an effect by path changes, or leaves uncertain: after a camber or a caster was moved, that
    wheel's toe and sweep are to be read again.
    """
    return unknowns_moved(vehicle, datum, disturbed(effect))


_TOLD_BY_A_SWEEP = frozenset(("caster_deg", "sai_deg", "included_deg", "cross_caster_deg", "cross_sai_deg",
                              "toe_out_left_turn_deg", "toe_out_right_turn_deg", "lock_out_deg", "lock_in_deg"))  # fmt: skip


def sweep_wanted(rules: Iterable[Rule]) -> bool:
    """Whether the specification asks for an angle that only a sweep tells."""
    return any(rule.quantity in _TOLD_BY_A_SWEEP for rule in rules)


def sweep_reached(paths: Iterable[str]) -> bool:
    """Whether one of the results at ``paths`` is only told by a sweep."""
    return any(quantity_of(path) in _TOLD_BY_A_SWEEP for path in paths)
