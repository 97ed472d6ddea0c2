"""Why a number is what it is: which scales carry it, beside the drawing and on it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from alignment.judge.results import PhaseResults, quantity_of, say_path
from alignment.judge.verdict import COVERAGE
from alignment.judge.why import Why, why
from alignment.quantities import say, say_size
from alignment.words.explain import say_carrier
from rectaxis.record.snapshot import is_of
from rectaxis.stages.page import Page

_WORTH_SAYING = 0.005
"""Carriers of a smaller share of the doubt are left out."""


@dataclass(frozen=True)
class WhyShown:
    """What carries the result that a person asked about, in words; ``shares`` by the slots of the stations."""

    title: str
    lines: tuple[str, ...]
    shares: Mapping[str, float]


def why_shown(page: Page, results: PhaseResults) -> WhyShown | None:
    """What carries the result that is asked about; None where none is, or it is not determined."""
    if page.why not in results.estimates:
        return None
    found = why(results, page.why)
    if found is None:
        return None
    quantity = quantity_of(page.why)
    name = say_path(page.visit.snapshot.vehicle, page.why)
    value, margin = say(quantity, found.value, page.style), say_size(quantity, COVERAGE * found.u, page.style)
    carriers = [one for one in found.carriers if one.share >= _WORTH_SAYING]
    return WhyShown(
        f"{name[0].upper()}{name[1:]}: {value}, give or take {margin}",
        tuple(say_carrier(one, quantity) for one in carriers),
        _shares(page, results, found),
    )


def _shares(page: Page, results: PhaseResults, found: Why) -> dict[str, float]:
    """The share of each station's reading."""
    shares: dict[str, float] = {}
    for carrier in found.carriers:
        if carrier.reading is None or carrier.share < _WORTH_SAYING:
            continue
        data = results.solution.readings[carrier.reading].data
        station = next((s for s in page.visit.readings.stations if is_of(s, data)), None)
        if station is not None:
            shares[station.slot] = shares.get(station.slot, 0.0) + carrier.share
    return shares
