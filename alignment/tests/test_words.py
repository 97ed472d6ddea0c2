"""What people type and what they are told."""

import contextlib
import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from alignment.errors import TypedValueError
from alignment.judge.derived import held_u_deg, steering_wheel
from alignment.judge.results import PhaseResults
from alignment.judge.verdict import Rule
from alignment.model.levelling import ground_by_eye
from alignment.model.vehicle import Axle, Vehicle
from alignment.quantities import parse_distance, parse_typed, say
from alignment.readings import KINDS
from alignment.speech import Speech, speaking
from alignment.tests.cases import FRAME, TRUCK, flags, reading, results, solved, toe_scales
from alignment.words.sayback import say_back


class Odometers(unittest.TestCase):
    def test_a_pressure_is_read_in_every_unit_of_a_gauge(self):
        # 1 bar is 14.5038 psi (NIST SP 811, from memory).
        for text in ("2.4", "2,4 bar", "240 kPa", f"{2.4 * 14.5038:.4f} psi"):
            self.assertAlmostEqual(parse_typed(text, "pressure", "bar").value, 2.4, places=4, msg=text)
        with self.assertRaises(TypedValueError):
            parse_typed("2.4 mm", "pressure", "bar")

    def test_a_toe_in_mm_per_metre_is_what_two_wheels_part_by_over_a_metre_of_each(self):
        # Each wheel stands at half the angle: a point a metre along it moves aside by the sine; small angles are their radians.
        self.assertEqual(say("total_toe_deg", 0.25, "mpm"), f"{1000 * math.radians(0.25):.1f} mm/m toe-in")
        self.assertEqual(say("toe_deg", -0.1, "mpm"), f"{1000 * math.radians(0.1):.1f} mm/m toe-out")
        self.assertEqual(say("camber_deg", -0.1, "mpm"), say("camber_deg", -0.1, "deg"))

    def test_thousands_apart_in_any_way_and_miles_are_read_and_a_decimal_is_no_thousand(self):
        for text in ("82410", "82 410", "82,410", "82.410 km", "82'410", "82\u202f410 km"):
            self.assertEqual(parse_distance(text), 82410, text)
        self.assertEqual(parse_distance("1,234,567"), 1234567)
        self.assertEqual(parse_distance("512.5"), 512.5)
        self.assertAlmostEqual(parse_distance("51,200 mi"), 51200 * 1.609344)
        for text in ("82 41", "8,24,10", "far", "1,234.567", "-5", ""):
            with self.assertRaises(TypedValueError, msg=text):
                parse_distance(text)


class Typing(unittest.TestCase):
    def test_lengths_are_read_in_the_unit_typed_or_the_fields_own(self):
        for text, unit, value in (
            ("46", "mm", 46), ("4.6 cm", "mm", 46), ("149,2", "mm", 149.2), ("5 7/8", "in", 5.875 * 25.4),
            ('5-7/8"', "mm", 5.875 * 25.4), (".5 in", "mm", 12.7), ("-12.5", "mm", -12.5), ("−3", "mm", -3),
            ("5⅞ in", "mm", 5.875 * 25.4), ('½"', "mm", 12.7), ("+7", "mm", 7),
        ):  # fmt: skip
            with self.subTest(text=text):
                self.assertAlmostEqual(parse_typed(text, "length", unit).value, value)

    def test_angles_are_read_in_degrees_and_minutes(self):
        for text, value in (("0.25", 0.25), ("0°12'", 0.2), ("12'", 0.2), ("-0°12'", -0.2), ("1° 30' 36\"", 1.51),
                            ("-15′", -0.25), ("2 deg", 2)):  # fmt: skip
            with self.subTest(text=text):
                self.assertAlmostEqual(parse_typed(text, "angle", "deg").value, value)

    def test_nonsense_is_refused_with_what_would_be_understood(self):
        for text in ("", "abc", "5 7/0", "1..2", "12'", "--3", "1e5", "5 6", "٣٤x", "9" * 50):
            with self.subTest(text=text), self.assertRaises(TypedValueError) as caught:
                parse_typed(text, "length", "mm")
            self.assertIn("such as", str(caught.exception))

    @given(st.text(max_size=20), st.sampled_from(["length", "angle", "plain"]))
    def test_any_text_is_read_or_refused(self, text, dimension):
        with contextlib.suppress(TypedValueError):
            parse_typed(text, dimension, None)

    @given(st.floats(-500, 500))
    def test_a_plain_number_comes_back(self, value):
        self.assertAlmostEqual(parse_typed(f"{value:.4f}", "length", "mm").value, value, delta=6e-5)


class Saying(unittest.TestCase):
    def test_a_sign_is_a_word_and_what_rounds_to_nothing_has_no_side(self):
        self.assertEqual(say("thrust_angle_deg", 0.12), "0.12° right")
        self.assertEqual(say("total_toe_deg", -0.3), "0.30° toe-out")
        self.assertEqual(say("setback_mm", -3.04), "3.0 mm left wheel back")
        self.assertEqual(say("camber_deg", -0.001), "0.00°")
        self.assertEqual(say("camber_deg", -1.25, "dms"), "1°15' leaning in")

    def test_the_say_back_names_thrust_steering_and_toe_without_a_bare_minus(self):
        rules = (Rule("total_toe_deg", 1, minimum=0.0, maximum=0.1),)
        fine = {"u_mm": 0.1}
        found = results(flags(2, 36, 44), flags(1, 36, 40), toe_scales(1, 1.0, 1.0, **fine), rules=rules)
        said = " ".join(say_back(found, steering_ratio=16))
        self.assertIn("The rear pushes 0.08° to the right", said)
        self.assertIn("the steering wheel will sit about 2° to the right", said)
        self.assertIn("the steering wheel will sit to the right", " ".join(say_back(found)))
        self.assertIn("Front total toe is 0.29° toe-in, 0.19° over the most allowed: outside", said)
        self.assertNotIn("-0", said)

    def toes(self, **bearings):
        signs = (("left", 1), ("right", -1))
        return [reading("toe", int(axle[1:]), side=side, deg=sign * value, u_deg=0.01)
                for axle, value in bearings.items() for side, sign in signs]  # fmt: skip

    def test_in_every_style_a_doubt_too_small_to_say_is_said_to_be_less(self):
        for style in ("deg", "dms", "mpm"):
            self.assertIn("give or take less than 0", say_back(results(flags(2, 4.0, 40.0, u_mm=1e-4)), style)[0])

    def test_who_wants_inches_reads_what_flags_in_inches_show(self):
        # A quarter inch to the right over the flags' spacing of 3000 mm, 118.11 in: common practice, no source.
        inch, near, far = 25.4, (4.5, 5.5), (4.375, 5.875)
        pairs = [reading("outboard_pair", 2, ahead_mm=ahead, on="frame", left_mm=left * inch, right_mm=right * inch, u_mm=0.1)
                 for ahead, (left, right) in ((500, near), (3500, far))]  # fmt: skip
        found = PhaseResults.from_solution(solved(*pairs, datum=FRAME))
        with speaking(Speech(lengths="in")):
            self.assertIn("0.250 in over the 118.11 in between near and far", say_back(found)[0])
        self.assertIn("6.4 mm over the 3000 mm between near and far", say_back(found)[0])

    def test_a_tandem_runs_as_the_mean_of_its_axles_and_the_steering_wheel_follows_that(self):
        # The axles point 0.3 right and 0.1 left: on equal tyres the truck runs 0.1 to the right. The front points there, too.
        found = results(*self.toes(a1=0.1, a2=0.3, a3=-0.1), vehicle=TRUCK)
        self.assertAlmostEqual(steering_wheel(found, 20.0).value, 0.0, delta=1e-9)
        self.assertIn("Axles 2 and 3 together push 0.10° to the right", say_back(found)[0])
        self.assertIn("the front wheels follow the rear", say_back(found)[1])

    def test_how_the_steering_wheel_was_held_is_in_the_doubt_of_where_it_will_sit(self):
        # Common practice, no source: 0.7 degrees of the wheel by a level, 2 by eye, 0.3 by a pin; over the steering ratio.
        readings = self.toes(a1=0.1, a2=0.0)
        for how, wheel in (("level", 0.7), ("eye", 2.0), ("detent", 0.3), ("no", 2.0)):
            found = PhaseResults.from_solution(solved(*readings), (), held_u_deg(how, 20.0))
            bare = 20.0 * 0.01
            self.assertAlmostEqual(steering_wheel(found, 20.0).u, math.hypot(bare, wheel), delta=1e-6)
            self.assertAlmostEqual(found.estimates["steer_ahead_deg"].u, math.hypot(0.01, wheel / 20), delta=1e-6)

    def test_of_axles_apart_no_more_is_said_than_their_limits_and_the_readings_bear_out(self):
        limits = (Rule("scrub_deg", axles=(2, 3), minimum=-0.1, maximum=0.1),)
        for apart, words in ((0.05, "within what is allowed"), (0.3, "fight each other"), (0.1, "too close to say")):
            said = " ".join(say_back(results(*self.toes(a1=0, a2=0, a3=apart), vehicle=TRUCK, rules=limits)))
            self.assertIn(words, said)
            self.assertEqual("fight" in said, apart > 0.2)

    def test_where_all_axles_steer_the_last_one_says_where_the_vehicle_runs(self):
        both = Vehicle((Axle(1, "steer", 0, 1600, steers=True), Axle(2, "drive", 2800, 1600, steers=True)))
        said = say_back(results(*self.toes(a1=0.0, a2=0.2), vehicle=both), steering_ratio=16)
        self.assertIn("The rear pushes 0.20° to the right", said[0])
        self.assertIn("sit about 3° to the right", said[1])

    def test_a_trailer_pushes_nothing(self):
        trailer = Vehicle(tuple(Axle(n, "trailer", 1310.0 * (n - 1), 2040.0) for n in (1, 2)), 1)
        said = " ".join(say_back(results(*self.toes(a1=0.2, a2=0.2), vehicle=trailer)))
        self.assertIn("Axles 1 and 2 together run 0.20° to the right", said)
        self.assertNotIn("push", said)

    def test_it_is_never_more_sure_than_the_readings(self):
        found = results(flags(2, 39.9, 40))
        self.assertIn("pushes straight as far as these readings can tell", say_back(found)[0])

    def test_with_nothing_read_it_says_so(self):
        level = KINDS["ground"]({"phase": "before", "kind": "ground", **ground_by_eye()})
        for known in ((), (level,)):
            self.assertEqual(say_back(results(*known)), ["Nothing is read yet that says how the vehicle runs."])

    def test_what_disagrees_is_to_be_read_again_before_trusting_the_rest(self):
        doubled = (toe_scales(1, 1, 1, u_mm=0.05), toe_scales(1, 3, 3, u_mm=0.05), toe_scales(1, 1, 1, u_mm=0.05))
        said = say_back(results(*doubled))
        self.assertTrue(said[-1].startswith("Before trusting this, read the toe scales of axle 1 again"))
