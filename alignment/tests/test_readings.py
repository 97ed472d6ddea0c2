"""Every kind of reading: its slopes, its mirror image, and its prediction against rigid bodies traced in 3-D."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq
from scipy.spatial.transform import Rotation

from alignment.model.formula import Sheet
from alignment.model.state import DEG, Ground, Layout, State
from alignment.model.vehicle import SIDES, default_datum
from alignment.readings import KINDS
from alignment.tests.cases import VAN, as_shown, flags, reading, solved, state_of, toe_scales
from alignment.tests.test_rigid_bodies import camber_of, outboard, wheel

SAMPLES = {
    "outboard_pair": {"axle": 2, "ahead_mm": 2700, "on": 1, "left_mm": 38, "right_mm": 46, "mount": "m"},
    "toe_scales": {"left_mm": 1, "right_mm": 2, "reference_diameter_mm": 400, "heads": "reversed"},
    "tape_toe": {"ahead_mm": 1500, "behind_mm": 1503, "diameter_mm": 600},
    "toe_gauge": {"baseline_mm": 2000, "second": "rearward", "shift_mm": 4},
    "cross_dial": {"dial_mm": 3, "reference_diameter_mm": 400},
    "mirror_pair": {"axle": 2, "from_axle": 1, "distance_mm": 2700, "left_mm": 3, "right_mm": 5},
    "hub_square": {"left_mm": 500, "right_mm": 503, "span_mm": 1700},
    "frame_side": {"left_mm": 400, "right_mm": 404},
    "setback_scales": {"left_mm": 30, "right_mm": 28},
    "toe": {"side": "left", "deg": 0.1},
    "camber": {"side": "left", "deg": -0.5, "clamp": "raw"},
    "rim_angle": {"side": "right", "deg": 90.5},
    "caster": {"side": "left", "deg": 4},
    "sai": {"side": "right", "deg": 13},
    "swing": {"side": "left", "out_deg": 20, "in_deg": 18, "camber_out_deg": 1, "camber_in_deg": -2,
              "pitch_out_deg": 3, "pitch_in_deg": -3},
    "runout": {"side": "right", "positions": [{"roll_deg": 0, "camber_deg": 0.1, "toe_deg": 0.2},
                                              {"roll_deg": 80, "camber_deg": 0.3}]},
    "turn": {"inner_deg": 20, "outer_left_turn_deg": 18, "outer_right_turn_deg": 18.2},
    "lock": {"side": "left", "out_deg": 38, "in_deg": 33},
    "drive_over": {"deg": 0.2},
    "wheel_axis": {"side": "left", "centre_mm": [1, 770, 300], "axis": [0.01, 1, -0.02]},
    "steer_axis": {"side": "left", "axis": [-0.07, -0.21, 1.0]},
    "plumb": {"up": [0.01, -0.02, 1.0]},
    "sight": {"side": "right", "to_axle": 2, "deg": -0.3, "arm_mm": 250, "out_mm": 90, "to_arm_mm": -200, "to_out_mm": 80},
    "tread": {"outer_mm": 1710, "inner_mm": 1290},
    "stagger": {"left_mm": 1900, "right_mm": 1916},
    "clamp": {"side": "right", "cosine_deg": 0.1, "sine_deg": -0.2},
}  # fmt: skip
SAMPLES["wheel_axis, rig"] = {
    "axle": 2,
    "side": "right",
    "rig": "r",
    "centre_mm": [-4100, -600, 300],
    "axis": [0.1, -1, 0.02],
}
SAMPLES["plumb, rig"] = {"rig": "r", "up": [0.01, -0.02, 1.0]}
SAMPLES["steer_axis, rig"] = {"side": "right", "rig": "r", "axis": [-0.07, 0.21, 1.0]}
SAMPLES["sight, across"] = {"side": "left", "to_axle": 1, "deg": 0.4, "arm_mm": 300, "out_mm": 100, "to_arm_mm": 280}
SAMPLES |= {
    f"{kind}, raw": {**data, "clamp": "raw"} for kind, data in SAMPLES.items() if KINDS[kind.split(",")[0]].on_clamp()
}
SAMPLES |= {f"{kind}, gauge": {**SAMPLES[kind], "gauge": "g", "zero_u_deg": 0.1} for kind in ("camber", "runout")}
LEFT_RIGHT = {"left": "right", "right": "left"}
TILTED = Ground(1.3 / DEG, -0.8 / DEG)
UNKNOWN = Ground(0.0, 0.0)
"""Ground whose tilt is an unknown of the phase."""


def sample(kind: str):
    return reading(kind.split(",", maxsplit=1)[0], **SAMPLES[kind])


def some_state(item, ground: Ground, scale: float = 1.0) -> State:
    layout = Layout(VAN, default_datum(VAN))
    item.declare(layout)
    if ground is UNKNOWN:
        layout.tilt()
    values = [
        scale * (3.0 + i % 5 if length else (0.3 + 0.2 * (i % 7)) / DEG) for i, length in enumerate(layout.lengths)
    ]
    return State(layout, values, ground)


def mirrored_values(values: dict[str, float]) -> dict[str, float]:
    """The same vehicle seen in a mirror: sides swap, and what points to a side points to the other."""
    turned = {}
    for name, value in values.items():
        parts = [LEFT_RIGHT.get(part, part) for part in name.split("/")]
        flips = any(
            word in name for word in ("bearing", "offset", "setback", "stagger", "/y_mm", "heading", "ground/roll")
        )
        turned["/".join(parts).replace("toe_out_left", "toe_out_X").replace("toe_out_right", "toe_out_left")
               .replace("toe_out_X", "toe_out_right")] = -value if flips else value  # fmt: skip
    return turned


def mirrored_data(data: dict) -> dict:
    swapped = {}
    for key, value in data.items():
        new = key.replace("left", "X").replace("right", "left").replace("X", "right")
        swapped[new] = LEFT_RIGHT.get(value, value) if key == "side" else value
    for key in ("centre_mm", "axis", "up"):
        if key in swapped:
            x, y, z = swapped[key]
            swapped[key] = [x, -y, z]
    return swapped


class EveryKind(unittest.TestCase):
    def test_there_is_a_sample_of_each(self):
        self.assertEqual({kind.split(",")[0] for kind in SAMPLES} | {"ground", "rig"}, set(KINDS))

    def test_slopes_are_those_of_central_differences_on_level_and_on_tilted_ground(self):
        step = 1e-6
        for kind in SAMPLES:
            for ground in (Ground(), TILTED, UNKNOWN):
                item = sample(kind)
                state = some_state(item, ground)
                for row, prediction in enumerate(item.predict(state)):
                    for index, slope in prediction.slopes.items():
                        ends = []
                        for sign in (1, -1):
                            moved = State(state.layout, state.x, ground)
                            moved.x[index] += sign * step
                            ends.append(item.predict(moved)[row].value)
                        with self.subTest(kind=kind, row=row, unknown=state.layout.names[index]):
                            self.assertAlmostEqual(
                                slope, (ends[0] - ends[1]) / (2 * step), delta=1e-6 * (1 + abs(slope))
                            )

    def test_a_value_worked_out_alone_is_the_one_that_comes_with_slopes(self):
        for kind in SAMPLES:
            for ground in (Ground(), TILTED, UNKNOWN):
                item = sample(kind)
                state = some_state(item, ground)
                formulas = item.formulas(state.layout, ground)
                alone = Sheet(formulas, range(len(state.x))).values(np.array(state.x))
                np.testing.assert_allclose(alone, [f.at(state.x).value for f in formulas], rtol=1e-12, err_msg=kind)

    def test_what_is_shown_is_what_is_predicted(self):
        for kind in SAMPLES:
            item = sample(kind)
            state = some_state(item, TILTED)
            shown = as_shown(item, state)
            for observed, predicted in zip(shown.observed(), shown.predict(state), strict=True):
                self.assertAlmostEqual(observed.value, predicted.value, places=9, msg=kind)

    def test_a_mirrored_vehicle_is_read_the_other_way_round(self):
        for kind in SAMPLES:
            item = sample(kind)
            state = some_state(item, Ground(0.01, 0.02))
            shown = as_shown(item, state)
            other = type(item)(mirrored_data(dict(shown.data)))
            layout = Layout(VAN, default_datum(VAN))
            other.declare(layout)
            # The ground leans the other way in the mirror.
            image = State.from_values(layout, mirrored_values(state.as_values()).items(), Ground(-0.01, 0.02))
            for observed, predicted in zip(other.observed(), other.predict(image), strict=True):
                self.assertAlmostEqual(observed.value, predicted.value, places=9, msg=kind)

    def test_a_row_weighs_what_the_numbers_in_it_weigh(self):
        weights = {"outboard_pair": [0.5**0.5, 0.5**0.5], "toe_scales": [2**0.5], "tape_toe": [2**0.5], "toe_gauge": [1],
                   "cross_dial": [1], "mirror_pair": [0.5**0.5], "hub_square": [2**0.5], "frame_side": [0.5**0.5],
                   "setback_scales": [2**0.5], "swing": [2**0.5, 2**0.5], "turn": [2**0.5, 2**0.5], "camber": [1],
                   "runout": [1, 1, 1], "lock": [1, 1], "tread": [0.5**0.5], "stagger": [2**0.5]}  # fmt: skip
        apart = {**sample("wheel_axis").data, "u_mm": 0.03, "u_along_mm": 0.5, "u_deg": 0.006, "u_camber_deg": 0.007}
        self.assertEqual([one.u for one in KINDS["wheel_axis"](apart).observed()], [0.03, 0.5, 0.006, 0.007])
        for kind, expected in weights.items():
            data = {**sample(kind).data, "u_mm": 0.2, "u_deg": 0.2}
            got = [observed.u / 0.2 for observed in KINDS[kind](data).observed()]
            np.testing.assert_allclose(got, expected, err_msg=kind)


angle = st.floats(-2.0, 2.0)


def turned_wheel(side: str, toe: float, camber: float, caster: float, sai: float, outward: float) -> Rotation:
    """The rotation about the steering axis after which the wheel's level heading has turned out, found by root finding."""
    sign = 1 if side == "left" else -1
    axis = np.array([-math.tan(caster / DEG), -sign * math.tan(sai / DEG), 1.0])
    axis /= np.linalg.norm(axis)
    spin = wheel(side, toe, camber).apply(outboard(side))

    def heading_error(angle_deg: float) -> float:
        x, y, _ = Rotation.from_rotvec(axis * math.radians(angle_deg)).apply(spin)
        return math.degrees(math.atan2(x, sign * y)) - (toe - outward)

    # Turned about a nearly upright axis, a left wheel goes out anticlockwise; the root lies near that angle.
    return Rotation.from_rotvec(axis * math.radians(brentq(heading_error, -80, 80, xtol=1e-13)))


class Swings(unittest.TestCase):
    @given(angle, angle, st.floats(-2, 12), st.floats(2, 16), st.floats(5, 30), st.floats(5, 30),
           angle, angle, st.sampled_from(SIDES))  # fmt: skip
    @settings(max_examples=60, deadline=None)
    def test_a_swing_is_a_rigid_rotation_about_the_steering_axis(
        self, toe, camber, caster, sai, out, into, roll, pitch, side
    ):
        fields = {"camber_out_deg": 0, "camber_in_deg": 0, "pitch_out_deg": 0, "pitch_in_deg": 0}
        item = reading("swing", 1, side=side, out_deg=out, in_deg=into, **fields)
        at = f"axles/1/{side}"
        truth = {"axles/1/total_toe_deg": 2 * toe, f"{at}/camber_deg": camber, f"{at}/caster_deg": caster,
                 f"{at}/sai_deg": sai}  # fmt: skip
        layout = Layout(VAN, default_datum(VAN))
        state = State.from_values(layout, truth.items(), Ground(roll / DEG, pitch / DEG))
        ground = Rotation.from_euler("xy", [roll, pitch], degrees=True)
        cambers, pitches = [], []
        for outward in (out, -into):
            swung = turned_wheel(side, toe, camber, caster, sai, outward)
            pose = wheel(side, toe, camber)
            cambers.append(camber_of(ground.apply(swung.apply(pose.apply(outboard(side))))))
            pitches.append(math.degrees(math.asin(ground.apply(swung.apply(pose.apply([1.0, 0, 0])))[2])))
        predicted = item.predict(state)
        self.assertAlmostEqual(predicted[0].value, cambers[0] - cambers[1], places=9)
        self.assertAlmostEqual(predicted[1].value, pitches[0] - pitches[1], places=9)

    @given(
        angle, angle, st.floats(-2, 12), st.floats(2, 16), st.floats(5, 30), angle, angle, angle, st.sampled_from(SIDES)
    )
    @settings(max_examples=60, deadline=None)
    def test_a_gauge_on_a_raw_clamp_is_carried_round_by_the_same_rotation(
        self, toe, camber, caster, sai, out, ec, es, roll, side
    ):
        fields = {"camber_out_deg": 0, "camber_in_deg": 0, "pitch_out_deg": 0, "pitch_in_deg": 0, "clamp": "raw"}
        item = reading("swing", 1, side=side, out_deg=out, in_deg=out, **fields)
        at = f"axles/1/{side}"
        truth = {"axles/1/total_toe_deg": 2 * toe, f"{at}/camber_deg": camber, f"{at}/caster_deg": caster,
                 f"{at}/sai_deg": sai, f"{at}/clamp/cosine_deg": ec, f"{at}/clamp/sine_deg": es,
                 "ground/roll_deg": roll, "ground/pitch_deg": -roll / 2}  # fmt: skip
        layout = Layout(VAN, default_datum(VAN))
        item.declare(layout)
        layout.tilt()
        state = State.from_values(layout, truth.items())
        ground = Rotation.from_euler("xy", [roll, -roll / 2], degrees=True)
        gauge, cambers, pitches = wheel(side, toe + es, camber + ec), [], []
        for outward in (out, -out):
            swung = turned_wheel(side, toe, camber, caster, sai, outward)
            cambers.append(camber_of(ground.apply(swung.apply(gauge.apply(outboard(side))))))
            pitches.append(math.degrees(math.asin(ground.apply(swung.apply(gauge.apply([1.0, 0, 0])))[2])))
        predicted = item.predict(state)
        self.assertAlmostEqual(predicted[0].value, cambers[0] - cambers[1], places=9)
        self.assertAlmostEqual(predicted[1].value, pitches[0] - pitches[1], places=9)

    @given(st.floats(-3, 10), st.floats(4, 16), angle, angle)
    @settings(max_examples=40, deadline=None)
    def test_axes_against_gravity_are_those_of_the_tilted_vehicle(self, caster, sai, roll, pitch):
        ground = Rotation.from_euler("xy", [roll, pitch], degrees=True)
        for side, sign in (("left", 1), ("right", -1)):
            axis = ground.apply([-math.tan(caster / DEG), -sign * math.tan(sai / DEG), 1.0])
            truth = {f"axles/1/{side}/caster_deg": caster, f"axles/1/{side}/sai_deg": sai}
            layout = Layout(VAN, default_datum(VAN))
            state = State.from_values(layout, truth.items(), Ground(roll / DEG, pitch / DEG))
            shown = [reading(kind, 1, side=side, deg=0).predict(state)[0].value for kind in ("caster", "sai")]
            self.assertAlmostEqual(shown[0], math.degrees(math.atan2(-axis[0], axis[2])), places=9)
            self.assertAlmostEqual(shown[1], math.degrees(math.atan2(-sign * axis[1], axis[2])), places=9)

    def test_over_20_degrees_each_way_caster_is_1_46_times_the_camber_change(self):
        # Published rule of thumb 1/(2·sin 20°); common practice rounds it to 1.5 (no source).
        for caster in (2.0, 4.0):
            truth = {"axles/1/left/caster_deg": caster}
            item = reading("swing", 1, side="left", out_deg=20, in_deg=20, camber_out_deg=0, camber_in_deg=0)
            change = item.predict(state_of(truth))[0].value
            self.assertAlmostEqual(caster / change, 1 / (2 * math.sin(20 / DEG)), delta=0.005)
            self.assertLess(1.5 * change, 1.03 * caster)

    def swing(self, truth, *others, ground=None, **angles):
        turns = {"out_deg": 20, "in_deg": 20, "camber_out_deg": 0, "camber_in_deg": 0, **angles}
        item = reading("swing", 1, side="left", **turns)
        item = as_shown(item, state_of(truth, item))
        return solved(item, *others)

    def test_without_pitch_inclination_is_taken_as_12_give_or_take_3_and_stays_undetermined(self):
        truth = {"axles/1/left/caster_deg": 4.0, "axles/1/left/sai_deg": 12.0}
        found = self.swing(truth)
        caster = found.unknown("axles/1/left/caster_deg")
        self.assertAlmostEqual(caster.value, 4.0, places=9)
        self.assertIsNone(found.unknown("axles/1/left/sai_deg"))
        self.assertEqual((found.rank, found.redundancy), (1, 0))

    def test_what_is_assumed_and_what_others_give_enters_the_casters_uncertainty(self):
        # Unequal turns make caster depend on camber and inclination; a toe makes it depend on inclination.
        truth = {"axles/1/left/caster_deg": 4.0, "axles/1/left/sai_deg": 12.0, "axles/1/total_toe_deg": 3.0,
                 "axles/1/left/camber_deg": -1.0}  # fmt: skip
        toe = reading("toe", 1, side="left", deg=1.5, u_deg=0.2)
        camber = reading("camber", 1, side="left", deg=-1.0, u_deg=0.3)
        turns = {"out_deg": 25, "in_deg": 15}
        found = self.swing(truth, toe, camber, **turns)
        item, state = found.readings[0], found.state
        slopes = item.predict(state)[0].slopes
        layout = found.layout
        # Half the total and the bearing make up the wheel's toe: the slope against it is that against the bearing.
        parts = {"axles/1/left/sai_deg": 3.0, "axles/1/bearing_deg": 0.2, "axles/1/left/camber_deg": 0.3}
        row = item.observed()[0].u
        variance = row**2 + sum((slopes[layout.find(n)] / DEG * u) ** 2 for n, u in parts.items())
        # Propagation by hand: du = row and parts, through the slope against caster (JCGM 100, from memory).
        expected = math.sqrt(variance) / abs(slopes[layout.caster(1, "left")] / DEG)
        self.assertAlmostEqual(found.unknown("axles/1/left/caster_deg").u, expected, places=5)
        self.assertAlmostEqual(found.unknown("axles/1/left/caster_deg").value, 4.0, places=6)
        # Caster and camber are then correlated: their sum is not the sum of squares.
        both = {layout.caster(1, "left"): 1.0, layout.camber(1, "left"): 1.0}
        slope = slopes[layout.camber(1, "left")] / slopes[layout.caster(1, "left")]
        alone = math.sqrt(expected**2 + 0.3**2 - 2 * slope * 0.3**2)
        self.assertAlmostEqual(found.estimate(both, length=False).u, alone, places=5)

    def test_a_toe_that_is_only_told_together_with_something_else_counts_as_nothing(self):
        # A tape across axle 1 tells its total toe and not whose it is; flags tell its bearing mixed with an offset.
        alone = self.swing({"axles/1/left/caster_deg": 4.0, "axles/1/left/sai_deg": 12.0}, camber_out_deg=0)
        swing = alone.readings[0]
        for other in (reading("drive_over", 1, deg=3.0), flags(1, 10, 60), toe_scales(1, 3, 3)):
            found = solved(swing, other)
            self.assertAlmostEqual(found.unknown("axles/1/left/caster_deg").value, 4.0, places=9)
        # The same for a toe that enters a camber on a floor that falls to the front.
        level = [reading("ground", roll_deg=0.0, pitch_deg=4.0), reading("camber", 1, side="left", deg=-1.0)]
        camber = solved(*level).unknown("axles/1/left/camber_deg").value
        for other in (flags(1, 10, 60), reading("drive_over", 1, deg=3.0)):
            self.assertAlmostEqual(solved(*level, other).unknown("axles/1/left/camber_deg").value, camber, places=12)
        known = solved(*level, reading("toe", 1, side="left", deg=1.5)).unknown("axles/1/left/camber_deg").value
        self.assertGreater(abs(known - camber), 0.05)

    def test_inclination_that_swings_tell_too_badly_is_assumed_all_the_same(self):
        truth = {"axles/1/left/caster_deg": 4.0, "axles/1/left/sai_deg": 9.0}

        def turned(out, into):
            item = reading("swing", 1, side="left", out_deg=out, in_deg=into, camber_out_deg=0, camber_in_deg=0)
            return as_shown(item, state_of(truth, item))

        # Turns that differ much tell inclination from camber alone; turns that hardly differ tell it to 9 degrees.
        told = solved(turned(25, 15), turned(15, 25))
        self.assertAlmostEqual(told.unknown("axles/1/left/sai_deg").value, 9.0, places=6)
        self.assertEqual((told.rank, told.redundancy), (2, 0))
        weak = solved(turned(20, 19), turned(19, 20))
        self.assertIsNone(weak.unknown("axles/1/left/sai_deg"))
        self.assertEqual((weak.rank, weak.redundancy), (1, 1))
        self.assertLess(weak.unknown("axles/1/left/caster_deg").u, 0.1)

    def test_swings_tell_nothing_of_toe_and_camber(self):
        turns = {"out_deg": 25, "in_deg": 15, "pitch_out_deg": 0, "pitch_in_deg": 0}
        found = self.swing({"axles/1/left/caster_deg": 4.0, "axles/1/left/sai_deg": 11.0}, **turns)
        self.assertAlmostEqual(found.unknown("axles/1/left/sai_deg").value, 11.0, places=9)
        self.assertIsNone(found.unknown("axles/1/left/camber_deg"))
        self.assertIsNone(found.unknown("axles/1/total_toe_deg"))
