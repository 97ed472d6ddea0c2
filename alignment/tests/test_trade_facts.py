"""The sums that people do by hand. Common practice, no source."""

import unittest

from alignment.adjust.adjusters import Adjuster
from alignment.adjust.plan import make_plan
from alignment.adjust.see import must_show, state_after
from alignment.judge.verdict import Rule
from alignment.model.state import DEG
from alignment.model.vehicle import SIDES, default_datum
from alignment.tests.cases import FRAME, VAN, flags, reading, results, solved, toe_scales


class Flags(unittest.TestCase):
    def test_rear_flags_at_3_and_5_mean_that_the_front_steers_left_and_4_and_4_is_straight(self):
        self.assertLess(results(flags(1, 3, 5)).value("axles/1/bearing_deg"), 0)
        self.assertAlmostEqual(results(flags(1, 4, 4)).value("axles/1/bearing_deg"), 0, places=12)

    def test_gauges_on_the_frame_at_15_and_9_are_straight_at_12(self):
        pair = reading("outboard_pair", 1, ahead_mm=-2000, on="frame", left_mm=15, right_mm=9)
        offset = reading("outboard_pair", 1, ahead_mm=-3000, on="frame", left_mm=12, right_mm=12)
        solution = solved(pair, offset, datum=FRAME)
        straight = solution.state
        straight.x[straight.layout.bearing(1)] = 0.0
        straight.x[straight.layout.offset(1)] = 0.0
        shown = must_show(straight, solution.readings)[0]
        self.assertAlmostEqual(shown["left_mm"], 12)
        self.assertAlmostEqual(shown["right_mm"], 12)

    def test_two_millimetres_more_toe_in_move_flags_at_4_to_between_4_and_a_half_and_5(self):
        # Flags in centimetres, toe in millimetres at a 400 mm rim; the wheelbase of a car.
        solution = solved(flags(1, 40, 40, mount="flags"), flags(2, 40, 40), toe_scales(1, 0.5, 0.5))
        change = DEG * (3 - 1) / 400
        turns = [{f"axles/1/{side}/toe_deg": change / 2} for side in SIDES]
        shown = must_show(state_after(solution.state, turns), solution.readings)[0]
        for side in ("left_mm", "right_mm"):
            self.assertGreater(shown[side], 45)
            self.assertLess(shown[side], 50)


class Toe(unittest.TestCase):
    def total_mm(self, *scales, **fields):
        toe = results(toe_scales(1, *scales, **fields)).value("axles/1/total_toe_deg")
        return 400 * toe / DEG

    def test_1_in_and_2_in_are_3_toe_in_and_2_in_and_1_out_are_1(self):
        # The scale is along the chord, the sum along the arc: less than a micrometre apart.
        self.assertAlmostEqual(self.total_mm(1, 2), 3, delta=1e-3)
        self.assertAlmostEqual(self.total_mm(2, -1), 1, delta=1e-3)

    def test_heads_turned_round_read_toe_in_as_toe_out(self):
        self.assertAlmostEqual(self.total_mm(-1, -2, heads="reversed"), 3, delta=1e-3)

    def test_a_wanted_total_of_0_16_is_0_08_on_each_side(self):
        rods = [Adjuster(side, minimum=-50, maximum=50, cost=0.0, effect={f"axles/2/{side}/toe_deg": 0.01})
                for side in SIDES]  # fmt: skip
        wanted = (Rule("total_toe_deg", 2, preferred=0.16), Rule("thrust_angle_deg", preferred=0.0))
        found = results(flags(2, 37, 44), flags(1, 40, 40), toe_scales(2, -0.4, -0.1, heads="reversed"))
        plan = make_plan(found, wanted, rods)
        for side in SIDES:
            self.assertAlmostEqual(plan.estimates[f"axles/2/{side}/toe_deg"].value, 0.08, delta=0.006)

    def test_relative_to_a_thrust_line_each_side_shifts_and_the_total_stays(self):
        found = results(flags(2, 36, 44), flags(1, 40, 40), toe_scales(1, 1, 1))
        left, right = (found.value(f"axles/1/{side}/toe_thrust_deg") for side in ("left", "right"))
        self.assertAlmostEqual(left + right, found.value("axles/1/total_toe_deg"))
        thrust = found.value("thrust_angle_deg")
        self.assertAlmostEqual(left, found.value("axles/1/left/toe_deg") - thrust)
        self.assertGreater(thrust, 0)


class SetbackAndGround(unittest.TestCase):
    def test_the_lower_setback_scale_belongs_to_the_wheel_that_is_set_back(self):
        scales = reading("setback_scales", 1, left_mm=32, right_mm=28, square_to="datum")
        self.assertAlmostEqual(results(scales).value("axles/1/setback_mm"), 4)

    def test_on_a_rigid_axle_scales_square_to_the_wheels_say_nothing(self):
        from alignment.tests.cases import TRUCK

        found = results(reading("setback_scales", 2, left_mm=32, right_mm=28), vehicle=TRUCK)
        self.assertIsNone(found.value("axles/2/setback_mm"))
        self.assertIsNone(found.value("axles/2/bearing_deg"))

    def test_ground_one_degree_lower_on_the_right_is_taken_off_both_cambers(self):
        tilt = reading("ground", roll_deg=1.0, pitch_deg=0.0)
        cambers = [reading("camber", 1, side="left", deg=-1.0), reading("camber", 1, side="right", deg=1.0)]
        found = results(tilt, *cambers)
        self.assertAlmostEqual(found.value("axles/1/left/camber_deg"), 0, places=9)
        self.assertAlmostEqual(found.value("axles/1/right/camber_deg"), 0, places=9)


class Datums(unittest.TestCase):
    def test_offsets_of_the_axles_on_the_datum_are_zero_by_definition(self):
        found = results(flags(2, 40, 40))
        self.assertEqual((found.estimates["axles/1/offset_mm"].value, found.estimates["axles/1/offset_mm"].u), (0, 0))
        self.assertEqual(default_datum(VAN).kind, "axles")

    def test_against_two_axles_the_frame_has_a_line_of_its_own(self):
        # Heads on the van's axle 1; scales on a frame that runs 5 mm to the right and 0.2 degrees clockwise.
        from math import tan

        lean = tan(0.2 / DEG)
        places = [(-500.0, 0.0), (-1500.0, 0.0), (-2500.0, 0.0)]
        pairs = []
        for ahead, _ in places:
            half = -(5 + ahead * lean)
            pairs.append(reading("outboard_pair", 1, ahead_mm=ahead, on="frame", left_mm=-half, right_mm=half))
        solution = solved(*pairs, flags(1, 40, 40), flags(2, 40, 40))
        self.assertAlmostEqual(solution.unknown("frame/bearing_deg").value, 0.2, places=9)
        self.assertAlmostEqual(solution.unknown("frame/offset_mm").value, 5, places=9)
