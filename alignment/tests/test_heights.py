"""Figures that go by the ride height, against NumPy's own interpolation."""

import unittest

import numpy as np

from alignment.errors import SpecificationError
from alignment.judge.heights import at_heights, check_heights

CAMBER = [
    {
        "quantity": "camber_deg",
        "axle": 1,
        "side": "left",
        "min": low,
        "preferred": mid,
        "max": high,
        "height_mm": height,
    }
    for height, low, mid, high in ((380.0, -1.2, -0.9, -0.6), (340.0, -2.1, -1.8, -1.5), (400.0, -1.0, -0.7, -0.4))
]
CASTER = [
    {"quantity": "total_toe_deg", "axle": 2, "min": low, "height_mm": height}
    for height, low in ((300.0, 0.1), (360.0, 0.4))
]
PLAIN = {"quantity": "thrust_angle_deg", "min": -0.1, "max": 0.1}


class Heights(unittest.TestCase):
    def test_between_two_heights_it_is_what_another_library_interpolates_and_no_further_than_the_table(self):
        check_heights([*CAMBER, *CASTER, PLAIN])
        rng = np.random.default_rng(4)
        table = sorted(CAMBER, key=lambda row: row["height_mm"])
        for height in (*rng.uniform(340, 400, 50), 340.0, 380.0, 400.0):
            rows, untold = at_heights([*CAMBER, PLAIN], {(1, "left"): height, (1, "right"): 0.0})
            self.assertEqual(untold, [])
            self.assertEqual(rows[0], PLAIN)
            for bound in ("min", "preferred", "max"):
                expected = np.interp(height, [row["height_mm"] for row in table], [row[bound] for row in table])
                self.assertAlmostEqual(rows[1][bound], expected, places=12)
        for height in (339.9, 400.1):
            rows, (told,) = at_heights(CAMBER, {(1, "left"): height})
            self.assertEqual(rows, [])
            self.assertIn("from 340 to 400 mm of ride height, and it stands at", told)

    def test_an_axle_goes_by_the_mean_of_both_sides_and_what_is_not_measured_is_not_judged(self):
        (row,), _ = at_heights(CASTER, {(2, "left"): 320.0, (2, "right"): 340.0})
        self.assertAlmostEqual(row["min"], 0.25)
        self.assertNotIn("max", row)
        for known in ({}, {(2, "left"): 320.0}, {(1, "left"): 320.0, (1, "right"): 320.0}):
            rows, (told,) = at_heights(CASTER, known)
            self.assertEqual(rows, [])
            self.assertEqual(
                told,
                "Total toe of axle 2 is not judged: its figures go by the ride height, which is not measured.",
            )

    def test_what_is_no_table_says_what_is_missing(self):
        for rows, words in (
            (CAMBER[:1], "two ride heights or more"), ([*CASTER, CASTER[0]], "stands twice"),
            ([CASTER[0], {**CASTER[1], "max": 1.0}], "the same figures at each"), ([PLAIN | {"height_mm": 300.0}], "not of one axle"),
        ):  # fmt: skip
            with self.assertRaisesRegex(SpecificationError, words):
                check_heights(rows)


if __name__ == "__main__":
    unittest.main()
