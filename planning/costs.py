"""What a plan is judged by: whom it leaves out, who is late, what changes for whom, and the time away that is not work.

All of it is in minutes of a technician's time, so that one can be weighed against the other. The weights are the house's own choice.
"""

from __future__ import annotations

import datetime as dt

from planning.grid import SAME_TIME, Grid, Turn
from planning.model import Urgency, Visit
from planning.timing import Timed

LEFT_OUT = {Urgency.UNSAFE: 200_000, Urgency.PROMISED: 60_000, Urgency.DUE: 12_000, Urgency.WISH: 2_500}
"""Leaving a visit out costs more than any way: an unsafe vehicle more than several that are merely due."""
LATE_A_DAY = {Urgency.UNSAFE: 600, Urgency.PROMISED: 400, Urgency.DUE: 60, Urgency.WISH: 10}
"""For each day after the last on which it is on time."""
WAITS_A_DAY = 120
"""An unsafe vehicle waits no day that can be spared: for each day after the first."""
OTHER_HANDS, OTHER_TIME, OTHER_DAY = 40, 25, 60
"""A visit that was planned goes to somebody else, begins at another time, or on another day."""
TOLD = 80
"""So many times as much where somebody was told: rather than tell six others another time, one that is merely due waits for another day."""


def left_out(visit: Visit) -> int:
    """Minutes that leaving a visit out costs."""
    return LEFT_OUT[visit.urgency]


def of_visit(grid: Grid, turn: Turn, visit: Visit, begin: int) -> int:
    """Minutes that this visit at this time costs beyond the way: late, or other than was said."""
    first = min(grid.days.days)
    cost = 0
    if visit.by is not None and turn.day > visit.by:
        cost += LATE_A_DAY[visit.urgency] * (turn.day - visit.by).days
    if visit.urgency is Urgency.UNSAFE:
        cost += WAITS_A_DAY * (turn.day - first).days
    return cost + _of_change(grid, turn, visit, begin)


def _of_change(grid: Grid, turn: Turn, visit: Visit, begin: int) -> int:
    before = visit.before
    if before is None:
        return 0
    times = TOLD if before.told else 1
    cost = OTHER_HANDS if grid.days.technicians[turn.technician].key != before.technician else 0
    if turn.day != before.begins.date():
        cost += OTHER_DAY
    elif abs(begin - grid.wall.minute(before.begins)) > SAME_TIME:
        cost += OTHER_TIME
    return cost * times


def plain(days: tuple[dt.date, ...], visit: Visit) -> bool:
    """Whether a visit costs nothing beyond the way, on any of the days."""
    return visit.before is None and visit.urgency is not Urgency.UNSAFE and (visit.by is None or visit.by >= max(days))


def of_turn(grid: Grid, turn: Turn, found: Timed) -> float:
    """Minutes that a timed turn with its stops costs."""
    return found.cost + sum(of_visit(grid, turn, grid.days.visits[stop.visit], stop.begin) for stop in found.stops)
