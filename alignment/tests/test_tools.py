"""Tools that hang on clamps, gauges with a zero, ground that is not known exactly, and axles off the ground."""

import math
import unittest

from alignment.errors import JobFileError
from alignment.jobfile import parse, plan_job, solve_job, solve_phase
from alignment.model.state import DEG
from alignment.model.vehicle import SIDES, Axle, Vehicle, default_thrust_axle
from alignment.tests.cases import VAN, flags, reading, results, solved, toe_scales
from alignment.tests.test_rigid_bodies import camber_of, outboard, wheel

VEHICLE = {
    "axles": [
        {"role": "steer", "position_mm": 0, "track_mm": 1540},
        {"role": "drive", "position_mm": 2700, "track_mm": 1530},
    ]
}


def job(*readings, **more):
    return {"format": "rectaxis-job", "version": 1, "vehicle": VEHICLE, "readings": list(readings), **more}


def before(kind, **fields):
    return {"phase": "before", "kind": kind, **fields}


def faults_of(document):
    try:
        parse(document)
    except JobFileError as error:
        return [fault.pointer for fault in error.faults]
    return []


def rolled(side, ec, es, camber=-0.5, axle=1, rolls=(0, 90, 180, 270), **fields):
    """Runout as read on a wheel; the error goes round with it."""
    positions = [
        {"roll_deg": roll, "camber_deg": camber + ec * math.cos(roll / DEG) + es * math.sin(roll / DEG)}
        for roll in rolls
    ]
    return reading("runout", axle, side=side, positions=positions, **fields)


class Clamps(unittest.TestCase):
    def test_a_head_on_a_raw_clamp_sees_the_wheel_with_the_clamps_sine_and_the_runout_takes_it_out(self):
        # Heads on axle 2, turned on their wheels by their clamps: +0.4 left and -0.2 right turn both beams right by 0.3.
        hits = [2700 * math.tan(angle / DEG) for angle in (0.4, 0.2)]
        pair = flags(2, 40 - hits[0], 40 + hits[1], clamp="raw")
        self.assertIsNone(results(pair).estimates["thrust_angle_deg"])
        fields = {"clamp": "raw", "u_mm": 0.1}
        scales = toe_scales(2, 400 * math.sin(0.4 / DEG), 400 * math.sin(-0.2 / DEG), **fields)
        found = results(
            pair, flags(1, 40, 40), scales, rolled("left", 0.1, 0.4, axle=2), rolled("right", -0.3, -0.2, axle=2)
        )
        self.assertAlmostEqual(found.value("thrust_angle_deg"), 0.0, delta=1e-4)
        self.assertAlmostEqual(found.value("axles/2/total_toe_deg"), 0.0, delta=1e-4)

    def test_the_doubt_of_the_clamps_is_in_the_doubt_of_what_hangs_on_them(self):
        rolls = [rolled(side, 0.0, 0.0, axle=2, u_deg=0.02) for side in SIDES]
        trued = results(flags(2, 40, 40), flags(1, 40, 40)).estimates["thrust_angle_deg"]
        raw = results(flags(2, 40, 40, clamp="raw"), flags(1, 40, 40), *rolls).estimates["thrust_angle_deg"]
        # Each sine from two readings half a turn apart: u/sqrt(2); the bearing has half of each (JCGM 100, from memory).
        # The flags tell the difference of two bearings; what heads on axle 2 see enters it whole.
        by_clamps = math.sqrt(2) * 0.02 / math.sqrt(2) / 2
        self.assertAlmostEqual(raw.u**2 - trued.u**2, by_clamps**2, delta=0.02 * by_clamps**2)

    def test_returned_beams_feel_the_clamps_of_both_axles(self):
        pair = reading("mirror_pair", 2, from_axle=1, distance_mm=2700, left_mm=60, right_mm=60, clamp="raw")
        carried = [reading("clamp", axle, side=side, cosine_deg=0.0, sine_deg=0.1 if (axle, side) == (1, "left") else 0.0,
                           u_deg=1e-6) for axle in (1, 2) for side in SIDES]  # fmt: skip
        steer = reading("toe", 1, side="left", deg=0.0), reading("toe", 1, side="right", deg=0.0)
        found = results(pair, *carried, *steer)
        # The heads see axle 1 turned right by half of 0.1; beams that come back straight mean axle 2 is turned as much.
        self.assertAlmostEqual(found.value("thrust_angle_deg"), 0.05, places=9)

    def test_what_was_rolled_before_says_nothing_of_the_wheel_after_it_was_moved(self):
        # The wheel leaned by -0.5 when it was rolled, and leans by -1.4 now.
        now = before("camber", axle=1, side="left", deg=-1.4 + 0.3, clamp="raw", u_deg=0.02)
        clamp = before("clamp", axle=1, side="left", cosine_deg=0.3, sine_deg=0.1, u_deg=0.01)
        answer = solve_job(parse(job(now, clamp)))["phases"]["before"]
        self.assertAlmostEqual(answer["axles"][0]["left"]["camber_deg"]["value"], -1.4, places=9)
        self.assertAlmostEqual(answer["axles"][0]["left"]["camber_deg"]["u"], math.hypot(0.02, 0.01), places=9)

    def test_a_sum_that_is_determined_counts_though_its_parts_are_not(self):
        # Camber 2 and a clamp's error of 1 are only seen together; a gauge that rests at 3 is carried round from there.
        ends = {}
        for name, outward in (("out", 20.0), ("in", -20.0)):
            from alignment.tests.test_readings import turned_wheel

            swung = turned_wheel("left", 0.0, 0.0, 4.0, 12.0, outward)
            ends[f"camber_{name}_deg"] = camber_of(swung.apply(wheel("left", 0.0, 3.0).apply(outboard("left"))))
        swing = reading("swing", 1, side="left", out_deg=20, in_deg=20, clamp="raw", **ends)
        found = solved(swing, reading("camber", 1, side="left", deg=3.0, clamp="raw"))
        self.assertIsNone(found.unknown("axles/1/left/camber_deg"))
        self.assertAlmostEqual(found.unknown("axles/1/left/caster_deg").value, 4.0, places=9)

    def test_a_plan_says_nothing_of_what_the_clamps_show(self):
        readings = [before("clamp", axle=2, side=side, cosine_deg=0.1, sine_deg=0.2) for side in SIDES]
        readings.append(before("toe", axle=2, side="left", deg=0.3, clamp="raw"))
        adjuster = {"id": "rod", "effect": {"axles/2/left/toe_deg": 0.1}, "min": -9, "max": 9}
        rule = {"quantity": "toe_deg", "axle": 2, "side": "left", "min": -0.05, "max": 0.05}
        plan = plan_job(parse(job(*readings, spec=[rule], adjusters=[adjuster])))
        self.assertEqual([(see["reading"], round(see["deg"], 9)) for see in plan["see"]], [(2, 0.2)])


class Zeros(unittest.TestCase):
    def cambers(self, **fields):
        return [reading("camber", axle, side=side, deg=0.4, u_deg=0.01, **fields) for axle in (1, 2) for side in SIDES]

    def test_a_gauges_zero_enters_each_camber_and_no_cross_camber(self):
        bare = results(*self.cambers())
        found = results(*self.cambers(gauge="one", zero_u_deg=0.2))
        self.assertAlmostEqual(found.estimates["axles/1/left/camber_deg"].u, math.hypot(0.01, 0.2), places=9)
        self.assertAlmostEqual(found.estimates["axles/1/cross_camber_deg"].u, 0.01 * math.sqrt(2), places=9)
        self.assertEqual(found.solution.redundancy, bare.solution.redundancy)

    def test_runout_of_the_same_gauge_shares_its_zero_and_tells_the_clamp_as_well_as_ever(self):
        roll = [rolled(side, 0.2, 0.1, u_deg=0.01, gauge="one", zero_u_deg=0.3) for side in SIDES]
        found = solved(*roll)
        self.assertAlmostEqual(found.unknown("axles/1/left/camber_deg").u, math.hypot(0.01 / 2, 0.3), places=9)
        self.assertAlmostEqual(found.unknown("axles/1/left/clamp/sine_deg").u, 0.01 / math.sqrt(2), places=9)

    def test_a_zero_that_readings_determine_is_never_a_suspect_and_counts_in_the_misfit(self):
        rims = [reading("rim_angle", 1, side=side, deg=90.0, u_deg=0.01) for side in SIDES]
        found = solved(*rims, *self.cambers(gauge="one", zero_u_deg=0.05)[:2])
        self.assertAlmostEqual(found.unknown("gauges/one/zero_deg").value, 0.4, delta=0.03)
        self.assertGreater(found.chi_square, (0.35 / 0.05) ** 2)
        self.assertEqual(found.redundancy, 2)
        self.assertFalse(any(suspect.reading is None for suspect in found.suspects()))

    def test_faults_of_gauges_and_clamps_name_the_wrong_value(self):
        camber = before("camber", axle=1, side="left", deg=0.1)
        for second, pointer in (
            ({"zero_u_deg": 0.1}, "/readings/1/zero_u_deg"),
            ({"gauge": "g", "zero_u_deg": 0.1}, "/readings/1/zero_u_deg"),
            ({"gauge": "g", "zero_u_deg": 0}, "/readings/1/zero_u_deg"),
            ({"gauge": 4}, "/readings/1/gauge"),
            ({"clamp": "loose"}, "/readings/1/clamp"),
        ):
            with self.subTest(second=second):
                self.assertEqual(faults_of(job({**camber, "gauge": "g"}, {**camber, **second})), [pointer])
        self.assertEqual(faults_of(job({**camber, "gauge": "g"}, {**camber, "gauge": "g", "zero_u_deg": 0.05})), [])
        self.assertEqual(faults_of(job({**camber, "gauge": "g", "zero_u_deg": 0.2}, {**camber, "gauge": "g"})),
                         ["/readings/1/zero_u_deg"])  # fmt: skip
        setback = before("setback_scales", axle=1, left_mm=1, right_mm=1, square_to="datum", clamp="raw")
        self.assertEqual(faults_of(job(setback)), ["/readings/0/clamp"])
        self.assertEqual(faults_of(job(before("tape_toe", axle=1, ahead_mm=1, behind_mm=1, diameter_mm=1, clamp="raw"))),
                         ["/readings/0/clamp"])  # fmt: skip


class UnknownGround(unittest.TestCase):
    def ground(self, **fields):
        return reading("ground", roll_deg=1.0, pitch_deg=-0.5, **fields)

    def gauges(self):
        return [reading("camber", 1, side=side, deg=0.2, u_deg=0.01) for side in SIDES] + [
            reading("caster", 1, side="left", deg=4.0, u_deg=0.01)
        ]

    def test_its_doubt_enters_camber_and_caster_and_its_tilt_is_taken_out(self):
        exact = results(self.ground(), *self.gauges())
        found = results(self.ground(u_deg=0.25), *self.gauges())
        for path, doubt in (("axles/1/left/camber_deg", 0.25), ("axles/1/left/caster_deg", 0.25)):
            self.assertAlmostEqual(found.value(path), exact.value(path), places=9)
            self.assertAlmostEqual(found.estimates[path].u, math.hypot(0.01, doubt), delta=2e-4)
        self.assertAlmostEqual(
            found.estimates["axles/1/cross_camber_deg"].u, math.hypot(0.01 * math.sqrt(2), 0.5), delta=3e-4
        )
        self.assertEqual(found.solution.redundancy, exact.solution.redundancy)

    def test_cambers_known_otherwise_correct_it_and_a_wrong_one_is_a_suspect(self):
        rims = [reading("rim_angle", 1, side=side, deg=90.0, u_deg=0.01) for side in SIDES]
        cambers = [
            reading("camber", 1, side=side, deg=-sign * 0.8, u_deg=0.01)
            for side, sign in zip(SIDES, (1, -1), strict=True)
        ]
        found = solved(self.ground(u_deg=0.05), *rims, *cambers)
        self.assertAlmostEqual(found.unknown("ground/roll_deg").value, 0.8, delta=0.02)
        self.assertEqual(found.suspects()[0].reading, 0)

    def test_swings_do_not_determine_it(self):
        turns = {"out_deg": 20, "in_deg": 15, "camber_out_deg": 1.0, "camber_in_deg": -1.9, "u_deg": 1e-4}
        found = solved(self.ground(u_deg=0.25), *(reading("swing", 1, side=side, **turns) for side in SIDES))
        self.assertAlmostEqual(found.unknown("ground/roll_deg").u, 0.25, places=9)
        self.assertGreater(found.unknown("axles/1/left/caster_deg").u, 1e-3)


class Raised(unittest.TestCase):
    def axles(self, *words):
        return tuple(
            Axle(number, role, 1000.0 * number, 2000.0, steers=role == "steer", raised=raised)
            for number, (role, raised) in enumerate(words, start=1)
        )

    def test_an_axle_off_the_ground_does_not_steer_the_rear(self):
        lift = self.axles(("steer", False), ("lift", True), ("drive", False), ("dead", False))
        self.assertEqual(default_thrust_axle(lift), 3)
        self.assertEqual(Vehicle(lift, 3).group, (3, 4))
        self.assertEqual(default_thrust_axle(self.axles(("steer", False), ("drive", True), ("drive", False))), 3)
        self.assertEqual(default_thrust_axle(self.axles(("trailer", True), ("trailer", False), ("trailer", False))), 2)
        self.assertEqual(default_thrust_axle(self.axles(("steer", False), ("drive", True))), 2)

    def test_a_tandem_runs_as_the_mean_of_its_axles_and_can_be_judged_by_it(self):
        axles = [{"role": "steer", "position_mm": 0, "track_mm": 2050}] + [
            {"role": "drive", "position_mm": at, "track_mm": 1830} for at in (3800, 5150)
        ]
        readings = [before("toe", axle=axle, side=side, deg=sign * bearing, u_deg=0.01)
                    for axle, bearing in ((2, 0.3), (3, -0.1)) for side, sign in zip(SIDES, (1, -1), strict=True)]  # fmt: skip
        spec = [{"quantity": "group_thrust_deg", "min": -0.02, "max": 0.02}]
        document = {**job(*readings, spec=spec), "vehicle": {"axles": axles}}
        answer = solve_job(parse(document))["phases"]["before"]
        self.assertAlmostEqual(answer["group_thrust_deg"]["value"], 0.1, places=9)
        self.assertEqual(list(answer).index("group_thrust_deg"), list(answer).index("thrust_angle_deg") + 1)
        self.assertEqual(answer["verdicts"][0]["verdict"], "outside")
        axles[2]["raised"] = True
        lifted = solve_phase(parse({**document, "spec": []}), "before")
        self.assertNotIn("group_thrust_deg", lifted.estimates)
        self.assertIn("scrub_deg/2-3", lifted.estimates)
        axles[2]["raised"] = "up"
        self.assertEqual(faults_of({**document, "spec": []}), ["/vehicle/axles/2/raised"])

    def test_a_vehicle_with_one_axle_that_does_not_steer_has_no_group(self):
        self.assertEqual(VAN.group, ())


if __name__ == "__main__":
    unittest.main()
