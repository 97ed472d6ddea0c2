"""Lens, projection, poses and the adjustment of pictures, against OpenCV, SciPy, and bodies turned by ``scipy.spatial.transform``."""

import math
import unittest
from dataclasses import replace

import cv2
import numpy as np
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from alignment.camera.detect import find_targets
from alignment.camera.fit import bundle_of, noise_of
from alignment.camera.lens import Camera, distort
from alignment.camera.level import levelled
from alignment.camera.measure import as_dict, followed, measured
from alignment.camera.model import Columns, Scene, Stands, stepped
from alignment.camera.plates import Plate
from alignment.camera.poses import single_poses
from alignment.camera.readings import covariance, tell
from alignment.camera.start import first_scene, stood
from alignment.camera.views import TWIST, Dots, View, rotation_vector, turned_by
from alignment.model.vehicle import side_sign
from alignment.simulate.pictured import dotted, errors, radii, read, setup_of
from alignment.simulate.pictures import Conditions, Eye, Pose
from alignment.simulate.rigs import DEFAULT, EXACT, LONG_TRUCK, OF_POSTS, POSTS, Scenario, stand

WIDE = np.array([-0.21, 0.11, 0.0013, -0.0008, -0.03])
PLATE = Plate(10, 8, 30.0, 16.0, 36.0)
FAR = 2900.0
"""From here dots are seen eight pixels wide, as those of a rear wheel."""
CAMERA = Camera("A", (1600, 1300), np.array([1500.0, 1480.0]), np.array([810.0, 640.0]), WIDE, np.array([100.0, -50.0, 20.0]),
                Rotation.from_euler("xyz", [100, 3, 92], degrees=True).as_matrix())  # fmt: skip


def before(
    camera: Camera, x: float, y: float, z: float, turns: tuple[float, float, float]
) -> tuple[np.ndarray, np.ndarray]:
    """A plate that stands at (x, y, z) of a camera's frame, as the rig's frame has it."""
    turn = camera.rotation.T @ Rotation.from_euler("xyz", turns, degrees=True).as_matrix()
    return turn, camera.rotation.T @ np.array([x, y, z]) + camera.position


def opencv(camera: Camera, turn: np.ndarray, place: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Pixels of a plate's points (n, 2) by OpenCV's projection."""
    flat = np.hstack((points, np.zeros((len(points), 1))))
    rotation, shift = camera.rotation @ turn, camera.rotation @ (place - camera.position)
    pixels, _ = cv2.projectPoints(flat, cv2.Rodrigues(rotation)[0], shift, camera.matrix, camera.distortion)
    return pixels.reshape(-1, 2)


class Lens(unittest.TestCase):
    def test_projection_distortion_and_its_undoing_are_opencvs(self):
        turn, place = before(CAMERA, 150, -90, 900, (25, -20, 8))
        points = place + PLATE.dots @ turn[:, :2].T
        near = CAMERA.see(points)
        np.testing.assert_allclose(
            CAMERA.pixels(near[:, :2] / near[:, 2:]), opencv(CAMERA, turn, place, PLATE.dots), atol=1e-9
        )
        ideal = CAMERA.ideal(opencv(CAMERA, turn, place, PLATE.dots))
        np.testing.assert_allclose(ideal, near[:, :2] / near[:, 2:], atol=1e-12)
        np.testing.assert_allclose(distort(ideal, np.zeros(5)), ideal)

    def test_rotation_vectors_are_scipys(self):
        for vector in ([0.3, -0.2, 0.1], [0, 0, 0], [1e-9, 0, 0], [3.0, 0.5, -0.4], [0, math.pi - 1e-7, 0]):
            turn = Rotation.from_rotvec(vector).as_matrix()
            np.testing.assert_allclose(turned_by(np.array(vector, dtype=float)), turn, atol=1e-14)
            np.testing.assert_allclose(rotation_vector(turn), Rotation.from_matrix(turn).as_rotvec(), atol=1e-7)


class OneView(unittest.TestCase):
    def view(self, noise: float = 0.0, far: float = 700.0) -> tuple[View, tuple[np.ndarray, np.ndarray]]:
        pose = before(CAMERA, 60, -40, far, (30, -25, 4))
        around = np.linspace(0, 2 * np.pi, 200, endpoint=False)
        edge = PLATE.dot_mm / 2 * np.stack((np.cos(around), np.sin(around)), axis=1)
        outlines = opencv(CAMERA, *pose, (PLATE.dots[:, None] + edge).reshape(-1, 2)).reshape(-1, 200, 2)
        # The middle of the area that an outline encloses, as OpenCV's moments give it.
        moments = [
            cv2.moments(outline.astype(np.float32))
            for outline in (outlines - outlines.mean(axis=1, keepdims=True)) * 100
        ]
        middles = outlines.mean(axis=1) + np.array([(m["m10"] / m["m00"], m["m01"] / m["m00"]) for m in moments]) / 100
        middles += noise * np.random.default_rng(1).normal(size=middles.shape)
        return View(0, 0, 0, np.arange(len(middles)), middles), pose

    def test_a_dots_middle_is_that_of_the_ellipse_that_its_outline_is_seen_as(self):
        view, (turn, place) = self.view()
        dots = Dots([view], [PLATE], [CAMERA])
        off = dots.seen(turn[None], place[None], [CAMERA], slopes=False).off
        self.assertLess(np.abs(off).max(), 0.004)
        plain = view.pixels - opencv(CAMERA, turn, place, PLATE.dots)
        self.assertGreater(np.abs(plain).max(), 0.05)

    def test_slopes_are_those_of_small_motions(self):
        view, (turn, place) = self.view()
        dots = Dots([view], [PLATE], [CAMERA])
        slopes = dots.seen(turn[None], place[None], [CAMERA]).slopes
        for number in range(TWIST + 1):
            ends = []
            for sign in (1, -1):
                twist = np.zeros(TWIST + 1)
                twist[number] = sign * (1e-6 if number < 3 else 1e-3 if number < TWIST else 1e-6)
                spin = turned_by(twist[:3])
                camera = replace(CAMERA, focal=CAMERA.focal * (1 + twist[TWIST]))
                ends.append(
                    dots.seen((spin @ turn)[None], (spin @ place + twist[3:TWIST])[None], [camera], slopes=False).off
                )
            numeric = (ends[1] - ends[0]) / (2 * abs(twist[number]))
            # The ellipse's own shift, which the slopes leave out, moves by a thousandth of what the dot does.
            np.testing.assert_allclose(slopes[:, :, number], numeric, atol=2e-3 * np.abs(numeric).max())

    def test_a_pose_is_opencvs_best_one(self):
        view, _ = self.view(noise=0.05)
        found = single_poses([view], [replace(PLATE, dot_mm=1e-3)], [CAMERA])
        flat = np.hstack((PLATE.dots, np.zeros((len(PLATE.dots), 1))))
        _, turn, place = cv2.solvePnP(flat, view.pixels, CAMERA.matrix, CAMERA.distortion, flags=cv2.SOLVEPNP_ITERATIVE)
        turn, place = cv2.solvePnPRefineLM(flat, view.pixels, CAMERA.matrix, CAMERA.distortion, turn, place)
        np.testing.assert_allclose(CAMERA.rotation @ found.turns[0], cv2.Rodrigues(turn)[0], atol=1e-5)
        np.testing.assert_allclose(CAMERA.see(found.places[0]), place.ravel(), atol=0.01)

    def test_pictures_made_by_rays_show_dots_where_opencv_projects_them(self):
        eye = Eye(
            CAMERA.size, tuple(CAMERA.focal), tuple(CAMERA.principal), tuple(WIDE), CAMERA.position, CAMERA.rotation
        )
        view, pose = self.view()
        picture = eye.take([(PLATE, Pose(*pose))], Conditions(noise=0.0, falls=0.3), np.random.default_rng(1))
        found = find_targets(picture, [PLATE], CAMERA)[0]
        self.assertEqual((found.found, found.hidden), (64, 0))
        off = found.pixels - view.pixels[found.numbers]
        self.assertLess(np.abs(off.mean(axis=0)).max(), 0.003)
        self.assertLess(off.std(), 0.006)

    def picture(self, far: float = 700.0, **how) -> tuple[np.ndarray, np.ndarray]:
        """A picture of the plate, and where its dots' middles are."""
        eye = Eye(
            CAMERA.size, tuple(CAMERA.focal), tuple(CAMERA.principal), tuple(WIDE), CAMERA.position, CAMERA.rotation
        )
        view, pose = self.view(far=far)
        return eye.take([(PLATE, Pose(*pose))], Conditions(**how), np.random.default_rng(1)), view.pixels

    def test_noise_of_two_grey_levels_scatters_dots_by_less_than_a_hundredth_of_a_pixel(self):
        picture, middles = self.picture(FAR, noise=2.0)
        found = find_targets(picture, [PLATE], CAMERA)[0]
        self.assertLess((found.pixels - middles[found.numbers]).std(), 0.01)

    def test_small_blurred_dots_do_not_make_a_plate_larger_or_smaller(self):
        # Windows cut off blurred tails: where they lie a little too far apart, so do the middles that are found in them.
        scales = []
        for step in range(16):
            picture, middles = self.picture(FAR + 20 * step, noise=0.0)
            found = find_targets(picture, [PLATE], CAMERA)[0]
            about, off = middles - middles.mean(axis=0), found.pixels - middles[found.numbers]
            scales.append((about[found.numbers] * off).sum() / (about**2).sum())
        self.assertLess(np.sqrt(np.mean(np.square(scales))), 3.5e-5)

    def test_what_the_dots_of_a_blurred_plate_share_is_no_more_than_their_scatter_says(self):
        view, pose = self.view(far=2500.0)
        low = np.floor(view.pixels.min(axis=0)) - 40
        camera = replace(CAMERA, size=(220, 180), principal=CAMERA.principal - low)
        eye = Eye(
            camera.size, tuple(camera.focal), tuple(camera.principal), tuple(WIDE), camera.position, camera.rotation
        )
        shared = []
        for seed in range(60):
            picture = eye.take([(PLATE, Pose(*pose))], Conditions(noise=4.0, blur=1.0), np.random.default_rng(seed))
            found = find_targets(picture, [PLATE], camera)[0]
            middles = view.pixels[found.numbers] - low
            terms = np.column_stack((middles - middles.mean(axis=0), np.ones(len(middles))))
            fitted, rest, *_ = np.linalg.lstsq(terms, found.pixels - middles, rcond=None)
            scatter = np.sqrt(rest.sum() / (2 * (len(middles) - 3)))
            u = scatter * np.sqrt(np.diagonal(np.linalg.inv(terms.T @ terms)))
            shared += (fitted[:2] / u[:2, None]).ravel().tolist()
        # Size, shear and turn of the plate in the picture, over what independent errors of its dots would make them.
        self.assertAlmostEqual(np.sqrt(np.mean(np.square(shared))), 1.0, delta=0.1)

    def test_one_marker_is_enough_to_find_all_dots(self):
        for far, left in ((1800.0, 1), (2100.0, 2), (FAR, 1)):
            picture, middles = self.picture(far, noise=2.0)
            turn, place = self.view(far=far)[1]
            for corner in {0, 1, 2, 3} - {left}:
                # Mud over the marker, and nothing but it.
                square, middle = PLATE.marker_corners[corner], PLATE.marker_middles[corner]
                edges = opencv(CAMERA, turn, place, square + (square - middle) / 6)
                cv2.fillConvexPoly(picture, np.rint(edges).astype(np.int32), 120)
            with self.subTest(far=far, left=left):
                found = find_targets(picture, [PLATE], CAMERA)[0]
                self.assertEqual(len(found.numbers), 64)
                self.assertLess(np.abs(found.pixels - middles).max(), 0.1)


def exact_scenario(seed: int = 4, **more) -> Scenario:
    return stand(EXACT, seed, errs=False, **more)


class Adjustment(unittest.TestCase):
    def scene(self, scenario: Scenario, noise: float):
        setup = setup_of(scenario)
        views = dotted(scenario, setup, noise).views
        cameras = levelled(setup.cameras, setup.up)
        poses = single_poses(views, [target.plate for target in setup.targets], cameras)
        taken = [setup.taken(move) for move in ("roll", "sweep", "still")]
        scene = first_scene(stood(views, poses), taken, [side_sign(t.side) for t in setup.targets], cameras)
        return setup, views, scene, bundle_of(setup, views, noise_of(views, poses), cameras)

    def test_rigid_bodies_come_back_through_the_whole_chain(self):
        for stills in ((), ({(1, "left"): (0.05, -0.9), (1, "right"): (0.2, -0.4)},)):
            scenario = exact_scenario(stills=stills)
            answer = read(scenario, noise=0.0)
            self.assertEqual(answer["warnings"], [])
            for path, error, _ in errors(scenario, answer):
                # An adjusted wheel carries its steering axis with it as its knuckle leans, which these bodies do not.
                carried = stills and path.endswith(("caster_deg", "sai_deg"))
                limit = 0.01 if path.endswith("_mm") else 2e-4
                self.assertLess(abs(error), 2.0 if carried else limit, path)

    def test_a_still_that_follows_says_what_all_pictures_together_say(self):
        scenario = stand(DEFAULT, 6, stills=({(1, "left"): (0.3, -0.5)},))
        setup = setup_of(scenario)
        looked = dotted(scenario, setup, 0.01)
        last = len(setup.shots) - 1
        rolled = [view for view in looked.views if view.shot != last]
        before = measured(replace(setup, shots=setup.shots[:-1]), replace(looked, views=rolled))
        after = followed(setup, before, [view for view in looked.views if view.shot == last])
        whole = measured(setup, looked)
        off = np.array(after.told.rows.values) - whole.told.rows.values
        self.assertLess(np.abs(off / np.sqrt(whole.covariance.diagonal())).max(), 0.03)
        np.testing.assert_allclose(after.covariance.diagonal(), whole.covariance.diagonal(), rtol=0.02)

    def test_twists_are_those_of_small_steps_of_every_unknown(self):
        kit = replace(DEFAULT, u_rotation_deg=0.01, u_focal=1e-4)
        setup, views, scene, _ = self.scene(stand(kit, 2, rolls=(0, -12, -24), sweeps=(-8, 8), stills=({},)), 0.0)
        columns = Columns(scene)
        for view in views[:: len(views) // 7]:
            move = setup.shots[view.shot].move
            here = Stands(scene, columns, view, move)
            for count, twists in ((columns.count(view.target), here.own), (columns.tilt.start, here.common)):
                for number in range(count):
                    numeric = self.numeric(scene, columns, view, move, number, own=twists is here.own)
                    if numeric is not None:
                        np.testing.assert_allclose(
                            twists[:TWIST, number], numeric, atol=2e-5 * max(1.0, np.abs(numeric).max())
                        )

    @staticmethod
    def numeric(scene: Scene, columns: Columns, view: View, move: str, number: int, *, own: bool):
        ends, step = [], 1e-5
        for sign in (1, -1):
            steps = {target: np.zeros(columns.count(target)) for target in columns.own}
            shared = np.zeros(columns.common)
            (steps[view.target] if own else shared)[number] = sign * step
            moved = stepped(scene, columns, steps, shared)
            turn, place = Stands(moved, columns, view, move).place
            camera = moved.cameras[view.camera]
            # What the camera sees of the plate, as if it stood where it was said to.
            as_said = scene.cameras[view.camera]
            swing = as_said.rotation.T @ camera.rotation
            ends.append((swing @ turn, swing @ (place - camera.position) + as_said.position))
        spin = rotation_vector(ends[0][0] @ ends[1][0].T) / (2 * step)
        middle = (ends[0][1] + ends[1][1]) / 2
        shift = (ends[0][1] - ends[1][1]) / (2 * step)
        return np.concatenate((spin, shift - np.cross(spin, middle)))

    def test_the_covariance_is_that_of_scipys_jacobian(self):
        kit = replace(DEFAULT, plate=Plate(6, 6, 45.0, 24.0, 54.0))
        setup, _, scene, bundle = self.scene(stand(kit, 5, rolls=(0, -14, -28), sweeps=(-8, 8)), 0.01)
        adjusted = bundle.adjust(scene)
        best, columns = adjusted.scene, adjusted.columns
        targets = sorted(best.wheels)
        ends = np.cumsum([0, *(columns.count(target) for target in targets), columns.tilt.start])
        cameras = levelled(setup.cameras, setup.up)

        def residuals(y):
            own = {target: y[ends[n] : ends[n + 1]] for n, target in enumerate(targets)}
            moved = stepped(best, columns, own, np.concatenate((y[ends[-2] :], np.zeros(2))))
            # The certificate's own rows, about where the adjustment left the cameras.
            prior = np.sqrt(columns.priors(cameras)[: columns.tilt.start]) * y[ends[-2] :]
            return np.concatenate((bundle.off(moved).ravel(), prior))

        jacobian = least_squares(residuals, np.zeros(ends[-1]), jac="3-point", max_nfev=1, x_scale=1e-3).jac
        size = np.linalg.norm(jacobian, axis=0)
        whole = np.linalg.inv((jacobian / size).T @ (jacobian / size)) / size[:, None] / size
        rows = tell(adjusted, setup.targets, None).rows
        by = np.zeros((len(rows.values), ends[-1]))
        for at, (target, slopes) in enumerate(zip(rows.targets, rows.by_own, strict=True)):
            n = targets.index(target)
            by[at, ends[n] : ends[n + 1]] = slopes
        ours = covariance(adjusted, rows, [replace(one, u_out_mm=0.0) for one in setup.targets], np.zeros((2, 2)))
        theirs = by @ whole @ by.T
        u = np.sqrt(theirs.diagonal())
        np.testing.assert_allclose(ours / u[:, None] / u, theirs / u[:, None] / u, atol=0.01)

    def test_errors_scatter_as_stated_with_the_certificates_errors_planted_on_a_stand_without_a_level_and_on_posts(
        self,
    ):
        def on_posts(seed):
            return stand(OF_POSTS, seed, of=LONG_TRUCK, axles=5, standing=POSTS)

        def on_a_stand(seed):
            return stand(DEFAULT, seed)

        for made, up, first in ((on_a_stand, True, 0), (on_a_stand, False, 24), (on_posts, True, 40)):
            z = []
            for seed in range(first, first + 6):
                scenario = made(seed)
                answer = read(scenario, up=up, noise=0.012)
                self.assertEqual(answer["warnings"], [], seed)
                found = [*errors(scenario, answer), *radii(scenario, answer)]
                # Results of one set-up go together: one of each keeps the numbers independent.
                _, error, u = found[seed * 7 % len(found)]
                z.append(error / u)
            # Four standard errors of so many independent normal numbers.
            self.assertAlmostEqual(math.sqrt(np.mean(np.square(z))), 1, delta=4 / math.sqrt(2 * len(z)))

    def test_a_still_in_which_no_wheel_is_seen_tells_of_none(self):
        scenario = stand(DEFAULT, 6, stills=({},))
        setup = setup_of(scenario)
        looked = dotted(scenario, setup, 0.01)
        rolled = replace(looked, views=[view for view in looked.views if setup.shots[view.shot].move != "still"])
        self.assertEqual(as_dict(setup, rolled, measured(setup, rolled))["readings"], [])

    def test_without_a_level_a_rolling_radius_is_less_sure(self):
        scenario = stand(DEFAULT, 3, sweeps=())
        u = {
            up: np.mean([u for _, _, u in radii(scenario, read(scenario, up=up, noise=0.008))]) for up in (True, False)
        }
        # The path's plane leans as much as the ground may: that shows in how far a wheel's centre goes along its heading.
        self.assertGreater(u[False], 1.05 * u[True])

    def test_on_uneven_ground_camber_is_told_against_the_ground_and_better_against_gravity(self):
        z, u = {"camber_deg": [], "camber_gravity_deg": []}, {"camber_deg": [], "camber_gravity_deg": []}
        for seed in range(8):
            scenario = stand(DEFAULT, seed, sweeps=(), uneven_deg=1.0)
            for path, error, size in errors(scenario, read(scenario, up=False, noise=0.012)):
                name = path.rsplit("/", 1)[-1]
                if name in z and path.startswith("axles/1/left"):
                    z[name].append(error / size)
                    u[name].append(size)
        for name, found in z.items():
            self.assertAlmostEqual(
                math.sqrt(np.mean(np.square(found))), 1, delta=4 / math.sqrt(2 * len(found)), msg=name
            )
        # Rolling radii tell the ground's plane to a tenth of a degree, a level the plumb line to a hundredth.
        self.assertGreater(min(u["camber_deg"]), 0.08)
        self.assertLess(max(u["camber_gravity_deg"]), 0.025)

    def test_a_wheels_toe_is_known_to_some_thousandths_of_a_degree_from_the_dots_alone(self):
        z, toes = [], []
        for seed in range(10):
            scenario = exact_scenario(seed)
            setup = setup_of(scenario)
            answer = as_dict(setup, looked := dotted(scenario, setup, 0.012), measured(setup, looked))
            toes += [one["u_deg"] for one in answer["readings"] if one["kind"] == "wheel_axis" and one["axle"] == 1]
            z += [error / u for path, error, u in errors(scenario, answer) if path.endswith("1/total_toe_deg")]
        self.assertLess(np.mean(toes), 0.004)
        self.assertAlmostEqual(math.sqrt(np.mean(np.square(z))), 1, delta=4 / math.sqrt(2 * len(z)))
