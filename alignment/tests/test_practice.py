"""General practice: bounds that fit every pattern, and no more than the trade says."""

import math
import unittest

from alignment.jobfile import FORMAT, VERSION, parse
from alignment.judge.practice import practice
from alignment.judge.tyres import unequal, worn
from alignment.patterns import patterns


class Practice(unittest.TestCase):
    def test_every_pattern_gets_rows_that_the_job_file_takes_and_that_are_wide_but_not_empty(self):
        for pattern in patterns().values():
            rows = practice(pattern.vehicle, pattern.group)
            rules = parse({"format": FORMAT, "version": VERSION, **pattern.as_dict(), "spec": rows}).rules
            self.assertTrue(rules, pattern.code)
            self.assertTrue(all(rule.minimum < rule.maximum for rule in rules), pattern.code)
            self.assertEqual(len({rule.path for rule in rules}), len(rules), pattern.code)
            steers = any(axle.steers for axle in pattern.vehicle.axles)
            self.assertLessEqual("steer_ahead_deg" in {rule.quantity for rule in rules}, steers, pattern.code)

    def test_twin_steered_axles_stand_parallel(self):
        # Common practice, no source: the drag link between them is set after each has its own toe.
        for code, pairs in (("truck_10x2", [[1, 2]]), ("coach", []), ("truck_6x4", [])):
            found = patterns()[code]
            rows = practice(found.vehicle, found.group)
            self.assertEqual([row["axles"] for row in rows if row["quantity"] == "parallelism_deg"], pairs, code)

    def test_a_cars_rear_total_toe_is_from_0_to_2_mm_at_the_rim(self):
        # Common practice, no source. The two wheels part by 1 mm each, over a rim of 400 mm.
        car = next(p for p in patterns().values() if p.group == "car")
        (row,) = [
            row for row in practice(car.vehicle, "car") if row["quantity"] == "total_toe_deg" and row["axle"] == 2
        ]
        self.assertEqual(row["min"], 0)
        self.assertAlmostEqual(row["max"], 2 * math.degrees(math.atan2(1, math.sqrt(400**2 - 1))), places=9)


class Tyres(unittest.TestCase):
    def test_wear_is_told_at_its_worst_place_and_only_over_a_way_that_shows_it(self):
        self.assertEqual(worn((6.0, None, 5.0), (4.5, 5.0, 4.7), 3000), (0, 1.5, 0.5))
        self.assertIsNone(worn((6.0,), (4.5,), 200), "too short a way")
        self.assertIsNone(worn((5.0,), (5.2,), 3000), "a new tyre did not grow")

    def test_pressures_count_as_equal_within_a_tenth_of_a_bar(self):
        self.assertFalse(unequal([]) or unequal([3.1]) or unequal([3.1, 3.15]))
        self.assertTrue(unequal([3.1, 3.3]))
