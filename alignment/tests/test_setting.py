"""Rods, targets, what the scales must show, and the walk."""

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from alignment.adjust.rods import TieRod, moves_for, reach_of, say_what_adjusts, target_for
from alignment.adjust.see import depends_on, must_show, state_after
from alignment.procedure.kit import kit, kit_codes
from alignment.procedure.session import clamps, readings, still_valid
from alignment.procedure.walk import stops
from alignment.readings import KINDS
from alignment.simulate.world import World
from alignment.solve import solve
from alignment.tests.cases import VAN, as_shown, flags, reading, results, solved, state_of, toe_scales
from alignment.vehicle import SIDES, default_datum
from alignment.verdict import Rule

DATUM = default_datum(VAN)
RODS = tuple(TieRod(axle, side, 1.25, 145.0) for axle in (1, 2) for side in SIDES)
RULES = (Rule("total_toe_deg", 1, minimum=0, maximum=0.3, preferred=0.14), Rule("total_toe_deg", 2, preferred=0.18),
         Rule("thrust_angle_deg", minimum=-0.1, maximum=0.1))  # fmt: skip


class Rods(unittest.TestCase):
    def test_a_flat_is_a_sixth_of_the_pitch_over_the_arm_and_a_double_thread_does_twice_as_much(self):
        single = TieRod(1, "left", 1.5, 150.0)
        self.assertAlmostEqual(single.toe_per_flat_deg, math.degrees(math.atan(0.25 / 150)))
        self.assertAlmostEqual(TieRod(1, "left", 1.5, 150.0, double=True).length_per_flat_mm, 0.5)

    def test_a_longer_rod_behind_the_axle_turns_the_wheel_in_and_one_ahead_turns_it_out(self):
        # A rigid arm about a vertical axis: its end behind the axle moved outboard points the wheel inboard.
        self.assertGreater(TieRod(1, "left", 1.5, 150.0).toe_per_flat_deg, 0)
        self.assertLess(TieRod(1, "left", 1.5, 150.0, ahead=True).toe_per_flat_deg, 0)

    def test_a_right_hand_end_lengthens_clockwise_seen_from_it_and_a_left_hand_end_the_other_way(self):
        # A right-hand screw turned clockwise goes away from whoever looks along it.
        self.assertEqual(TieRod(1, "left", 1.5, 150.0).hand(2), "clockwise")
        self.assertEqual(TieRod(1, "left", 1.5, 150.0).hand(-2), "anticlockwise")
        self.assertEqual(TieRod(1, "left", 1.5, 150.0, outer_thread="left").hand(2), "anticlockwise")

    def test_the_thread_is_said_as_a_person_finds_it(self):
        self.assertIn(
            "left-hand thread at the wheel's end", TieRod(1, "left", 1.5, 150.0, outer_thread="left").say_thread()
        )
        self.assertIn("right and left-hand", TieRod(1, "left", 1.5, 150.0, double=True).say_thread())

    def test_lengths_not_above_zero_are_refused(self):
        with self.assertRaises(ValueError):
            TieRod.from_dict({"axle": 1, "side": "left", "pitch_mm": 0, "arm_mm": 100})


def before():
    return results(flags(2, 34, 46, mount="r"), flags(1, 30, 44, mount="f"), toe_scales(1, 1.5, 1.5),
                   toe_scales(2, -1, -1.4, heads="reversed"), rules=RULES)  # fmt: skip


class Targets(unittest.TestCase):
    def test_the_rear_goes_to_the_centre_line_and_the_front_to_where_the_rear_pushes(self):
        found = before()
        self.assertEqual(target_for(found, RULES, 2).bearing_deg, 0.0)
        self.assertEqual(target_for(found, RULES, 1).bearing_deg, found.value("thrust_angle_deg"))

    def test_without_figures_or_without_a_thrust_line_there_is_no_target(self):
        self.assertIsNone(target_for(before(), (), 2))
        self.assertIsNone(target_for(results(toe_scales(1, 1, 1)), RULES, 1))

    def test_the_moves_end_within_half_a_flat_of_what_is_wanted(self):
        found = before()
        for axle in (1, 2):
            target = target_for(found, RULES, axle)
            for move in moves_for(found.solution.state, RODS, target):
                self.assertLessEqual(abs(move.to_deg - move.wanted_deg), abs(move.rod.toe_per_flat_deg) / 2 + 1e-12)

    def test_scales_read_again_where_they_must_stand_give_the_state_that_was_wanted(self):
        found = before()
        moves = moves_for(found.solution.state, RODS, target_for(found, RULES, 2))
        wanted = state_after(found.solution, [move.as_turn() for move in moves])
        again = [
            type(reading)({**reading.data, **{k: v for k, v in shown.items() if k != "reading"}})
            for reading, shown in zip(found.solution.readings, must_show(wanted, found.solution.readings), strict=True)
        ]
        after = solve(VAN, DATUM, again)
        for move in moves:
            toe = results(*again).value(f"axles/2/{move.rod.side}/toe_deg")
            self.assertAlmostEqual(toe, move.to_deg, places=6)
        # Where the two scales of a pair did not agree before, they do not after: what is free stays as read.
        self.assertAlmostEqual(after.chi_square, found.solution.chi_square, delta=1e-6)

    def test_turning_the_rear_puts_its_own_scales_out_of_date_and_not_the_fronts(self):
        self.assertTrue(depends_on(VAN, DATUM, flags(2, 0, 0), 2))
        self.assertFalse(depends_on(VAN, DATUM, flags(1, 0, 0), 2))
        self.assertTrue(depends_on(VAN, DATUM, toe_scales(2, 0, 0), 2))


angles = st.floats(-2, 2)


class Mirror(unittest.TestCase):
    @given(angles, angles, angles, angles, angles)
    @settings(max_examples=40, deadline=None)
    def test_a_mirrored_vehicle_swaps_the_scales(self, b1, b2, toe1, toe2, setback):
        truth = {"axles/1/bearing_deg": b1, "axles/2/bearing_deg": b2, "axles/1/total_toe_deg": toe1,
                 "axles/2/total_toe_deg": toe2, "axles/1/setback_mm": 5 * setback}  # fmt: skip
        mirrored = {k: -v if "bearing" in k or "setback" in k else v for k, v in truth.items()}
        for item in (flags(2, 1, 2, mount="m"), flags(1, 1, 2), toe_scales(1, 1, 2),
                     KINDS["setback_scales"]({"phase": "before", "axle": 1, "left_mm": 1, "right_mm": 2})):  # fmt: skip
            swapped = type(item)({**item.data, "left_mm": item.data["right_mm"], "right_mm": item.data["left_mm"]})
            one, other = as_shown(item, state_of(truth, item)), as_shown(swapped, state_of(mirrored, item))
            self.assertAlmostEqual(one.data["left_mm"], other.data["right_mm"], places=6)
            self.assertAlmostEqual(one.data["right_mm"], other.data["left_mm"], places=6)


class WhatAdjusts(unittest.TestCase):
    def test_what_the_rods_reach_is_said_to_be_set_there_and_the_rest_to_be_repaired(self):
        rules = (*RULES, Rule("camber_deg", 1, "left", maximum=0.0))
        found = results(flags(2, 20, 60), toe_scales(1, 5, 5), reading("camber", 1, side="left", deg=1.0), rules=rules)
        said = say_what_adjusts(found, RODS)
        self.assertIn("Front total toe: set at the rods of the front.", said)
        self.assertIn("Thrust angle: set at the rods of the rear.", said)
        self.assertIn("Left front camber: nothing in its layout adjusts it: repair, or tell the owner.", said)
        front = reach_of(VAN, RODS[:2])
        self.assertIn("axles/1/left/toe_deg", front)
        self.assertNotIn("thrust_angle_deg", front)


class Walk(unittest.TestCase):
    def test_the_walk_goes_forward_on_the_left_round_the_nose_and_back_on_the_right(self):
        walked = stops(VAN, kit("flag_lasers").stations(VAN), 1, "read")
        places = [(stop.side, stop.axle) for stop in walked]
        self.assertEqual(places, [("left", 2)] * 3 + [("left", 1), ("right", 1)] + [("right", 2)] * 3)
        self.assertEqual(len({stop.slot for stop in walked}), len(walked))

    def test_every_station_names_a_kind_and_a_scale(self):
        for code in kit_codes():
            for station in kit(code).stations(VAN):
                self.assertIn(station.reading["kind"], KINDS)
                self.assertLess(station.least, station.most)
                self.assertEqual(type(station).from_dict(station.as_dict()), station)
        with self.assertRaises(KeyError):
            kit("no such kit")


class Sessions(unittest.TestCase):
    def values(self, truth):
        world = World(VAN, DATUM, truth)
        self.stations = kit("flag_lasers").stations(VAN)
        return {station.slot: world.read(station) for station in self.stations}

    def test_camber_on_a_clamp_that_was_not_trued_is_freed_of_the_clamps_error(self):
        truth = {"axles/1/left/camber_deg": -0.5, "axles/1/left/clamp/cosine_deg": 0.3}
        values = self.values(truth)
        self.assertAlmostEqual(values["camber/1/left"]["deg"], -0.5 + 0.3)
        judged = clamps(VAN, self.stations, values, 0.03)
        accepted = [slot for slot, clamp in judged.items() if clamp.accepted]
        self.assertNotIn("runout/1/left", accepted)
        self.assertIn("runout/1/right", accepted)
        made = [KINDS[r["kind"]](r) for r in readings(self.stations, values, "before", accepted)]
        found = solved(*made)
        self.assertAlmostEqual(found.unknown("axles/1/left/camber_deg").value, -0.5, places=9)
        self.assertEqual(found.suspects(), [])

    def test_a_reading_counts_when_all_its_numbers_are_there(self):
        values = {"toe_scales/1": {"left_mm": 1.0}}
        self.values({})
        self.assertEqual(readings(self.stations, values, "before", []), [])
        values["toe_scales/1"]["right_mm"] = 2.0
        self.assertEqual(len(readings(self.stations, values, "before", [])), 1)

    def test_numbers_hold_after_a_turn_elsewhere_and_not_after_one_that_they_depend_on(self):
        self.values({})
        toe = next(s for s in self.stations if s.slot == "toe_scales/1")
        read = {"left_mm": 1.0, "right_mm": 1.0}
        self.assertTrue(still_valid(VAN, DATUM, toe, read, [2]))
        self.assertFalse(still_valid(VAN, DATUM, toe, read, [2, 1]))
