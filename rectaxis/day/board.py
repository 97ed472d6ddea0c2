"""A day at a glance: what is in hand, what is next, what is late, and where the rest of the day goes."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import groupby
from operator import attrgetter

from rectaxis.record.models import CLOSED, Job

LATE = dt.timedelta(minutes=20)
"""A visit that is not begun so long after its time is late."""


@dataclass(frozen=True)
class Place:
    """Visits that follow each other in one yard."""

    fleet: str
    yard: str
    visits: tuple[Job, ...]


@dataclass
class Board:
    """The visits of a day by what a person wants to know of them, each once; and those left open on earlier days."""

    now: list[Job] = field(default_factory=list)
    late: list[Job] = field(default_factory=list)
    next: Job | None = None
    later: list[Job] = field(default_factory=list)
    done: list[Job] = field(default_factory=list)

    @classmethod
    def of(cls, visits: Sequence[Job], earlier: Sequence[Job], at: dt.datetime) -> Board:
        """The board at a time; visits are in the order of their times."""
        board = cls(late=[*earlier])
        for visit in visits:
            if visit.status in CLOSED:
                board.done.append(visit)
            elif visit.status != Job.Status.PLANNED:
                board.now.append(visit)
            elif visit.planned_at < at - LATE:
                board.late.append(visit)
            elif board.next is None:
                board.next = visit
            else:
                board.later.append(visit)
        return board

    @property
    def places(self) -> list[Place]:
        """Where the rest of the day goes."""
        where = attrgetter("vehicle.fleet.name", "vehicle.fleet.yard")
        return [Place(*place, tuple(visits)) for place, visits in groupby(self.later, key=where)]
