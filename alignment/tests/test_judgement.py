"""Makers' tables, likely causes, wear, what would settle a result, what disagrees, and the lengths between wheels."""

import json
import math
import unittest
from dataclasses import replace

from uncertainties import ufloat, umath

from alignment.errors import SpecificationError, UnknownQuantityError
from alignment.estimate.solve import Estimate
from alignment.jobfile import parse, solve_phase
from alignment.judge.derived import between_axles, steering_wheel
from alignment.judge.diagnose import LIKELY, POSSIBLE, RULES, Evidence, diagnose
from alignment.judge.plausible import questions
from alignment.judge.results import PhaseResults, suspicion
from alignment.judge.specification import (
    TableRow,
    halved,
    length_from_toe,
    rules_from,
    toe_from_length,
    toe_in_all_units,
)
from alignment.judge.verdict import Rule
from alignment.judge.wear import Assumptions, Range, cost_of_leaving, side_slip, slips
from alignment.judge.why import why
from alignment.model.vehicle import SIDES, Axle, Vehicle
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.procedure.missing import what_settles, worth_settling
from alignment.simulate.jobs import simulate
from alignment.tests.cases import TRUCK, VAN, flags, reading, results, solved, toe_scales
from alignment.words.explain import explain_why

BEAM = Vehicle((Axle(1, "steer", 0, 1490, steers=True), Axle(2, "dead", 2700, 1480, rigid=True)), thrust_axle=2)


class MakersTables(unittest.TestCase):
    def rule(self, **row):
        return TableRow.from_dict({"quantity": "total_toe_deg", "axle": 1, **row}).as_rule()

    def test_every_unit_means_the_same_angle(self):
        # An arc of one minute is 1/60 degree; an inch is 25.4 mm (both by definition).
        at_400 = 2 * math.degrees(math.asin(2 / 800))
        self.assertAlmostEqual(self.rule(unit="mm", minimum=2, diameter_mm=400).minimum, at_400)
        self.assertAlmostEqual(self.rule(unit="in", minimum=2 / 25.4, diameter_mm=400).minimum, at_400)
        self.assertAlmostEqual(self.rule(unit="mm/m", minimum=5).minimum, 2 * math.degrees(math.asin(5 / 2000)))
        self.assertAlmostEqual(self.rule(unit="min", maximum=12).maximum, 0.2)
        for diameter in (300.0, 400.0, 571.5, 1000.0):
            for toe in (-2.0, -0.1, 0.0, 0.3, 5.0):
                self.assertAlmostEqual(toe_from_length(length_from_toe(toe, diameter, 2), diameter, 2), toe)

    def test_the_print_of_the_toe_scales_is_that_same_length(self):
        # 3 mm at 400 mm on the scales is the rule's 3 mm at 400 mm.
        found = solved(toe_scales(1, 1, 2)).unknown("axles/1/total_toe_deg").value
        self.assertAlmostEqual(found, toe_from_length(3, 400, 2), places=12)

    def test_preferred_with_a_tolerance_becomes_two_bounds_and_one_side_may_be_open(self):
        rule = self.rule(unit="deg", preferred=0.1, tolerance=0.05)
        self.assertAlmostEqual(rule.minimum, 0.05)
        self.assertAlmostEqual(rule.maximum, 0.15)
        self.assertIsNone(self.rule(unit="deg", maximum=0.3).minimum)

    def test_total_toe_is_halved_between_the_sides(self):
        left, right = halved(self.rule(unit="deg", minimum=0, maximum=0.32, preferred=0.16))
        self.assertEqual((left.path, left.preferred), ("axles/1/left/toe_thrust_deg", 0.08))
        self.assertEqual((right.side, right.maximum), ("right", 0.16))
        with self.assertRaises(ValueError):
            halved(Rule("camber_deg", 1, "left"))

    def test_a_toe_is_shown_in_every_unit_with_its_sign_as_a_word(self):
        shown = toe_in_all_units(-0.2, 400, 2)
        self.assertEqual(shown["min"], "0°12' toe-out")
        self.assertEqual(shown["mm"], "1.4 mm toe-out")
        self.assertEqual(shown["in"], "0.055 in toe-out")
        self.assertEqual(shown["mm/m"], "3.5 mm/m toe-out")

    def test_a_row_that_cannot_be_used_says_which_field_and_why(self):
        for field, row in (
            ("diameter_mm", {"unit": "mm", "minimum": 1}),
            ("diameter_mm", {"unit": "mm", "minimum": 900, "diameter_mm": 400}),
            ("unit", {"unit": "furlong"}),
            ("quantity", {"quantity": "speed", "unit": "deg"}),
            ("unit", {"quantity": "camber_deg", "unit": "mm", "minimum": 1}),
            ("unit", {"quantity": "setback_mm", "unit": "deg", "minimum": 1}),
            ("minimum", {"unit": "deg", "minimum": 2, "maximum": 1}),
            ("tolerance", {"unit": "deg", "tolerance": 1}),
            ("tolerance", {"unit": "deg", "preferred": 1, "tolerance": -1}),
            ("row", {"unit": "deg", "colour": "red"}),
        ):
            with self.subTest(row=row), self.assertRaises(SpecificationError) as caught:
                self.rule(**row)
            self.assertEqual(caught.exception.field, field)
        self.assertEqual(len(rules_from([TableRow("setback_mm", "in", axle=1, maximum=0.2)])), 1)


def angle(kind, side, deg, axle=1, u=0.02):
    return reading(kind, axle, side=side, deg=deg, u_deg=u)


def limits(quantity, low, high, axle=1, side=None):
    return Rule(quantity, axle, side, minimum=low, maximum=high)


class Causes(unittest.TestCase):
    """The table of what readings mean. Common practice, no source."""

    def found(self, *readings, rules=(), vehicle=VAN, **known):
        seen = Evidence(results(*readings, rules=tuple(rules), vehicle=vehicle), **known)
        return {finding.rule: finding for finding in diagnose(seen)}

    def test_a_worn_inner_edge_is_camber_or_toe_out_by_what_was_measured(self):
        worn = {"wear": {(1, "left"): "inner"}}
        rules = [limits("camber_deg", -1, 1, side="left"), limits("total_toe_deg", 0, 0.3)]
        none = self.found(**worn)["one-sided-wear"]
        self.assertEqual((none.sure, none.confirm), (POSSIBLE, "measure both before blaming one"))
        camber = self.found(angle("camber", "left", -1.6), toe_scales(1, 0.5, 0.5, u_mm=0.05), rules=rules, **worn)
        self.assertIn("camber too negative", camber["one-sided-wear"].cause)
        # Limits against gravity hold for the camber on the road too, as on level ground.
        of_gravity = [limits("camber_gravity_deg", -1, 1, side="left"), limits("total_toe_deg", 0, 0.3)]
        level = self.found(angle("camber", "left", -1.6), toe_scales(1, 0.5, 0.5, u_mm=0.05), rules=of_gravity, **worn)
        self.assertEqual(level["one-sided-wear"].cause, camber["one-sided-wear"].cause)
        self.assertEqual(camber["one-sided-wear"].sure, LIKELY)
        toe = self.found(angle("camber", "left", 0.0), toe_scales(1, -2, -2, u_mm=0.05), rules=rules, **worn)
        self.assertIn("too much toe-out", toe["one-sided-wear"].cause)
        both_fine = self.found(angle("camber", "left", 0.0), toe_scales(1, 0.5, 0.5, u_mm=0.05), rules=rules, **worn)
        self.assertEqual(both_fine, {})

    def test_nothing_is_surer_than_the_readings(self):
        rules = [limits("camber_deg", -1, 1, 2, "left")]
        for value, u, sure in (
            (-1.5, 0.05, LIKELY),
            (-1.05, 0.05, POSSIBLE),
            (-0.5, 0.05, None),
            (-1.5, 0.4, POSSIBLE),
        ):
            found = self.found(angle("camber", "left", value, 2, u), rules=rules, vehicle=BEAM)
            self.assertEqual(found["beam-axle"].sure if found else None, sure)

    def test_a_doubt_wider_than_the_limits_leaves_either_side_possible(self):
        rules = [limits("camber_deg", -1, 1, side="left")]
        for edge in ("inner", "outer"):
            found = self.found(angle("camber", "left", 0.0, u=2.0), rules=rules, wear={(1, "left"): edge})
            self.assertEqual(found["one-sided-wear"].sure, POSSIBLE)

    def test_pressure_balance_and_dampers_are_told_from_alignment(self):
        for worn, word in (("both-shoulders", "too low"), ("centre", "too high"), ("cups", "balance")):
            found = self.found(wear={(1, "left"): worn})["wear-that-is-not-alignment"]
            self.assertIn(word, found.cause)
            self.assertIn("not alignment", found.cause)
        self.assertIn("toe", self.found(wear={(2, "right"): "feathered"})["feathered-wear"].cause)

    def test_a_pull_is_to_the_more_positive_camber_the_less_positive_caster_or_by_the_thrust(self):
        left = {"complaints": frozenset({"pulls-left"})}
        camber = self.found(angle("camber", "left", 1.0), angle("camber", "right", -0.2), **left)["pull"]
        self.assertIn("cross camber", camber.cause)
        caster = self.found(angle("caster", "left", 2.0), angle("caster", "right", 3.5), **left)["pull"]
        self.assertIn("cross caster", caster.cause)
        thrust = self.found(flags(2, 30, 46), **left)["pull"]
        self.assertIn("thrust", thrust.cause)
        other_way = self.found(angle("camber", "left", -0.2), angle("camber", "right", 1.0), **left)["pull"]
        self.assertIn("tyre", other_way.cause)
        self.assertIn("swap the front tyres", other_way.confirm)

    def test_a_wheel_off_centre_asks_for_the_thrust_line_first(self):
        off = {"complaints": frozenset({"wheel-off-centre"})}
        seen = Evidence(results(flags(2, 30, 46), flags(1, 40, 40)), **off)
        self.assertEqual(next(f.cause for f in diagnose(seen)), "the thrust line")
        self.assertIn("measure the thrust line first", self.found(**off)["wheel-off-centre"].confirm)

    def test_tower_and_spindle_are_told_apart_by_the_included_angle(self):
        rules = [limits("camber_deg", -1, 1, side="left"), limits("sai_deg", 12, 14, side="left"),
                 limits("included_deg", 11.5, 14.5, side="left")]  # fmt: skip
        tower = self.found(angle("camber", "left", 2.0), angle("sai", "left", 11.0), rules=rules)["strut-or-spindle"]
        self.assertIn("tower", tower.cause)
        spindle = self.found(angle("camber", "left", 3.0), angle("sai", "left", 13.0), rules=rules)["strut-or-spindle"]
        self.assertIn("spindle", spindle.cause)

    def test_setback_with_caster_less_on_the_same_side_is_a_collision(self):
        back = reading("setback_scales", 1, left_mm=40, right_mm=30, square_to="datum")
        found = self.found(back, angle("caster", "left", 4.0), angle("caster", "right", 2.5))["collision"]
        self.assertIn("collision on the right", found.cause)
        other = self.found(back, angle("caster", "left", 2.5), angle("caster", "right", 4.0))
        self.assertNotIn("collision", other)

    def test_unequal_turns_with_toe_right_are_a_bent_arm(self):
        turn = reading("turn", 1, inner_deg=20, outer_left_turn_deg=18.4, outer_right_turn_deg=17.0, u_deg=0.05)
        rules = [limits("total_toe_deg", 0, 0.3)]
        self.assertIn("steering-arm", self.found(turn, toe_scales(1, 0.5, 0.5, u_mm=0.05), rules=rules))
        self.assertNotIn("steering-arm", self.found(turn, toe_scales(1, 5, 5, u_mm=0.05), rules=rules))

    def test_a_rear_that_nothing_adjusts_is_worn_or_bent_and_a_shifted_axle_is_no_rods(self):
        toe_out = toe_scales(2, -3, -3, u_mm=0.05)
        rules = [limits("total_toe_deg", 0, 0.3, 2), Rule("thrust_angle_deg", minimum=-0.1, maximum=0.1)]
        self.assertIn("bush", self.found(toe_out, rules=rules)["nothing-adjusts"].cause)
        adjusts = frozenset({"axles/2/left/toe_deg"})
        self.assertNotIn("nothing-adjusts", self.found(toe_out, rules=rules, adjusts=adjusts))
        self.assertIn("shifted", self.found(flags(2, 20, 46), rules=rules, vehicle=BEAM)["axle-shifted"].cause)

    def test_words_that_no_rule_knows_are_refused(self):
        with self.assertRaisesRegex(ValueError, "got hums"):
            Evidence(results(), complaints=frozenset({"hums"}))

    def test_every_rule_says_why_and_what_would_confirm_it(self):
        self.assertEqual(len({rule.CODE for rule in RULES}), len(RULES))
        found = self.found(wear={(1, "left"): "cups"})["wear-that-is-not-alignment"].say()
        self.assertRegex(found, r"^Likely: .*\. Because .*\. To be sure: .*\.$")


class Wear(unittest.TestCase):
    def test_side_slip_is_a_thousand_times_the_tangent(self):
        # Geometry: metres sideways in a kilometre. Its uncertainty by the uncertainties package.
        slip = side_slip(Estimate(0.5, 0.05))
        by_hand = 1000 * umath.tan(ufloat(0.5, 0.05) * math.pi / 180)
        self.assertAlmostEqual(slip.value, by_hand.nominal_value)
        self.assertAlmostEqual(slip.u, by_hand.std_dev)

    def test_axles_that_fight_slip_by_half_their_scrub_each(self):
        pairs = [reading("outboard_pair", n, ahead_mm=ahead, on="frame", left_mm=0, right_mm=2 * ahead * tan, u_mm=0.1)
                 for n, tan in ((2, 0.004), (3, -0.002)) for ahead in (1000, 3000)]  # fmt: skip
        found = {slip.axle: slip.axle_slip for slip in slips(results(*pairs, vehicle=TRUCK))}
        self.assertIsNone(found[1])
        self.assertAlmostEqual(found[2].value, 3.0, delta=1e-4)
        self.assertAlmostEqual(found[3].value, -3.0, delta=1e-4)

    def test_costs_are_ranges_from_stated_assumptions_and_unknown_slip_costs_no_invented_fuel(self):
        given = Assumptions(life_km=Range(50_000, 100_000), free_slip=1, life_lost=Range(0.1, 0.2), fuel_l_per_100km=10,
                            fuel=Range(0.01, 0.02))  # fmt: skip
        known = slips(results(toe_scales(1, 2, 2, u_mm=0.01), toe_scales(2, 1, 1, u_mm=0.01)))
        slip = 1000 * math.tan(math.asin(2 / 400))
        cost = cost_of_leaving(known, given)
        self.assertAlmostEqual(cost.life_lost_km[1].low, 50_000 * 0.1 * (slip - 1))
        self.assertAlmostEqual(cost.life_lost_km[1].high, 100_000 * 0.2 * (slip - 1))
        mean = (slip + 1000 * math.tan(math.asin(1 / 400))) / 2
        self.assertAlmostEqual(cost.fuel_l_per_100km.low, 10 * 0.01 * mean)
        self.assertIsNone(cost_of_leaving(slips(results(toe_scales(1, 2, 2))), given).fuel_l_per_100km)
        self.assertIn("assumptions", given.say()[-1])
        with self.assertRaises(ValueError):
            Range(2, 1)


class Derived(unittest.TestCase):
    def test_the_steering_wheel_turns_by_the_ratio_and_its_doubt_with_it(self):
        found = results(flags(2, 36, 44), flags(1, 40, 40))
        ahead = found.estimates["steer_ahead_deg"]
        wheel = steering_wheel(found, 16, 0.5)
        by_package = -ufloat(16, 0.5) * ufloat(ahead.value, ahead.u)
        self.assertAlmostEqual(wheel.value, by_package.nominal_value)
        self.assertAlmostEqual(wheel.u, by_package.std_dev)
        self.assertIsNone(steering_wheel(results(), 16))
        with self.assertRaises(ValueError):
            steering_wheel(found, 0)

    def test_wheelbases_differ_by_the_setbacks_and_wheels_stand_out_by_tracks_and_offsets(self):
        cameras = [reading("wheel_axis", axle, side=side, centre_mm=centre, axis=[0, sign, 0])
                   for axle, side, sign, centre in ((1, "left", 1, [3, 770, 300]), (1, "right", -1, [-3, -770, 300]),
                                                    (2, "left", 1, [-2701, 765, 300]), (2, "right", -1, [-2699, -765, 300]))]  # fmt: skip
        found = between_axles(solved(*cameras), 1, 2)
        # Left wheels 2704 mm apart, right ones 2696: 8 mm longer on the left.
        self.assertAlmostEqual(found.wheelbase_difference.value, 8, places=9)
        self.assertAlmostEqual(found.step_out["left"].value, -5, places=9)
        self.assertEqual(found.step_out["left"].u, 0)
        self.assertIsNone(between_axles(solved(), 1, 2).wheelbase_difference)


class Propagation(unittest.TestCase):
    """A second implementation of error propagation: the uncertainties package, with all its correlations."""

    def test_results_share_the_errors_of_the_readings_they_come_from(self):
        found = results(flags(2, 36, 44, u_mm=0.4), flags(1, 40, 41, u_mm=0.3), toe_scales(1, 1, 2, u_mm=0.2))
        left2, right2 = ufloat(36, 0.4), ufloat(44, 0.4)
        left1, right1 = ufloat(40, 0.3), ufloat(41, 0.3)
        b2 = umath.atan((right2 - left2) / 2 / 2700)
        b1 = umath.atan((right1 - left1) / 2 / -2700)
        total = 2 * umath.asin((ufloat(1, 0.2) + ufloat(2, 0.2)) / 800 / umath.cos(b1))
        degrees = 180 / math.pi
        for path, value in (("thrust_angle_deg", b2), ("steer_ahead_deg", b1 - b2), ("axles/1/left/toe_deg", total / 2 + b1),
                            ("axles/1/right/toe_thrust_deg", total / 2 - (b1 - b2)), ("axles/1/total_toe_deg", total)):  # fmt: skip
            with self.subTest(path):
                self.assertAlmostEqual(found.estimates[path].value, (value * degrees).nominal_value, places=9)
                self.assertAlmostEqual(found.estimates[path].u, (value * degrees).std_dev, delta=1e-7)

    def test_a_mean_of_two_readings_of_unlike_weight_is_the_weighted_mean(self):
        found = results(reading("drive_over", 1, deg=0.2, u_deg=0.1), reading("drive_over", 1, deg=0.5, u_deg=0.2))
        one, two = ufloat(0.2, 0.1), ufloat(0.5, 0.2)
        mean = (one / 0.1**2 + two / 0.2**2) / (1 / 0.1**2 + 1 / 0.2**2)
        self.assertAlmostEqual(found.estimates["axles/1/total_toe_deg"].value, mean.nominal_value)
        self.assertAlmostEqual(found.estimates["axles/1/total_toe_deg"].u, mean.std_dev)


class WhatToReadNext(unittest.TestCase):
    def test_the_reading_that_settles_a_result_best_is_named_with_what_it_is_then_known_to(self):
        stations = kit("flag_lasers").stations(VAN)
        found = results(toe_scales(1, 1, 1))
        best = what_settles(found, stations, "thrust_angle_deg")
        self.assertEqual((best.station.slot, best.u_before, best.again), ("outboard_pair/2", None, False))
        # What it promises is what reading it gives.
        clamps = [reading("clamp", 2, side=side, cosine_deg=0, sine_deg=0, u_deg=0.25) for side in ("left", "right")]
        after = results(toe_scales(1, 1, 1), flags(2, 40, 40, u_mm=0.5, mount="flags for axle 2", clamp="raw"), *clamps)
        self.assertAlmostEqual(best.u_after, after.estimates["thrust_angle_deg"].u)
        self.assertIn("To know the thrust angle, read the flag scales", best.say(found))
        json.dumps(best.as_dict())

    def test_a_second_look_betters_the_reading_and_not_how_the_tool_hangs_and_is_advised_where_that_is_much(self):
        stations = {s.slot: s for s in kit("straightedge_tape").stations(VAN)}
        rim = stations["rim_angle/1/left"]
        one = results(reading("rim_angle", 1, side="left", deg=90.2, u_deg=rim.reading["u_deg"]))
        best = what_settles(one, stations.values(), "axles/1/left/camber_deg")
        self.assertTrue(best.again)
        parts = rim.spreads["u_deg"]
        self.assertAlmostEqual(best.u_after, math.hypot(parts["reading"] / math.sqrt(2), parts["setup"]), places=9)
        self.assertIn("To narrow the left front camber, read again", best.say(one))
        plate = kit("drive_over_plate").stations(VAN)
        driven = results(reading("drive_over", 1, deg=0.2, u_deg=plate[0].reading["u_deg"]))
        self.assertIsNone(what_settles(driven, plate, "axles/1/total_toe_deg"), "how the plate lies is most of it")

    def test_what_no_single_reading_of_the_kit_tells_is_left_open(self):
        stations = kit("flag_lasers").stations(VAN)
        self.assertIsNone(what_settles(results(), stations, "axles/1/left/caster_deg"))
        # Cross camber needs two readings; one settles nothing.
        self.assertIsNone(what_settles(results(), stations, "axles/1/cross_camber_deg"))

    def test_what_the_specification_asks_for_comes_first(self):
        found = results(
            toe_scales(1, 1, 1), rules=(limits("camber_deg", -1, 1, side="right"), limits("total_toe_deg", 0, 2))
        )
        self.assertEqual(worth_settling(found)[0], "axles/1/right/camber_deg")


class WhatDisagrees(unittest.TestCase):
    def test_two_readings_that_may_both_be_wrong_are_both_named(self):
        found = results(reading("drive_over", 1, deg=0.2), reading("drive_over", 1, deg=0.9))
        self.assertEqual([(s.reading, s.alike) for s in found.suspects], [(0, (1,)), (1, (0,))])
        self.assertEqual(found.solution.inseparable_from(0), [1])
        said = suspicion(found.solution, found.suspects[0])
        self.assertIn("may just as well be the total toe on the plate of axle 1", said)
        # Baarda 1968 (from memory): the residual over its own standard deviation, here 0.7 over 0.05·√2.
        self.assertAlmostEqual(found.suspects[0].sigmas, 0.7 / (0.05 * math.sqrt(2)))

    def test_a_third_reading_tells_which_of_them_it_is(self):
        plates = [reading("drive_over", 1, deg=deg) for deg in (0.2, 0.9, 0.21)]
        found = results(*plates)
        self.assertEqual((found.suspects[0].reading, found.suspects[0].alike), (1, ()))
        self.assertEqual(found.solution.inseparable_from(1), [])
        self.assertIn("Read it again", suspicion(found.solution, found.suspects[0]))

    def test_what_nothing_checks_is_said(self):
        found = results(toe_scales(1, 1, 1), reading("drive_over", 2, deg=0.1))
        self.assertEqual((found.solution.unchecked(), found.solution.redundancy), ([0, 1], 0))
        checked = results(toe_scales(1, 1, 1), reading("drive_over", 1, deg=0.3), flags(2, 1, 1))
        self.assertEqual(checked.solution.unchecked(), [2])


class Plausible(unittest.TestCase):
    """Questions a person would ask; common practice, no source."""

    stations = kit("flag_lasers").stations(VAN)

    def asked(self, last=None, rules=(), **values):
        read = {"flags": ("outboard_pair/2", ("left_mm", "right_mm")), "toe": ("toe_scales/1", ("left_mm", "right_mm"))}
        found = {}
        for name, numbers in values.items():
            if name == "camber":
                found |= {f"camber/1/{side}": {"deg": value} for side, value in zip(SIDES, numbers, strict=True)}
            else:
                slot, fields = read[name]
                found[slot] = dict(zip(fields, numbers, strict=True))
        return questions(self.stations, found, rules, last)

    def test_what_two_sides_usually_read_is_not_asked_about(self):
        self.assertEqual(self.asked(flags=(38.0, 46.0), toe=(1.0, -2.0), camber=(-0.4, 0.5)), {})

    def test_a_unit_a_point_a_sign_and_a_large_difference_are_asked_about_at_both_scales(self):
        for values, words in (({"flags": (46.0, 1.8)}, "in inches"), ({"flags": (46.0, 460.0)}, "its point"),
                              ({"camber": (1.2, -1.1)}, "the sign"), ({"flags": (40.0, 96.0)}, "further apart"),
                              ({"camber": (0.2, 3.1)}, "further apart")):  # fmt: skip
            asked = self.asked(**values)
            self.assertEqual(len(asked), 2, values)
            for question in asked.values():
                self.assertIn(words, question)
                self.assertTrue(question.endswith("?"))

    def test_an_angle_far_from_its_figures_or_from_the_last_visit_is_asked_about(self):
        rules = [Rule("camber_deg", 1, side, minimum=-1.0, maximum=0.3) for side in SIDES]
        self.assertIn("its point", self.asked(rules=rules, camber=(-4.2, -4.1))["camber/1/left/deg"])
        self.assertIn(
            "its sign", self.asked(rules=[replace(rules[0], minimum=-6.0)], camber=(4.2, 4.1))["camber/1/left/deg"]
        )
        last = {"axles/1/left/camber_deg": -0.4}
        self.assertIn("left at 0.40° leaning in", self.asked(last=last, camber=(0.9, 0.5))["camber/1/left/deg"])
        self.assertEqual(self.asked(last=last, camber=(-0.1, 0.0)), {})


class WhereANumberComesFrom(unittest.TestCase):
    def job(self, seed=4):
        made = simulate(pattern("van"), kit("frame_gauge_lasers"), seed)
        return parse(made.document)

    def test_shares_add_up_to_the_whole_doubt_of_every_result(self):
        found = PhaseResults.from_solution(solve_phase(self.job(), "before").solution, (), 0.05)
        for path, estimate in found.estimates.items():
            if estimate is not None and estimate.u > 0:
                self.assertAlmostEqual(
                    sum(carrier.share for carrier in why(found, path).carriers), 1.0, places=5, msg=path
                )

    def test_a_step_at_a_scale_changes_the_result_by_what_is_said(self):
        job = self.job()
        found = solve_phase(job, "before")
        for path in ("axles/1/total_toe_deg", "axles/1/left/caster_deg", "thrust_angle_deg", "axles/2/left/camber_deg"):
            carrier = next(one for one in why(found, path).carriers if one.reading is not None and one.steps[0].number in
                           job.readings[one.reading].data)  # fmt: skip
            step = carrier.steps[0]
            readings = list(job.readings)
            moved = dict(readings[carrier.reading].data)
            moved[step.number] += 0.01
            readings[carrier.reading] = type(readings[carrier.reading])(moved)
            again = solve_phase(replace(job, readings=tuple(readings)), "before")
            self.assertAlmostEqual(again.value(path) - found.value(path), 0.01 * step.change, delta=2e-5, msg=path)

    def test_what_is_not_determined_has_no_carriers_and_what_is_not_a_result_is_refused(self):
        found = results(toe_scales(1, 1, 1))
        self.assertIsNone(why(found, "thrust_angle_deg"))
        self.assertIn("not determined", explain_why(found, "thrust_angle_deg"))
        self.assertIn(
            "100%: toe scales of axle 1; 1 mm more on the left is +0.143°", explain_why(found, "axles/1/total_toe_deg")
        )
        with self.assertRaises(UnknownQuantityError):
            why(found, "axles/9/total_toe_deg")
