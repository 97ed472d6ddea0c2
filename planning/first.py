"""A first plan by a kept optimiser of routes with time windows (PyVRP), in which a ferry takes what it takes on the average.

Routes whose legs take longer or shorter by the time of day are beyond such optimisers. So it is told a typical time for each crossing, makes
thousands of plans a second, and gives the grouping and the order; ``timing`` then puts it on the timetable, and ``search`` mends it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from planning import costs
from planning.grid import Grid, Turn
from planning.network import FAR

if TYPE_CHECKING:
    from pyvrp import Model


def first_orders(grid: Grid, seconds: float, seed: int = 1, wait_share: float = 0.5) -> list[tuple[int, ...]]:
    """Orders for all turns, not yet possible by the timetable everywhere. ``wait_share`` of the time between departures is waited for each."""
    # A heavy library, asked for only where it serves.
    from pyvrp import Model
    from pyvrp.stop import MaxRuntime

    if not grid.turns or not grid.place:
        return [() for _ in grid.turns]
    origin = min(turn.start for turn in grid.turns)
    model = Model()
    home = {place: model.add_location(0, 0) for turn in grid.turns for place in (turn.origin, turn.home)}
    depots = {place: model.add_depot(location) for place, location in home.items()}
    at = [model.add_location(0, 0) for _ in grid.place]
    visits = _clients(grid, model, at, origin)
    spots = [*home.items(), *zip(grid.place, at, strict=True)]
    for allowed, turns in _alike(grid).items():
        profile = model.add_profile()
        barred = {id(at[visit]) for visit in range(len(at)) if visit not in allowed}
        for one_place, one in spots:
            for other_place, other in spots:
                if one is not other:
                    minutes = FAR if id(other) in barred else grid.network.typical(one_place, other_place, wait_share)
                    model.add_edge(one, other, distance=0, duration=minutes, profile=profile)
        for turn in turns:
            rest = turn.pause[0] if turn.pause and turn.start <= turn.pause[2] < turn.end else 0
            model.add_vehicle_type(
                start_depot=depots[turn.origin], end_depot=depots[turn.home], tw_early=turn.start - origin, tw_late=turn.end - origin,
                shift_duration=turn.end - turn.start - rest, unit_distance_cost=0, unit_duration_cost=1, profile=profile,
                name=str(turn.number),
            )  # fmt: skip
    best = model.solve(MaxRuntime(seconds), seed=seed, display=False).best
    orders: list[tuple[int, ...]] = [()] * len(grid.turns)
    names = [kind.name for kind in model.vehicle_types]
    for route in best.routes():
        orders[int(names[route.vehicle_type()])] = tuple(visits[one.idx] for one in route.schedule() if one.is_client())
    return orders


def _alike(grid: Grid) -> dict[frozenset[int], list[Turn]]:
    """Turns by the visits that are possible in them."""
    found: dict[frozenset[int], list[Turn]] = {}
    for turn in grid.turns:
        allowed = frozenset(visit for visit, windows in enumerate(grid.windows) if windows[turn.number])
        found.setdefault(allowed, []).append(turn)
    return found


def _clients(grid: Grid, model: Model, at: list[Any], origin: int) -> list[int]:
    """A client for each visit and window, of which one is enough. Which visit each client is."""
    visits: list[int] = []
    for visit, windows in enumerate(grid.windows):
        begins = sorted({(first, last) for turn in windows for first, last, _kit in turn})
        merged: list[list[int]] = []
        for first, last in begins:
            if merged and first <= merged[-1][1] + 1:
                merged[-1][1] = max(merged[-1][1], last)
            else:
                merged.append([first, last])
        prize = costs.left_out(grid.days.visits[visit])
        group = model.add_client_group(required=False) if len(merged) > 1 else None
        for first, last in merged:
            model.add_client(
                at[visit], service_duration=grid.minutes[visit], tw_early=max(0, first - origin), tw_late=max(0, last - origin),
                prize=prize, required=False, group=group,
            )  # fmt: skip
            visits.append(visit)
    return visits
