"""From numbers typed at stations to the readings that the adjustment takes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from alignment.adjust.see import depends_on
from alignment.judge.results import quantity_of
from alignment.judge.runout import ClampError, judge_clamp
from alignment.judge.verdict import Rule
from alignment.model.vehicle import Datum, Vehicle
from alignment.procedure.station import Station
from alignment.readings import KINDS, Reading

Values = Mapping[str, Mapping[str, float]]
"""Numbers read, by a station's slot and then by its field."""


def clamps(vehicle: Vehicle, stations: Iterable[Station], values: Values, limit_deg: float) -> dict[str, ClampError]:
    """The state of each clamp that has runout readings, by the station's slot."""
    found = {}
    for station in stations:
        if station.reading["kind"] != "runout":
            continue
        reading = station.with_values(values.get(station.slot, {}))
        if reading is not None:
            found[station.slot] = judge_clamp(vehicle, {**reading, "phase": "before"}, limit_deg)
    return found


def readings(
    stations: Sequence[Station],
    values: Values,
    phase: str,
    accepted: Iterable[str],
    looks: Mapping[str, int] | None = None,
) -> list[dict[str, Any]]:
    """The complete readings of one phase, as the job file gives them.

    ``looks`` says, by a station's slot, of how many looks its numbers are the mean; one where it says nothing.

    ``accepted`` are the slots of clamps that run true. Camber on a clamp whose runout was read but not accepted is
    given as ``raw``, so that the clamp's error is solved for instead of being taken for the wheel's.
    """
    found = []
    raw = {
        (s.reading["axle"], s.reading["side"])
        for s in stations
        if s.reading["kind"] == "runout" and values.get(s.slot) and s.slot not in set(accepted)
    }
    for station in stations:
        reading = station.with_values(values.get(station.slot, {}), (looks or {}).get(station.slot, 1))
        if reading is None:
            continue
        if reading["kind"] == "camber" and (reading["axle"], reading["side"]) in raw:
            reading["clamp"] = "raw"
        found.append({"phase": phase, **reading})
    return found


def still_valid(
    vehicle: Vehicle, datum: Datum, station: Station, values: Mapping[str, float], moved: Iterable[Mapping[str, float]]
) -> bool:
    """Whether a station's earlier numbers still hold after moves, each given by its effect by path."""
    reading = station.with_values(values)
    if reading is None:
        return False
    made: Reading = KINDS[reading["kind"]]({"phase": "before", **reading})
    return not any(depends_on(vehicle, datum, made, effect) for effect in moved)


_TOLD_BY_A_SWEEP = frozenset(("caster_deg", "sai_deg", "included_deg", "cross_caster_deg", "cross_sai_deg",
                              "toe_out_left_turn_deg", "toe_out_right_turn_deg"))  # fmt: skip


def sweep_wanted(rules: Iterable[Rule]) -> bool:
    """Whether the specification asks for an angle that only a sweep tells."""
    return any(rule.quantity in _TOLD_BY_A_SWEEP for rule in rules)


def sweep_reached(paths: Iterable[str]) -> bool:
    """Whether one of the results at ``paths`` is only told by a sweep."""
    return any(quantity_of(path) in _TOLD_BY_A_SWEEP for path in paths)
