"""Predictions against rigid bodies and rays in three dimensions, built with scipy.spatial.transform."""

import math
import unittest
from collections.abc import Sequence

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from alignment.judge.runout import in_doubt, judge_clamp
from alignment.model.state import DEG, Ground, Layout, State
from alignment.model.vehicle import SIDES, default_datum
from alignment.readings import KINDS
from alignment.tests.cases import VAN, WHEELBASE, flags, reading, solved, state_of

small = st.floats(-1.0, 1.0)
tilt = st.floats(-4.0, 4.0)


def wheel(side: str, toe_deg: float, camber_deg: float) -> Rotation:
    """The pose of a wheel: x forward, y left, z up; camber about x, then toe about z. Toe-in turns a left wheel right."""
    sign = 1 if side == "left" else -1
    return Rotation.from_euler("z", -sign * toe_deg, degrees=True) * Rotation.from_euler(
        "x", -sign * camber_deg, degrees=True
    )


def outboard(side: str) -> np.ndarray:
    return np.array([0.0, 1.0 if side == "left" else -1.0, 0.0])


def camber_of(normal: np.ndarray) -> float:
    return -math.degrees(math.asin(normal[2]))


class Beams(unittest.TestCase):
    @given(bearing=small, toe=small, other=small)
    @settings(max_examples=60, deadline=None)
    def test_beams_traced_from_the_wheels_strike_the_flags_where_the_reading_predicts(self, bearing, toe, other):
        pair = flags(2, 0, 0, mount="flags")
        base = 1540.0
        truth = {"axles/2/bearing_deg": bearing, "axles/2/total_toe_deg": toe, "axles/1/bearing_deg": other,
                 "axles/2/mounts/flags/base_mm": (1530 - base) / 2}  # fmt: skip
        shown = pair.showing([p.value for p in pair.predict(state_of(truth, pair))])
        for side, sign in (("left", 1), ("right", -1)):
            pose = wheel(side, toe / 2 + sign * bearing, 0.0)
            start = np.array([-WHEELBASE, sign * 1530 / 2, 0.0])
            ray = pose.apply([1.0, 0.0, 0.0])
            hit = start + ray * (0.0 - start[0]) / ray[0]
            # The reading's formula takes the pair's half difference as bearing alone and its half sum as toe alone;
            # what it leaves out is of third order: less than 0.01 mm for angles up to a degree.
            self.assertAlmostEqual(shown[f"{side}_mm"], sign * hit[1] - base / 2, delta=0.03)

    @given(bearing=small, toe=small)
    @settings(max_examples=40, deadline=None)
    def test_tyre_marks_ahead_and_behind_the_axle_differ_by_what_toe_scales_show(self, bearing, toe):
        diameter = 400.0
        scales = reading("toe_scales", 1, left_mm=0, right_mm=0, reference_diameter_mm=diameter, heads="forward")
        truth = {"axles/1/bearing_deg": bearing, "axles/1/total_toe_deg": toe}
        widths = []
        for end in (1, -1):
            marks = [wheel(s, toe / 2 + (1 if s == "left" else -1) * bearing, 0).apply([end * diameter / 2, 0, 0])
                     for s in SIDES]  # fmt: skip
            widths.append(marks[0][1] - marks[1][1])
        predicted = scales.predict(state_of(truth, scales))[0].value
        self.assertAlmostEqual(predicted, widths[1] - widths[0], places=9)


class Sights(unittest.TestCase):
    @given(values=st.lists(small, min_size=10, max_size=10), sizes=st.lists(st.floats(-400, 400), min_size=4, max_size=4),
           to=st.sampled_from((1, 2)), axle=st.sampled_from((1, 2)), side=st.sampled_from(SIDES))  # fmt: skip
    @settings(max_examples=80, deadline=None)
    def test_a_head_sees_its_neighbour_where_the_reading_predicts(self, values, sizes, to, axle, side):
        names = ("arm_mm", "out_mm", "to_arm_mm", "to_out_mm")
        sight = reading(
            "sight", axle, side=side, to_axle=to, deg=0.0, clamp="raw", **dict(zip(names, sizes, strict=True))
        )
        number = iter(values)
        truth = {f"axles/{a}/{name}_deg": 2 * next(number) for a in (1, 2) for name in ("bearing", "total_toe")}
        truth |= {f"axles/{a}/setback_mm": 20 * next(number) for a in (1, 2)}
        truth |= {f"axles/{a}/{s}/clamp/sine_deg": next(number) for a in (1, 2) for s in SIDES}
        opposite = SIDES[1 - SIDES.index(side)]
        places, headings = [], []
        for (a, s), arm, out in (((axle, side), *sizes[:2]), ((to, side if to != axle else opposite), *sizes[2:])):
            sign = 1 if s == "left" else -1
            toe = truth[f"axles/{a}/total_toe_deg"] / 2 + sign * truth[f"axles/{a}/bearing_deg"]
            pose = wheel(s, toe + truth[f"axles/{a}/{s}/clamp/sine_deg"], 0.0)
            centre = [
                -VAN.axle(a).position_mm + sign * truth[f"axles/{a}/setback_mm"] / 2,
                sign * VAN.axle(a).track_mm / 2,
                0,
            ]
            places.append(centre + pose.apply([arm, sign * out, 0.0]))
            headings.append(pose.apply([1.0, 0.0, 0.0]))
        line = places[1] - places[0]
        line = np.array([-line[1], line[0], 0.0]) if to == axle else line
        line = line if line[0] > 0 else -line
        # Seen from above: how far clockwise of the line the wheel points. Toe-in turns a left wheel clockwise.
        clockwise = math.degrees(math.atan2(-np.cross(line, headings[0])[2], line @ headings[0]))
        layout = Layout(VAN, default_datum(VAN))
        sight.declare(layout)
        known = {name: value for name, value in truth.items() if layout.find(name) is not None}
        predicted = sight.predict(state_of(known, sight))[0].value
        self.assertAlmostEqual(predicted, clockwise if side == "left" else -clockwise, places=9)


class Gravity(unittest.TestCase):
    @given(camber=tilt, toe=tilt, roll=tilt, pitch=tilt, side=st.sampled_from(SIDES))
    @settings(max_examples=80, deadline=None)
    def test_camber_on_tilted_ground_is_that_of_a_rigid_vehicle_turned_by_roll_then_pitch(
        self, camber, toe, roll, pitch, side
    ):
        gauge = reading("camber", 1, side=side, deg=0.0)
        layout = Layout(VAN, default_datum(VAN))
        values = {f"axles/1/{side}/camber_deg": camber, "axles/1/total_toe_deg": 2 * toe}
        state = State.from_values(layout, values.items(), Ground(roll / DEG, pitch / DEG))
        ground = Rotation.from_euler("xy", [roll, pitch], degrees=True)
        normal = ground.apply(wheel(side, toe, camber).apply(outboard(side)))
        self.assertAlmostEqual(gauge.predict(state)[0].value, camber_of(normal), places=9)

    @given(camber=tilt, toe=tilt, roll=tilt, pitch=tilt)
    @settings(max_examples=30, deadline=None)
    def test_slopes_on_tilted_ground_are_those_of_central_differences(self, camber, toe, roll, pitch):
        gauge = reading("camber", 1, side="right", deg=0.0)
        layout = Layout(VAN, default_datum(VAN))
        values = {"axles/1/right/camber_deg": camber, "axles/1/total_toe_deg": toe, "axles/1/bearing_deg": toe / 3}
        state = State.from_values(layout, values.items(), Ground(roll / DEG, pitch / DEG))
        for index, slope in gauge.predict(state)[0].slopes.items():
            ends = []
            for step in (1e-5, -1e-5):
                moved = State(layout, state.x, state.ground)
                moved.x[index] += step
                ends.append(gauge.predict(moved)[0].value)
            self.assertAlmostEqual(slope, (ends[0] - ends[1]) / 2e-5, delta=1e-5)


class Clamps(unittest.TestCase):
    """A clamp's face whose normal leans away from its high side, turned with a rolling wheel."""

    def rolled(
        self, side: str, camber: float, size: float, clock: float, off: Sequence[float] = (0, 0, 0, 0)
    ) -> list[dict[str, float]]:
        """Camber read after each roll, the wheel standing ``off`` its mark by so many degrees."""
        rolls = (roll + past for roll, past in zip((0, 180, 90, 270), off, strict=True))
        return [
            {"roll_deg": marked, "camber_deg": camber_of(self.face(side, camber, size, clock, roll))}
            for marked, roll in zip((0, 180, 90, 270), rolls, strict=True)
        ]

    def face(self, side: str, camber: float, size: float, clock: float, roll: float) -> np.ndarray:
        """The normal of the clamp's face on a wheel rolled forward."""
        pose, axis = wheel(side, 0.0, camber), outboard(side)
        # Seen from outside a left wheel's nose is on the left hand; the clock runs clockwise from the top.
        forward = np.array([-1.0 if side == "left" else 1.0, 0.0, 0.0])
        high = math.cos(math.radians(clock)) * np.array([0, 0, 1.0]) + math.sin(math.radians(clock)) * forward
        face = axis - math.tan(math.radians(size)) * high
        face /= np.linalg.norm(face)
        turned = Rotation.from_rotvec(math.radians(roll) * np.array([0.0, 1.0, 0.0]))
        return np.asarray(pose.apply(turned.apply(face)))

    def test_size_and_clock_of_the_error_are_those_of_the_rolled_face(self):
        for side in SIDES:
            for clock in (0, 40, 90, 200, 315):
                positions = self.rolled(side, -0.8, 0.4, clock)
                data = {"phase": "before", "kind": "runout", "axle": 1, "side": side, "positions": positions}
                clamp = judge_clamp(VAN, data, 0.03)
                with self.subTest(side=side, clock=clock):
                    # The model adds the two small angles; a rigid body composes them. At half a degree they part by
                    # less than a thousandth.
                    self.assertAlmostEqual(clamp.size_deg, 0.4, delta=1e-3)
                    self.assertAlmostEqual((clamp.clock_deg - clock + 180) % 360 - 180, 0, delta=0.2)
                    self.assertAlmostEqual(clamp.wheel_camber_deg, -0.8, delta=1e-3)

    def test_half_a_turn_apart_half_the_sum_is_the_wheel_and_the_knob_goes_halfway_back(self):
        positions = [{"roll_deg": 0, "camber_deg": 0.5}, {"roll_deg": 180, "camber_deg": -0.3}]
        data = {"phase": "before", "kind": "runout", "axle": 1, "side": "left", "positions": positions}
        clamp = judge_clamp(VAN, data, 0.03)
        self.assertAlmostEqual(clamp.wheel_camber_deg, 0.1)
        self.assertEqual([k.knob for k in clamp.knobs], ["upper"])
        self.assertAlmostEqual(clamp.knobs[0].change_deg, -0.4)
        self.assertFalse(clamp.accepted)
        self.assertIn("side knob", clamp.reason)

    def test_an_error_within_the_limit_is_accepted_and_a_large_one_says_where_to_look(self):
        said = ((0.02, True, "within"), (0.2, True, "calculation"), (0.7, False, "knobs"), (1.5, False, "quarter turn"))
        for size, accepted, word in said:
            data = {"phase": "before", "kind": "runout", "axle": 1, "side": "left",
                    "positions": self.rolled("left", 0.3, size, 70)}  # fmt: skip
            clamp = judge_clamp(VAN, data, 0.03)
            self.assertEqual(clamp.accepted, accepted)
            self.assertIn(word, clamp.reason)

    def test_an_error_taken_out_by_calculation_covers_that_wheels_stop_off_their_marks(self):
        rng, draws, u, inside = np.random.default_rng(7), 400, 0.005, {"camber": 0, "toe": 0}
        for _ in range(draws):
            off, clock = rng.normal(0, 2.0, 5), rng.uniform(0, 360)
            left = {"axle": 1, "side": "left", "phase": "before", "u_deg": u}
            runout = left | {"kind": "runout", "positions": self.rolled("left", -0.8, 0.45, clock, off[:4])}
            stands = self.face("left", -0.8, 0.45, clock, off[4])
            # Toe-in turns a left wheel's outboard normal to the front.
            gauges = (left | {"kind": "camber", "deg": camber_of(stands), "clamp": "raw"},
                      left | {"kind": "toe", "deg": math.degrees(math.atan2(stands[0], stands[1])), "clamp": "raw"},
                      left | {"kind": "toe", "side": "right", "deg": 0.0})  # fmt: skip
            made = [in_doubt(runout, judge_clamp(VAN, runout, 0.03).size_deg), *gauges]
            found = solved(*(KINDS[data["kind"]](data) for data in made))
            for name, truth, path in (("camber", -0.8, "left/camber_deg"), ("toe", 0.0, "total_toe_deg")):
                estimate = found.unknown(f"axles/1/{path}")
                inside[name] += abs(estimate.value - truth) <= 1.96 * estimate.u
        # Three standard deviations of a share of 0.95. Camber is told by the rolling itself too, so its doubt is ample.
        self.assertAlmostEqual(inside["toe"] / draws, 0.95, delta=0.035)
        self.assertGreater(inside["camber"] / draws, 0.95 - 0.035)

    def test_toe_read_while_rolling_tells_toe_and_both_parts_of_the_error(self):
        rolls = (0.0, 25.0)
        ec, es, toe, camber = 0.3, -0.2, 0.15, -0.5
        positions = [
            {"roll_deg": r,
             "camber_deg": camber + ec * math.cos(r / DEG) + es * math.sin(r / DEG),
             "toe_deg": toe + es * math.cos(r / DEG) - ec * math.sin(r / DEG)}
            for r in rolls
        ]  # fmt: skip
        wheels = [KINDS["runout"]({"phase": "before", "axle": 1, "side": s, "positions": positions}) for s in SIDES]
        solution = solved(*wheels)
        self.assertAlmostEqual(solution.unknown("axles/1/left/clamp/cosine_deg").value, ec, places=9)
        self.assertAlmostEqual(solution.unknown("axles/1/right/clamp/sine_deg").value, es, places=9)
        self.assertAlmostEqual(solution.unknown("axles/1/total_toe_deg").value, 2 * toe, places=9)
