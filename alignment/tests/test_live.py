"""Numbers that come by themselves: what they are of, and when they have settled."""

import json
import random
import statistics
import unittest

from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from alignment.camera.turning import plates_of, turned_between
from alignment.live.guide import guide_pictures, guide_roll, guide_sweep
from alignment.live.measures import Measured, measure_of, turned_at
from alignment.live.settling import WINDOW_S, Window
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.simulate.rigs import SMALL, stand
from alignment.simulate.rolling import plates_at, rolled_by


def fed(values, rate=10.0, u=0.02):
    window = Window()
    for number, value in enumerate(values):
        window.add(number / rate, value, u)
    return window.now()


class Settling(unittest.TestCase):
    def test_a_still_number_settles_to_the_mean_of_what_was_heard(self):
        rng = random.Random(3)
        values = [0.4 + rng.gauss(0, 0.01) for _ in range(40)]
        now = fed(values)
        kept = values[-21:]  # two seconds of ten a second, both ends counted
        self.assertTrue(now.settled)
        self.assertAlmostEqual(now.value, statistics.fmean(kept), places=12)
        self.assertAlmostEqual(now.spread, statistics.stdev(kept), places=12)
        self.assertEqual(now.samples, 21)
        # Averaging does not better what the device itself does not know.
        self.assertGreaterEqual(now.u, 0.02)

    def test_a_number_that_turns_sways_or_was_just_heard_has_not(self):
        rod = [0.005 * n for n in range(40)]
        self.assertFalse(fed(rod).settled)
        self.assertEqual(fed(rod).value, rod[-1])
        self.assertFalse(fed([0.1 * (-1) ** n for n in range(40)]).settled)
        self.assertFalse(fed([0.4] * 4).settled)
        self.assertFalse(fed([0.4] * 10, rate=100).settled)
        # A jump is forgotten when it has left the window.
        self.assertFalse(fed([0.0] * 30 + [1.0] * 5).settled)
        self.assertTrue(fed([0.0] * 30 + [1.0] * 25).settled)

    def test_a_rod_eased_by_a_little_is_not_averaged_with_how_it_was(self):
        rng = random.Random(2)
        for by in (0.03, 0.05):  # degrees; the device itself knows 0.02
            for new in range(6, 16):
                values = [rng.gauss(0, 0.006) for _ in range(40)] + [by + rng.gauss(0, 0.006) for _ in range(new)]
                self.assertFalse(fed(values).settled, (by, new))

    def test_it_is_seldom_wrong_about_noise_and_seldom_misses_a_slow_drift(self):
        rng, still, slow = random.Random(1), 0, 0
        for _ in range(300):
            still += fed([rng.gauss(0, 0.02) for _ in range(30)]).settled
            slow += fed([0.01 * n + rng.gauss(0, 0.005) for n in range(30)]).settled
        self.assertGreater(still, 290)
        self.assertEqual(slow, 0)

    def test_late_samples_are_passed_over_and_memory_is_bounded(self):
        window = Window()
        for number in range(100_000):
            window.add(number / 1e5, 1.0, 0.1)
        window.add(0.0, 99.0, 0.1)
        now = window.now()
        self.assertLessEqual(now.samples, 400)
        self.assertEqual(now.value, 1.0)
        window.clear()
        self.assertIsNone(window.now())
        self.assertGreater(WINDOW_S, 0)


class Pictured(unittest.TestCase):
    def test_a_vehicle_is_rolled_in_steps_then_steered_to_four_angles_and_back(self):
        rolled, steered, at, said = [], [], [0.0, 0.0], []
        for _ in range(60):
            guide = guide_pictures(rolled, steered, tuple(at), steers=True)
            said.append(guide.way)
            if guide.way == "done":
                break
            if guide.way == "stop":
                (steered if len(rolled) >= 4 else rolled).append(at[len(rolled) >= 4])
            else:
                at[guide.way in ("left", "right")] += guide.by * (1 if guide.way in ("forward", "left") else -1)
        self.assertEqual(said[-1], "done")
        self.assertEqual((rolled, steered), ([0.0, -10.0, -20.0, -30.0], [10.0, 5.0, -5.0, -10.0]))
        # Pushed on by more than was asked is as good; a trailer is not steered; forward, where it went forward.
        self.assertEqual(guide_pictures([0.0, -10.0], [], (-26.0, 0.0), steers=True).way, "stop")
        self.assertEqual(guide_pictures([0.0, -10.0], [], (-4.0, 0.0), steers=True).way, "back")
        self.assertEqual(guide_pictures([0.0, 10.0], [], (12.0, 0.0), steers=True).way, "forward")
        self.assertEqual(guide_pictures([0.0, -15.0, -30.0], [], (-30.0, 0.0), steers=False).way, "done")

    def test_how_far_wheels_have_rolled_and_steered_is_told_by_single_shots(self):
        scenario = stand(SMALL, 4, rolls=(0, -12, -25), sweeps=(8,))
        found = [{"A": {}, "B": {}} for _ in scenario.moments]
        for target, shot, name, pixels in scenario.dots(0.02):
            dots = {"numbers": list(range(len(pixels))), "pixels": pixels.tolist(), "found": len(pixels), "hidden": 0}
            found[shot][name][f"T{target + 1}"] = dots
        plates = [plates_of(scenario.document(), one) for one in found]
        for shot in (1, 2):
            turned = turned_between(plates[0], plates[shot])
            for wheel in scenario.wheels:
                truth = rolled_by(wheel, scenario.moments[shot]) - rolled_by(wheel, scenario.moments[0])
                self.assertAlmostEqual(turned[wheel.axle, wheel.side][1], truth, delta=0.3)
        turned = turned_between(plates[2], plates[3])
        before, after = (plates_at(scenario.wheels, scenario.moments[shot]) for shot in (2, 3))
        for wheel, pose in after.items():
            truth = Rotation.from_matrix(pose.turn @ before[wheel].turn.T).as_rotvec(degrees=True)
            self.assertAlmostEqual(turned[wheel][2], truth[2], delta=0.1)
            self.assertGreater(abs(truth[2]), 6.0) if wheel[0] == 1 else self.assertLess(abs(truth[2]), 0.3)
        self.assertEqual(plates_of(scenario.document(), {"A": {}, "B": {}}), {})


class Measures(unittest.TestCase):
    def test_each_number_of_a_kit_of_heads_or_cameras_is_measured_by_a_device_and_by_one_alone(self):
        for code, pattern_code in (("wheel_heads", "car"), ("frame_cameras", "truck_6x4")):
            seen: dict[str, list[str]] = {}
            for station in kit(code).stations(pattern(pattern_code).vehicle):
                for path in station.fields:
                    of = measure_of(station, path)
                    self.assertIsNotNone(of, f"{station.slot}/{path}")
                    seen.setdefault(of.key, []).append(f"{station.slot}/{path}")
            # What is read at several times is one measure; two places to look at are never one.
            for key, slots in seen.items():
                kinds = [slot.split("/")[0] for slot in slots]
                for kind in ("sight", "outboard_pair", "camber"):
                    self.assertLessEqual(kinds.count(kind), 1, (key, slots))

    def test_a_tape_is_read_by_a_person(self):
        for station in kit("straightedge_tape").stations(pattern("car").vehicle):
            for path in station.fields:
                self.assertIsNone(measure_of(station, path) if station.reading["kind"] != "camber" else None)

    def test_what_is_no_measure_is_refused_by_the_key_that_is_wrong(self):
        good = {"what": "camber", "axle": 1, "side": "left", "value": -0.5, "u": 0.02}
        self.assertEqual(Measured.read(good).of.key, "camber/1/left")
        for key, value in (("what", "colour"), ("what", ["camber"]), ("axle", 0), ("axle", True), ("axle", 10**40), ("side", "front"),
                           ("value", "4"), ("value", float("nan")), ("value", 10**400), ("value", 361), ("u", 0), ("u", None),
                           ("to", {}), ("place", "there")):  # fmt: skip
            with self.subTest(key=key, value=str(value)[:20]), self.assertRaisesRegex(ValueError, f"^{key}: expected"):
                Measured.read({**good, key: value})

    @given(st.dictionaries(st.sampled_from(["what", "axle", "side", "value", "u", "to", "place"]),
                           st.none() | st.booleans() | st.integers() | st.floats() | st.text() | st.lists(st.integers())))  # fmt: skip
    def test_nothing_that_comes_is_more_than_refused(self, data):
        try:
            json.dumps(Measured.read(data).value, allow_nan=False)
        except ValueError as error:
            self.assertLess(len(str(error)), 200)


class Guided(unittest.TestCase):
    """A person who pushes, or steers, as told, comes through all that is to be read."""

    VAN = pattern("van").vehicle

    def through(self, guide, move, most=200):
        """Follow a guide until it is done; answers what was read, in order, and where each was."""
        read, where = [], []
        for _ in range(most):
            told = guide(read)
            self.assertIsNotNone(told)
            if told.way == "done":
                return read, where
            if told.there:
                read += told.places
                where += [move("stop", 0.0)] * len(told.places)
            else:
                # Nobody stops on the spot: now and then it goes too far.
                move(told.way, told.by * (1.1 if told.by > 40 else 1.0))
        raise AssertionError("it never ends")

    def test_wheels_roll_together_on_the_ground_or_one_by_one_where_they_are_lifted(self):
        stations = [s for s in kit("wheel_heads").stations(self.VAN) if s.reading["kind"] == "runout"]
        for lifted in (False, True):
            rolled = dict.fromkeys([(1, "left"), (1, "right"), (2, "left"), (2, "right")], 0.0)

            def move(way, by, rolled=rolled):
                for wheel in rolled:
                    rolled[wheel] += {"forward": by, "back": -by, "stop": 0.0}[way]
                return rolled[1, "left"]

            def guide(read, rolled=rolled, lifted=lifted):
                return guide_roll(self.VAN, stations, read, rolled, lifted=lifted)

            read, where = self.through(guide, move)
            self.assertEqual(sorted(read), sorted(f"{s.slot}/{path}" for s in stations for path in s.fields))
            for place, at in zip(read, where, strict=True):
                self.assertAlmostEqual(at, float(place.rpartition("_")[2]), delta=2.0)
        self.assertIsNone(guide_roll(self.VAN, stations, [], {}, lifted=False))
        # Before the first mark nothing says where the way began.
        begun = guide_roll(self.VAN, stations, [], {(1, "left"): -60.0}, lifted=True)
        self.assertEqual((begun.way, begun.by, begun.share), ("forward", 60.0, 0.0))
        first = [f"runout/1/left/{path}" for path in ("roll_0", "toe_0")]
        half = guide_roll(self.VAN, stations, first, {(1, "left"): 90.0}, lifted=True)
        self.assertEqual((half.way, half.by, half.share), ("forward", 90.0, 0.5))

    def test_a_sweep_is_left_then_right_then_straight_and_each_wheel_is_read_at_its_own_angle(self):
        stations = [s for s in kit("wheel_heads").stations(self.VAN) if s.reading["kind"] == "swing"]
        wheel = [0.0]

        def turned():
            # The inner wheel turns further, as they do.
            left = wheel[0] * (1.06 if wheel[0] > 0 else 1.0)
            right = -wheel[0] * (1.06 if wheel[0] < 0 else 1.0)
            return {(1, "left"): left, (1, "right"): right}

        def move(way, by):
            wheel[0] += {"left": by, "right": -by, "stop": 0.0}[way]
            return dict(turned())

        read, where = self.through(lambda read: guide_sweep(stations, read, turned()), move)
        self.assertEqual(len(read), 4)
        self.assertAlmostEqual(wheel[0], 0.0, delta=0.5)
        for place, at in zip(read, where, strict=True):
            side = place.split("/")[2]
            self.assertAlmostEqual(abs(at[1, side]), 10.0, delta=0.3)
            self.assertEqual(at[1, side] > 0, "_out_" in place)
        self.assertTrue({place.split("/")[2] for place in read[:2]} == {"left", "right"})
        self.assertIsNone(guide_sweep(stations, [], {}))

    def test_full_lock_is_read_at_each_side_when_somebody_presses_after_the_sweeps_own_angle(self):
        stations = [
            s
            for s in kit("wheel_heads").stations(self.VAN, [("lock_out_deg", 1)])
            if s.reading["kind"] in ("swing", "lock")
        ]
        swings = [f"{s.slot}/{path}" for s in stations for path in s.fields if s.reading["kind"] == "swing"]
        left = [place for place in swings if place.split("/")[2] == ("left" if "_out_" in place else "right")]
        still = {(1, "left"): 38.0, (1, "right"): -33.0}
        at_left = guide_sweep(stations, left, still)
        self.assertEqual((at_left.way, at_left.press, at_left.there), ("left", True, False))
        on_the_way = guide_sweep(stations, left, {(1, "left"): 10.0, (1, "right"): -10.0})
        self.assertEqual((on_the_way.press, on_the_way.places), (True, ()))
        self.assertEqual(set(at_left.places), {"lock/1/left/out_deg", "lock/1/right/in_deg"})
        at_right = guide_sweep(stations, [*swings, *at_left.places], {wheel: -turn for wheel, turn in still.items()})
        self.assertEqual(set(at_right.places), {"lock/1/left/in_deg", "lock/1/right/out_deg"})
        self.assertEqual(guide_sweep(stations, [*swings, *at_left.places, *at_right.places], still).way, "right")
        by_place = {f"{s.slot}/{path}": (s, path) for s in stations for path in s.fields}
        for place in at_left.places:
            of, sign = turned_at(*by_place[place])
            self.assertGreater(sign * still[of.axle, of.side], 0)


if __name__ == "__main__":
    unittest.main()
