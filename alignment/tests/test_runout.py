"""Runout from any set of rolls, the clamp's error told from the rim's, and the ground's tilt."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from alignment.judge.runout import clamp_or_rim, judge_clamp
from alignment.model.levelling import ground_from_bar, ground_from_points
from alignment.model.state import DEG
from alignment.tests.cases import VAN


def rolled(parts, rolls=(0, 180, 90, 270), camber=-0.4, toe=None):
    """Positions of a clamp whose error is the sum of clock hands (size, angle), each turned with the wheel."""
    ec = sum(size * math.cos(angle / DEG) for size, angle in parts)
    es = -sum(size * math.sin(angle / DEG) for size, angle in parts)
    positions = []
    for roll in rolls:
        c, s = math.cos(roll / DEG), math.sin(roll / DEG)
        position = {"roll_deg": roll, "camber_deg": camber + ec * c + es * s}
        if toe is not None:
            position["toe_deg"] = toe + es * c - ec * s
        positions.append(position)
    return {"phase": "before", "kind": "runout", "axle": 1, "side": "left", "positions": positions, "u_deg": 0.005}


class AnyRolls(unittest.TestCase):
    @given(st.floats(0, 0.8), st.floats(0, 360), st.lists(st.floats(0, 360), min_size=3, max_size=6))
    @settings(max_examples=40, deadline=None)
    def test_three_rolls_that_differ_tell_size_and_wheel(self, size, clock, rolls):
        spread = np.linalg.svd([[1, math.cos(r / DEG), math.sin(r / DEG)] for r in rolls], compute_uv=False)
        if spread[2] < 0.3:
            return
        found = judge_clamp(VAN, rolled([(size, clock)], rolls), 0.03)
        self.assertAlmostEqual(found.size_deg, size, places=6)
        self.assertAlmostEqual(found.wheel_camber_deg, -0.4, places=6)

    def test_half_turns_quarter_turns_and_inches_with_toe_are_one_model(self):
        for rolls, toe in (((0, 180, 90, 270), None), ((0, 90, 180), None), ((0, 25, -25), 0.1), ((0, 120, 240), None)):
            found = judge_clamp(VAN, rolled([(0.3, 40)], rolls, toe=toe), 0.03)
            self.assertAlmostEqual(found.size_deg, 0.3, places=6, msg=rolls)

    def test_half_a_turn_alone_leaves_the_side_open(self):
        found = judge_clamp(VAN, rolled([(0.3, 40)], (0, 180)), 0.03)
        self.assertIsNone(found.size_deg)
        self.assertIn("any other roll", found.reason)


class ClampOrRim(unittest.TestCase):
    def told(self, clamp, rim, moved=90.0):
        # The clamp's hand turns with the clamp on the rim, the rim's stays.
        first = judge_clamp(VAN, rolled([clamp, rim]), 0.03)
        second = judge_clamp(VAN, rolled([(clamp[0], clamp[1] + moved), rim]), 0.03)
        return clamp_or_rim(first, second, moved, 0.03)

    def test_what_moves_with_the_clamp_is_the_clamps_and_what_stays_is_the_rims(self):
        for moved in (90.0, 180.0, -120.0, 45.0):
            found = self.told((0.3, 70), (0.2, 200), moved)
            self.assertAlmostEqual(found.clamp_deg, 0.3, places=9)
            self.assertAlmostEqual(found.rim_deg, 0.2, places=9)
        self.assertEqual(found.blame, "both")
        self.assertEqual(self.told((0.3, 70), (0.01, 0)).blame, "clamp")
        self.assertIn("bent rim", self.told((0.005, 70), (0.5, 0)).advice)

    def test_it_is_no_surer_than_the_gauge_and_a_clamp_hardly_moved_tells_nothing(self):
        self.assertEqual(self.told((0.03, 70), (0.03, 0)).blame, "cannot tell")
        with self.assertRaisesRegex(ValueError, "at least 30"):
            self.told((0.3, 70), (0.2, 200), 355.0)
        half = judge_clamp(VAN, rolled([(0.3, 40)], (0, 180)), 0.03)
        with self.assertRaisesRegex(ValueError, "to the end"):
            clamp_or_rim(half, half, 90, 0.03)


class Ground(unittest.TestCase):
    def test_a_bar_turned_end_for_end_loses_its_own_error(self):
        # The bar errs by 0.2; the ground leans 0.5 to the right and 0.3 to the front.
        found = ground_from_bar(0.7, 0.5, -0.3, -0.1)
        self.assertAlmostEqual(found["roll_deg"], 0.5)
        self.assertAlmostEqual(found["pitch_deg"], 0.3)
        bare = ground_from_bar(1, 2)
        self.assertEqual((bare["roll_deg"], bare["pitch_deg"]), (1, 2))
        # Turned end for end the bar's own error is gone, and two readings are better than one.
        self.assertLess(found["u_deg"], bare["u_deg"] / 2)

    @given(st.floats(-5, 5), st.floats(-5, 5))
    @settings(max_examples=40, deadline=None)
    def test_points_on_tilted_ground_give_roll_and_pitch_of_a_vehicle_on_it(self, roll, pitch):
        flat = np.array([[0, 800, 0], [0, -800, 0], [-2700, 800, 0], [-2700, -750, 0], [-1000, 100, 0]])
        leaning = Rotation.from_euler("xy", [roll, pitch], degrees=True).apply(flat)
        found = ground_from_points(leaning + np.array([5, 6, 7]))
        self.assertAlmostEqual(found["roll_deg"], roll, places=9)
        self.assertAlmostEqual(found["pitch_deg"], pitch, places=9)

    def test_too_few_points_or_points_on_a_line_are_refused(self):
        for points, word in (([[0, 0, 0], [1, 0, 0]], "at least 3"), ([[0, 0, 0], [1, 0, 0], [2, 0, 0]], "one line")):
            with self.assertRaisesRegex(ValueError, word):
                ground_from_points(points)
