"""Deciding under uncertainty, against the guarded decisions of ISO 14253-1 and JCGM 106 (named from memory)."""

import unittest

from scipy.stats import norm

from alignment.estimate.solve import Estimate
from alignment.judge.verdict import decide


class Decisions(unittest.TestCase):
    def test_the_guard_band_is_two_standard_uncertainties_on_both_sides_of_a_limit(self):
        for value, expected in ((0.5, "inside"), (0.91, "undecided"), (1.0, "undecided"), (1.09, "undecided"),
                                (1.11, "outside"), (0.09, "undecided"), (-0.11, "outside")):  # fmt: skip
            with self.subTest(value=value):
                self.assertEqual(decide(Estimate(value, 0.05), 0.0, 1.0), expected)

    def test_called_inside_or_outside_it_is_so_with_at_least_97_percent(self):
        # JCGM 106: the conformance probability of a normal distribution about the value.
        u = 0.05
        for value in [i / 200 for i in range(-60, 261)]:
            verdict = decide(Estimate(value, u), 0.0, 1.0)
            conforms = norm.cdf(1.0, value, u) - norm.cdf(0.0, value, u)
            if verdict == "inside":
                self.assertGreaterEqual(conforms, 0.977)
            if verdict == "outside":
                self.assertLessEqual(conforms, 0.023)

    def test_one_sided_limits_and_no_limits(self):
        self.assertEqual(decide(Estimate(5.0, 0.1), 1.0, None), "inside")
        self.assertEqual(decide(Estimate(5.0, 0.1), None, 1.0), "outside")
        self.assertEqual(decide(Estimate(5.0, 0.1), None, None), "inside")

    def test_a_doubt_wider_than_the_tolerance_decides_nothing(self):
        self.assertEqual(decide(Estimate(0.5, 1.0), 0.0, 1.0), "undecided")

    def test_what_was_not_determined_is_said_so(self):
        self.assertEqual(decide(None, 0.0, 1.0), "undetermined")
