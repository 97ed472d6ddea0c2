"""Rigs that stand anywhere: what they see of wheels traced in space, what they measure of the vehicle, and covariances."""

import json
import math
import random
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from alignment.errors import JobFileError
from alignment.jobfile import parse, plan_job, solve_job, solve_phase
from alignment.judge.why import why
from alignment.model.state import DEG, State
from alignment.model.vehicle import SIDES
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.readings import KINDS
from alignment.simulate.bodies import Bodies
from alignment.simulate.jobs import simulate
from alignment.tests.cases import TRUCK, VAN, WHEELBASE, flags, reading, solved
from alignment.tests.test_rigid_bodies import outboard, wheel

VAN_FILE = {"axles": [{"role": "steer", "position_mm": 0, "track_mm": 1540},
                      {"role": "drive", "position_mm": WHEELBASE, "track_mm": 1530}]}  # fmt: skip
TRACKS, POSITION = {1: 1546.0, 2: 1521.0}, 2712.0


def traced(rig: str, turned: float, place: tuple[float, float], truth: dict[str, float]) -> list[dict]:
    """What a rig sees of the van's wheels and steering axes: rigid rotations by scipy, with the vehicle's own measures."""
    frame, seen = Rotation.from_euler("z", turned, degrees=True).inv(), []
    for axle in (1, 2):
        toe, bearing, setback = (
            truth.get(f"axles/{axle}/{n}", 0.0) for n in ("total_toe_deg", "bearing_deg", "setback_mm")
        )
        for side, sign in (("left", 1), ("right", -1)):
            pose = wheel(side, toe / 2 + sign * bearing, truth.get(f"axles/{axle}/{side}/camber_deg", 0.0))
            centre = np.array([-(axle - 1) * POSITION + sign * setback / 2, sign * TRACKS[axle] / 2, 300.0])
            of = {"phase": "before", "axle": axle, "side": side, "rig": rig}
            seen.append({**of, "kind": "wheel_axis", "centre_mm": frame.apply(centre - [*place, 0.0]).tolist(),
                         "axis": frame.apply(pose.apply(outboard(side)) * 2).tolist()})  # fmt: skip
            if axle == 1:
                caster, sai = (math.tan(truth[f"axles/1/{side}/{n}_deg"] / DEG) for n in ("caster", "sai"))
                seen.append({**of, "kind": "steer_axis", "axis": frame.apply([-caster, -sign * sai, 1.0]).tolist()})
    return seen


def some_truth(rng: random.Random) -> dict[str, float]:
    truth = {f"axles/{a}/{n}_deg": rng.uniform(-1, 1) for a in (1, 2) for n in ("total_toe", "bearing")}
    truth |= {f"axles/{a}/setback_mm": rng.uniform(-20, 20) for a in (1, 2)}
    truth |= {f"axles/{a}/{s}/camber_deg": rng.uniform(-3, 3) for a in (1, 2) for s in SIDES}
    return truth | {f"axles/1/{s}/{n}_deg": rng.uniform(2, 14) for s in SIDES for n in ("caster", "sai")}


def document(readings: list[dict], **more) -> dict:
    return {"format": "rectaxis-job", "version": 1, "vehicle": VAN_FILE, "readings": readings, **more}


def job(readings: list[dict]):
    return solve_phase(parse(document(readings)), "before")


class WhatARigSees(unittest.TestCase):
    @given(turned=st.floats(-30, 30), x=st.floats(-2000, 4000), y=st.floats(-800, 800), seed=st.integers(0, 10**6))
    @settings(max_examples=40, deadline=None)
    def test_the_wheels_come_back_wherever_it_stands_with_the_vehicles_own_measures(self, turned, x, y, seed):
        truth = some_truth(random.Random(seed))
        found = job(traced("stand", turned, (x, y), truth))
        for path, value in {
            **truth,
            "axles/1/track_mm": 1546.0,
            "axles/2/track_mm": 1521.0,
            "axles/2/position_mm": POSITION,
        }.items():
            self.assertAlmostEqual(found.value(path), value, places=8, msg=path)
        self.assertNotIn("axles/1/position_mm", found.estimates)
        self.assertEqual((found.solution.redundancy, found.solution.consistent), (0, True))

    def test_track_and_position_stand_last_in_their_axle_with_what_is_not_told_named(self):
        seen = [
            one
            for one in traced("stand", 3, (1500, 0), some_truth(random.Random(1)))
            if one["axle"] == 1 or one["side"] == "left"
        ]
        phase = solve_job(parse(document(seen)))["phases"]["before"]
        self.assertEqual(list(phase["axles"][0])[-1], "track_mm")
        self.assertIn("axles/2/track_mm", phase["undetermined"])
        whole = solve_job(parse(document(traced("stand", 3, (1500, 0), some_truth(random.Random(1))))))["phases"][
            "before"
        ]
        self.assertEqual(list(whole["axles"][1])[-2:], ["track_mm", "position_mm"])
        self.assertNotIn("track_mm", json.dumps(solve_job(parse(document([])))))

    def test_a_steering_axis_without_the_rigs_heading_says_nothing(self):
        # One wheel does not tell how the rig is turned: caster and inclination are then known only against the rig.
        seen = traced("stand", 0, (0, 0), some_truth(random.Random(2)))
        one = [part for part in seen if part["side"] == "left" and part["axle"] == 1]
        self.assertIn("axles/1/left/caster_deg", job(one).as_dict()["undetermined"])
        # Without a rig the axis is in the datum's own frame.
        free = job([{key: value for key, value in part.items() if key != "rig"} for part in one])
        self.assertIsNotNone(free.value("axles/1/left/caster_deg"))

    def test_what_other_tools_read_uses_the_measured_track_and_position(self):
        truth = some_truth(random.Random(3)) | {
            "axles/1/track_mm": 1546.0,
            "axles/2/track_mm": 1521.0,
            "axles/2/position_mm": POSITION,
        }
        bodies = Bodies(VAN, truth)
        for other in (
            reading("setback_scales", 2, left_mm=0, right_mm=0),
            reading("sight", 2, side="left", to_axle=1, deg=0.0, arm_mm=300, to_arm_mm=200),
            reading("sight", 1, side="right", to_axle=1, deg=0.0, arm_mm=300, to_arm_mm=200),
            flags(1, 0, 0),
        ):
            shown = {**other.data, **bodies.shown(other)}
            found = job([*traced("stand", 5, (900, 100), truth), shown])
            with self.subTest(other.KIND):
                self.assertEqual(found.solution.redundancy, 1)
                # What formula and traced rays differ by is of the third order: hundredths of what is read.
                self.assertLess(found.solution.chi_square, 0.01)

    def test_a_rigid_axle_is_square_across_its_measured_track(self):
        truck = simulate(pattern("truck_6x4"), kit("target_cameras_posts"), 3, noise=False, traced=True)
        found = solve_phase(parse(truck.document), "before").solution
        self.assertGreater(found.redundancy, 0)
        self.assertLess(found.chi_square, 1e-9)
        self.assertGreater(abs(truck.truth["axles/2/track_mm"] - TRUCK.axle(2).track_mm), 0.5)


def plumb(rig: str, up: list[float], **more: float) -> dict:
    """What the level of a rig says."""
    return {"phase": "before", "kind": "plumb", "rig": rig, "up": up, **more}


class AgainstGravity(unittest.TestCase):
    """A rig with a level on ground that leans: the vehicle is turned by roll, then by pitch, rigidly."""

    ROLL, PITCH, TURNED = 1.4, -0.9, 12.0

    def setUp(self):
        self.truth = some_truth(random.Random(7))
        leans = Rotation.from_euler("xy", [self.ROLL, self.PITCH], degrees=True)
        up = Rotation.from_euler("z", -self.TURNED, degrees=True).apply(leans.inv().apply([0.0, 0.0, 1.0]))
        self.seen = [*traced("stand", self.TURNED, (1500, 80), self.truth), plumb("stand", up.tolist(), u_deg=0.01)]
        self.dips = {}
        for one in self.seen:
            if one["kind"] == "wheel_axis":
                axis = leans.apply(Rotation.from_euler("z", self.TURNED, degrees=True).apply(one["axis"]))
                self.dips[one["axle"], one["side"]] = -DEG * math.asin(axis[2] / np.linalg.norm(axis))

    def test_camber_is_told_against_the_ground_and_against_gravity(self):
        found = job(self.seen)
        for (axle, side), dip in self.dips.items():
            at = f"axles/{axle}/{side}"
            self.assertAlmostEqual(found.value(f"{at}/camber_gravity_deg"), dip, places=8)
            self.assertAlmostEqual(found.value(f"{at}/camber_deg"), self.truth[f"{at}/camber_deg"], places=8)
        cross = self.dips[1, "left"] - self.dips[1, "right"]
        self.assertAlmostEqual(found.value("axles/1/cross_camber_gravity_deg"), cross, places=8)
        # The level's doubt comes to the wheel whole, and to the difference of two wheels twice.
        u = [found.estimates[f"axles/1/{name}"].u for name in ("left/camber_deg", "left/camber_gravity_deg")]
        self.assertAlmostEqual(u[1], math.hypot(u[0], 0.01), delta=1e-5)
        more = found.estimates["axles/1/cross_camber_gravity_deg"].u
        self.assertAlmostEqual(more, math.hypot(u[0] * math.sqrt(2), 0.02), delta=1e-5)

    def test_a_gauge_that_hangs_from_gravity_agrees_with_it(self):
        gauge = {"phase": "before", "kind": "camber", "axle": 2, "side": "right", "deg": self.dips[2, "right"]}
        found = job([*self.seen, gauge])
        self.assertEqual(found.solution.redundancy, 1)
        self.assertLess(found.solution.chi_square, 1e-12)

    def test_the_specification_says_which_of_them_is_judged(self):
        own, dip = self.truth["axles/1/left/camber_deg"], self.dips[1, "left"]
        middle = (own + dip) / 2
        rows = [
            {"quantity": quantity, "axle": 1, "side": "left", "max" if own < dip else "min": middle}
            for quantity in ("camber_deg", "camber_gravity_deg")
        ]
        verdicts = solve_job(parse(document(self.seen, spec=rows)))["phases"]["before"]["verdicts"]
        self.assertEqual([one["verdict"] for one in verdicts], ["inside", "outside"])
        shims = {"id": "shims", "min": -9, "max": 9, "effect": {"axles/1/left/camber_deg": 0.5 if own > dip else -0.5}}
        planned = plan_job(parse(document(self.seen, spec=rows[1:], adjusters=[shims])))
        self.assertEqual([one["verdict"] for one in planned["verdicts"]], ["inside"])

    def test_where_nothing_says_how_the_ground_leans_it_is_told_only_if_asked_for(self):
        flat = self.seen[:-1]
        self.assertNotIn("camber_gravity", json.dumps(solve_job(parse(document(flat)))))
        rows = [{"quantity": "camber_gravity_deg", "axle": 1, "side": "left", "max": 9.0}]
        phase = solve_job(parse(document(flat, spec=rows)))["phases"]["before"]
        self.assertEqual(phase["verdicts"][0]["value"], phase["axles"][0]["left"]["camber_deg"]["value"])
        tilted = [*flat, {"phase": "before", "kind": "ground", "roll_deg": self.ROLL, "pitch_deg": self.PITCH}]
        judged = solve_job(parse(document(tilted, spec=rows)))["phases"]["before"]["verdicts"][0]
        self.assertAlmostEqual(judged["value"], self.dips[1, "left"], places=8)


class KnownTogether(unittest.TestCase):
    """A rig's covariance against one least-squares fit of all rows with the whole matrix, by other means."""

    def setUp(self):
        rng = np.random.default_rng(5)
        truth = some_truth(random.Random(5))
        self.readings = traced("stand", 4, (1200, -60), truth)
        # Heads see the same toes once more, so that there is something to check.
        bodies = Bodies(
            VAN, truth | {"axles/1/track_mm": 1546.0, "axles/2/track_mm": 1521.0, "axles/2/position_mm": POSITION}
        )
        more = [
            reading("sight", axle, side=side, to_axle=to, deg=0.0, u_deg=0.03)
            for axle in (1, 2)
            for to in (1, 2)
            for side in SIDES
        ]
        self.heads = [{**one.data, **bodies.shown(one)} for one in more]
        self.rows = [[i, name] for i, one in enumerate(self.readings) for name in KINDS[one["kind"]].ROWS]
        size = len(self.rows)
        mixed = rng.normal(size=(size, size)) * 0.3 + np.eye(size)
        u = np.array([{"along": 0.5, "square": 0.2}.get(name, 0.02) for _, name in self.rows])
        self.covariance = (mixed @ mixed.T) * u[:, None] * u
        self.errors = np.linalg.cholesky(self.covariance) @ rng.normal(size=size)

    def file(self, **blunder):
        rig = {
            "phase": "before",
            "kind": "rig",
            "rig": "stand",
            "rows": self.rows,
            "covariance": self.covariance.tolist(),
        }
        readings = [*self.readings, *self.heads, rig]
        first = 0
        for index, one in enumerate(self.readings):
            kind = KINDS[one["kind"]]
            made = kind(one)
            wrong = self.errors[first : first + len(kind.ROWS)]
            readings[index] = {
                **one,
                **made.showing([o.value + e for o, e in zip(made.observed(), wrong, strict=True)]),
            }
            first += len(kind.ROWS)
        for index, change in blunder.items():
            at = int(index.removeprefix("r"))
            readings[at] = {**readings[at], **change(readings[at])}
        return parse(document(readings))

    def dense(self, solution):
        """Values, covariance, chi-square and standardised residuals by dense matrices and scipy's own search."""
        readings = solution.readings
        layout = solution.layout
        u = np.concatenate([[o.u for o in r.observed()] for r in readings if r.observed()])
        whole = np.diag(u**2)
        size = len(self.rows)
        whole[:size, :size] = self.covariance
        inverse = np.linalg.inv(np.linalg.cholesky(whole))
        read = np.array([o.value for r in readings for o in r.observed()])
        scale = np.where(layout.lengths, 10.0, 1 / DEG)

        def misfit(y):
            state = State(layout, (y * scale).tolist())
            return inverse @ (read - [p.value for r in readings for p in r.predict(state)])

        fit = least_squares(misfit, np.array(layout.resting()) / scale, xtol=1e-15, ftol=1e-15, gtol=1e-15)
        jacobian = np.linalg.inv(inverse) @ fit.jac
        weight = np.linalg.inv(whole)
        covariance = np.linalg.pinv(jacobian.T @ weight @ jacobian)
        spread = whole - jacobian @ covariance @ jacobian.T
        residuals = np.linalg.inv(inverse) @ fit.fun
        tests = (weight @ residuals) / np.sqrt(np.maximum(np.diagonal(weight @ spread @ weight), 1e-9))
        return fit.x * scale, covariance * scale[:, None] * scale, 2 * fit.cost, tests

    def test_values_uncertainties_and_misfit_are_those_of_the_whole_matrix(self):
        solution = solve_phase(self.file(), "before").solution
        x, covariance, chi_square, _ = self.dense(solution)
        self.assertAlmostEqual(solution.chi_square, chi_square, places=5)
        for name in ("axles/1/bearing_deg", "axles/2/track_mm", "axles/2/position_mm", "axles/1/left/caster_deg"):
            index = solution.layout.find(name)
            unit = 1.0 if solution.layout.lengths[index] else DEG
            self.assertAlmostEqual(solution.unknown(name).value, x[index] * unit, places=3)
            self.assertAlmostEqual(solution.unknown(name).u / (covariance[index, index] ** 0.5 * unit), 1, places=4)

    def test_a_blunder_stands_out_by_the_standardised_residual_of_correlated_rows(self):
        def turned(one):
            return {"deg": one["deg"] + 0.4}

        solution = solve_phase(self.file(r6=turned), "before").solution
        first = solution.suspects()[0]
        tests = self.dense(solution)[3]
        self.assertEqual(first.reading, 6)
        self.assertAlmostEqual(first.sigmas, np.abs(tests).max(), places=3)

        def leans(one):
            x, y, z = one["axis"]
            return {"axis": [x, y, z + 0.02 * abs(y)]}

        # A camber of the rig is checked by nothing; a wheel that it sees turned is, by the heads.
        self.assertEqual(solve_phase(self.file(r0=leans), "before").suspects, ())

        def toes(one):
            x, y, z = one["axis"]
            return {"axis": [x + 0.03 * abs(y), y, z]}

        solution = solve_phase(self.file(r0=toes), "before").solution
        tests = np.abs(self.dense(solution)[3])
        found = {one.reading: one.sigmas for one in solution.suspects()}
        self.assertAlmostEqual(found[0], tests[:4].max(), places=3)
        self.assertAlmostEqual(max(found.values()), tests.max(), places=3)

    def test_shares_of_a_results_doubt_add_up_to_it(self):
        found = why(solve_phase(self.file(), "before"), "axles/1/left/toe_deg")
        self.assertAlmostEqual(sum(carrier.share for carrier in found.carriers), 1, delta=0.01)

    def test_without_a_reading_the_others_stay_known_as_they_were(self):
        made = self.file()
        kept = [r for i, r in enumerate(made.readings) if i != 2]
        solution = solved(*kept)
        rest = [i for i, (index, _) in enumerate(self.rows) if index != 2]
        together = solution.structure.observed(kept)[1].together[0]
        np.testing.assert_allclose(together.covariance, self.covariance[np.ix_(rest, rest)])
        self.assertEqual(len(together.rows), len(rest))


class Faults(unittest.TestCase):
    def faults(self, *changes):
        readings = traced("stand", 0, (0, 0), some_truth(random.Random(1)))[:3]
        rows = [[0, "along"], [0, "toe"], [1, "caster"]]
        readings.append(
            {"phase": "before", "kind": "rig", "rig": "stand", "rows": rows, "covariance": np.eye(3).tolist()}
        )
        for change in changes:
            change(readings)
        try:
            parse(document(readings))
        except JobFileError as error:
            return [fault.pointer for fault in error.faults]
        return []

    def test_a_covariance_that_fits_has_none_and_each_that_does_not_is_named_where_it_is_wrong(self):
        self.assertEqual(self.faults(), [])
        flat = {"phase": "before", "kind": "ground", "roll_deg": 0.0, "pitch_deg": 0.0}
        cases = [
            (lambda r: r[3]["rows"].__setitem__(2, [1, "toe"]), "/readings/3/rows"),
            (lambda r: r[3]["rows"].__setitem__(2, [9, "toe"]), "/readings/3/rows"),
            (lambda r: r[3]["rows"].__setitem__(2, [0, "toe"]), "/readings/3/rows"),
            (lambda r: r[3]["rows"].__setitem__(2, [0, "tow"]), "/readings/3/rows/2/1"),
            (lambda r: r[3]["rows"].__setitem__(2, 4), "/readings/3/rows/2"),
            (lambda r: r[3].__setitem__("rows", {}), "/readings/3/rows"),
            (lambda r: r[3]["covariance"].pop(), "/readings/3/covariance"),
            (lambda r: r[3]["covariance"][0].__setitem__(1, 0.5), "/readings/3/covariance"),
            (lambda r: r[3]["covariance"][1].__setitem__(1, -1), "/readings/3/covariance"),
            (lambda r: r[3]["covariance"][1].__setitem__(1, "1"), "/readings/3/covariance/1/1"),
            (lambda r: r.append(r[3]), "/readings/4"),
            (lambda r: r[3].__setitem__("rig", "other"), "/readings/3"),
            (lambda r: r[1].__setitem__("axis", [0, 0.2, -1]), "/readings/1/axis"),
            (lambda r: r[1].__setitem__("rig", "other"), "/readings/1/rig"),
            (lambda r: r.append(plumb("stand", [0, 0, -1])), "/readings/4/up"),
            (lambda r: r.append(plumb("other", [0, 0, 1])), "/readings/4/rig"),
            (lambda r: r.extend([plumb("stand", [0, 0, 1]), flat]), "/readings/4"),
        ]
        for number, (change, pointer) in enumerate(cases):
            with self.subTest(number):
                self.assertIn(pointer, self.faults(change))

        def related(readings):
            readings[3]["covariance"] = [[1, 0.9, -0.9], [0.9, 1, 0.9], [-0.9, 0.9, 1]]

        self.assertEqual(self.faults(related), ["/readings/3/covariance"])
