"""How days are planned without a program, as two stated models: the yardsticks of the planner's gain. They are timed as the planner's plans are."""

from __future__ import annotations

from collections.abc import Iterable

from planning.grid import Grid, Turn
from planning.search import Orders
from planning.timing import Runner, Timed


def nearest_first(grid: Grid) -> Orders:
    """Whoever is free first goes to the visit that can be done soonest from where they are, as long as they are home in time."""
    orders: Orders = [() for _ in grid.turns]
    left = set(range(len(grid.place)))
    free: dict[int, int] = {turn.number: turn.start for turn in grid.turns}
    while free:
        number = min(free, key=lambda one: (free[one], one))
        turn = grid.turns[number]
        soonest = min(_soonest(grid, turn, orders[number], left), default=None)
        if soonest is None:
            del free[number]
        else:
            free[number], visit = soonest
            orders[number] = (*orders[number], visit)
            left.discard(visit)
    return orders


def _soonest(grid: Grid, turn: Turn, order: tuple[int, ...], left: Iterable[int]) -> Iterable[tuple[int, int]]:
    for visit in sorted(left):
        found = _leaving_at_once(grid, turn, (*order, visit)) if grid.windows[visit][turn.number] else None
        if found is not None:
            yield found.stops[-1].end, visit


def island_by_island(grid: Grid) -> Orders:
    """A person's habit: each visit goes to whose home is nearest, who goes from the nearest island to the farthest, yard by yard.

    A yard is gone to once in the order of the list; what does not fit any more is left for another day, and nothing is passed on.
    """
    typical, visits = grid.network.typical, range(len(grid.place))
    orders: Orders = [() for _ in grid.turns]
    crew = {turn.technician: turn.home for turn in grid.turns}
    if not crew:
        return orders
    islands: dict[int, list[int]] = {one: [] for one in crew}
    for visit in visits:
        islands[min(crew, key=lambda one: (typical(crew[one], grid.place[visit]), one))].append(visit)
    for turn in grid.turns:
        mine = islands[turn.technician]
        mine.sort(key=lambda one: (*_far(grid, turn, one), grid.place[one]))
        for visit in [*mine]:
            if (
                grid.windows[visit][turn.number]
                and _leaving_at_once(grid, turn, (*orders[turn.number], visit)) is not None
            ):
                orders[turn.number] = (*orders[turn.number], visit)
                mine.remove(visit)
    return orders


def _far(grid: Grid, turn: Turn, visit: int) -> tuple[int, str]:
    """How far the visit's island is: the same for all of an island."""
    network, there = grid.network, grid.network.island[grid.place[visit]]
    same = [place for place, island in enumerate(network.island) if island == there]
    return min(network.typical(turn.home, place) for place in same), there


def _leaving_at_once(grid: Grid, turn: Turn, order: tuple[int, ...]) -> Timed | None:
    return Runner(grid, turn).timed(order, 1)
