"""Kits and axle patterns as data: every pair of them gives readings that come back to the truth, and says what it cannot see."""

import math
import random
import unittest

from alignment.estimate.solve import solve
from alignment.jobfile import parse, solve_phase
from alignment.judge.results import results_of, suspicions
from alignment.judge.swapped import swapped_heads
from alignment.judge.verdict import Rule
from alignment.model.state import Layout
from alignment.model.vehicle import Datum
from alignment.patterns import pattern, patterns
from alignment.procedure.kit import kit, kit_codes
from alignment.procedure.schools import SCHOOLS, default_reference, default_school, say_order
from alignment.procedure.station import spread
from alignment.procedure.steps import steps
from alignment.procedure.walk import stops
from alignment.readings import KINDS
from alignment.simulate.able import NEVER, SETTLES, UNSEEN, able
from alignment.simulate.jobs import simulate
from alignment.simulate.trials import hung_on_each_others, plant_blunder, standardised_errors


class Sides(unittest.TestCase):
    def test_each_number_of_a_station_names_its_own_sides_of_zero(self):
        sides = {}
        for code in kit_codes():
            for station in kit(code).stations(pattern("van").vehicle):
                sides |= {path: station.sides(path) for path in station.fields if station.minus}
        for path, words in (
            ("roll_0", "top out"),
            ("toe_0", "toe-in"),
            ("toe_180", "toe-in"),
            ("pitch_in_deg", "front up"),
        ):
            self.assertEqual(sides[path][0], words, path)


class Patterns(unittest.TestCase):
    def test_there_is_one_for_each_layout_of_the_trade(self):
        counts = {}
        for one in patterns().values():
            counts.setdefault(one.group, set()).add(len(one.vehicle.axles))
        self.assertEqual(
            counts, {"car": {2}, "van": {2}, "truck": {2, 3, 4, 5}, "bus": {2, 3}, "trailer": {1, 2, 3, 4}}
        )
        self.assertEqual(pattern("truck_10x2").wheels_on, {1: 2, 2: 2, 3: 2, 4: 4, 5: 2})
        self.assertIsNone(pattern("car_rear_steer").vehicle.thrust_axle)
        with self.assertRaisesRegex(KeyError, "no pattern is called"):
            pattern("tricycle")

    def test_each_is_a_good_vehicle_of_the_job_file(self):
        for code, one in patterns().items():
            job = parse({"format": "rectaxis-job", "version": 1, **one.as_dict()})
            with self.subTest(code):
                self.assertEqual((job.vehicle, job.datum), (one.vehicle, one.datum))


class EveryKitOnEveryPattern(unittest.TestCase):
    def test_without_noise_the_truth_comes_back(self):
        for code in kit_codes():
            for one in patterns().values():
                made = simulate(one, kit(code), 7, noise=False)
                results = solve_phase(parse(made.document), "before")
                # A bearing that nothing tells is taken as 0: on a pitched floor it would change the camber a little.
                headed = all(e is not None for path, e in results.estimates.items() if path.endswith("bearing_deg"))
                least = 1e-9 if headed else 0.02
                every = results_of(results.solution.layout)
                for path, estimate in results.estimates.items():
                    result = every[path]
                    # Where a toe or an inclination is not read it is assumed, and a swing comes out by as much wrong.
                    swung = any(word in path for word in ("caster", "sai", "included"))
                    assumed = swung and not self.all_read(results, path)
                    if estimate is not None and not assumed:
                        names = results.solution.layout.names
                        truth = sum(f * made.truth.get(names[i], 0.0) for i, f in result.combination.items())
                        self.assertAlmostEqual(
                            estimate.value, truth, delta=least * max(1, abs(truth)), msg=f"{code} {path}"
                        )

    @staticmethod
    def all_read(results, path):
        axle = path.split("/")[1]
        sides = [part for part in path.split("/") if part in ("left", "right")] or ["left", "right"]
        wheels = [f"axles/{axle}/{side}/{name}" for side in sides for name in ("sai_deg", "toe_deg", "camber_deg")]
        return all(results.estimates[wheel] is not None for wheel in wheels)

    def test_slots_and_walk_hold_every_number_once(self):
        for code in kit_codes():
            for one in patterns().values():
                stations = kit(code).stations(one.vehicle)
                self.assertEqual(len({station.slot for station in stations}), len(stations))
                walked = [stop.slot for setup in (0, *(s.number for s in kit(code).setups(one.vehicle)))
                          for stage in ("roll", "read") for stop in stops(one.vehicle, stations, setup, stage)]  # fmt: skip
                self.assertEqual(sorted(walked), sorted(f"{s.slot}/{field}" for s in stations for field in s.fields))

    def test_every_figure_of_a_kit_has_its_reason(self):
        for code in kit_codes():
            data = kit(code).data
            told = {
                *data["u"],
                *({"clamp"} & set(data)),
                *({"gauge"} & set(data)),
                *(["limit"] if "runout" in data else []),
            }
            self.assertEqual({name for name, reason in data["reasons"].items() if reason}, told, code)
            self.assertEqual(len(kit(code).figures), len(told))
        self.assertIn(
            "Frame flag: 0.4 mm, 0.3 mm for hanging it, 0.1 mm for each metre (half a division",
            kit("frame_flags").figures[0],
        )

    def test_each_kind_of_reading_but_the_tools_own_angles_is_given_by_some_kit(self):
        given = frozenset().union(*(kit(code).kinds for code in kit_codes()))
        given |= {
            s.reading["kind"]
            for s in kit("flag_lasers").stations(
                pattern("car").vehicle, [("tread_mm", 1), ("stagger_mm", 1), ("lock_in_deg", 1)]
            )
        }
        self.assertEqual(set(KINDS) - given, {"caster", "ground", "plumb", "clamp", "toe", "rig"})

    def test_every_kit_says_what_it_is_and_every_scale_which_way_it_grows(self):
        for code in kit_codes():
            data = kit(code).data
            self.assertTrue(data["name"] and data["carried"] and data["cannot"])
            for kind in kit(code).kinds:
                self.assertTrue(data["scales"][kind]["grows"] and data["u"][kind])


class WhatAKitCannotTell(unittest.TestCase):
    def blind(self, kit_code, pattern_code):
        one = pattern(pattern_code)
        return set(kit(kit_code).cannot_tell(one.vehicle, one.datum))

    def test_a_plate_sees_total_toe_and_what_follows_from_it_and_no_more(self):
        car = pattern("car")
        determined = set(results_of(Layout(car.vehicle, car.datum))) - self.blind("drive_over_plate", "car")
        # Against where its own axle pushes, each rear wheel has half of the axle's total toe.
        halves = {f"axles/2/{side}/toe_thrust_deg" for side in ("left", "right")}
        totals = {"axles/1/total_toe_deg", "axles/2/total_toe_deg"}
        self.assertEqual({path for path in determined if "offset" not in path}, totals | halves)

    def test_flags_do_not_see_caster_and_frame_flags_do_not_see_the_steered_wheels(self):
        self.assertIn("axles/1/left/caster_deg", self.blind("flag_lasers", "van"))
        self.assertNotIn("thrust_angle_deg", self.blind("flag_lasers", "van"))
        self.assertIn("axles/1/bearing_deg", self.blind("frame_flags", "truck_6x4"))
        self.assertNotIn("scrub_deg/2-3", self.blind("frame_flags", "truck_6x4"))

    def test_two_frame_gauges_show_a_rigid_axles_setback_by_its_bearing_and_not_a_loose_ones(self):
        blind = self.blind("frame_gauge_lasers", "truck_6x4")
        self.assertIn("axles/1/setback_mm", blind)
        self.assertNotIn("axles/2/setback_mm", blind)


class Uncertainties(unittest.TestCase):
    def test_parts_add_as_squares_and_beams_widen_with_their_length(self):
        # JCGM 100 (from memory): independent parts add as squares.
        self.assertAlmostEqual(spread({"reading": 0.3, "setup": 0.4}, 5000), 0.5)
        self.assertAlmostEqual(spread({"reading": 0.3, "per_metre": 0.1}, 4000), 0.5)
        self.assertEqual(spread(0.2, 9000), 0.2)

    def test_a_far_gauge_is_read_worse_than_a_near_one(self):
        stations = {s.slot: s for s in kit("frame_gauge_lasers").stations(pattern("truck_6x4").vehicle)}
        near, far = (stations[f"outboard_pair/2/{place}"].reading["u_mm"] for place in ("near", "far"))
        self.assertAlmostEqual(near, math.hypot(0.4, 0.08))
        self.assertAlmostEqual(far, math.hypot(0.4, 0.3))

    def test_a_kit_knows_the_rims_it_fits(self):
        self.assertTrue(kit("mirror_lasers").fits(430))
        self.assertFalse(kit("mirror_lasers").fits(572))
        self.assertTrue(kit("tyre_bars").fits(900))


class Trials(unittest.TestCase):
    """A small run of what ``./run bench trust`` does at length."""

    pairs = (("flag_lasers", "van"), ("frame_gauge_lasers", "truck_8x4"), ("target_cameras", "car"),
             ("straightedge_tape", "trailer_3"), ("frame_cameras", "truck_6x2_steered_behind"))  # fmt: skip

    def test_errors_scatter_as_stated_and_blunders_are_named(self):
        errors, named, planted_in = [], 0, 0
        for code, on in self.pairs:
            for seed in range(40):
                made = simulate(pattern(on), kit(code), seed, traced=True)
                results = solve_phase(parse(made.document), "before")
                found = [error for quantity, error in standardised_errors(made, results) if "not read" not in quantity]
                # One quantity of each job: those of one job are correlated, which would make the sums too sure.
                errors.append(random.Random(seed).choice(found))
                planted = plant_blunder(made, results, random.Random(seed))
                if planted is None:
                    continue
                planted_in += 1
                first = solve_phase(parse(planted.document), "before").suspects[:1]
                named += any(planted.reading in (s.reading, *s.alike) for s in first)
        count = len(errors)
        mean, spread_ = sum(errors) / count, math.sqrt(sum(e * e for e in errors) / count)
        # Four standard errors of so many independent normal numbers.
        self.assertAlmostEqual(mean, 0, delta=4 / math.sqrt(count))
        self.assertAlmostEqual(spread_, 1, delta=4 / math.sqrt(2 * count))
        self.assertGreater(planted_in, 150)
        # 95 % are wanted; so few trials may fall short of what is true by three of their standard deviations.
        self.assertGreater(named / planted_in, 0.95 - 3 * math.sqrt(0.95 * 0.05 / planted_in))


class Heads(unittest.TestCase):
    def test_heads_hung_on_each_others_wheels_are_named_and_good_ones_never(self):
        named = 0
        for seed in range(40):
            on, rng = pattern(("van", "car")[seed % 2]), random.Random(seed)
            made = simulate(on, kit("wheel_heads"), seed, traced=True)
            job = parse(made.document)
            good = solve_phase(job, "before").solution
            self.assertIsNone(swapped_heads(good))
            side = rng.choice(("left", "right"))
            wheels = ((1, side), (2, side))
            wrong = solve(job.vehicle, job.datum, hung_on_each_others(job, made.truth, wheels, rng))
            found = swapped_heads(wrong)
            named += found is not None and found.wheels == wheels
            if found is not None:
                said = suspicions(wrong, wrong.suspects())[0]
                self.assertIn(f"The heads of the {side} front and of the {side} rear wheel look as if", said)
        self.assertGreaterEqual(named, 38)


class Schools(unittest.TestCase):
    """Common practice, no source."""

    def test_each_school_takes_every_axle_once(self):
        for one in patterns().values():
            for school in SCHOOLS.values():
                self.assertEqual(sorted(school.order(one.vehicle)), [axle.number for axle in one.vehicle.axles])

    def test_the_orders_on_a_truck_are_those_the_schools_teach(self):
        ten_by_two = pattern("truck_10x2").vehicle  # steer, steer, lift, drive, dead
        self.assertEqual(SCHOOLS["thrust-axle-first"].order(ten_by_two), [4, 1, 2, 5, 3])
        self.assertEqual(SCHOOLS["rearmost-first"].order(ten_by_two), [5, 4, 3, 2, 1])
        self.assertEqual(SCHOOLS["square-to-frame"].order(ten_by_two), [3, 5, 4, 1, 2])
        self.assertEqual(SCHOOLS["steer-first"].order(ten_by_two), [1, 2, 3, 4, 5])

    def test_the_default_follows_the_line_that_is_measured_against(self):
        truck = pattern("truck_6x4")
        self.assertEqual(default_school(truck.vehicle, truck.datum).code, "thrust-axle-first")
        self.assertEqual(default_school(truck.vehicle, Datum("frame")).code, "square-to-frame")
        self.assertEqual(default_school(pattern("car").vehicle, pattern("car").datum).code, "rear-first")
        self.assertIn("First the rear, then the front.", say_order(pattern("car").vehicle, SCHOOLS["rear-first"]))

    def test_all_wheels_where_the_rear_adjusts_and_the_thrust_line_where_it_does_not(self):
        car = pattern("car").vehicle
        self.assertEqual(default_reference(car, [1, 2]), "all")
        self.assertEqual(default_reference(car, [1]), "thrust")
        self.assertEqual(default_reference(pattern("car_rear_steer").vehicle, [1]), "centre")

    def test_steps_fit_vehicle_and_kit_and_carry_their_cautions(self):
        car = [s.do for s in steps(pattern("car"), kit("flag_lasers"), SCHOOLS["rear-first"])]
        truck = steps(pattern("truck_6x4"), kit("frame_gauge_lasers"), SCHOOLS["thrust-axle-first"])
        self.assertFalse(any("Sweep" in do or "king pins" in do for do in car))
        self.assertTrue(any("Sweep" in step.do for step in truck))
        pushed = next(step for step in truck if "axle is pushed" in step.do)
        self.assertIn("chocks first", pushed.can_hurt)
        stages = [step.stage for step in truck]
        self.assertEqual(list(dict.fromkeys(stages)),
                         ["arrive", "look", "rig", "roll", "read", "judge", "set", "prove", "hand-over"])  # fmt: skip


class CanThisKitJudge(unittest.TestCase):
    def how(self, code, rules, **more):
        on = pattern("van")
        tools = kit(code)
        found = able(on.vehicle, on.datum, tools.stations(on.vehicle), rules, clamp_u_deg=tools.clamp_u_deg, **more)
        return {one.rule.path: one for one in found}

    def test_what_it_says_beforehand_is_what_a_job_then_tells(self):
        rules = [
            Rule("thrust_angle_deg", minimum=-0.1, maximum=0.1),
            Rule("camber_deg", 1, "left", minimum=-1, maximum=0.3),
        ]
        found = self.how("flag_lasers", rules)
        made = simulate(pattern("van"), kit("flag_lasers"), 1, level=True)
        results = solve_phase(parse(made.document), "before")
        for path in ("thrust_angle_deg",):
            self.assertAlmostEqual(
                found[path].expanded, 2 * results.estimates[path].u, delta=0.05 * found[path].expanded
            )

    def test_a_tolerance_that_the_doubt_fills_can_never_be_called_inside(self):
        wide, narrow = ([Rule("camber_deg", 1, "left", minimum=-w, maximum=w)] for w in (1.0, 0.2))
        path = "axles/1/left/camber_deg"
        self.assertEqual(self.how("angle_gauge", wide)[path].how, SETTLES)
        # Level by eye is 0.25 degrees: twice that is more than half of the narrow one.
        self.assertEqual(self.how("angle_gauge", narrow, level_bar=False)[path].how, NEVER)
        self.assertGreater(self.how("angle_gauge", narrow, level_bar=False)[path].expanded, 0.5)
        toe = [Rule("total_toe_deg", 1, minimum=0, maximum=0.3)]
        self.assertEqual(self.how("angle_gauge", toe)["axles/1/total_toe_deg"].how, UNSEEN)
        said = self.how("angle_gauge", narrow, level_bar=False)[path].say(pattern("van").vehicle)
        self.assertRegex(said, r"^left front camber: ± 0\.5\d° of 0\.40°$")
