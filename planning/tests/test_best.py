"""That plans are the best there are: against everything tried on small days, and published benchmarks with their proven optimum."""

import json
import math
import unittest

from planning.checker import check
from planning.grid import Grid, Turn
from planning.model import Days
from planning.plan import plan_of, searched
from planning.search import Search
from planning.tests.brute import Brute, small_day

C101 = """45 68 912 967, 45 70 825 870, 42 66 65 146, 42 68 727 782, 42 65 15 67, 40 69 621 702, 40 66 170 225, 38 68 255 324, 38 70 534 605,
35 66 357 410, 35 69 448 505, 25 85 652 721, 22 75 30 92, 22 85 567 620, 20 80 384 429, 20 85 475 528, 18 75 99 148, 15 75 179 254,
15 80 278 345, 30 50 10 73, 30 52 914 965, 28 52 812 883, 28 55 732 777, 25 50 65 144, 25 52 169 224"""
R101 = """41 49 161 171, 35 17 50 60, 55 45 116 126, 55 20 149 159, 15 30 34 44, 25 30 99 109, 20 50 81 91, 10 43 95 105, 55 60 97 107,
30 60 124 134, 20 65 67 77, 50 35 63 73, 30 25 159 169, 15 10 32 42, 30 5 61 71, 10 20 75 85, 5 30 157 167, 20 40 87 97, 15 60 76 86,
45 65 126 136, 45 20 62 72, 45 10 97 107, 55 5 68 78, 65 35 153 163, 65 20 172 182"""
"""The first 25 customers of C101 and R101 of Solomon 1987, "Algorithms for the vehicle routing and scheduling problems with time window
constraints", Operations Research 35: x, y, ready, due. From memory; that they are these is shown by their optima coming out."""


def tenths(depot, horizon, service, rows, vans):
    """An instance in tenths, distances cut to one decimal as the published optima are reckoned. Demands bind in neither of the two."""
    spots = [(*depot, 0, horizon), *[tuple(map(int, row.split())) for row in rows.replace("\n", " ").split(",")]]
    days = Days.from_json(json.dumps({
        "zone": "UTC", "now": "2026-11-02T00:00:00", "days": ["2026-11-03"], "waits_weigh": 0,
        "places": [{"key": str(n), "name": str(n), "north": 0, "east": 0} for n in range(len(spots))],
        "technicians": [{"key": f"t{n}", "name": "t", "home": "0", "hours": []} for n in range(vans)],
        "visits": [{"key": f"v{n}", "name": "v", "vehicle": f"v{n}", "place": str(n), "minutes": 1} for n in range(1, len(spots))],
    }))  # fmt: skip
    grid = Grid.of(days)
    grid.network.road[:] = [[math.floor(10 * math.dist(one[:2], other[:2])) for other in spots] for one in spots]
    turns = [Turn(n, n, days.days[0], 0, 10 * horizon, 0, 0, None, False, {}) for n in range(vans)]
    windows = [[((10 * ready, 10 * due, -1),)] * vans for _, _, ready, due in spots[1:]]
    return Grid(
        days, grid.wall, grid.network, turns, windows, list(range(1, len(spots))), [10 * service] * (len(spots) - 1)
    )


class Best(unittest.TestCase):
    def test_nothing_better_is_found_by_trying_everything(self):
        for seed in range(60):
            days = small_day(seed, 5)
            plan = plan_of(Days.from_json(json.dumps(days)), seconds=60, steps=300 + 60 * len(days["visits"]))
            self.assertEqual(plan.cost, Brute(days).least(), seed)
            self.assertEqual(check(days, plan.plain()), [], seed)

    def test_the_proven_optima_of_published_instances_are_reached(self):
        # 191.3 with 3 vans and 617.1 with 8: Kohl, Desrosiers, Madsen, Solomon and Soumis 1999, "2-path cuts for the VRPTW",
        # Transportation Science 33 (from memory).
        for rows, depot, horizon, service, vans, optimum in (
            (C101, (40, 50), 1236, 90, 3, 1913),
            (R101, (35, 35), 230, 10, 8, 6171),
        ):
            grid = tenths(depot, horizon, service, rows, vans)
            orders = searched(grid, 60, steps=1500)
            self.assertEqual(Search(grid).total(orders), optimum)
