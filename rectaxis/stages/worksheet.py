"""The worksheet: the steps of a job with empty boxes and rulers, in the order of the work."""

from __future__ import annotations

from dataclasses import dataclass

from alignment.model.vehicle import axle_name
from alignment.procedure.checklist import Question, tyre_slot, tyres
from alignment.procedure.stages import STAGES
from alignment.procedure.station import Setup
from alignment.procedure.steps import cautions
from alignment.procedure.walk import say_stop, stops
from rectaxis.record.slot import Phase
from rectaxis.record.snapshot import is_runout, scale
from rectaxis.stages.page import Field, field_for
from rectaxis.visit.statement import TYRE_CELLS
from rectaxis.visit.visit import Visit

_TYRES = tyre_slot("", "")[:-1]
_ON_PAPER = ("arrive", "look", "rig", "roll", "read", "prove", "hand-over")


@dataclass(frozen=True)
class Box:
    """A number to write down: its field, and its scale's two ends and sides of zero."""

    field: Field
    least: float
    most: float
    plus: str
    minus: str
    middle: str

    @property
    def label(self) -> str:
        """The label with the unit, and with what is plus where the scale has two sides."""
        return f"{self.field.full_label} (plus {self.plus})" if self.minus else self.field.full_label


@dataclass(frozen=True)
class Part:
    """A part of the sheet under one heading: what to do, what can hurt, what to write."""

    stage: str
    title: str
    lines: tuple[str, ...]
    cautions: tuple[str, ...]
    boxes: tuple[Box, ...]
    questions: tuple[Field, ...]
    tyres: tuple[tuple[str, tuple[Field, ...]], ...] = ()


@dataclass(frozen=True)
class Paper:
    """The whole sheet."""

    parts: tuple[Part, ...]


def paper_of(visit: Visit) -> Paper:
    """The worksheet of a job."""
    parts: list[Part] = []
    for stage in STAGES:
        if stage.code not in _ON_PAPER:
            continue
        asked = tuple(field_for(visit, q) for q in visit.snapshot.questions.get(stage.code, ()) if _asked_plainly(q))
        tyre_rows = _tyres(visit) if stage.code == "look" else ()
        parts.append(Part(stage.code, stage.verb, (stage.purpose,), cautions(stage.code, visit.about),
                          _runout(visit, stage.code), asked, tyre_rows))  # fmt: skip
        parts += [part for setup in visit.snapshot.rig.setups for part in _of_setup(visit, stage.code, setup)]
    return Paper(tuple(parts))


def _asked_plainly(question: Question) -> bool:
    """Whether a question stands in the list: tyres have a table, and the rest is for the screen."""
    return question.group not in ("advice", "ride", "bar") and not question.slot.startswith(_TYRES)


def _tyres(visit: Visit) -> tuple[tuple[str, tuple[Field, ...]], ...]:
    by_slot = {q.slot: field_for(visit, q) for q in visit.snapshot.questions["look"]}
    rows = tyres(visit.snapshot.vehicle, visit.snapshot.subject.duals)
    return tuple((name, tuple(by_slot[tyre_slot(at, cell)] for cell in TYRE_CELLS)) for at, name, _, _ in rows)


def _runout(visit: Visit, stage: str) -> tuple[Box, ...]:
    if stage != "roll":
        return ()
    boxes = []
    for station in (s for s in visit.readings.stations if is_runout(s)):
        name = f"{station.reading['side']} {axle_name(visit.snapshot.vehicle, station.reading['axle'])}"
        rolls = [p["roll_deg"] for p in station.reading["positions"]]
        count = len(station.fields) // len(rolls)
        for number, path in enumerate(station.fields):
            slot = str(scale(Phase.BEFORE, station, path))
            label = f"{name}, rolled {rolls[number // count]:g}°"
            boxes.append(Box(Field(slot, label, "reading", "°", _typed(visit, slot)), station.least, station.most,
                             station.plus, station.minus, _middle(station.least, station.most)))  # fmt: skip
    return tuple(boxes)


def _of_setup(visit: Visit, stage: str, setup: Setup) -> list[Part]:
    if stage not in ("roll", "read"):
        return []
    vehicle, boxes = visit.snapshot.vehicle, []
    for stop in stops(vehicle, visit.readings.of_stage(sweep=stage == "roll"), setup.number, stage):
        slot, station = str(scale(Phase.BEFORE, stop.station, stop.field)), stop.station
        plus, minus = station.sides(stop.field)
        unit = "mm" if station.unit == "mm" else "°"
        field = Field(slot, say_stop(vehicle, stop), "reading", unit, _typed(visit, slot))
        boxes.append(Box(field, station.least, station.most, plus, minus, _middle(station.least, station.most)))
    if not boxes:
        return []
    title = f"{setup.title}: sweep" if stage == "roll" else setup.title
    return [Part(stage, title, setup.hung, (), tuple(boxes), ())]


def _typed(visit: Visit, slot: str) -> str:
    typed = visit.readings.current.get(slot)
    return typed.text if typed else ""


def _middle(least: float, most: float) -> str:
    return "0" if least < 0 < most else f"{(least + most) / 2:g}"
