"""Single kinds of reading: against bodies in three dimensions, and facts of the trade."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from alignment.judge.derived import rear_steer
from alignment.judge.results import PhaseResults
from alignment.judge.specification import TableRow
from alignment.model.state import DEG
from alignment.model.vehicle import Datum
from alignment.quantities import say
from alignment.tests.cases import FRAME, TRAILER, TRUCK, VAN, as_shown, reading, solved, state_of
from alignment.tests.test_rigid_bodies import outboard, wheel


class ThreeDimensions(unittest.TestCase):
    @given(bearing=st.floats(-1, 1), toe=st.floats(-1, 1), other=st.floats(-1, 1))
    @settings(max_examples=40, deadline=None)
    def test_beams_that_come_back_from_mirrors_count_angles_double(self, bearing, toe, other):
        item = reading("mirror_pair", 2, from_axle=1, distance_mm=2700, left_mm=0, right_mm=0)
        truth = {"axles/1/bearing_deg": other, "axles/2/bearing_deg": bearing, "axles/2/total_toe_deg": toe}
        strikes = {}
        for side, sign in (("left", 1), ("right", -1)):
            ray = wheel(side, sign * other, 0).apply([-1.0, 0, 0])
            start = np.array([0.0, sign * 770.0, 0.0])
            # A mirror square to the rear wheel's own plane line, facing forward.
            normal = wheel(side, toe / 2 + sign * bearing, 0).apply([1.0, 0, 0])
            hit = start + ray * ((np.array([-2700.0, start[1], 0]) - start) @ normal) / (ray @ normal)
            back = ray - 2 * (ray @ normal) * normal
            # The scale stands on the head, square to the head's own line.
            head = wheel(side, sign * other, 0).apply([1.0, 0, 0])
            end = hit + back * ((start - hit) @ head) / (back @ head)
            strikes[side] = sign * wheel(side, sign * other, 0).apply([0.0, 1.0, 0]) @ (end - start)
        predicted = item.predict(state_of(truth, item))[0].value
        # Toe spreads both beams alike; what the formula leaves out is of third order in the angles: 0.151 mm at the
        # corners of this range.
        self.assertAlmostEqual(predicted, (strikes["right"] - strikes["left"]) / 2, delta=0.16)

    @given(bearing=st.floats(-1, 1), square=st.floats(-1, 1), lean=st.floats(-1, 1), offset=st.floats(-30, 30))
    @settings(max_examples=40, deadline=None)
    def test_straightedge_and_frame_sides_against_a_frame_that_leans(self, bearing, square, lean, offset):
        # A rigid beam axle and a frame in the plane; the datum runs through two axles, the frame does not.
        axle = VAN.axle(2)
        frame = Rotation.from_euler("z", -lean, degrees=True)
        at = np.array([-axle.position_mm, 0.0, 0.0])
        hubs = {}
        for side, sign in (("left", 1), ("right", -1)):
            spindle = at + np.array([sign * square * 5, sign * axle.track_mm / 2, 0])  # setback s = 10·square
            inboard = Rotation.from_euler("z", -bearing, degrees=True).apply([0, -sign, 0.0])
            hubs[side] = spindle + inboard * (axle.track_mm - 1200) / 2  # the points span 1200 mm
        s = 10 * square
        item = reading("hub_square", 2, left_mm=0, right_mm=0, span_mm=1200)
        truth = {"axles/2/bearing_deg": bearing, "axles/2/setback_mm": s, "frame/bearing_deg": lean}
        ahead = frame.apply([1.0, 0, 0])
        lengths = {side: -(point @ ahead) for side, point in hubs.items()}
        predicted = item.predict(state_of(truth, item))[0].value
        # Lengths along the frame against tangents across it: apart by the cosine of a degree, of lengths under 100 mm.
        self.assertAlmostEqual(predicted, lengths["right"] - lengths["left"], delta=0.05)
        side = reading("frame_side", 1, left_mm=0, right_mm=0)
        truth = {"frame/bearing_deg": lean, "frame/offset_mm": offset}
        self.assertAlmostEqual(side.predict(state_of(truth, side))[0].value, -offset, places=9)

    def test_a_camera_reads_back_the_wheel_it_looks_at(self):
        for side, sign in (("left", 1), ("right", -1)):
            pose = wheel(side, 0.4, -1.2)
            centre = [-2700 + sign * 2.0, -6 + sign * 765, 310]
            item = reading("wheel_axis", 2, side=side, centre_mm=centre, axis=list(pose.apply(outboard(side)) * 3))
            found = solved(item, datum=FRAME)
            self.assertAlmostEqual(found.unknown("axles/2/setback_mm").value, 4, places=9)
            self.assertAlmostEqual(found.unknown("axles/2/offset_mm").value, 6, places=9)
            self.assertAlmostEqual(found.unknown(f"axles/2/{side}/camber_deg").value, -1.2, places=9)
            toe = found.estimate({i: f for f, i in found.layout.toe(2, side)}, length=False)
            self.assertAlmostEqual(toe.value, 0.4, places=9)

    def test_a_trailer_is_measured_against_its_king_pin(self):
        # Heads on axle 1, scales at the king pin 7 m ahead: 20 mm to the right over 7 m, half of it the offset of axle 1.
        datum = Datum("kingpin", None, 2)
        pair = reading("outboard_pair", 1, ahead_mm=7000, on="kingpin", left_mm=30, right_mm=50)
        found = solved(pair, vehicle=TRAILER, datum=datum)
        self.assertIsNone(found.unknown("axles/1/bearing_deg"))
        found = solved(pair, reading("frame_side", 1, left_mm=400, right_mm=400), vehicle=TRAILER, datum=datum)
        self.assertAlmostEqual(found.unknown("axles/1/bearing_deg").value, DEG * math.atan(10 / 7000), places=9)


class Facts(unittest.TestCase):
    """Common practice, no source."""

    def toe(self, *items):
        return solved(*items).unknown("axles/1/total_toe_deg").value

    def test_the_dial_turns_by_twice_the_total_toe(self):
        self.assertAlmostEqual(self.toe(reading("cross_dial", 1, dial_deg=0.5)), 0.25)
        millimetres = self.toe(reading("cross_dial", 1, dial_mm=4, reference_diameter_mm=400))
        self.assertAlmostEqual(millimetres, 2 * DEG * math.asin(1 / 400), places=9)

    def test_a_gauge_moved_5_or_10_rim_diameters_shifts_5_or_10_times_the_toe_at_the_rim(self):
        rim = 400.0
        at_rim = reading("tape_toe", 1, ahead_mm=1500, behind_mm=1502, diameter_mm=rim)
        toe = {"axles/1/total_toe_deg": self.toe(at_rim)}
        for times in (5, 10):
            for second, sign in (("rearward", 1), ("forward", -1)):
                gauge = reading("toe_gauge", 1, baseline_mm=times * rim, second=second, shift_mm=0)
                self.assertAlmostEqual(gauge.predict(state_of(toe))[0].value, sign * times * 2, delta=1e-3)

    def test_returned_beams_at_3_left_and_5_right_mean_that_the_rear_drives_to_the_right(self):
        for left, right in ((3, 5), (4, 4)):
            pair = reading("mirror_pair", 2, from_axle=1, distance_mm=2700, left_mm=left, right_mm=right)
            found = solved(pair, reading("outboard_pair", 1, ahead_mm=-2700, on=2, left_mm=40, right_mm=40))
            bearing = found.unknown("axles/2/bearing_deg").value
            self.assertAlmostEqual(bearing, DEG / 2 * math.atan((right - left) / 2 / 2700), places=9)

    def test_near_and_far_flags_say_how_the_rear_steers_over_their_spacing(self):
        # Inches: right 5 7/8 far and 5 1/2 near, left 4 3/8 far and 4 1/2 near: a quarter inch to the right.
        inch, spacing = 25.4, 3000.0
        near = reading("outboard_pair", 2, ahead_mm=500, on="frame", left_mm=4.5 * inch, right_mm=5.5 * inch)
        far = reading(
            "outboard_pair", 2, ahead_mm=500 + spacing, on="frame", left_mm=4.375 * inch, right_mm=5.875 * inch
        )
        found = solved(near, far, vehicle=TRUCK, datum=FRAME)
        bearing = found.unknown("axles/2/bearing_deg").value
        self.assertAlmostEqual(spacing * math.tan(bearing / DEG), 0.25 * inch, delta=1e-3)
        steer = rear_steer(PhaseResults.from_solution(found))
        self.assertEqual(steer.over_mm, spacing)
        self.assertAlmostEqual(steer.moved.value, 0.25 * inch, delta=1e-3)
        # Each of four flags is read to 0.5 mm, and half of the sum and difference is taken.
        self.assertAlmostEqual(steer.moved.u, 0.5, delta=1e-3)
        self.assertIsNone(rear_steer(PhaseResults.from_solution(solved(near, vehicle=TRUCK, datum=FRAME))))
        row = TableRow("thrust_angle_deg", "in", preferred=0.25, tolerance=0.0, diameter_mm=spacing)
        self.assertAlmostEqual(row.as_rule().preferred, bearing, places=9)

    def test_the_tape_tells_tread_width_and_stagger(self):
        # 1710 mm over the tyres and 1290 mm between them: from middle to middle 1500. Common practice, no source.
        found = solved(
            reading("tread", 1, outer_mm=1710, inner_mm=1290), reading("stagger", 1, left_mm=1900, right_mm=1916)
        )
        seen = PhaseResults.from_solution(found).estimates
        self.assertAlmostEqual(seen["axles/1/tread_mm"].value, 1500)
        self.assertAlmostEqual(seen["axles/1/stagger_mm"].value, 16)
        self.assertAlmostEqual(seen["axles/1/tread_mm"].u, 0.5 / 2**0.5)
        self.assertEqual(say("stagger_mm", seen["axles/1/stagger_mm"].value), "16.0 mm larger on the right")

    def test_centring_scales_at_8_right_and_4_left_are_centred_at_6(self):
        pair = reading("outboard_pair", 1, ahead_mm=-2700, on=2, left_mm=4, right_mm=8)
        straight = as_shown(pair, state_of({"axles/1/bearing_deg": 0.0}))
        self.assertEqual((straight.data["left_mm"], straight.data["right_mm"]), (6, 6))

    def test_an_inner_wheel_turned_20_and_an_outer_turned_18_are_2_apart(self):
        turn = reading("turn", 1, inner_deg=20, outer_left_turn_deg=18, outer_right_turn_deg=18.3)
        found = solved(turn)
        self.assertAlmostEqual(found.unknown("axles/1/toe_out_left_turn_deg").value, 2.0)
        self.assertAlmostEqual(found.unknown("axles/1/toe_out_right_turn_deg").u, 0.05 * math.sqrt(2))

    def test_ground_one_degree_off_level_is_the_zero_of_caster(self):
        tilt = reading("ground", roll_deg=0.0, pitch_deg=1.0)
        found = solved(tilt, reading("caster", 1, side="left", deg=-1.0))
        self.assertAlmostEqual(found.unknown("axles/1/left/caster_deg").value, 0.0, places=9)

    def test_a_length_to_an_axle_on_the_datum_tells_nothing_new_and_checks_all_the_same(self):
        datum = Datum("kingpin", None, 2)
        found = solved(reading("frame_side", 2, left_mm=400, right_mm=408), vehicle=TRAILER, datum=datum)
        # The frame counts as lying along a king pin datum, and the axle's middle lies on it by definition.
        self.assertEqual((found.rank, found.redundancy, found.consistent), (2, 1, False))
        self.assertAlmostEqual(found.suspects()[0].sigmas, 4 / (0.5 / math.sqrt(2)))
