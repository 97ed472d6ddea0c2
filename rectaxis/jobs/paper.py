"""The worksheet: the steps of a job with empty boxes and rulers, in the order of the work."""

from __future__ import annotations

from dataclasses import dataclass

from alignment.procedure.cautions import cautions
from alignment.procedure.checklist import Question, tyres
from alignment.procedure.stages import STAGES
from alignment.procedure.station import Setup
from alignment.procedure.walk import say_stop, stops
from alignment.vehicle import axle_name
from rectaxis.jobs.screens.page import Field, field_for
from rectaxis.jobs.sheet import is_runout
from rectaxis.jobs.work import Work

TYRE_CELLS = ("pressure", "tread-outer", "tread-middle", "tread-inner", "wear")
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


def paper_of(work: Work) -> Paper:
    """The worksheet of a job."""
    parts: list[Part] = []
    for stage in STAGES:
        if stage.code not in _ON_PAPER:
            continue
        asked = tuple(field_for(work, q) for q in work.questions.get(stage.code, ()) if _asked_plainly(q))
        tyre_rows = _tyres(work) if stage.code == "look" else ()
        parts.append(Part(stage.code, stage.verb, (stage.purpose,), cautions(stage.code, light=work.light),
                          _runout(work, stage.code), asked, tyre_rows))  # fmt: skip
        parts += [part for setup in work.setups for part in _of_setup(work, stage.code, setup)]
    return Paper(tuple(parts))


def _asked_plainly(question: Question) -> bool:
    """Whether a question stands in the list: tyres have a table, and the rest is for the screen."""
    return question.group not in ("advice", "ride", "bar") and not question.slot.startswith("look/tyre/")


def _tyres(work: Work) -> tuple[tuple[str, tuple[Field, ...]], ...]:
    by_slot = {q.slot: field_for(work, q) for q in work.questions["look"]}
    rows = tyres(work.core.vehicle, work.subject.duals)
    return tuple((name, tuple(by_slot[f"look/tyre/{at}/{cell}"] for cell in TYRE_CELLS)) for at, name, _, _ in rows)


def _runout(work: Work, stage: str) -> tuple[Box, ...]:
    if stage != "roll":
        return ()
    boxes = []
    for station in (s for s in work.stations if is_runout(s)):
        name = f"{station.reading['side']} {axle_name(work.core.vehicle, station.reading['axle'])}"
        rolls = [p["roll_deg"] for p in station.reading["positions"]]
        count = len(station.fields) // len(rolls)
        for number, path in enumerate(station.fields):
            slot = f"before/{station.slot}/{path}"
            label = f"{name}, rolled {rolls[number // count]:g}°"
            boxes.append(Box(Field(slot, label, "reading", "°", _typed(work, slot)), station.least, station.most,
                             station.plus, station.minus, _middle(station.least, station.most)))  # fmt: skip
    return tuple(boxes)


def _of_setup(work: Work, stage: str, setup: Setup) -> list[Part]:
    if stage not in ("roll", "read"):
        return []
    vehicle, boxes = work.core.vehicle, []
    for stop in stops(vehicle, work.of_stage(sweep=stage == "roll"), setup.number, stage):
        slot, station = f"before/{stop.slot}", stop.station
        plus, minus = station.sides(stop.field)
        unit = "mm" if station.unit == "mm" else "°"
        field = Field(slot, say_stop(vehicle, stop), "reading", unit, _typed(work, slot))
        boxes.append(Box(field, station.least, station.most, plus, minus, _middle(station.least, station.most)))
    if not boxes:
        return []
    title = f"{setup.title}: sweep" if stage == "roll" else setup.title
    return [Part(stage, title, setup.hang, (), tuple(boxes), ())]


def _typed(work: Work, slot: str) -> str:
    typed = work.current.get(slot)
    return typed.text if typed else ""


def _middle(least: float, most: float) -> str:
    return "0" if least < 0 < most else f"{(least + most) / 2:g}"
