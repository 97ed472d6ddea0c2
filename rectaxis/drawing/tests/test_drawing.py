"""Where numbers land on the drawing. No database."""

import unittest
from itertools import combinations, pairwise

from alignment.estimate.solve import Solution, solve
from alignment.judge.results import PhaseResults
from alignment.judge.runout import judge_clamp
from alignment.model.state import Layout
from alignment.patterns import patterns
from alignment.procedure.kit import kit, kit_codes
from alignment.procedure.station import Station
from alignment.procedure.walk import Stop, say_stop, stops
from alignment.tests.cases import FRAME, TRUCK, VAN, flags, results, toe_scales
from alignment.words.sayback import say_back
from rectaxis.drawing.clock import clock
from rectaxis.drawing.columns import spread_out
from rectaxis.drawing.plan import HEIGHT, WIDTH, PlanMaker
from rectaxis.drawing.rulers import FIELD_HIGH, Marks
from rectaxis.drawing.strips import Judged, strip_groups

KIT = kit("flag_lasers")
STATIONS = KIT.stations(VAN)
SETUPS = KIT.setups(VAN)


def slots_of(stop: Stop) -> list[str]:
    return [f"before/{stop.slot}"]


def maker(setup: int) -> PlanMaker:
    walked = [(stop, say_stop(VAN, stop)) for stop in stops(VAN, STATIONS, setup, "read")]
    return PlanMaker(VAN, SETUPS[setup - 1], walked, slots_of)


def drawn(setup: int = 1, found: PhaseResults | None = None, **typed: float):
    values = {f"before/{slot.replace('__', '/')}": (str(v), v) for slot, v in typed.items()}
    return maker(setup).draw(found, values)


def ruler(plan, slot: str):
    return next(r for r in plan.rulers if r.slot == f"before/{slot}")


class Plans(unittest.TestCase):
    def test_everything_to_type_in_stays_on_the_sheet_and_apart_for_every_kit_and_pattern(self):
        for code in kit_codes():
            for one in patterns().values():
                stations = kit(code).stations(one.vehicle)
                for setup in kit(code).setups(one.vehicle):
                    for stage in ("read", "roll"):
                        walked = [(stop, "x") for stop in stops(one.vehicle, stations, setup.number, stage)]
                        plan = PlanMaker(one.vehicle, setup, walked, slots_of).draw(None, {})
                        self.assertEqual(len(plan.rulers), len(walked))
                        self.assert_apart(plan, f"{code} {one.code} {setup.title}")

    def assert_apart(self, plan, words):
        for side in ("left", "right"):
            fields = sorted((r.field_x, r.field_wide, r.field_y) for r in plan.rulers if r.side == side)
            for x, wide, y in fields:
                self.assertTrue(0 <= x <= WIDTH - wide and 0 <= y <= HEIGHT - FIELD_HIGH, words)
                self.assertGreaterEqual(wide, 70, words)
            for (one, wide, _), (other, _, _) in pairwise(fields):
                self.assertGreaterEqual(other - one, wide, words)

    def test_columns_are_moved_no_further_than_they_must(self):
        self.assertEqual(spread_out([10, 100], 20, 0, 200), [10, 100])
        # Two that want one place share the way: each moves by half a gap.
        self.assertEqual(spread_out([50, 50], 20, 0, 200), [40, 60])
        self.assertEqual(spread_out([5, 5, 5], 20, 0, 200), [0, 20, 40])
        self.assertEqual(spread_out([0, 0, 0], 90, 0, 100), [0, 50, 100], "evenly where the room is short")

    def test_readings_grow_outboard_on_both_sides(self):
        plan = drawn(outboard_pair__2__left_mm=50.0, outboard_pair__2__right_mm=50.0)
        left, right = (ruler(plan, f"outboard_pair/2/{side}_mm") for side in ("left", "right"))
        self.assertGreater(left.per_unit, 0, "the left side is at the bottom: further out is further down")
        self.assertLess(right.per_unit, 0)
        self.assertAlmostEqual(left.marker_y + right.marker_y, HEIGHT)

    def test_a_number_off_the_scale_is_drawn_at_its_end(self):
        plan = drawn(outboard_pair__2__left_mm=5000.0)
        self.assertEqual(ruler(plan, "outboard_pair/2/left_mm").marker_y, ruler(plan, "outboard_pair/2/left_mm").bottom)

    def test_toe_in_turns_both_fronts_inward_and_a_bearing_to_the_right_turns_both_clockwise(self):
        found = results(toe_scales(1, 2, 2), flags(1, 40, 40), flags(2, 30, 50))
        wheels = {(w.axle, w.side): w.turn for axle in drawn(1, found).axles for w in axle.wheels}
        self.assertGreater(wheels[1, "left"], 0, "the left wheel is at the bottom: clockwise is inward")
        self.assertLess(wheels[1, "right"], 0)
        self.assertGreater(wheels[2, "left"], 0)
        self.assertEqual(wheels[2, "left"], wheels[2, "right"], "without toe the axle's bearing is drawn")

    def test_what_is_not_known_is_not_turned_and_has_no_line(self):
        plan = drawn()
        self.assertEqual({w.turn for axle in plan.axles for w in axle.wheels}, {None})
        self.assertEqual([line.kind for line in plan.lines], ["centre"])

    def test_beams_run_from_the_heads_and_suspects_are_marked(self):
        plan = maker(1).draw(None, {}, Marks({"toe_scales/2/left_mm": -0.5}, frozenset(["camber/2/left"])))
        head_x, flag = plan.pieces[0][0], ruler(plan, "outboard_pair/2/left_mm")
        # From the edge that is nearer to the flag: its name, 62 wide, stays legible.
        self.assertEqual(flag.beam_from[0], head_x - 31 if flag.x < head_x else head_x + 31)
        self.assertIsNone(ruler(plan, "camber/2/left/deg").beam_from)
        self.assertEqual([r.slot for r in plan.rulers if r.suspect], ["before/camber/2/left/deg"])
        self.assertEqual(ruler(plan, "toe_scales/2/left_mm").target, "\u22120.50")

    def test_any_scale_gets_a_few_round_labels(self):
        for least, most in ((0, 80), (-6, 6), (-4, 4), (0, 1e6), (-0.3, 812.7)):
            station = Station(
                "s", 1, "read", "scale", least, most, {"kind": "camber", "axle": 1, "side": "left"}, ("deg",)
            )
            plan = PlanMaker(VAN, SETUPS[0], [(Stop(station, "deg", "left", 1, 0.0), "a scale")], slots_of).draw(
                None, {}
            )
            labels = [tick.label for tick in plan.rulers[0].ticks if tick.label]
            self.assertTrue(2 <= len(labels) <= 5, labels)
            zero = [tick for tick in plan.rulers[0].ticks if tick.zero]
            self.assertEqual([tick.label for tick in zero], ["0"])
            self.assertAlmostEqual(zero[0].y, plan.rulers[0].zero_y)
            places = sorted(tick.y for tick in plan.rulers[0].ticks if tick.label)
            self.assertTrue(all(b - a >= 13 for a, b in pairwise(places)), "no label on another")

    def test_names_of_tools_stand_beside_each_other_and_none_on_another(self):
        for code in kit_codes():
            for pattern in patterns().values():
                for setup in kit(code).setups(pattern.vehicle):
                    stations = [s for s in kit(code).stations(pattern.vehicle) if s.setup == setup.number]
                    walk = [
                        (stop, "")
                        for of in ("roll", "read")
                        for stop in stops(pattern.vehicle, stations, setup.number, of)
                    ]
                    words = PlanMaker(pattern.vehicle, setup, walk, spread=False).draw(None, {}).tool_words
                    boxes = [(x - 3.4 * len(name), y, x + 3.4 * len(name)) for x, y, name in words]
                    for one, other in combinations(boxes, 2):
                        if abs(one[1] - other[1]) < 13:
                            self.assertTrue(one[2] <= other[0] or other[2] <= one[0], (code, pattern.code, words))

    def test_a_truck_is_drawn_axle_by_axle(self):
        plan = PlanMaker(TRUCK, None).draw(None, {})
        places = [axle.x for axle in plan.axles]
        self.assertEqual(places, sorted(places))
        self.assertEqual(len(places), 3)


class Clocks(unittest.TestCase):
    def clock_of(self, cosine: float, sine: float, side: str = "left"):
        angles = ((0, cosine), (180, -cosine), (90, sine), (270, -sine))
        positions = [{"roll_deg": roll, "camber_deg": value} for roll, value in angles]
        reading = {"phase": "before", "kind": "runout", "axle": 1, "side": side, "positions": positions}
        return clock(judge_clamp(VAN, reading, 0.03), 0.03)

    def test_the_hand_points_where_the_clamp_stands_proud(self):
        top, right = self.clock_of(0.2, 0.0), self.clock_of(0.0, 0.2)
        self.assertAlmostEqual(top.hand[0], top.centre)
        self.assertLess(top.hand[1], top.centre)
        self.assertGreater(right.hand[0], right.centre)
        self.assertLess(
            self.clock_of(0.0, 0.2, "right").hand[0], right.centre, "the right wheel is seen from its own side"
        )

    def test_the_rim_grows_with_the_error_and_the_ring_shrinks(self):
        small, large = self.clock_of(0.05, 0.0), self.clock_of(0.8, 0.0)
        self.assertEqual((small.full_deg, large.full_deg), (0.1, 1.0))
        self.assertGreater(small.limit, large.limit)
        self.assertIsNone(clock(None, 0.03).hand)


class Known(unittest.TestCase):
    """The drawing says no more of a line than the sentences do."""

    def test_a_thrust_line_that_may_be_straight_is_not_drawn_with_a_side(self):
        for off, words in ((0.3, "thrust line, straight within 0.0"), (8.0, r"thrust line, 0\.\d\d° (left|right)")):
            found = results(flags(2, 40.0, 40.0 + off))
            line = next(line for line in drawn(1, found).lines if line.kind == "thrust")
            self.assertRegex(line.label, words)
            self.assertEqual("straight" in line.label, "pushes straight as far" in say_back(found)[0])


class OffTheLines(unittest.TestCase):
    def test_the_number_of_a_target_stands_clear_of_the_beam_beside_it(self):
        slot = "before/outboard_pair/2/left_mm"
        for read, wanted in ((40.0, 40.5), (40.0, 38.0), (40.0, 70.0)):
            plan = maker(1).draw(None, {slot: (str(read), read)}, Marks({slot.removeprefix("before/"): wanted}))
            one = ruler(plan, "outboard_pair/2/left_mm")
            self.assertIsNotNone(one.target_y)
            (from_x, from_y), x = one.beam_from, one.x + 45
            beam_y = one.marker_y + (from_y - one.marker_y) * (x - one.x) / (from_x - one.x)
            middle = one.target_text_y - 4
            self.assertGreaterEqual(abs(middle - beam_y), 13.9, (read, wanted))

    def test_names_of_lines_stand_in_the_widest_room_between_axles_or_behind_the_king_pin(self):
        for code, at in (("van", 1), ("tractor_6x4", 1), ("trailer_3", 0)):
            vehicle = patterns()[code].vehicle
            plan = PlanMaker(vehicle, None).draw(None, {})
            across = [*([plan.body.pin] if plan.body.pin is not None else []), *(axle.x for axle in plan.axles)]
            self.assertTrue(across[0] < plan.names_x < across[1], (code, at))

    def test_the_sides_are_named_clear_of_wheels(self):
        for code in ("van", "truck_10x2", "trailer_4"):
            plan = PlanMaker(patterns()[code].vehicle, None).draw(None, {})
            wheels = [wheel for axle in plan.axles for wheel in axle.wheels]
            for wheel in wheels:
                self.assertGreater(abs(wheel.x - plan.open_x) - wheel.long / 2, 20, code)


class NothingRead(unittest.TestCase):
    def test_an_empty_solution_draws(self):
        solution = solve(VAN, FRAME, [])
        self.assertIsInstance(solution, Solution)
        self.assertIsInstance(solution.layout, Layout)
        self.assertEqual(len(drawn(1, PhaseResults.from_solution(solution)).axles), 2)


class Strips(unittest.TestCase):
    def test_a_value_beyond_the_end_of_its_strip_is_marked_as_such_and_one_on_it_is_not(self):
        def past(value):
            row = Judged(axle=1, title="Front", label="toe", quantity="total_toe_deg", verdict="outside", value=value,
                         expanded=0.1, low=0.0, high=0.2)  # fmt: skip
            return strip_groups([row])[0].strips[0].past

        self.assertEqual([past(value) for value in (-3.0, 0.1, 0.25, 3.0)], ["left", "", "", "right"])
