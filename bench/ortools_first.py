"""A first plan by OR-Tools' routing, told the same as PyVRP is: a ferry takes what it takes on the average."""

from __future__ import annotations

from typing import Any

from ortools.constraint_solver import pywrapcp, routing_enums_pb2  # type: ignore[import-not-found] # it is not needed to run the program

from planning import costs
from planning.grid import Grid
from planning.network import FAR


def first_orders(grid: Grid, seconds: float) -> list[tuple[int, ...]]:
    """Orders for all turns."""
    origin = min(turn.start for turn in grid.turns)
    many, turns = len(grid.place), len(grid.turns)
    places = [*grid.place, *(turn.origin for turn in grid.turns), *(turn.home for turn in grid.turns)]
    manager = pywrapcp.RoutingIndexManager(
        len(places), turns, list(range(many, many + turns)), list(range(many + turns, many + 2 * turns))
    )
    routing = pywrapcp.RoutingModel(manager)
    typical, minutes = grid.network.typical, [*grid.minutes, *([0] * 2 * turns)]

    def transit(one: int, other: int) -> int:
        here, there = manager.IndexToNode(one), manager.IndexToNode(other)
        way: int = min(FAR, typical(places[here], places[there])) + minutes[here]
        return way

    index = routing.RegisterTransitCallback(transit)
    routing.SetArcCostEvaluatorOfAllVehicles(index)
    horizon = max(turn.end for turn in grid.turns) - origin
    routing.AddDimension(index, horizon, horizon, False, "time")
    time = routing.GetDimensionOrDie("time")
    time.SetSpanCostCoefficientForAllVehicles(1)
    for turn in grid.turns:
        rest = turn.pause[0] if turn.pause else 0
        time.CumulVar(routing.Start(turn.number)).SetRange(turn.start - origin, turn.end - origin)
        time.CumulVar(routing.End(turn.number)).SetRange(turn.start - origin, turn.end - rest - origin)
    for visit in range(many):
        _visit(grid, manager, routing, time, visit, origin)
    wanted = pywrapcp.DefaultRoutingSearchParameters()
    wanted.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.PARALLEL_CHEAPEST_INSERTION
    wanted.local_search_metaheuristic = routing_enums_pb2.LocalSearchMetaheuristic.GUIDED_LOCAL_SEARCH
    wanted.time_limit.FromMilliseconds(int(seconds * 1000))
    found = routing.SolveWithParameters(wanted)
    return (
        [() for _ in range(turns)]
        if found is None
        else [_order(manager, routing, found, number) for number in range(turns)]
    )


def _visit(grid: Grid, manager: Any, routing: Any, time: Any, visit: int, origin: int) -> None:
    """When and by whom a visit may be done, and what leaving it out costs."""
    node = manager.NodeToIndex(visit)
    begins = sorted({(first - origin, last - origin) for windows in grid.windows[visit] for first, last, _ in windows})
    allowed = [turn for turn in range(len(grid.turns)) if grid.windows[visit][turn]]
    if begins and allowed:
        time.CumulVar(node).SetRange(max(0, begins[0][0]), max(last for _, last in begins))
        ends = begins[0][1]
        for first, last in begins[1:]:
            if first > ends + 1:
                time.CumulVar(node).RemoveInterval(ends + 1, first - 1)
            ends = max(ends, last)
        routing.VehicleVar(node).SetValues([-1, *allowed])
    routing.AddDisjunction([node], costs.left_out(grid.days.visits[visit]))


def _order(manager: Any, routing: Any, found: Any, number: int) -> tuple[int, ...]:
    at, order = found.Value(routing.NextVar(routing.Start(number))), []
    while not routing.IsEnd(at):
        order.append(manager.IndexToNode(at))
        at = found.Value(routing.NextVar(at))
    return tuple(order)
