"""Arrive: why the vehicle came, and the damage that is already there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from alignment.speech import of_sides
from rectaxis.drawing.plan import WIDTH as PLAN_WIDTH
from rectaxis.drawing.plan import PlanMaker
from rectaxis.record.models import Mark, Photo
from rectaxis.record.slot import DAMAGE, ODOMETER, of_damage
from rectaxis.stages.page import Page, fields
from rectaxis.visit.carried import say_carried
from rectaxis.visit.visit import Visit

_PLACES = (
    ("front", 0.06, 0.5), ("front {left} corner", 0.12, 0.72), ("{left} side", 0.5, 0.8), ("rear {left} corner", 0.9, 0.72),
    ("rear", 0.95, 0.5), ("rear {right} corner", 0.9, 0.28), ("{right} side", 0.5, 0.2), ("front {right} corner", 0.12, 0.28),
)  # fmt: skip
"""Where damage can be marked without pointing: words, and shares of the drawing's width and height."""


def places() -> list[tuple[str, float, float]]:
    """The places, as the reader calls them."""
    return [(of_sides(words), across, down) for words, across, down in _PLACES]


@dataclass(frozen=True)
class MarkShown:
    """A mark of damage with its place on the outline, in pixels, and its photos."""

    mark: Mark
    px: float
    py: float
    slot: str
    photos: tuple[Photo, ...]


_OUTLINE_TOP, _OUTLINE_HIGH = 126.0, 260.0
"""The part of the drawing that the outline shows."""


def marks_of(visit: Visit) -> list[MarkShown]:
    """The marks as the outline shows them."""
    return [
        MarkShown(
            mark, round(mark.x * PLAN_WIDTH), round(_OUTLINE_TOP + mark.y * _OUTLINE_HIGH), slot,
            tuple(visit.journal.photos.get(slot, ())),
        )
        for mark in visit.journal.marks
        for slot in (str(of_damage(mark.pk)),)
    ]  # fmt: skip


def outline_of(visit: Visit) -> Any:
    """The vehicle's outline, to mark damage on."""
    return PlanMaker(visit.snapshot.vehicle, None, look=visit.snapshot.look).draw(None, {})


def _km_since(visit: Visit) -> float | None:
    """How far it has run since the odometer was written down last."""
    now, was = visit.journal.number(ODOMETER), visit.job.odometer_was
    return now - was if now is not None and was is not None and now >= was else None


def arrive_page(page: Page) -> dict[str, Any]:
    """What came in: the questions, and the outline with what is already damaged."""
    visit, last = page.visit, page.visit.last
    return {
        "plain": fields(page, [""]),
        "open_advice": fields(page, ["open-advice"]),
        "last": last.statement,
        "last_job": last.job,
        "km_since": _km_since(visit),
        "carried": say_carried(visit),
        "outline": outline_of(visit),
        "marks": marks_of(visit),
        "places": places(),
        "damage_slot": str(DAMAGE),
        "damage_photos": visit.journal.photos.get(str(DAMAGE), []),
        "odometer_was": visit.job.odometer_was,
        "odometer_backward": visit.progress.facts.odometer_was is not None,
    }
