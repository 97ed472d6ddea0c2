"""Several kits on one vehicle: what a further one adds, and which wheels would carry two clamps."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import NamedTuple

from alignment.procedure.session import Wheel
from alignment.procedure.station import Setup, Station


class Hung(NamedTuple):
    """How a kit is hung on a vehicle, and where it is read."""

    setups: tuple[Setup, ...]
    stations: tuple[Station, ...]


def clamped(stations: Iterable[Station]) -> frozenset[Wheel]:
    """The wheels on which tools hang whose own error goes round with the wheel: by a clamp, or by magnets at its bolts."""
    blanks = (station.blank() for station in stations)
    return frozenset(wheel for one in blanks if one.raw or one.KIND == "runout" for wheel in one.clamps)


def beside(first: Hung, further: Hung) -> Hung:
    """What a further kit adds to the first, hung after it: what both read is read with the first. Nothing where it adds nothing.

    A wheel has one clamp in the model: kits of which both hang on a wheel (``clamped``) are not put beside each other.
    """
    taken, after = {station.slot for station in first.stations}, max(setup.number for setup in first.setups)
    # What is rolled belongs to no hanging: its set-up is 0.
    stations = tuple(
        replace(station, setup=station.setup and station.setup + after)
        for station in further.stations
        if station.slot not in taken
    )
    setups = (replace(setup, number=setup.number + after) for setup in further.setups)
    used = {station.setup for station in stations}
    return Hung(tuple(setup for setup in setups if setup.number in used), stations)
