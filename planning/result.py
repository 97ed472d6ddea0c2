"""A plan as it is handed on."""

from __future__ import annotations

import datetime as dt
from typing import Any

import msgspec
from msgspec import Struct

FORMAT = "rectaxis-plan"


class Leg(Struct, frozen=True, rename={"origin": "from", "target": "to"}, omit_defaults=True):
    """A way by road, or by a ferry. Times have their offset from UTC."""

    origin: str
    target: str
    leaves: dt.datetime
    arrives: dt.datetime
    ferry: str | None = None


class Call(Struct, frozen=True, omit_defaults=True):
    """A visit on the clock, the legs to it, and why it is there."""

    visit: str
    legs: tuple[Leg, ...]
    arrives: dt.datetime
    begins: dt.datetime
    ends: dt.datetime
    kit: str | None = None
    why: str = ""


class Out(Struct, frozen=True, omit_defaults=True):
    """A technician out for a day or a part of it. ``away`` is the minutes that are neither work nor break; ``pause`` when the break begins."""

    technician: str
    day: dt.date
    leaves: dt.datetime
    back: dt.datetime
    away: int
    stops: tuple[Call, ...]
    home: tuple[Leg, ...]
    pause: dt.datetime | None = None
    begun: bool = False


class LeftOut(Struct, frozen=True):
    """A visit that is in no turn: the code of the reason, and the reason in a sentence."""

    visit: str
    code: str
    why: str


class Plan(Struct, frozen=True, kw_only=True):
    """A plan. ``cost`` is what the planner weighed it by; ``notes`` are sentences about the days as a whole."""

    format: str = FORMAT
    version: int = 1
    turns: tuple[Out, ...]
    left_out: tuple[LeftOut, ...]
    away: int
    cost: float
    notes: tuple[str, ...] = ()

    def to_json(self) -> bytes:
        """As a file, indented."""
        return msgspec.json.format(msgspec.json.encode(self), indent=2)

    def plain(self) -> dict[str, Any]:
        """As plain data."""
        return msgspec.json.decode(msgspec.json.encode(self))  # type: ignore[no-any-return] # an object, as it is one
