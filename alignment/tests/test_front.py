"""What the first page of a report answers."""

import unittest

from alignment.judge.fitness import fitness
from alignment.judge.wear import Cost, Range
from alignment.tests.cases import VAN
from alignment.words.front import say_cost, say_fitness, say_head


class Front(unittest.TestCase):
    def test_the_worst_that_holds_is_the_answer_and_its_count_is_said(self):
        for verdicts, unsafe, code, words in (
            (["inside", "inside"], False, "in-order", "All 2 angles are inside the limits."),
            (["inside"], False, "in-order", "The one angle judged is inside its limits."),
            (["inside", "undetermined"], False, "partly", "1 angle of 2 was not measured."),
            (["inside", "undecided"], False, "unsure", "1 angle of 2 is too close to a limit to say."),
            (["outside", "undecided", "outside"], False, "outside", "2 angles of 3 are outside the limits."),
            (
                ["outside", "undetermined"],
                False,
                "outside",
                "1 angle of 2 is outside the limits. 1 angle was not measured.",
            ),
            (["inside"], True, "unsafe", "Something on the vehicle is unsafe."),
            (["undetermined"], False, "unknown", "No angle was measured that there are limits for."),
            ([], False, "unknown", "No angle was measured that there are limits for."),
        ):
            found = fitness(verdicts, unsafe=unsafe)
            self.assertEqual(found.code, code, verdicts)
            self.assertTrue(say_fitness(found).endswith(words), say_fitness(found))
        # A toe-only job that is close to a limit is not called in order.
        self.assertEqual(say_head(fitness(["undecided", "undetermined"])), "Cannot be said")
        self.assertEqual(say_head(fitness(["undecided", "inside"])), "In order as far as can be told")

    def test_costs_are_said_as_ranges_and_nothing_is_said_of_what_is_not_known(self):
        cost = Cost({1: Range(1234.0, 7890.0), 2: Range(0.0, 0.0)}, Range(0.04, 0.31))
        self.assertEqual(
            say_cost(VAN, cost),
            [
                "Each tyre of the front axle loses 1,200 to 7,900 km of its life.",
                "It burns 0.0 to 0.3 l more in 100 km.",
            ],
        )
        self.assertEqual(
            say_cost(VAN, Cost({1: Range(0.0, 10.0)}, Range(0.0, 0.02))), ["Nothing worth naming in tyres or fuel."]
        )
        self.assertEqual(say_cost(VAN, Cost({}, None)), [])
        # The toe of the front alone: nothing is claimed of the rear, nor of fuel.
        self.assertEqual(say_cost(VAN, Cost({1: Range(0.0, 10.0)}, None)),
                         ["Nothing worth naming in the tyres of the front axle.", "What the rest costs is not known: it was not measured."])  # fmt: skip
