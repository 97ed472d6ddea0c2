"""How long visits take: learned from what they took."""

import math
import unittest

import numpy as np

from planning.durations import Durations, Kind


class HowLong(unittest.TestCase):
    def test_what_visits_took_is_learned(self):
        rng = np.random.default_rng(5)
        slow, quick = Kind(2, "tape", technician="ann"), Kind(2, "heads", technician="ann")
        past = [
            (one, float(one.usual * factor * np.exp(rng.normal(0, 0.1))))
            for one, factor in ((slow, 1.5), (quick, 0.8))
            for _ in range(30)
        ]
        taught = Durations(past)
        for kind, factor in ((slow, 1.5), (quick, 0.8)):
            self.assertAlmostEqual(taught.of(kind).minutes / (kind.usual * factor), 1.0, delta=0.07)
        inside = [taught.of(kind).low <= minutes <= taught.of(kind).high for kind, minutes in past]
        self.assertGreater(sum(inside) / len(inside), 0.7)
        self.assertLess(
            taught.of(quick).high - taught.of(quick).low, Durations().of(quick).high - Durations().of(quick).low
        )

    def test_it_is_the_normal_model_conditioned_on_what_was_seen(self):
        # The same by conditioning a joint normal on the data (kriging), which inverts another matrix.
        kinds = [Kind(2, "a", technician="x"), Kind(3, "b", technician="x"), Kind(2, "b", technician="y")]
        past = [(kinds[0], 50.0), (kinds[1], 95.0), (kinds[0], 66.0)]

        def shared(one, other):
            return 0.25**2 * (1 + len(set(one.factors) & set(other.factors)))

        seen = [kind for kind, _ in past]
        cross = np.array([shared(kinds[2], one) for one in seen])
        known = np.array([[shared(one, other) for other in seen] for one in seen]) + 0.3**2 * np.eye(3)
        told = np.log([minutes / kind.usual for kind, minutes in past])
        expected = kinds[2].usual * math.exp(cross @ np.linalg.solve(known, told))
        self.assertAlmostEqual(Durations(past).of(kinds[2]).minutes, expected, places=6)

    def test_without_a_past_it_is_general_practice_with_a_wide_range(self):
        takes = Durations().of(Kind(5))
        self.assertEqual(takes.learned_from, 0)
        self.assertEqual(takes.minutes, Kind(5).usual)
        self.assertLess(takes.low, 0.7 * takes.minutes)
        self.assertLess(Durations().of(Kind(2, scope="toe")).minutes, 0.6 * Durations().of(Kind(2)).minutes)
