"""Every angle that a visit's phases determine, judged or not, in words: what an engineer reads of a report."""

from __future__ import annotations

from collections.abc import Iterable

from alignment.judge.results import PhaseResults, quantity_of
from alignment.judge.verdict import COVERAGE
from alignment.model.vehicle import axle_title
from alignment.quantities import QUANTITIES, say, say_size
from alignment.speech import side_name
from rectaxis.drawing.strips import Words
from rectaxis.record.seal import Measured
from rectaxis.record.slot import SEALED
from rectaxis.visit.visit import Visit

OF_VEHICLE = "The vehicle"


def every_angle(visit: Visit, styles: Iterable[str]) -> tuple[Measured, ...]:
    """What is determined in the before or the after, axle by axle; empty while neither is sealed."""
    before, after = (visit.results(phase) if phase in visit.journal.seals else None for phase in SEALED)
    newest = after or before
    if newest is None:
        return ()
    found = []
    for path in newest.estimates:
        values = [_said(results, path, tuple(styles)) for results in (before, after)]
        if any(values):
            title, label = _named(visit, path)
            found.append(Measured(title, label, quantity_of(path), *values))
    return tuple(found)


def _said(results: PhaseResults | None, path: str, styles: tuple[str, ...]) -> Words:
    """A value with its uncertainty, by style; empty where it is not determined, or given and not measured."""
    estimate = results.estimates.get(path) if results is not None else None
    if estimate is None or estimate.u == 0:
        return {}
    quantity = quantity_of(path)
    return {
        style: f"{say(quantity, estimate.value, style)} ± {say_size(quantity, COVERAGE * estimate.u, style)}"
        for style in styles
    }


def _named(visit: Visit, path: str) -> tuple[str, str]:
    """The axle's title and the angle's name: ("Front axle", "left camber")."""
    vehicle, quantity = visit.snapshot.vehicle, quantity_of(path)
    label = QUANTITIES[quantity].label
    match path.split("/"):
        case ["axles", number, _]:
            return axle_title(vehicle, int(number)), label
        case ["axles", number, side, _]:
            return axle_title(vehicle, int(number)), f"{side_name(side)} {label}"
        case [_, pair]:
            return OF_VEHICLE, f"{label} of axles {pair.replace('-', ' and ')}"
    return OF_VEHICLE, label
