"""What must not depend on how one looks: a job seen in a mirror, and the line that angles are given against."""

import copy
import math
import unittest

from scipy.spatial.transform import Rotation

from alignment.jobfile import parse, solve_phase
from alignment.model.state import DEG
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.simulate.jobs import simulate
from alignment.tests.test_readings import LEFT_RIGHT, mirrored_data

FLIPS = ("bearing_deg", "offset_mm", "setback_mm", "thrust_angle_deg", "group_thrust_deg", "steer_ahead_deg", "scrub_deg", "parallelism_deg",
         "cross_camber_deg", "cross_caster_deg", "cross_sai_deg")  # fmt: skip


def solved(document):
    return solve_phase(parse(copy.deepcopy(document)), "before").estimates


def mirrored_path(path: str) -> str:
    parts = [LEFT_RIGHT.get(part, part) for part in path.split("/")]
    parts[-1] = parts[-1].replace("left", "X").replace("right", "left").replace("X", "right")
    return "/".join(parts)


class Mirror(unittest.TestCase):
    def test_a_whole_job_in_the_mirror_swaps_the_sides_and_flips_what_points_to_one(self):
        for code, on in (("flag_lasers", "truck_10x2"), ("mirror_lasers", "car"), ("target_cameras", "coach"),
                         ("straightedge_tape", "truck_8x4"), ("frame_gauge_lasers", "trailer_3_steered")):  # fmt: skip
            document = simulate(pattern(on), kit(code), 11).document
            image = {**document, "readings": [mirrored_data(reading) for reading in document["readings"]]}
            image["readings"][0]["roll_deg"] *= -1
            one, other = solved(document), solved(image)
            for path, estimate in one.items():
                seen = other[mirrored_path(path)]
                with self.subTest(kit=code, path=path):
                    self.assertEqual(estimate is None, seen is None)
                    if estimate is not None:
                        flips = any(path.split("/")[-1].startswith(word) or path.startswith(word) for word in FLIPS)
                        self.assertAlmostEqual(seen.value, -estimate.value if flips else estimate.value, places=7)
                        self.assertAlmostEqual(seen.u, estimate.u, places=7)


class Datums(unittest.TestCase):
    """One vehicle, read without error, against its axles and against its frame."""

    def setUp(self):
        self.on = pattern("truck_8x4")
        document = simulate(self.on, kit("frame_gauge_lasers"), 3, noise=False, level=True).document
        self.by_axles, self.by_frame = solved(document), solved({**document, "datum": {"kind": "frame"}})
        self.shift = self.change("axles/1/bearing_deg")
        self.assertGreater(abs(self.shift), 0.01)

    def change(self, path):
        return self.by_frame[path].value - self.by_axles[path].value

    def moved(self, path):
        """By how much a result must move where the line turns anticlockwise by the shift."""
        axle = self.on.vehicle.axle(int(path.split("/")[1])) if path.startswith("axles/") else None
        match path.split("/")[-1] if axle is not None else path.split("/")[0]:
            case "bearing_deg" | "thrust_angle_deg" | "group_thrust_deg":
                return self.shift
            case "toe_deg":
                return self.shift if "/left/" in path else -self.shift
            case "offset_mm":
                # The lines cross at an angle: further back the one lies further from the other.
                return self.change("axles/1/offset_mm") - math.tan(self.shift / DEG) * axle.position_mm
            case "setback_mm":
                return math.tan(self.shift / DEG) * axle.track_mm
        return 0.0

    def test_another_line_shifts_bearings_offsets_setbacks_and_toe_against_it_and_nothing_else(self):
        for path, estimate in self.by_axles.items():
            self.assertEqual(estimate is None, self.by_frame[path] is None)
            if estimate is not None and not any(word in path for word in ("caster", "sai", "included")):
                with self.subTest(path):
                    # Tangents of sums against sums of tangents: third order, under a hundredth of a millimetre here.
                    delta = 0.02 if path.endswith("_mm") else 2e-5
                    self.assertAlmostEqual(self.change(path), self.moved(path), delta=delta)

    def test_a_steering_axis_is_seen_from_another_side_and_is_the_same_axis(self):
        turn = Rotation.from_euler("z", -self.shift, degrees=True)
        for axle in (1, 2):
            for side, sign in (("left", 1), ("right", -1)):
                caster, sai = (
                    self.by_axles[f"axles/{axle}/{side}/{name}_deg"].value / DEG for name in ("caster", "sai")
                )
                x, y, z = turn.apply([-math.tan(caster), -sign * math.tan(sai), 1.0])
                seen = [self.by_frame[f"axles/{axle}/{side}/{name}_deg"].value for name in ("caster", "sai")]
                self.assertAlmostEqual(seen[0], DEG * math.atan2(-x, z), places=6)
                self.assertAlmostEqual(seen[1], DEG * math.atan2(-sign * y, z), places=6)
