"""The adjustment against SciPy, and against its own statements of uncertainty."""

import math
import random
import unittest

import numpy as np
from scipy.optimize import least_squares
from scipy.stats import chi2

from alignment.estimate.blocks import Structure
from alignment.estimate.chisquare import survival
from alignment.estimate.solve import solve
from alignment.judge.results import PhaseResults
from alignment.model.state import DEG, LEVEL, Layout
from alignment.model.vehicle import Axle, Vehicle, default_datum
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.readings import KINDS
from alignment.simulate.truth import random_truth
from alignment.simulate.world import World
from alignment.simulate.world import made as world_reading
from alignment.tests.cases import FRAME, TRUCK, VAN, flags, reading, results, solved, state_of, toe_scales

TRUTH = {"axles/1/bearing_deg": 0.21, "axles/1/total_toe_deg": 0.45, "axles/1/setback_mm": 4.0,
         "axles/1/left/camber_deg": -0.6, "axles/1/right/camber_deg": -0.2, "axles/2/bearing_deg": -0.13,
         "axles/2/total_toe_deg": 0.3, "axles/2/left/camber_deg": -1.2, "axles/2/right/camber_deg": -0.9,
         "axles/1/left/clamp/sine_deg": 0.02}  # fmt: skip


def kit_readings(seed: int | None, blunder: tuple[str, str, float] | None = None):
    """All readings of the flag lasers on the van with a hidden truth, with noise unless ``seed`` is None."""
    stations = kit("flag_lasers").stations(VAN)
    zeros = {s.reading["gauge"]: s.reading["zero_u_deg"] for s in stations if "gauge" in s.reading}
    hung = random.Random(seed)
    truth = {f"gauges/{name}/zero_deg": 0.0 if seed is None else hung.gauss(0, u) for name, u in zeros.items()}
    world = World(VAN, default_datum(VAN), TRUTH | truth)
    found = []
    for station in stations:
        rng = random.Random(f"{seed}/{station.slot}") if seed is not None else None
        values = world.read(station, rng)
        if blunder is not None and station.slot == blunder[0]:
            values[blunder[1]] += blunder[2]
        data = station.with_values(values)
        found.append(KINDS[data["kind"]]({"phase": "before", **data}))
    return found


def read_by(kits, on, truth, rng):
    """What some kits read of a vehicle with a hidden truth, with noise unless there is no ``rng``."""
    world, found = World(on.vehicle, on.datum, truth), []
    for code in kits:
        stations = kit(code).stations(on.vehicle)
        made = (world_reading(station, world.read(station, rng), "before") for station in stations)
        found += [one for one in made if one is not None]
    return found


def by_scipy(vehicle, datum, readings):
    """The same problem given to scipy.optimize.least_squares, numerical derivatives and all."""
    solution = solve(vehicle, datum, readings)
    layout = solution.layout
    rows = [*readings, *solution.structure.unread]
    observed = [o for one in rows for o in one.observed()]
    formulas = [f for one in rows for f in one.formulas(layout, solution.ground)]
    used = [i for i in range(len(layout.names)) if solution.unknown(layout.names[i]) is not None]

    def weighted(y):
        x = np.zeros(len(layout.names))
        x[used] = y
        state = x.tolist()
        return [(o.value - f.at(state).value) / o.u for o, f in zip(observed, formulas, strict=True)]

    answer = least_squares(weighted, np.zeros(len(used)), xtol=1e-15, ftol=1e-15, gtol=1e-15, x_scale="jac")
    return solution, [layout.names[i] for i in used], answer


class AgainstSciPy(unittest.TestCase):
    def assert_as_by_scipy(self, *phase, u_within=1e-5):
        """Estimates, uncertainties and misfit of a phase, its vehicle, datum and readings, are those of SciPy."""
        solution, names, answer = by_scipy(*phase)
        covariance = np.linalg.inv(answer.jac.T @ answer.jac)
        for index, name in enumerate(names):
            unit = 1.0 if name.endswith("_mm") else DEG
            estimate = solution.unknown(name)
            # SciPy stops by its own tolerances and differentiates numerically: a ten-thousandth of u is its share.
            self.assertAlmostEqual(estimate.value, unit * answer.x[index], delta=1e-4 * estimate.u, msg=name)
            self.assertAlmostEqual(
                estimate.u, unit * math.sqrt(covariance[index, index]), delta=u_within * estimate.u, msg=name
            )
        self.assertAlmostEqual(solution.chi_square, 2 * answer.cost, places=6)

    def test_estimates_and_standard_uncertainties_are_those_of_least_squares(self):
        self.assert_as_by_scipy(VAN, default_datum(VAN), kit_readings(3))

    def test_so_are_those_of_a_long_truck_read_by_two_kits(self):
        truck, rng = pattern("truck_10x2"), random.Random(5)
        truth = random_truth(truck.vehicle, truck.datum, rng)
        readings = read_by(("flag_lasers", "target_cameras"), truck, truth, rng)
        # The slopes that the covariance is made of are those a small step before the end.
        self.assert_as_by_scipy(truck.vehicle, truck.datum, readings, u_within=1e-4)

    def test_the_chi_square_tail_is_scipys(self):
        for freedom in (1, 2, 7, 40, 300):
            for statistic in (0.0, 0.01, 1.0, freedom * 0.5, freedom, freedom * 3.0):
                with self.subTest(freedom=freedom, statistic=statistic):
                    self.assertAlmostEqual(survival(statistic, freedom), chi2.sf(statistic, freedom), delta=1e-12)


class Blocks(unittest.TestCase):
    def test_a_long_file_is_solved_in_blocks_to_what_its_parts_give_alone(self):
        axles = tuple(Axle(n, "drive", 1000.0 * (n - 1), 1800.0, rigid=True) for n in range(1, 81))
        train = Vehicle(axles, thrust_axle=1)
        square = [reading("setback_scales", n, left_mm=n, right_mm=0, square_to="datum") for n in range(1, 81)]
        linked = [reading("outboard_pair", 5, ahead_mm=-1000, on=6, left_mm=10, right_mm=14)]
        blocks = Structure(Layout(train, FRAME), LEVEL, [*square, *linked]).blocks
        self.assertGreater(len(blocks), 2)
        columns = [column for block in blocks for column in block.free]
        self.assertEqual(len(columns), len(set(columns)))
        whole = solve(train, FRAME, [*square, *linked])
        self.assertEqual((whole.rank, whole.redundancy), (2 * 80 + 1, 0))
        for n in (1, 5, 6, 80):
            alone = solve(train, FRAME, [square[n - 1]])
            for name in (f"axles/{n}/bearing_deg", f"axles/{n}/setback_mm"):
                self.assertAlmostEqual(whole.unknown(name).value, alone.unknown(name).value, places=9)
                self.assertAlmostEqual(whole.unknown(name).u, alone.unknown(name).u, places=9)
        # The difference of two offsets is known where neither is, also in the midst of other blocks.
        self.assertIsNone(whole.unknown("axles/5/offset_mm"))
        pair = {whole.layout.offset(5): 1.0, whole.layout.offset(6): -1.0}
        self.assertIsNotNone(whole.estimate(pair, length=True))


class Statistics(unittest.TestCase):
    def test_errors_scatter_as_widely_as_stated(self):
        errors: dict[str, list[float]] = {}
        trials = 300
        for seed in range(trials):
            found = PhaseResults.from_solution(solve(VAN, default_datum(VAN), kit_readings(seed)))
            for path in ("thrust_angle_deg", "axles/1/total_toe_deg", "axles/1/left/toe_deg", "axles/2/setback_mm",
                         "axles/1/cross_camber_deg", "steer_ahead_deg"):  # fmt: skip
                estimate = found.estimates[path]
                errors.setdefault(path, []).append((estimate.value - true_value(path)) / estimate.u)
        for path, standardised in errors.items():
            with self.subTest(path=path):
                # Five standard errors of the mean and of the spread of so many normal numbers.
                self.assertAlmostEqual(np.mean(standardised), 0, delta=5 / math.sqrt(trials))
                self.assertAlmostEqual(np.std(standardised), 1, delta=5 / math.sqrt(2 * trials))

    def test_a_blunder_is_named_first_and_the_whole_is_called_inconsistent(self):
        # The left camber of the front is read by runout and by gauge: six sigmas of what cannot be explained.
        named = 0
        for seed in range(40):
            readings = kit_readings(seed, ("camber/1/left", "deg", 0.35))
            found = PhaseResults.from_solution(solve(VAN, default_datum(VAN), readings))
            self.assertFalse(found.solution.consistent)
            first = readings[found.suspects[0].reading].data
            named += first["kind"] == "camber" and (first["axle"], first["side"]) == (1, "left")
        self.assertEqual(named, 40)

    def test_honest_readings_are_consistent(self):
        verdicts = [solve(VAN, default_datum(VAN), kit_readings(seed)).consistent for seed in range(100)]
        self.assertGreaterEqual(sum(verdicts), 98)


def true_value(path: str) -> float:
    match path:
        case "thrust_angle_deg":
            return TRUTH["axles/2/bearing_deg"]
        case "axles/1/left/toe_deg":
            return TRUTH["axles/1/total_toe_deg"] / 2 + TRUTH["axles/1/bearing_deg"]
        case "axles/1/cross_camber_deg":
            return TRUTH["axles/1/left/camber_deg"] - TRUTH["axles/1/right/camber_deg"]
        case "steer_ahead_deg":
            return TRUTH["axles/1/bearing_deg"] - TRUTH["axles/2/bearing_deg"]
        case _:
            return TRUTH.get(path, 0.0)


class WhatIsKnown(unittest.TestCase):
    def test_without_noise_the_truth_comes_back(self):
        found = solve(VAN, default_datum(VAN), kit_readings(None))
        for name, value in TRUTH.items():
            self.assertAlmostEqual(found.unknown(name).value, value, places=9)

    def test_so_do_steering_axes_that_lean_three_times_as_far_as_any(self):
        car = pattern("car")
        usual = random_truth(car.vehicle, car.datum, random.Random(3))
        truth = {name: value if name.endswith("_mm") else 3 * value for name, value in usual.items()}
        found = solve(car.vehicle, car.datum, read_by(("mirror_lasers",), car, truth, None))
        for side in ("left", "right"):
            for angle in ("caster_deg", "sai_deg"):
                name = f"axles/1/{side}/{angle}"
                self.assertAlmostEqual(found.unknown(name).value, truth[name], places=8, msg=name)

    def test_nothing_read_leaves_everything_undetermined_and_is_no_error(self):
        found = results()
        self.assertIsNone(found.value("thrust_angle_deg"))
        self.assertEqual((found.solution.redundancy, found.solution.consistent), (0, True))

    def test_scrub_is_known_where_neither_bearing_is(self):
        ahead = 3800 - 5150
        pair = reading("outboard_pair", 2, ahead_mm=ahead, on=3, left_mm=40, right_mm=44)
        # Scales at the third axle's hubs see the second's bearing against the line of both, not against the datum.
        found = results(pair, vehicle=TRUCK)
        self.assertIsNone(found.value("axles/2/bearing_deg"))
        self.assertIsNone(found.value("axles/3/bearing_deg"))
        both = [reading("outboard_pair", 2, ahead_mm=ahead, on=3, left_mm=40, right_mm=44),
                reading("outboard_pair", 3, ahead_mm=-ahead, on=2, left_mm=40, right_mm=41)]  # fmt: skip
        scrub = results(*both, vehicle=TRUCK).estimates["scrub_deg/2-3"]
        # One sees axle 2 from axle 3's middle, the other axle 3 from axle 2's: their sum is the difference.
        self.assertAlmostEqual(scrub.value, DEG * (2.0 + 0.5) / 1350, delta=1e-4)

    def test_what_is_worse_than_5_degrees_is_undetermined(self):
        near = reading("outboard_pair", 2, ahead_mm=4, on=1, left_mm=40, right_mm=40)
        self.assertIsNone(results(near).value("thrust_angle_deg"))

    def test_impossible_readings_end_without_an_error(self):
        for extreme in (toe_scales(1, 1e6, 1e6), flags(2, -1e6, 1e6), flags(1, 0, 1e6)):
            found = results(extreme, toe_scales(2, 1, 1))
            self.assertTrue(all(math.isfinite(e.value) for e in found.estimates.values() if e is not None))

    def test_a_rigid_axle_ties_setback_to_bearing(self):
        truth = state_of({"axles/2/setback_mm": 9.0, "axles/2/bearing_deg": math.degrees(math.atan(9 / 1830))},
                         vehicle=TRUCK)  # fmt: skip
        square = reading("setback_scales", 2, left_mm=20, right_mm=11, square_to="datum")
        found = solved(square, vehicle=TRUCK)
        self.assertAlmostEqual(
            found.unknown("axles/2/bearing_deg").value, truth.as_values()["axles/2/bearing_deg"], places=9
        )
        self.assertEqual(found.redundancy, 0)
