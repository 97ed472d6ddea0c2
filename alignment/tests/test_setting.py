"""What the scales must show after moves, what moves put out of date, advice step by step, and what is learned from it."""

import statistics
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from alignment.adjust.advice import advise
from alignment.adjust.effects import unknowns_moved
from alignment.adjust.hardware import hardware_of
from alignment.adjust.hold import aim_in_the_air, carried_over
from alignment.adjust.learning import Belief, Learned, Moved
from alignment.adjust.reach import reach_of, say_cannot, say_what_adjusts
from alignment.adjust.see import must_show, state_after, unknowns_shown
from alignment.adjust.standing import Made, Moment, Standing, result_changes
from alignment.adjust.wishes import STRAIGHT_DEG, Wishes
from alignment.estimate.solve import Estimate
from alignment.judge.verdict import Rule, judge
from alignment.model.state import DEG
from alignment.model.vehicle import SIDES, default_datum
from alignment.procedure.kit import kit, kit_codes
from alignment.procedure.session import clamps, readings, unknowns_changed, unknowns_told
from alignment.procedure.walk import stops
from alignment.readings import KINDS
from alignment.simulate.technicians import GARAGE, Yard, follow_advice, turn_a_bit
from alignment.simulate.world import World
from alignment.tests.cases import VAN, as_shown, flags, reading, results, solved, state_of, toe_scales

DATUM = default_datum(VAN)
RODS = hardware_of([{"kind": "tie_rod", "axle": axle, "side": side, "pitch_mm": 1.25, "arm_mm": 145.0}
                    for axle in (1, 2) for side in SIDES])  # fmt: skip
RULES = (Rule("total_toe_deg", 1, minimum=0, maximum=0.3, preferred=0.14), Rule("total_toe_deg", 2, preferred=0.18),
         Rule("thrust_angle_deg", minimum=-0.1, maximum=0.1))  # fmt: skip
KNOWN = Learned.before(RODS, {rod.family: Belief(1.0, 0.01) for rod in RODS})
REAR_FIRST = [2, 1]


def before(rules=RULES):
    return results(flags(2, 34, 46, mount="r"), flags(1, 30, 44, mount="f"), toe_scales(1, 1.5, 1.5),
                   toe_scales(2, -1, -1.4, heads="reversed"), rules=rules)  # fmt: skip


def advice(found, wishes=None, learned=KNOWN, **more):
    return advise(Standing([Moment(found)]), RODS, more.pop("positions", {}), learned, wishes or Wishes(), REAR_FIRST,
                  **more)  # fmt: skip


def ends(found):
    return {path: estimate.value for path, estimate in found.plan.estimates.items() if estimate is not None}


class References(unittest.TestCase):
    FLAT = abs(RODS[0].toe_per_flat_deg)

    def test_all_wheels_puts_the_rear_along_the_centre_line_and_the_front_where_the_rear_pushes(self):
        end = ends(advice(before()))
        self.assertAlmostEqual(end["thrust_angle_deg"], 0.0, delta=self.FLAT / 2)
        self.assertAlmostEqual(end["steer_ahead_deg"], 0.0, delta=self.FLAT / 2)
        self.assertAlmostEqual(end["axles/1/total_toe_deg"], 0.14, delta=self.FLAT)
        # Half on each side: the wanted total of the rear with no thrust.
        for side in SIDES:
            self.assertAlmostEqual(end[f"axles/2/{side}/toe_deg"], 0.09, delta=self.FLAT)

    def test_to_the_thrust_line_the_rear_stays_and_to_the_centre_line_the_front_forgets_it(self):
        found = advice(before(), Wishes("thrust"))
        self.assertEqual({step.hardware.axle for step in found.steps}, {1})
        self.assertAlmostEqual(ends(found)["steer_ahead_deg"], 0.0, delta=self.FLAT / 2)
        centre = ends(advice(before(), Wishes("centre"), skipped=[rod.id for rod in RODS if rod.axle == 2]))
        self.assertAlmostEqual(centre["axles/1/bearing_deg"], 0.0, delta=self.FLAT / 2)
        self.assertGreater(abs(centre["steer_ahead_deg"]), self.FLAT)

    def test_leaning_to_toe_in_ends_on_the_toe_in_side_within_its_limits(self):
        sharp = results(flags(1, 30, 44, u_mm=0.05), flags(2, 34, 46, u_mm=0.05), toe_scales(1, 1.5, 1.5, u_mm=0.05),
                        rules=RULES)  # fmt: skip
        plain, leaning = ends(advice(sharp)), ends(advice(sharp, Wishes(lean_in=True)))
        self.assertGreater(leaning["axles/1/total_toe_deg"], plain["axles/1/total_toe_deg"])
        self.assertLessEqual(leaning["axles/1/total_toe_deg"], 0.3)

    def test_the_fewest_moves_leave_alone_what_is_inside(self):
        inside = results(flags(2, 40, 40, mount="r"), flags(1, 40, 40, mount="f"), toe_scales(1, 0.9, 0.9, u_mm=0.05),
                         rules=RULES[:1])  # fmt: skip
        self.assertTrue(advice(inside).steps)
        self.assertEqual(advice(inside, Wishes(aim="fewest")).steps, ())

    def test_the_steering_wheel_is_brought_straight_whatever_the_figures_ask_unless_a_person_says_not(self):
        # Toe is inside and nothing else is asked; the front points 0.2 degrees off, three degrees of the steering wheel.
        off = 2700 * 0.2 / DEG
        crooked = results(flags(2, 40, 40, u_mm=0.1), flags(1, 40 + off, 40 - off, u_mm=0.1),
                          toe_scales(1, 0.9, 0.9, u_mm=0.05), rules=RULES[:1])  # fmt: skip
        self.assertAlmostEqual(abs(crooked.value("steer_ahead_deg")), 0.2, delta=0.01)
        found = advice(crooked, Wishes("thrust", aim="fewest"))
        self.assertEqual({step.hardware.axle for step in found.steps}, {1})
        self.assertLess(abs(ends(found)["steer_ahead_deg"]), STRAIGHT_DEG)
        self.assertEqual(advice(crooked, Wishes("thrust", aim="fewest", straight=False)).steps, ())

    def test_what_was_moved_and_is_too_close_to_say_is_bettered_where_it_can_be(self):
        edge = results(
            flags(2, 40, 40, u_mm=0.1),
            flags(1, 40, 40, u_mm=0.1),
            toe_scales(1, 1.04, 1.04, u_mm=0.05),
            rules=RULES[:1],
        )
        self.assertEqual(edge.judged["axles/1/total_toe_deg"], "undecided")
        moved = {rod.id: 1.0 for rod in RODS}
        found = advice(edge, Wishes(aim="fewest"), positions=moved)
        self.assertEqual(judge(RULES[0], found.plan.estimates["axles/1/total_toe_deg"])["verdict"], "inside")

    def test_what_is_surely_inside_is_not_made_too_close_to_say(self):
        for seed in range(30):
            yard = Yard.make("van", seed)
            found = yard.read()
            plan = advise(
                Standing([Moment(found)]), yard.hardware, {}, Learned.before(yard.hardware), Wishes(), [2, 1]
            ).plan
            for rule in found.rules:
                if found.judged[rule.path] == "inside":
                    self.assertEqual(judge(rule, plan.estimates[rule.path])["verdict"], "inside", (seed, rule.path))

    def test_what_was_moved_is_taken_up_again_only_for_what_would_end_outside(self):
        # Camber that nothing reaches stays outside, and excuses no toe.
        rules = (*RULES, Rule("camber_deg", 1, "left", maximum=0.0))
        found = results(flags(2, 40, 40, u_mm=0.1), flags(1, 40, 40, u_mm=0.1), toe_scales(1, 1.2, 1.2, u_mm=0.05),
                        toe_scales(2, -0.6, -0.6, heads="reversed", u_mm=0.05),
                        reading("camber", 1, side="left", deg=1.0), rules=rules)  # fmt: skip
        moved = {rod.id: 1.0 for rod in RODS}
        self.assertTrue(advice(found, positions=moved).steps)
        inside = replace(found, rules=(replace(rules[0], maximum=0.5), *rules[1:]))
        self.assertTrue(advice(inside).steps)
        self.assertEqual(advice(inside, positions=moved).steps, ())

    def test_a_rod_turned_beyond_where_a_plan_would_stop_is_turned_back_from_there(self):
        far = results(flags(2, 40, 40), flags(1, 40, 40), toe_scales(1, 9, 9, u_mm=0.05), rules=RULES[:1])
        steps = advice(far, positions={"A1 left tie rod": 30.0}).steps
        self.assertEqual([step.start for step in steps if step.hardware.id == "A1 left tie rod"], [30.0])
        self.assertTrue(all(step.end < step.start for step in steps))

    def test_what_the_technician_skips_is_not_moved(self):
        found = advice(before(), skipped=["A2 left tie rod"])
        self.assertNotIn("A2 left tie rod", [step.hardware.id for step in found.steps])

    def test_no_wheel_is_leaned_where_no_figure_says_how_it_should_lean(self):
        cam = {"kind": "cam", "axle": 2, "side": "left", "height_mm": 300.0, "throw_mm": 5.0, "toe_per_camber": 1.0}
        parts = hardware_of([cam])
        found = results(flags(2, 34, 46), flags(1, 40, 40), toe_scales(2, -1, -1, heads="reversed"),
                        reading("camber", 2, side="left", deg=-1.0), rules=RULES[1:])  # fmt: skip

        def steps(given):
            return advise(Standing([Moment(given)]), parts, {}, Learned.before(parts), Wishes(), REAR_FIRST).steps

        self.assertEqual(steps(found), ())
        judged = (*RULES[1:], Rule("camber_deg", 2, "left", minimum=-3.0, maximum=1.0))
        self.assertTrue(steps(replace(found, rules=judged)))

    def test_without_figures_nothing_is_to_be_moved(self):
        self.assertEqual(advice(before(())).steps, ())


class StepByStep(unittest.TestCase):
    def test_an_effect_that_is_badly_known_is_tried_with_the_shorter_move_and_not_further_than_likely_inside(self):
        tight = (Rule("total_toe_deg", 1, minimum=0.10, maximum=0.18, preferred=0.14), *RULES[1:])
        doubtful = Learned.before(RODS)
        found = advice(before(tight), learned=doubtful)
        rear = found.on(2)
        self.assertLessEqual(abs(rear[0].end), abs(rear[1].end))
        far = results(flags(2, 40, 40), flags(1, 40, 40), toe_scales(1, 9, 9), rules=(replace(tight[0], maximum=0.6),))
        self.assertTrue(any(step.cautious for step in advice(far, learned=doubtful).steps))
        self.assertFalse(any(step.cautious for step in advice(far).steps))

    def test_what_is_left_is_enough_where_the_kit_could_not_see_it(self):
        blunt = [toe_scales(1, 0.6, 0.6, u_mm=0.4), flags(1, 37, 43, u_mm=5), flags(2, 40, 40, u_mm=5)]
        found = advice(results(*blunt, rules=RULES[:1]))
        self.assertEqual((found.steps, found.enough), ((), (1,)))

    def test_turned_and_not_read_again_a_result_is_carried_on_with_the_doubt_of_the_turn(self):
        told, effect = before(), {"axles/1/left/toe_deg": 0.2}
        unread = replace(
            told, estimates={p: None if p.startswith("axles/1/") else e for p, e in told.estimates.items()}
        )
        standing = Standing([Moment(unread), Moment(told, (Made(effect, 0.3),))])
        was, now = told.estimates["axles/1/left/toe_deg"], standing.results.estimates["axles/1/left/toe_deg"]
        self.assertAlmostEqual(now.value, was.value + 0.2)
        self.assertAlmostEqual(now.u, (was.u**2 + (0.3 * 0.2) ** 2) ** 0.5)
        self.assertIn("axles/1/left/toe_deg", standing.waiting)
        self.assertNotIn("axles/2/left/toe_deg", standing.waiting)

    def test_the_scales_that_will_answer_are_named_with_what_they_must_show(self):
        told = before()
        effect = {"axles/2/left/toe_deg": 0.1}
        scales = Standing([Moment(told)]).scales([effect])
        shown = {told.solution.readings.index(item): numbers for item, numbers in scales}
        # The rear's own flags and toe scales answer; what hangs in front and looks at the rear's hubs does not.
        self.assertEqual(set(shown), {0, 3})
        wanted = state_after(told.solution.state, [effect])
        again = must_show(wanted, told.solution.readings)[0]
        self.assertAlmostEqual(shown[0]["left_mm"], again["left_mm"])

    def test_what_stays_outside_is_said_with_what_a_person_can_do(self):
        rules = (*RULES, Rule("camber_deg", 1, "left", maximum=0.0))
        found = results(flags(2, 20, 60), toe_scales(1, 5, 5), reading("camber", 1, side="left", deg=1.0), rules=rules)
        self.assertEqual([rule.path for rule in advice(found).cannot], ["axles/1/left/camber_deg"])
        said = say_cannot(VAN, rules[-1], found.estimates["axles/1/left/camber_deg"], RODS)
        self.assertIn("ends at 1.00° leaning out, 1.00° over the most allowed", said)
        self.assertIn("ask the maker", said)
        lines = say_what_adjusts(found, RODS)
        self.assertIn("Front total toe: set by the tie rods of the front.", lines)
        self.assertIn("Left front camber: nothing in its layout adjusts it: repair, or tell the owner.", lines)
        self.assertNotIn("thrust_angle_deg", reach_of(VAN, RODS[:2]))
        close = say_cannot(VAN, rules[-1], Estimate(-0.02, 0.03), RODS)
        self.assertIn("ends at 0.02° leaning in, within 0.02° of the most allowed", close)
        wide = Rule("tread_mm", 1, maximum=1495.0)
        self.assertIn("set by wheels of another inset", say_cannot(VAN, wide, Estimate(1500.0, 0.4), RODS))


class Learning(unittest.TestCase):
    def told(self, *toes):
        return [{"axles/1/left/toe_deg": Estimate(toe, 0.01)} for toe in toes]

    def test_a_reading_after_a_turn_teaches_its_share_and_that_of_its_like(self):
        was, now = self.told(0.0, 0.36)
        turned = Moved(RODS[0].id, {"axles/1/left/toe_deg": 0.2})
        learned = Learned.before(RODS).after([(was, [turned])], now)
        own, like = learned.of(RODS[0].id), learned.of(RODS[3].id)
        self.assertAlmostEqual(own.share, 1.8, delta=0.1)
        self.assertAlmostEqual(like.share, 1.75, delta=0.1)
        self.assertLess(own.u, like.u)
        self.assertLess(like.u, Learned.before(RODS).of(RODS[3].id).u / 2)
        self.assertEqual(learned.taught, {RODS[0].id})

    def test_the_regression_is_the_textbook_product_of_two_gaussians(self):
        # One adjuster, one observation: prior N(1, s), likelihood N(0.3/0.2, r/0.2).
        one = RODS[:1]
        prior = Learned.before(one, {one[0].family: Belief(1.0, 0.3)})
        was, now = self.told(0.0, 0.3)
        found = prior.after([(was, [Moved(one[0].id, {"axles/1/left/toe_deg": 0.2})])], now).of(one[0].id)
        s2, r2 = 0.3**2 + 0.1**2, (2 * 0.01**2 + (0.05 * 0.2) ** 2) / 0.2**2
        self.assertAlmostEqual(found.share, (1.0 / s2 + 1.5 / r2) / (1 / s2 + 1 / r2), places=9)
        self.assertAlmostEqual(found.u**2, 1 / (1 / s2 + 1 / r2), places=9)

    def test_a_turn_back_teaches_less_since_play_may_have_swallowed_it(self):
        was, now = self.told(0.0, -0.05)
        changes = {"axles/1/left/toe_deg": -0.1}
        plain, slack = (
            Learned.before(RODS).after([(was, [Moved(RODS[0].id, changes, part)])], now).of(RODS[0].id)
            for part in (0.0, 0.5)
        )
        self.assertLess(plain.u, slack.u)
        self.assertLess(plain.share, slack.share)

    def test_what_was_not_read_between_two_moves_teaches_their_sum(self):
        was, now = self.told(0.0, 0.3)
        move = Moved(RODS[0].id, {"axles/1/left/toe_deg": 0.1})
        unread = {"axles/1/left/toe_deg": None}
        learned = Learned.before(RODS).after([(was, [move]), (unread, [move])], now)
        self.assertAlmostEqual(learned.of(RODS[0].id).share, 1.5, delta=0.1)

    def test_advice_needs_at_most_half_the_rounds_of_turning_a_bit_and_looking(self):
        ours, habit = [], []
        for number in range(24):
            code = list(GARAGE)[number % len(GARAGE)]
            ours.append(follow_advice(Yard.make(code, number)))
            habit.append(turn_a_bit(Yard.make(code, number), doubling=True))
        self.assertTrue(all(outcome.inside for outcome in ours))
        each, usual = (statistics.median(outcome.per_adjuster for outcome in found) for found in (ours, habit))
        self.assertLessEqual(each, 0.5 * usual)


def reaches(effect, reading):
    """Whether a move changes what a reading shows."""
    return bool(unknowns_moved(VAN, DATUM, effect) & unknowns_shown(VAN, DATUM, reading))


class OutOfDate(unittest.TestCase):
    def test_turning_the_rear_puts_its_own_scales_out_of_date_and_not_the_fronts(self):
        turned = {"axles/2/left/toe_deg": 0.1}
        self.assertTrue(reaches(turned, flags(2, 0, 0)))
        self.assertFalse(reaches(turned, flags(1, 0, 0)))
        self.assertTrue(reaches(turned, toe_scales(2, 0, 0)))

    def test_camber_puts_its_own_gauge_out_of_date_and_no_toe(self):
        leaned = {"axles/1/left/camber_deg": 0.2}
        self.assertTrue(reaches(leaned, reading("camber", 1, side="left", deg=0.0)))
        self.assertFalse(reaches(leaned, reading("camber", 1, side="right", deg=0.0)))
        self.assertFalse(reaches(leaned, toe_scales(1, 0, 0)))

    def test_a_change_reaches_what_follows_by_definition(self):
        layout = solved(toe_scales(1, 0, 0)).layout
        changes = result_changes(layout, {"axles/2/left/toe_deg": 0.2})
        self.assertAlmostEqual(changes["thrust_angle_deg"], 0.1)
        self.assertAlmostEqual(changes["steer_ahead_deg"], -0.1)
        self.assertAlmostEqual(changes["axles/1/right/toe_thrust_deg"], 0.1)
        self.assertNotIn("axles/2/right/toe_deg", changes)

    @given(*(st.floats(-100, 100) for _ in range(3)))
    @settings(max_examples=20, deadline=None)
    def test_what_is_set_in_the_air_counts_by_its_change(self, target, frozen, lifted):
        self.assertAlmostEqual(carried_over(frozen, lifted, aim_in_the_air(target, frozen, lifted)), target, places=9)


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


class Walk(unittest.TestCase):
    def test_the_walk_goes_forward_on_the_left_round_the_nose_and_back_on_the_right(self):
        walked = stops(VAN, kit("flag_lasers").stations(VAN), 1, "read")
        places = [(stop.side, stop.axle) for stop in walked]
        self.assertEqual(places, [("left", 2)] * 3 + [("left", 1), ("right", 1)] + [("right", 2)] * 3)
        self.assertEqual(len({stop.slot for stop in walked}), len(walked))
        at_the_rear = [stop.station.reading["kind"] for stop in walked if stop.axle == 2]
        self.assertEqual(at_the_rear[:3], ["camber", "toe_scales", "setback_scales"])
        self.assertEqual(at_the_rear[3:], at_the_rear[2::-1], "on the right one comes to it from the other end")

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
        truth = {"axles/1/left/camber_deg": -0.5, "axles/1/left/clamp/cosine_deg": 0.6}
        values = self.values(truth)
        self.assertAlmostEqual(values["camber/1/left"]["deg"], -0.5 + 0.6)
        judged = clamps(VAN, self.stations, values, 0.03)
        accepted = [slot for slot, clamp in judged.items() if clamp.accepted]
        self.assertNotIn("runout/1/left", accepted)
        self.assertIn("runout/1/right", accepted)
        self.assertNotIn("clamp", [r["kind"] for r in readings(VAN, self.stations, values, "before")])
        made = [KINDS[r["kind"]](r) for r in readings(VAN, self.stations, values, "before")]
        found = solved(*made)
        self.assertAlmostEqual(found.unknown("axles/1/left/camber_deg").value, -0.5, places=9)
        self.assertEqual(found.suspects(), [])

    def test_a_reading_counts_when_all_its_numbers_are_there(self):
        values = {"toe_scales/1": {"left_mm": 1.0}}
        self.values({})
        self.assertEqual(readings(VAN, self.stations, values, "before"), [])
        values["toe_scales/1"]["right_mm"] = 2.0
        self.assertEqual([r["kind"] for r in readings(VAN, self.stations, values, "before")], ["toe_scales"])

    def test_a_wheel_that_was_not_rolled_brings_the_doubt_of_its_clamp_and_one_rolled_earlier_what_was_found(self):
        truth = {"axles/1/left/camber_deg": -0.5, "axles/1/left/clamp/cosine_deg": 0.3}
        values = self.values(truth)
        now = {"camber/1/left": {"deg": -1.4 + 0.3}, "camber/1/right": {"deg": 0.0}}
        runouts = clamps(VAN, self.stations, values, 0.03)
        earlier = {(1, "left"): runouts["runout/1/left"]}
        made = readings(VAN, self.stations, now, "after", earlier=earlier, unrolled_deg=0.25)
        found = solved(*(KINDS[r["kind"]](r) for r in made))
        left, right = (found.unknown(f"axles/1/{side}/camber_deg") for side in ("left", "right"))
        self.assertAlmostEqual(left.value, -1.4, places=9)
        self.assertLess(left.u, 0.06)
        self.assertGreater(right.u, 0.25)

    def test_numbers_hold_after_a_turn_elsewhere_and_not_after_one_that_they_depend_on(self):
        self.values({})
        toe = next(s for s in self.stations if s.slot == "toe_scales/1")
        read = {"left_mm": 1.0, "right_mm": 1.0}
        told = unknowns_told(VAN, DATUM, toe, read)
        self.assertTrue(told.isdisjoint(unknowns_changed(VAN, DATUM, {"axles/2/left/toe_deg": 0.1})))
        self.assertFalse(told.isdisjoint(unknowns_changed(VAN, DATUM, {"axles/1/left/toe_deg": 0.1})))
        self.assertIsNone(unknowns_told(VAN, DATUM, toe, {"left_mm": 1.0}))
