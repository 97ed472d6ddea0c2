"""What adjusters do by their mechanics, and the sums of the trade about them (common practice, no source)."""

import math
import unittest

from alignment.adjust.hardware import KINDS, HardwareError, check_on, hardware_of
from alignment.adjust.hardware.arms import ArmShims, Cam, InsertPlate, ToeCam
from alignment.adjust.hardware.beams import CasterWedge, EccentricRod, PairedBush, SlottedSeat, SpringShims
from alignment.adjust.hardware.packings import Packed, SpringPackings
from alignment.adjust.hardware.rods import DragLink, PanhardRod, TieRod, TorqueRod, TrackRod
from alignment.adjust.learning import Learned, Moved
from alignment.estimate.solve import Estimate
from alignment.jobfile import parse, plan_job
from alignment.judge.results import nameable
from alignment.model.vehicle import default_datum
from alignment.procedure.kit import kit
from alignment.procedure.session import unknowns_changed, unknowns_told
from alignment.tests.cases import TRUCK, VAN
from alignment.tests.test_plan import THREE, job

INCH = 25.4
EVERY = (
    {"kind": "tie_rod", "axle": 1, "side": "left", "pitch_mm": 1.5, "arm_mm": 150.0},
    {"kind": "drag_link", "axle": 1, "pitch_mm": 1.5, "arm_mm": 200.0},
    {"kind": "track_rod", "axle": 1, "pitch_mm": 1.5, "arm_mm": 180.0},
    {"kind": "radius_rod", "axle": 1, "side": "left"},
    {"kind": "panhard_rod", "axle": 1, "pitch_mm": 2.0},
    {"kind": "caster_wedge", "axle": 1},
    {"kind": "torque_rod", "axle": 2, "side": "left", "pitch_mm": 2.0, "lever_mm": 900.0},
    {"kind": "arm_shims", "axle": 1, "side": "left", "height_mm": 364.0, "thickness_mm": 1.6, "bolt": "front"},
    {"kind": "cam", "axle": 1, "side": "left", "height_mm": 330.0, "throw_mm": 4.0},
    {"kind": "toe_cam", "axle": 2, "side": "left", "arm_mm": 160.0, "throw_mm": 4.0},
    {"kind": "insert_plate", "axle": 1, "side": "left", "mounting": "upper front", "installed": "5",
     "table": {"1": {"camber": -0.4, "toe": 0.05}, "5": {}, "9": {"camber": 0.4, "toe": -0.05}}},
    {"kind": "spring_shims", "axle": 2, "side": "left", "thickness_mm": 0.8, "lever_mm": 900.0},
    {"kind": "slotted_seat", "axle": 3, "side": "left", "lever_mm": 900.0},
    {"kind": "eccentric_rod", "axle": 3, "side": "left", "lever_mm": 900.0, "throw_mm": 5.0},
    {"kind": "paired_bush", "axle": 3, "side": "right", "lever_mm": 900.0, "throw_mm": 2.5},
)  # fmt: skip
BY_KIND = {entry["kind"]: entry for entry in EVERY}


def rod(**fields):
    return TieRod(**{"axle": 1, "side": "left", "pitch_mm": 1.5, "arm_mm": 150.0, **fields})


def bearing(hardware, position):
    return hardware.adjuster().effect_at(position)[f"axles/{hardware.axle}/bearing_deg"]


class Rods(unittest.TestCase):
    def test_a_flat_is_a_sixth_of_the_pitch_over_the_arm_and_a_double_thread_does_twice_as_much(self):
        self.assertAlmostEqual(rod().toe_per_flat_deg, math.degrees(math.atan(0.25 / 150)))
        self.assertAlmostEqual(rod(double=True).length_per_flat_mm, 0.5)

    def test_a_longer_rod_behind_the_axle_turns_the_wheel_in_and_one_ahead_turns_it_out(self):
        # A rigid arm about a vertical axis: its end behind the axle moved outboard points the wheel inboard.
        self.assertGreater(rod().toe_per_flat_deg, 0)
        self.assertLess(rod(ahead=True).toe_per_flat_deg, 0)

    def test_the_hand_turns_as_the_thread_has_it_and_the_other_way_round_seen_from_the_other_end(self):
        # A right-hand screw turned clockwise goes away from whoever looks along it.
        self.assertEqual(rod().hand(2), "clockwise")
        self.assertEqual(rod().hand(-2), "anticlockwise")
        self.assertEqual(rod(outer_thread="left").hand(2), "anticlockwise")
        self.assertEqual(rod(seen_from="middle").hand(2), "anticlockwise")
        said = rod(outer_thread="left").how(0, 3)
        self.assertEqual((said.amount, said.way), ("3 flats", "anticlockwise"))
        self.assertIn("left-hand thread at the wheel", said.detail)

    def test_a_drag_link_turns_both_wheels_and_a_torque_rod_the_beam(self):
        self.assertGreater(bearing(DragLink(axle=1, pitch_mm=1.5, arm_mm=200.0), 1.0), 0)
        self.assertLess(bearing(DragLink(axle=1, pitch_mm=1.5, arm_mm=200.0, longer_turns="left"), 1.0), 0)
        # Anchored ahead, a longer rod pushes its end back; the left end back turns the axle to the left.
        left = TorqueRod(axle=2, side="left", pitch_mm=2.0, lever_mm=900.0)
        right = TorqueRod(axle=2, side="right", pitch_mm=2.0, lever_mm=900.0)
        self.assertLess(bearing(left, 1.0), 0)
        self.assertAlmostEqual(bearing(right, 1.0), -bearing(left, 1.0))


class BeamsThatSteer(unittest.TestCase):
    """One rod across for the total toe, one link for where both wheels point."""

    def test_a_track_rod_closes_both_wheels_and_turns_neither_to_a_side(self):
        # Two arms of 200 mm, a rod between them half a millimetre longer: each arm goes a quarter out, behind the axle.
        both = math.degrees(math.atan(0.5 / 200))
        for ahead, sign in ((False, 1), (True, -1)):
            rod = TrackRod(axle=1, pitch_mm=1.5, arm_mm=200.0, ahead=ahead)
            self.assertEqual(list(rod.adjuster().effect), ["axles/1/total_toe_deg"])
            self.assertAlmostEqual(rod.adjuster().effect_at(1.0)["axles/1/total_toe_deg"], sign * both)

    def test_a_drag_link_that_carries_a_second_axle_turns_both_and_its_own_link_only_that_one(self):
        first, second = DragLink(axle=1, carries=2), DragLink(axle=2)
        self.assertEqual(set(first.adjuster().effect), {"axles/1/bearing_deg", "axles/2/bearing_deg"})
        self.assertEqual(set(second.adjuster().effect), {"axles/2/bearing_deg"})

    def test_a_rod_that_nobody_measured_is_badly_known_and_the_first_move_teaches_it(self):
        (rod,) = hardware_of([{"kind": "track_rod", "axle": 1}])
        path, before = "axles/1/total_toe_deg", Learned.before([rod])
        self.assertGreater(before.of(rod.id).u, 0.4)
        self.assertIn("pitch not measured", rod.how(0, 2).detail)
        changes = rod.adjuster().effect_at(4.0)
        history = [({path: Estimate(0.0, 0.01)}, [Moved(rod.id, changes)])]
        after = before.after(history, {path: Estimate(0.3, 0.01)})
        self.assertAlmostEqual(after.of(rod.id).share * changes[path], 0.3, delta=0.02)
        self.assertLess(after.of(rod.id).u, 0.15)

    def test_what_holds_a_beam_sideways_shifts_it_and_wedges_lean_both_king_pins(self):
        shifted = PanhardRod(axle=1, pitch_mm=1.5, longer_moves="left").adjuster()
        self.assertEqual(shifted.effect_at(6.0), {"axles/1/offset_mm": -1.5})
        wedge = CasterWedge(axle=1)
        self.assertEqual(
            wedge.adjuster().effect_at(2.0), {f"axles/1/{side}/caster_deg": 1.0 for side in ("left", "right")}
        )
        self.assertIn("thick end ahead", wedge.how(0, 2).detail)


class Knuckles(unittest.TestCase):
    def test_inclination_goes_with_camber_the_other_way_and_the_included_angle_stays(self):
        for one in hardware_of([BY_KIND["cam"], BY_KIND["arm_shims"]]):
            effect = one.adjuster().effect_at(one.adjuster().positions[-1])
            self.assertAlmostEqual(effect["axles/1/left/sai_deg"], -effect["axles/1/left/camber_deg"])
        self.assertNotIn("axles/2/left/sai_deg", Cam(axle=2, side="left", height_mm=330.0, throw_mm=4.0, steers=False)
                         .adjuster().names)  # fmt: skip

    def test_the_toe_that_comes_with_camber_is_learned_on_one_wheel_for_the_other(self):
        parts = hardware_of([{**BY_KIND["cam"], "side": side} for side in ("left", "right")])
        learned = Learned.before(parts)
        self.assertEqual(learned.toe_of(parts[0].id).share, 0.0)
        self.assertGreater(learned.toe_of(parts[0].id).u, 0.5)
        nominal = parts[0].adjuster().effect_at("3")
        camber, toe = "axles/1/left/camber_deg", "axles/1/left/toe_deg"
        leaned = nominal[camber]
        before = {camber: Estimate(0.0, 0.02), toe: Estimate(0.1, 0.01)}
        now = {camber: Estimate(leaned, 0.02), toe: Estimate(0.1 - 0.9 * leaned, 0.01)}
        after = learned.after([(before, [Moved(parts[0].id, nominal)])], now)
        for one in parts:
            self.assertAlmostEqual(after.toe_of(one.id).share, -0.9, delta=0.15)
            self.assertLess(after.toe_of(one.id).u, 0.2)
        expected = after.effect(parts[1].id, parts[1].adjuster().effect_at("3"))
        self.assertAlmostEqual(expected["axles/1/right/toe_deg"], -0.9 * leaned, delta=0.1)

    def test_after_a_camber_was_moved_that_wheels_toe_and_sweep_are_to_be_read_again(self):
        stations = {s.slot: s for s in kit("frame_gauge_lasers").stations(VAN)}
        effect = hardware_of([BY_KIND["cam"]])[0].adjuster().effect_at("2")
        for slot, holds in (("toe_gauge/1", False), ("swing/1/left", False), ("camber/1/left", False),
                            ("camber/1/right", True), ("swing/1/right", True), ("toe_gauge/2", True)):  # fmt: skip
            values = dict.fromkeys(stations[slot].fields, 1.0)
            self.assertEqual(self.holds(stations[slot], values, effect), holds, slot)
        rod = {"axles/1/left/toe_deg": 0.1}
        sweep = dict.fromkeys(stations["swing/1/left"].fields, 1.0)
        self.assertTrue(self.holds(stations["swing/1/left"], sweep, rod))

    @staticmethod
    def holds(station, values, effect):
        datum = default_datum(VAN)
        return unknowns_told(VAN, datum, station, values).isdisjoint(unknowns_changed(VAN, datum, effect))


class Arms(unittest.TestCase):
    """An upper arm whose bolts are twice as far apart as half its reach; 1/16 in at both bolts is 1/4 degree of camber."""

    HEIGHT = INCH / 16 / math.tan(math.radians(0.25))

    def shims(self, bolt):
        return ArmShims(axle=1, side="left", height_mm=self.HEIGHT, spacing_mm=400.0, reach_mm=200.0, bolt=bolt,
                        thickness_mm=INCH / 16).adjuster()  # fmt: skip

    def both(self, front, rear):
        total = {}
        for adjuster, count in ((self.shims("front"), front), (self.shims("rear"), rear)):
            for path, change in adjuster.effect_at(float(count)).items():
                total[path] = total.get(path, 0.0) + change
        return total["axles/1/left/camber_deg"], total["axles/1/left/caster_deg"]

    def test_a_shim_at_both_bolts_is_a_quarter_degree_of_camber_and_no_caster(self):
        camber, caster = self.both(1, 1)
        self.assertAlmostEqual(camber, 0.25, places=5)
        self.assertAlmostEqual(caster, 0.0)

    def test_a_shim_moved_between_the_bolts_is_a_quarter_degree_of_caster_and_no_camber(self):
        camber, caster = self.both(1, -1)
        self.assertAlmostEqual(camber, 0.0)
        self.assertAlmostEqual(caster, 0.25, places=5)

    def test_a_lower_arm_outboard_takes_camber_away(self):
        upper, lower = (
            Cam(axle=1, side="left", height_mm=330.0, throw_mm=4.0, arm=arm).adjuster().effect_at("2")
            for arm in ("upper", "lower")
        )
        path = "axles/1/left/camber_deg"
        self.assertGreater(upper[path], 0)
        self.assertAlmostEqual(lower[path], -upper[path])

    def test_a_cam_goes_by_the_sine_up_to_its_stop(self):
        cam = Cam(axle=1, side="left", height_mm=330.0, throw_mm=4.0, mark_deg=15.0, stop_deg=90.0)
        adjuster, path = cam.adjuster(), "axles/1/left/camber_deg"
        self.assertEqual((adjuster.positions[0], adjuster.positions[-1]), ("-6", "6"))
        last, half = adjuster.effect_at("6")[path], adjuster.effect_at("2")[path]
        self.assertAlmostEqual(math.tan(math.radians(half)) / math.tan(math.radians(last)), math.sin(math.radians(30)))
        self.assertLess(last - adjuster.effect_at("5")[path], half / 8)
        self.assertIn("its stop", cam.how("4", "6").detail)
        self.assertNotIn("its stop", cam.how("4", "5").detail)

    def test_a_toe_links_end_moved_outboard_behind_the_axle_points_the_wheel_in(self):
        behind, ahead = (
            ToeCam(axle=2, side="left", arm_mm=160.0, throw_mm=4.0, ahead=where).adjuster().effect_at("6")
            for where in (False, True)
        )
        path = "axles/2/left/toe_deg"
        self.assertAlmostEqual(behind[path], math.degrees(math.atan(4 / 160)))
        self.assertAlmostEqual(ahead[path], -behind[path])

    def test_plates_are_compared_with_what_is_installed_and_toe_comes_with_camber(self):
        table = {"1": {"camber": -0.4}, "5": {"camber": 0.1}, "9": {"camber": 0.5}}
        plate = InsertPlate(axle=1, side="left", mounting="upper front", installed="5", table=table).adjuster()
        self.assertAlmostEqual(plate.effect_at("9")["axles/1/left/camber_deg"], 0.4)
        cam = Cam(axle=1, side="left", height_mm=330.0, throw_mm=4.0, toe_per_camber=-0.2).adjuster().effect_at("3")
        self.assertAlmostEqual(cam["axles/1/left/toe_deg"], -0.2 * cam["axles/1/left/camber_deg"])


class Beams(unittest.TestCase):
    def test_one_thirty_second_of_an_inch_over_a_wide_lever_is_about_three_hundredths_of_a_degree(self):
        shims = SpringShims(axle=2, side="left", thickness_mm=INCH / 32, lever_mm=1500.0)
        self.assertAlmostEqual(bearing(shims, 1.0), 0.03, delta=0.001)

    def test_a_thrust_of_0_07_is_taken_to_0_01_by_two_shims(self):
        shims = SpringShims(axle=2, side="right", thickness_mm=INCH / 32, lever_mm=1500.0)
        spec = [{"quantity": "thrust_angle_deg", "min": -0.05, "max": 0.05, "preferred": 0.0}]
        toes = {f"axles/2/{side}/toe_deg": 0.07 * sign for side, sign in (("left", 1), ("right", -1))}
        given = {"id": shims.id, "min": 0, "max": 6, "effect": dict(shims.adjuster().effect)}
        plan = plan_job(parse(job(THREE, toes, spec, [given])))
        self.assertEqual([(m["id"], m["by"]) for m in plan["moves"]], [("A2 right spring seat shims", 2)])
        self.assertAlmostEqual(plan["verdicts"][0]["value"], 0.01, delta=0.002)

    def test_an_axle_that_moved_0_05_for_each_shim_and_not_0_03_teaches_it_for_the_next(self):
        entries = [{**BY_KIND["spring_shims"], "axle": axle, "side": "right", "lever_mm": 1500.0} for axle in (2, 3)]
        parts = hardware_of(entries)
        path = "axles/2/bearing_deg"
        nominal = parts[0].adjuster().effect_at(2.0)
        history = [({path: Estimate(0.07, 0.005)}, [Moved(parts[0].id, nominal)])]
        learned = Learned.before(parts).after(history, {path: Estimate(-0.03, 0.005)})
        self.assertAlmostEqual(abs(nominal[path]), 0.06, delta=0.002)
        for one in parts:
            each = learned.of(one.id).share * abs(nominal[path]) / 2
            self.assertAlmostEqual(each, 0.05, delta=0.004)

    def test_what_moves_a_left_end_forward_turns_the_axle_to_the_right_and_a_right_end_the_other_way(self):
        for kind, position in ((SlottedSeat, 2.0), (EccentricRod, "3"), (PairedBush, "3"), (SpringShims, 2.0)):
            extra = {"throw_mm": 3.0} if "throw_mm" in kind.__dataclass_fields__ else {}
            extra |= {"thickness_mm": 0.8} if "thickness_mm" in kind.__dataclass_fields__ else {}
            left, right = (bearing(kind(axle=2, side=s, lever_mm=900.0, **extra), position) for s in ("left", "right"))
            self.assertGreater(left, 0)
            self.assertAlmostEqual(right, -left)

    def test_paired_bushes_move_twice_as_far_as_one_eccentric(self):
        one, two = (kind(axle=2, side="left", lever_mm=900.0, throw_mm=3.0) for kind in (EccentricRod, PairedBush))
        self.assertAlmostEqual(math.tan(math.radians(bearing(two, "2"))), 2 * math.tan(math.radians(bearing(one, "2"))))


class Packings(unittest.TestCase):
    SPRING = SpringPackings(thickness_mm=5 / 16 * INCH)

    def test_at_most_five_lie_on_a_spring_two_above_and_three_below_and_a_sixth_is_refused(self):
        self.SPRING.check(Packed(2, 3))
        for wrong in (Packed(3, 2), Packed(2, 4), Packed(-1, 0)):
            with self.assertRaises(HardwareError):
                self.SPRING.check(wrong)
        with self.assertRaises(HardwareError):
            SpringPackings(thickness_mm=8.0, most_above=3, most_below=3).check(Packed(3, 3))
        self.assertEqual(self.SPRING.for_height(Packed(0, 0), 300, 400, 410), Packed(2, 3))

    def test_height_comes_in_steps_of_a_packing_to_the_middle_of_its_range(self):
        wanted = self.SPRING.for_height(Packed(0, 1), 390.0, 400.0, 410.0)
        self.assertEqual(wanted, Packed(0, 3))
        self.assertEqual(self.SPRING.say(Packed(0, 1), wanted),
                         "2 packings more, 0 above and 3 below the spring: 15.9 mm higher.")  # fmt: skip
        self.assertEqual(self.SPRING.for_height(Packed(1, 3), 420.0, 400.0, 410.0), Packed(0, 2))

    def test_a_height_out_of_reach_is_said_with_where_it_ends(self):
        spring = SpringPackings.from_dict(
            {"thickness_mm": 8.0, "below": 1, "low_mm": 400.0, "high_mm": 410.0, "axle": 1}
        )
        self.assertEqual(spring.advise(404.0), "Leave the packings as they are.")
        self.assertIn("1 packing more, 0 above and 2 below", spring.advise(396.0))
        self.assertIn("Even so it stands at 382 mm", spring.advise(350.0))
        self.assertEqual(SpringPackings(thickness_mm=8.0).advise(404.0), "")
        with self.assertRaisesRegex(HardwareError, "at most 3 packings below"):
            SpringPackings.from_dict({"thickness_mm": 8.0, "below": 4})


class Layouts(unittest.TestCase):
    def test_every_kind_is_read_from_plain_data_and_makes_an_adjuster_that_a_job_file_takes(self):
        self.assertEqual({entry["kind"] for entry in EVERY}, set(KINDS))
        parts = hardware_of(EVERY)
        check_on(TRUCK, nameable(TRUCK), parts)
        entries = []
        for part in parts:
            adjuster = part.adjuster()
            shape = {"choices": adjuster.choices, "installed": adjuster.installed} if adjuster.choices else {
                "min": adjuster.minimum, "max": adjuster.maximum, "effect": adjuster.effect, "step": adjuster.step}  # fmt: skip
            entries.append({"id": adjuster.id, **shape})
            start, end = adjuster.positions[0], adjuster.positions[-1]
            said = part.how(start, end)
            self.assertTrue(said.amount and said.way and said.detail)
        axles = [{"role": a.role, "position_mm": a.position_mm, "track_mm": a.track_mm} for a in TRUCK.axles]
        self.assertEqual(len(parse({"format": "rectaxis-job", "version": 1, "vehicle": {"axles": axles},
                                    "adjusters": entries}).adjusters), len(EVERY))  # fmt: skip

    def test_what_is_described_wrongly_is_refused_with_what_was_expected(self):
        for wrong, words in (({"arm_mm": 0}, "arm_mm above 0"), ({"side": "near"}, "side left, right"),
                             ({"side": ""}, "side left, right"), ({"teeth": 3}, "teeth"), ({"pitch_mm": "1"}, "pitch_mm above 0"),
                             ({"outer_thread": "fine"}, "outer_thread right, left")):  # fmt: skip
            with self.assertRaisesRegex(HardwareError, words):
                hardware_of([{**EVERY[0], **wrong}])
        with self.assertRaisesRegex(HardwareError, "^slotted seat: lever_mm is missing$"):
            hardware_of([{"kind": "slotted_seat", "axle": 2, "side": "left"}])
        with self.assertRaisesRegex(HardwareError, "expected an adjuster of kind"):
            hardware_of([{"kind": "wedge"}])
        for entry, wrong in ((BY_KIND["cam"], {"installed": 7}), (BY_KIND["spring_shims"], {"installed": 7}), (BY_KIND["cam"], {"mark_deg": 1e-9}),
                             (BY_KIND["slotted_seat"], {"step_mm": 1e-9}), (BY_KIND["drag_link"], {"side": "left"})):  # fmt: skip
            with self.assertRaises(HardwareError, msg=wrong):
                hardware_of([{**entry, **wrong}])
        with self.assertRaisesRegex(HardwareError, "listed twice"):
            hardware_of([EVERY[0], EVERY[0]])
        with self.assertRaisesRegex(HardwareError, "to be installed"):
            hardware_of([{**BY_KIND["insert_plate"], "installed": "7"}])
        with self.assertRaisesRegex(HardwareError, "axles 1 to 2"):
            check_on(VAN, nameable(VAN), hardware_of([BY_KIND["slotted_seat"]]))

    def test_the_same_part_elsewhere_is_of_one_family(self):
        parts = hardware_of([EVERY[0], {**EVERY[0], "side": "right", "outer_thread": "left"}, {**EVERY[0], "axle": 2,
                             "pitch_mm": 1.25}])  # fmt: skip
        self.assertEqual(parts[0].family, parts[1].family)
        self.assertNotEqual(parts[0].family, parts[2].family)
