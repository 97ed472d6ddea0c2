"""Where judged values land on their strips, and how they are said. No database."""

import unittest

from alignment.judge.verdict import Rule
from alignment.tests.cases import VAN, flags, results, toe_scales
from rectaxis.drawing.strips import WIDTH as STRIP_WIDTH
from rectaxis.drawing.strips import strip_groups
from rectaxis.visit.judged import judged


class Strips(unittest.TestCase):
    rules = (Rule("total_toe_deg", 1, minimum=0.0, maximum=0.3, preferred=0.1), Rule("thrust_angle_deg", maximum=0.1),
             Rule("camber_deg", 1, "left", minimum=-1.0))  # fmt: skip

    def strips(self, *readings, earlier=()):
        found = results(*readings, rules=self.rules)
        rows = [{"preferred": rule.preferred} for rule in self.rules]
        groups = strip_groups(judged(VAN, found.verdicts, rows, earlier, ["deg"]))
        return {strip.label: strip for group in groups for strip in group.strips}, groups

    def test_the_dot_lies_between_beyond_or_nowhere_as_the_verdict_says(self):
        strips, groups = self.strips(toe_scales(1, 0.5, 0.5, u_mm=0.05), flags(2, 20, 60))
        toe, thrust, camber = strips["total toe"], strips["thrust angle"], strips["left camber"]
        self.assertTrue(toe.low < toe.whisker[0] < toe.dot < toe.whisker[1] < toe.high)
        self.assertGreater(thrust.dot, thrust.high)
        self.assertIsNone(thrust.low)
        self.assertEqual((camber.dot, camber.word, camber.text), (None, "not measured", ""))
        self.assertEqual((toe.word, thrust.word), ("inside", "outside by 0.32°"))
        self.assertEqual([group.name for group in groups], ["Rear axle", "Front axle"])

    def test_beyond_is_counted_from_the_bound_that_is_passed(self):
        strips, _ = self.strips(toe_scales(1, -2, -2, u_mm=0.05))
        self.assertEqual((strips["total toe"].text, strips["total toe"].word), ("0.57° toe-out", "outside by 0.57°"))

    def test_what_is_far_out_is_drawn_at_the_end(self):
        strips, _ = self.strips(toe_scales(1, 90, 90))
        self.assertLessEqual(strips["total toe"].dot, STRIP_WIDTH)

    def test_the_earlier_value_stays_beside_the_new_one(self):
        before = results(toe_scales(1, 2, 2), rules=self.rules).verdicts
        strips, _ = self.strips(toe_scales(1, 0.5, 0.5), earlier=before)
        self.assertEqual(strips["total toe"].earlier_text, "0.57° toe-in")
        self.assertNotEqual(strips["total toe"].earlier, strips["total toe"].dot)
