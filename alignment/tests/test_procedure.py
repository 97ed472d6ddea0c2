"""What is asked, what stands in the way, where tools were put, looks repeated, and what the front is set to."""

import math
import unittest

from alignment.errors import TypedValueError
from alignment.model.tyres import parse_size
from alignment.model.vehicle import Axle, Vehicle
from alignment.patterns import pattern, patterns
from alignment.procedure.cautions import move_cautions
from alignment.procedure.checklist import NOT_DONE, UNSAFE, Subject, answered, questions, ride_height, tyres
from alignment.procedure.kit import kit, kit_codes
from alignment.procedure.references import consequences
from alignment.procedure.schools import SCHOOLS
from alignment.procedure.session import readings
from alignment.procedure.stages import GATES, STAGES, Facts, Named, gates
from alignment.procedure.station import LookedAt, mean_of, spread
from alignment.procedure.steps import cautions, circumstances, steps
from alignment.procedure.walk import say_stop, stops
from alignment.tests.cases import VAN, flags, results

TRACTOR = pattern("tractor_6x4")


class Stages(unittest.TestCase):
    ready = Facts(30, 0, (), locked=True, self_check="passed", before_saved=True)

    def test_nothing_stands_in_the_way_of_a_job_done_in_order(self):
        self.assertEqual(gates("read", self.ready) + gates("set", self.ready), ())

    def test_each_thing_left_out_has_its_gate(self):
        lapsed = Facts(-12, 2, (Named("runout/2/left", "left rear wheel"),), locked=False, self_check="open", before_saved=False,
                       unsafe=(Named("look/part/1/joints", "axle 1: rod ends"),), play_open=(Named("2", "the rear"),),
                       ride_open=True, straps_open=True, rims_off=(571.5,), ground_checked=False, odometer_was=82410)  # fmt: skip
        found = gates("read", lapsed)
        said = " ".join(gate.text for gate in found)
        for words in ("ran out 12 days ago", "2 tyre pressures", "left rear wheel", "not locked", "its own check",
                      "Stop: axle 1: rod ends", "rim of 572 mm", "level", "82,410 km", "play on the rear", "ride height", "not strapped"):  # fmt: skip
            self.assertIn(words, said)
        self.assertEqual(len({gate.code for gate in found}), len(found))
        self.assertEqual([gate.code for gate in found if gate.firm], ["unsafe/look/part/1/joints"])
        self.assertEqual([gate.stage for gate in gates("set", lapsed)], ["judge"])


class Cautions(unittest.TestCase):
    """General care: common practice, no source."""

    def said(self, on, with_kit, **more):
        about = circumstances(pattern(on), kit(with_kit), **more)
        return {screen: " ".join(cautions(screen, about)) for screen in (*(s.code for s in STAGES), "sweep")}, about

    def test_a_caution_fits_vehicle_kit_and_method(self):
        lifted, rolled = self.said("car", "flag_lasers")[0], self.said("truck_6x4", "frame_gauge_lasers")[0]
        self.assertIn("lifted wheel", lifted["roll"])
        self.assertNotIn("lifted wheel", rolled["roll"])
        self.assertIn("stand clear of its wheels", rolled["roll"])
        self.assertIn("Strap each clamp", lifted["rig"])
        self.assertNotIn("Strap", rolled["rig"], "magnets need no straps")
        self.assertIn("depressor", rolled["sweep"])
        trailer = self.said("trailer_3", "straightedge_tape")[0]
        for words in ("steering", "beam", "Strap", "engine", "Road test", "electric"):
            self.assertNotIn(words.lower(), " ".join(trailer.values()).lower().replace("tractor's engine", ""), words)

    def test_an_electric_car_is_warned_of_and_one_that_nobody_spoke_of_with_an_if(self):
        for electric, words in ((True, "High voltage: "), (None, "If it is electric: high voltage: "), (False, "")):
            said = self.said("car", "flag_lasers", electric=electric)[0]["arrive"]
            self.assertEqual("igh voltage" in said, bool(words))
            self.assertIn(words, said)
        self.assertIn("neutral", self.said("car", "flag_lasers", electric=True)[0]["rig"])

    def test_air_springs_are_warned_of_at_moves_of_a_trucks_axle_and_every_gate_of_a_step_is_a_gate(self):
        self.assertIn("air spring", " ".join(move_cautions("beam", self.said("truck_6x4", "flag_lasers")[1])))
        self.assertNotIn("air spring", " ".join(move_cautions("arm", self.said("car", "flag_lasers")[1])))
        codes = {rule.code for rule in GATES}
        for on in patterns().values():
            for code in kit_codes():
                named = {step.gate for step in steps(on, kit(code), SCHOOLS["rear-first"]) if step.gate}
                self.assertLessEqual(named, codes)


class Questions(unittest.TestCase):
    def test_every_tyre_has_its_pressure_and_three_depths_twins_included(self):
        asked = questions(Subject(TRACTOR.vehicle, TRACTOR.duals, TRACTOR.group))["look"]
        pressures = [q.slot for q in asked if q.group == "pressure"]
        self.assertEqual(len(pressures), sum(TRACTOR.wheels_on.values()))
        self.assertEqual(len(tyres(TRACTOR.vehicle, TRACTOR.duals)), 10)
        self.assertEqual(sum(q.group == "tread" for q in asked), 30)

    def test_what_could_not_be_done_stays_open_until_it_has_a_reason(self):
        load = next(q for q in questions(Subject(VAN))["look"] if q.slot == "look/load")
        self.assertTrue(load.open({}))
        self.assertTrue(load.open({"look/load": NOT_DONE}))
        self.assertFalse(load.open({"look/load": NOT_DONE, "look/load/why": "no ballast in the van"}))
        self.assertFalse(load.open({"look/load": "as-asked"}))

    def test_a_trailer_is_not_asked_for_its_steering(self):
        trailer = pattern("trailer_3")
        asked = questions(Subject(trailer.vehicle, trailer.duals, trailer.group))
        slots = {q.slot for stage in asked.values() for q in stage}
        self.assertFalse(slots & {"roll/locked", "prove/road-test", "prove/sensors"})
        self.assertIn("look/part/1/rods", slots)

    def test_unsafe_parts_are_found_and_answers_are_read_in_their_own_way(self):
        asked = questions(Subject(VAN))
        part = next(q for q in asked["look"] if q.group == "component")
        self.assertEqual(answered(asked["look"], {part.slot: UNSAFE}, UNSAFE), [part])
        pressure = asked["look"][0]
        self.assertEqual(pressure.read("3,1"), (3.1, "3.1 bar"))
        due = next(q for q in asked["hand-over"] if q.what == "date")
        self.assertEqual(due.read("2027-03-01"), (None, "1 March 2027"))
        for question, nonsense in ((pressure, "310"), (due, "soon"), (part, "fine")):
            with self.assertRaises(ValueError):
                question.read(nonsense)

    def test_ride_height_is_taken_from_the_plate_up(self):
        self.assertEqual(ride_height(412, 28), 384)


class Tyres(unittest.TestCase):
    def test_a_size_gives_rim_and_diameter(self):
        # Width times aspect twice over, and the rim: common practice, no source. 205/55 R16 is 631.9 mm across.
        self.assertAlmostEqual(parse_size("205/55 R16").diameter_mm, 631.9, places=1)
        self.assertAlmostEqual(parse_size("315/80R22,5").rim_mm, 571.5)
        with self.assertRaises(TypedValueError):
            parse_size("big")


class Looks(unittest.TestCase):
    def test_looks_are_averaged_and_stand_out_where_they_differ_by_more_than_misreading(self):
        mean = mean_of([45.5, 45.0, 46.0], 0.5)
        self.assertEqual((mean.value, mean.count), (45.5, 3))
        self.assertAlmostEqual(mean.spread, 0.5)
        self.assertFalse(mean.apart)
        self.assertTrue(mean_of([45.5, 48.0], 0.5).apart)

    def test_two_looks_that_disagree_widen_the_reading_and_a_third_decides(self):
        flag = next(s for s in kit("flag_lasers").stations(VAN) if s.reading["kind"] == "outboard_pair")
        two = mean_of([153.0, 143.0], flag.reading_u())
        self.assertTrue(two.apart)
        values = {flag.slot: {"left_mm": two.value, "right_mm": 40.0}}
        wide = readings(VAN, [flag], values, "before", {flag.slot: LookedAt(two.count, two.widens)})[0]["u_mm"]
        # The mean of two looks ten apart is known to half of that (JCGM 100, type A, from memory).
        self.assertAlmostEqual(wide, 5.0)
        three = mean_of([153.0, 143.0, 153.5], flag.reading_u())
        self.assertEqual((three.value, three.left_out, three.apart), (153.25, 143.0, False))
        self.assertTrue(mean_of([153.0, 143.0, 163.0], flag.reading_u()).apart)

    def test_looking_again_betters_the_reading_and_not_how_the_tool_hangs(self):
        # JCGM 100 (from memory): the mean of n independent looks is better by their root, a common part is not.
        self.assertAlmostEqual(spread(0.5, 0, looks=4), 0.25)
        self.assertAlmostEqual(spread({"reading": 0.6, "setup": 0.4}, 0, looks=4), 0.5)
        camber = next(s for s in kit("frame_gauge_lasers").stations(VAN) if s.reading["kind"] == "camber")
        once = readings(VAN, [camber], {camber.slot: {"deg": 1.0}}, "before")[0]["u_deg"]
        often = readings(VAN, [camber], {camber.slot: {"deg": 1.0}}, "before", {camber.slot: LookedAt(100)})[0]["u_deg"]
        self.assertAlmostEqual(once, math.hypot(0.01, 0.03))
        self.assertAlmostEqual(often, math.hypot(0.001, 0.03))


class Placed(unittest.TestCase):
    def test_gauges_stand_where_the_person_says_on_the_side_of_the_axle_where_they_belong(self):
        stations = {s.slot: s for s in kit("frame_gauge_lasers").stations(TRACTOR.vehicle)}
        far = stations["outboard_pair/1/far"]
        (number,) = far.set_up_numbers()
        self.assertEqual(
            (number.slot, number.usual, number.dimension), ("outboard_pair/1/far/ahead_mm", 3000.0, "length")
        )
        moved = far.placed({number.slot: 4000.0})
        self.assertEqual(moved.reading["ahead_mm"], -4000.0)
        self.assertAlmostEqual(moved.reading["u_mm"], math.hypot(0.4, 0.4))
        self.assertIs(far.placed({}), far)
        self.assertEqual(type(far).from_dict(far.as_dict()), far)

    def test_the_walk_goes_by_where_the_scales_stand_and_names_each_apart(self):
        vehicle, stations = TRACTOR.vehicle, kit("frame_gauge_lasers").stations(TRACTOR.vehicle)
        walked = [say_stop(vehicle, stop) for stop in stops(vehicle, stations, 1, "read")]
        self.assertEqual(walked[0], "left axle 1 frame gauge, far")
        self.assertEqual(walked[-1], "right axle 1 frame gauge, far")
        self.assertEqual(len(set(walked)), len(walked))

    def test_a_sweep_goes_once_to_each_side_and_reads_both_wheels_there(self):
        stations = kit("frame_gauge_lasers").stations(VAN)
        walked = [say_stop(VAN, stop) for stop in stops(VAN, stations, 1, "roll") if "pitch" not in stop.field]
        swung = [words for words in walked if "turn" in words]
        self.assertEqual(swung, [
            "left front protractor, steering left, turned 20° out",
            "left front turntable, steering left, inner wheel",
            "right front turntable, outer wheel turning left",
            "right front protractor, steering left, turned 20° in",
            "right front protractor, steering right, turned 20° out",
            "left front turntable, outer wheel turning right",
            "left front protractor, steering right, turned 20° in",
        ])  # fmt: skip

    def test_an_axle_behind_the_fixed_ones_turns_against_the_steering(self):
        tag = Vehicle(
            (
                Axle(1, "steer", 0.0, 2000.0, steers=True),
                Axle(2, "drive", 5000.0, 1900.0),
                Axle(3, "tag", 6300.0, 2000.0, steers=True),
            ),
            thrust_axle=2,
        )
        swung = [stop for stop in stops(tag, kit("frame_gauge_lasers").stations(tag), 3, "roll")
                 if stop.field == "camber_out_deg"]  # fmt: skip
        self.assertEqual([(stop.steered, stop.side) for stop in swung], [("left", "right"), ("right", "left")])

    def test_a_scale_that_goes_below_zero_says_which_side_is_which(self):
        for code in ("frame_gauge_lasers", "mirror_lasers", "flag_lasers", "drive_over_plate", "angle_gauge"):
            for station in kit(code).stations(VAN):
                for path in station.fields:
                    self.assertEqual(all(station.sides(path)), station.least < 0, f"{code} {station.slot}")


class References(unittest.TestCase):
    def found(self, adjustable):
        # Flags 6 mm apart at 2700 mm: the rear pushes atan(3/2700) to the right.
        seen = results(flags(2, 40, 46))
        return {one.code: one for one in consequences(seen, adjustable, 15.0)}

    def test_each_reference_has_its_consequence(self):
        found = self.found({1, 2})
        thrust = math.degrees(math.atan(3 / 2700))
        # Set to the centre line the front must be steered to where the rear pushes: the wheel turns with it.
        self.assertAlmostEqual(found["centre"].wheel_deg, 15.0 * thrust, places=6)
        self.assertIn("The steering wheel sits about 1° to the right", found["centre"].say())
        self.assertAlmostEqual(found["thrust"].wheel_deg, 0.0)
        # Pushing to the right the tail hangs out to the right, by the wheelbase times the sine.
        self.assertAlmostEqual(found["thrust"].tail_out_mm, 2700 * math.sin(math.radians(thrust)), places=6)
        self.assertEqual(found["all"].say(), "The body runs straight. The steering wheel sits straight.")
        self.assertTrue(found["all"].possible)

    def test_all_wheels_needs_a_rear_that_adjusts(self):
        self.assertFalse(self.found({1})["all"].possible)
