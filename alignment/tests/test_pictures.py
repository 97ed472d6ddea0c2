"""From files of pictures to readings: the commands, their faults, what goes wrong and how it is named, and certificates."""

import contextlib
import copy
import io
import json
import random
import re
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from scipy.spatial.transform import Rotation

from alignment.__main__ import main
from alignment.camera import calibration, detect, sheets, shots, why
from alignment.camera.detect import Dots, Missed, find_targets
from alignment.camera.lens import Camera
from alignment.camera.measure import as_dict, measured
from alignment.camera.plates import Plate
from alignment.camera.setups import parse
from alignment.errors import JobFileError
from alignment.simulate.mishaps import MISHAPS, rightly_named
from alignment.simulate.pictured import dotted, errors, looked_at, setup_of
from alignment.simulate.pictures import Conditions, Eye, Pose
from alignment.simulate.rigs import CHEAP, SMALL, Scenario, stand


def written(scenario: Scenario, folder: Path, **more) -> Path:
    """A set-up's file and its pictures in a folder."""
    document = scenario.document(**more)
    for shot, name, picture in scenario.pictures():
        cv2.imwrite(str(folder / document["shots"][shot]["pictures"][name]), picture)
    path = folder / "setup.json"
    path.write_text(json.dumps(document))
    return path


def ran(*words: str) -> tuple[int, str, str]:
    """A command's exit status, answer and complaints."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = main(words)
    return status, out.getvalue(), err.getvalue()


class Command(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        cls.scenario = stand(SMALL, 7, rolls=(0, -10, -20, -30), sweeps=(-8, 8))
        cls.path = written(cls.scenario, Path(cls.folder.name), form="jpg")

    def test_readings_come_out_that_a_job_solves_to_the_truth(self):
        status, out, _ = ran("pictures", str(self.path))
        self.assertEqual(status, 0)
        answer = json.loads(out)
        self.assertEqual(list(answer), ["format", "version", "readings", "wheels", "up", "warnings"])
        self.assertEqual(answer["warnings"], [])
        self.assertEqual(
            [one["kind"] for one in answer["readings"]], ["wheel_axis", "steer_axis"] * 2 + ["wheel_axis"] * 2 + ["rig"]
        )
        rig = answer["readings"][-1]
        u = np.sqrt(np.diagonal(rig["covariance"]))
        for (reading, name), size in zip(rig["rows"], u, strict=True):
            key = {"along": "u_along_mm", "square": "u_mm", "camber": "u_camber_deg", "sai": "u_sai_deg"}.get(
                name, "u_deg"
            )
            self.assertAlmostEqual(answer["readings"][reading][key], size)
        for wheel in answer["wheels"]:
            self.assertAlmostEqual(wheel["rolled_deg"], 30, delta=1)
            self.assertAlmostEqual(wheel["dots"], 6 * 64, delta=10)
        for path, error, size in errors(self.scenario, answer):
            self.assertLess(abs(error), 4 * size, path)
            self.assertLess(size, 0.05 if path.endswith("deg") else 2.0, path)

    def test_what_the_readings_lean_on_is_said_with_what_would_better_it(self):
        status, out, _ = ran("pictures", str(self.path), "--why")
        self.assertEqual(status, 0)
        self.assertRegex(
            out,
            r"The track of axle 1 is known within \d\.\d\d mm\. \d\d% of that is where the plates sit on the wheels",
        )
        setup = setup_of(self.scenario)
        told = {one.title: one for one in why.leanings(setup, measured(setup, looked_at(self.scenario, setup)))}
        for one in told.values():
            self.assertAlmostEqual(sum(one.shares.values()), 1, places=6)
        # A better level is what betters a camber: without its doubt the share is gone.
        share = told["The left camber of axle 1"].shares["level"]
        exact = replace(setup, u_up_deg=0.0)
        u = {one.title: one.u for one in why.leanings(exact, measured(exact, looked_at(self.scenario, exact)))}
        left = (u["The left camber of axle 1"] / told["The left camber of axle 1"].u) ** 2
        self.assertAlmostEqual(share, 1 - left, places=6)

    def test_faults_are_told_where_they_are_and_nothing_is_printed(self):
        good = json.loads(self.path.read_text())
        cases = [
            (lambda d: d.pop("rig"), "/rig"),
            (
                lambda d: d["cameras"][0].__setitem__("rotation", [[1, 0, 0], [0, 1, 0], [0, 0.5, 1]]),
                "/cameras/0/rotation",
            ),
            (lambda d: d["cameras"][1].__setitem__("focal_px", [1800]), "/cameras/1/focal_px"),
            (lambda d: d["cameras"][1].__setitem__("focal_px", [1800, 1e-300]), "/cameras/1/focal_px"),
            (lambda d: d["cameras"][1].__setitem__("focal_px", [9e5, 1800]), "/cameras/1/focal_px"),
            (lambda d: d["cameras"][1].__setitem__("id", "A"), "/cameras/1/id"),
            (lambda d: d["cameras"][1].__setitem__("u_focal", -1), "/cameras/1/u_focal"),
            (lambda d: d["targets"][2].__setitem__("columns", 5), "/targets/2/columns"),
            (lambda d: d["targets"][2].__setitem__("dot_mm", 50), "/targets/2/dot_mm"),
            (lambda d: d["targets"][2].__setitem__("dictionary", "DICT_3X3"), "/targets/2/dictionary"),
            (lambda d: d["targets"][1].__setitem__("first_marker", 2), "/targets/1/first_marker"),
            (lambda d: d["targets"][1].__setitem__("side", "left"), "/targets/1"),
            (lambda d: d["shots"].__delitem__(slice(2, 4)), "/shots"),
            (lambda d: [shot.__setitem__("move", "still") for shot in d["shots"]], "/shots"),
            (lambda d: d["shots"][1]["pictures"].__setitem__("A", "../secret.png"), "/shots/1/pictures/A"),
            (lambda d: d["shots"][1]["pictures"].__setitem__("A", "/etc/passwd"), "/shots/1/pictures/A"),
            (lambda d: d["shots"][1]["pictures"].__setitem__("C", "s1-a.jpg"), "/shots/1/pictures/C"),
            (lambda d: d["shots"][1]["pictures"].__setitem__("A", "missing.png"), "/shots/1/pictures/A"),
            (lambda d: d["shots"][1]["pictures"].__setitem__("A", "setup.json"), "/shots/1/pictures/A"),
            (lambda d: d["cameras"][0].__setitem__("size", [640, 480]), "/shots/0/pictures/A"),
            (lambda d: d.__setitem__("up", [0, 0, 0]), "/up"),
        ]
        for number, (change, pointer) in enumerate(cases):
            document = copy.deepcopy(good)
            change(document)
            path = Path(self.folder.name) / "faulty.json"
            path.write_text(json.dumps(document))
            status, out, complaints = ran("pictures", str(path))
            with self.subTest(number):
                self.assertEqual((status, out), (2, ""))
                self.assertIn(f"{pointer}: ", complaints)
                self.assertNotIn("Traceback", complaints)

    def test_a_doubt_that_is_next_to_nothing_is_taken_as_none(self):
        document = self.scenario.document()
        exact = dict.fromkeys(("u_rotation_deg", "u_position_mm", "u_focal"), 0.0)
        read = []
        for tiny in (0.0, 1e-300):
            document["cameras"] = [{**one, **exact, "u_position_mm": tiny} for one in document["cameras"]]
            setup = parse(document, Path())
            read.append(measured(setup, dotted(self.scenario, setup, 0.01)).covariance)
        np.testing.assert_array_equal(*read)

    def test_broken_pictures_and_files_are_refused_or_read_and_never_crash(self):
        # ./run bench broken tries thousands.
        rng = random.Random(3)
        good, folder = json.loads(self.path.read_text()), Path(self.folder.name)
        raw = (folder / "s1-a.jpg").read_bytes()
        for _ in range(3):
            broken = bytearray(raw[: rng.randrange(len(raw))] if rng.random() < 0.5 else raw)
            for _ in range(rng.randrange(20)):
                if broken:
                    broken[rng.randrange(len(broken))] = rng.randrange(256)
            (folder / "broken.jpg").write_bytes(bytes(broken))
            document = copy.deepcopy(good)
            document["shots"][1]["pictures"]["A"] = "broken.jpg"
            (folder / "broken.json").write_text(json.dumps(document))
            status, _, complaints = ran("pictures", str(folder / "broken.json"))
            self.assertIn(status, (0, 2))
            self.assertNotIn("Traceback", complaints)

    def test_the_core_starts_without_loading_what_only_pictures_need(self):
        for words in (["schema"], ["solve", "/nowhere.json"]):
            code = f"import sys; from alignment.__main__ import main; main({words!r}); print('cv2' in sys.modules, 'scipy' in sys.modules)"
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
            self.assertTrue(done.stdout.endswith("False False\n"), done.stdout[-60:])


class WhatGoesWrong(unittest.TestCase):
    """One of each; ./run bench pictures plants 40."""

    def test_each_mishap_is_named_where_it_belongs_and_what_it_spoils_is_left_out(self):
        for name, planted in MISHAPS.items():
            if name in ("far", "oblique"):
                continue  # their plates are of the default kit
            mishap = planted(1, SMALL)
            setup = setup_of(mishap.scenario)
            with self.subTest(name):
                # What is wrong with the pictures themselves is planted in pictures; what moved shows in the dots alone.
                in_pictures = name in ("hidden", "half_hidden", "unfocused", "overexposed", "swapped")
                looked = looked_at(mishap.scenario, setup) if in_pictures else dotted(mishap.scenario, setup, 0.02)
                try:
                    answer = as_dict(setup, looked, measured(setup, looked))
                except JobFileError as error:
                    self.assertTrue(mishap.refused)
                    answer = {"readings": [], "warnings": [fault._asdict() for fault in error.faults]}
                told = [one for one in answer["readings"] if one["kind"] == "wheel_axis"]
                self.assertTrue(rightly_named(mishap, answer["warnings"], told), answer["warnings"])

    def test_a_knock_is_not_taken_for_a_vehicle_that_sank_by_centimetres_or_a_lens_of_twice_its_length(self):
        for seed in (28, 29):
            mishap = MISHAPS["knocked"](seed)
            setup = setup_of(mishap.scenario)
            looked = dotted(mishap.scenario, setup, 0.007)
            said = as_dict(setup, looked, measured(setup, looked))["warnings"]
            self.assertTrue(rightly_named(mishap, said, []), said)

    def test_mud_on_dots_costs_those_dots_and_no_more(self):
        scenario = stand(SMALL, 3, rolls=(0, -10, -20), sweeps=())
        how = Conditions(noise=SMALL.noise, blur=SMALL.blur, mud=[(0, range(10))])
        muddy = replace(scenario, conditions={(shot, "A"): how for shot in range(3)})
        setup = setup_of(muddy)
        answer = as_dict(setup, looked := looked_at(muddy, setup), measured(setup, looked))
        self.assertLessEqual(answer["wheels"][0]["dots"] - answer["wheels"][0]["dropped"], 3 * 54)
        for path, error, u in errors(muddy, answer):
            self.assertLess(abs(error), 4 * u, path)

    def test_a_far_plate_of_which_few_markers_are_read_is_found_whole(self):
        for seed in (2, 53):
            scenario = stand(SMALL, seed, rolls=(0, -12, -24), sweeps=(), errs=False)
            looked = looked_at(scenario, setup_of(scenario))
            self.assertEqual(looked.missed, {})
            self.assertLess(max(looked.hidden.values()), 16)

    def test_a_plate_of_which_no_dot_is_whole_in_the_end_is_missed_and_the_others_are_found(self):
        scenario = stand(CHEAP, 122)
        setup = setup_of(scenario)
        picture = next(picture for shot, camera, picture in scenario.pictures() if (shot, camera) == (5, "A"))
        found = find_targets(picture, [target.plate for target in setup.targets], setup.cameras[0])
        self.assertGreaterEqual(sum(isinstance(dots, Dots) for dots in found.values()), 2)
        self.assertTrue(any(isinstance(dots, Missed) for dots in found.values()))

    def test_windows_wider_than_any_picture_by_a_lens_that_is_none_are_off_its_edge(self):
        plate, picture = setup_of(stand(SMALL, 1)).targets[0].plate, np.full((650, 800), 200, np.uint8)
        look, many = detect._Look(picture, plate, setup_of(stand(SMALL, 1)).cameras[0]), len(plate.dots)
        guess, forth = np.full((many, 2), -1e200), np.broadcast_to(np.eye(2) * 1e19, (many, 2, 2))
        _, good = look._measure(guess, forth, np.full(many, 1e38), np.ones(many, dtype=bool))
        self.assertEqual((good.any(), look.why), (False, "edge"))

    def test_small_blurred_dots_do_not_depend_on_how_they_lie_on_the_pixels(self):
        scenario = stand(replace(CHEAP, noise=0.3), 0, rolls=(0, -12, -24), sweeps=(), errs=False)
        setup = setup_of(scenario)
        true = {view[:3]: view.pixels for view in dotted(scenario, setup, 0.0).views}
        far = [view for view in looked_at(scenario, setup).views if setup.targets[view.target].axle == 2]
        off = np.concatenate([view.pixels - true[view[:3]][view.numbers] for view in far])
        self.assertLess(off.std(), 0.003)

    def test_a_picture_taken_while_the_vehicle_moved_spoils_nothing(self):
        scenario = stand(SMALL, 3, rolls=(0, -10, -20, -30), sweeps=())
        smeared = Conditions(noise=SMALL.noise, blur=SMALL.blur, smear=(6.0, 3.0))
        moving = replace(scenario, conditions={(1, "A"): smeared})
        setup = setup_of(moving)
        answer = as_dict(setup, looked := looked_at(moving, setup), measured(setup, looked))
        self.assertEqual(len(answer["wheels"]), 4)
        for path, error, u in errors(moving, answer):
            self.assertLess(abs(error), 4 * u, path)


class OneAfterTheOther(unittest.TestCase):
    def test_pictures_that_come_one_by_one_tell_what_all_of_them_together_tell(self):
        scenario = stand(SMALL, 4, rolls=(0, -12, -24, -32), sweeps=(), errs=False)
        rig = {key: value for key, value in scenario.document().items() if key in shots.OF_RIG}
        taken = [{"id": str(number), "move": "roll", "found": {}} for number in range(4)]
        for number, name, picture in scenario.pictures():
            raw = cv2.imencode(".png", picture)[1].tobytes()
            # As it is kept: through JSON.
            taken[number]["found"][name] = json.loads(json.dumps(shots.look_at(rig, name, raw)))
        told = shots.measure_shots(rig, taken)
        setup = setup_of(scenario)
        looked = looked_at(scenario, setup)
        together = as_dict(setup, looked, measured(setup, looked))
        for one, other in zip(told["readings"][:-1], together["readings"][:-1], strict=True):
            np.testing.assert_allclose(one["axis"], other["axis"], atol=1e-6)
            np.testing.assert_allclose(one["centre_mm"], other["centre_mm"], atol=0.01)
        # A warning names a shot as the person knows it who took it.
        taken[2]["found"]["A"]["T1"] = {"missed": "blurred"}
        for number, one in enumerate(taken, start=2):
            one["called"] = f"{number}"
        said = [one["message"] for one in shots.measure_shots(rig, taken)["warnings"]]
        self.assertTrue(any("picture 4 of camera A" in message for message in said), said)
        for wrong, pointer in (({"cameras": []}, "/cameras"), ({"targets": rig["targets"][:1] * 2}, "/targets/1/id")):
            with self.assertRaises(JobFileError) as caught:
                shots.setup_of({**rig, **wrong})
            self.assertEqual(caught.exception.faults[0].pointer, pointer)


class Handbook(unittest.TestCase):
    """docs/pictures.md: its files are good ones, and its commands do what it says."""

    def test_its_files_are_read_and_its_commands_run(self):
        text = (Path(__file__).parents[2] / "docs" / "pictures.md").read_text()
        blocks = re.findall(r"```json\n(.*?)```", text, re.DOTALL)
        self.assertEqual(len(parse(json.loads(blocks[0]), Path()).shots), 3)
        self.assertEqual(len(calibration.parse(json.loads(blocks[1]), Path()).cameras), 2)
        commands = [
            line.split("#")[0].split()
            for line in text.splitlines()
            if line.startswith("    python -m alignment") and "tryout" in line
        ]
        self.assertEqual([words[3] for words in commands], ["example", "pictures", "pictures", "calibrate"])
        with tempfile.TemporaryDirectory() as folder:
            for words in commands:
                status, out, _ = ran(*(word.replace("tryout", f"{folder}/tryout") for word in words[3:]))
                self.assertEqual(status, 0, words)
            self.assertEqual(len(json.loads(out)["cameras"]), 2)


class Sheets(unittest.TestCase):
    def test_what_is_printed_is_found_again_at_its_true_size(self):
        plate = sheets.plate_for(sheets.PAPERS["a3"], 3)
        svg = sheets.drawing(plate)
        wide, high = plate.half_size
        self.assertIn(f'width="{2 * wide:g}mm" height="{2 * high:g}mm"', svg)
        # Drawn anew at 4 pixels to the mm from the same numbers, and looked at by a camera that sees 1 mm as 4 pixels.
        scale = 4
        rows, columns = np.mgrid[: round(2 * high * scale), : round(2 * wide * scale)]
        image = np.full(rows.shape, 255.0)
        for x, y in plate.dots:
            far = np.hypot((columns + 0.5) / scale - wide - x, (rows + 0.5) / scale - high - y)
            image -= 255 * np.clip((plate.dot_mm / 2 - far) * scale + 0.5, 0, 1)
        for corner, number in enumerate(plate.ids):
            x, y = (plate.marker_middles[corner] - plate.marker_mm / 2 + plate.half_size) * scale
            marker = np.repeat(np.repeat(sheets.marker_cells(plate.dictionary, number), 24, 0), 24, 1)
            image[round(y) : round(y) + len(marker), round(x) : round(x) + len(marker)] = marker * 255
        image = np.pad(np.minimum(image, 230), edge := 40, constant_values=90).astype(np.uint8)
        size = image.shape[1], image.shape[0]
        camera = Camera(
            "A",
            size,
            np.array([4000.0, 4000.0]),
            np.array([size[0] / 2 - 0.5, size[1] / 2 - 0.5]),
            np.zeros(5),
            np.zeros(3),
            np.eye(3),
        )
        found = find_targets(image, [plate], camera)[0]
        self.assertIsInstance(found, Dots)
        self.assertEqual(len(found.numbers), len(plate.dots))
        np.testing.assert_allclose((found.pixels + 0.5 - edge) / scale - [wide, high], plate.dots, atol=0.2)

    def test_the_command_prints_a_page_for_each_wheel_and_refuses_what_is_no_number(self):
        done = subprocess.run(
            [sys.executable, "-m", "alignment", "targets", "--axles", "3", "--paper", "a4"],
            capture_output=True,
            check=True,
        )
        self.assertTrue(done.stdout.startswith(b"%PDF"))
        status, _, complaints = ran("targets", "--axles", "many")
        self.assertEqual(status, 2)
        self.assertIn("expected a number from 1 to 20", complaints)


class Certificates(unittest.TestCase):
    """Cameras whose lens and mutual pose are known only to who made the pictures."""

    @classmethod
    def setUpClass(cls):
        size = (800, 650)
        rearward = np.array([[0.0, 1, 0], [0, 0, -1], [-1, 0, 0]])
        turn = Rotation.from_euler("xyz", [2, -1, -10], degrees=True).inv().as_matrix()
        lens = (-0.11, 0.04, 0.0005, -0.0003, 0.0)
        cls.eyes = {
            "A": Eye(size, (1805.0, 1803.0), (402.0, 321.0), lens, np.zeros(3), rearward),
            "B": Eye(size, (1796.0, 1797.0), (397.0, 327.0), lens, np.array([20.0, -900.0, 10.0]), rearward @ turn),
        }
        plate, rng = Plate(10, 8, 45.0, 24.0, 54.0), np.random.default_rng(2)
        cls.pictures, shots = {}, []
        for name in ("A", "B", "AB"):
            for _ in range(14 if len(name) == 1 else 8):
                far = rng.uniform(1700, 2600) if len(name) == 1 else rng.uniform(3600, 4400)
                eye = cls.eyes[name[0]]
                across = rng.uniform(-0.1, 0.1) if len(name) == 1 else -0.11
                near = np.array([across * far, rng.uniform(-0.08, 0.08) * far, far])
                turned = Rotation.from_euler("xyz", rng.uniform(-40, 40, 3) * (1, 1, 0.4), degrees=True).as_matrix()
                pose = Pose(eye.rotation.T @ turned, eye.rotation.T @ near + eye.position)
                for one in name:
                    cls.pictures[len(shots), one] = cls.eyes[one].take(
                        [(plate, pose)], Conditions(noise=1.0, blur=0.7), rng
                    )
                shots.append({"id": f"s{len(shots)}", "pictures": {one: f"{one}{len(shots)}.png" for one in name}})
        target = {
            "id": "T1",
            "columns": 10,
            "rows": 8,
            "pitch_mm": 45,
            "dot_mm": 24,
            "dictionary": "DICT_4X4_250",
            "marker_mm": 54,
            "first_marker": 0,
        }
        cls.document = {"format": "rectaxis-calibration", "version": 1, "cameras": [{"id": one, "size": list(size)} for one in "AB"],
                         "targets": [target], "shots": shots}  # fmt: skip

    def reader(self, setup):
        return lambda shot, name: self.pictures[int(setup.shots[shot][0].removeprefix("s")), name]

    def test_lens_and_mutual_pose_come_back_within_what_is_said_of_them(self):
        setup = calibration.parse(self.document, Path())
        views = calibration.look(setup, self.reader(setup), lambda _: None)
        found = calibration.certify(setup, views)
        u = np.sqrt(found.covariance.diagonal())
        for number, (name, eye) in enumerate(self.eyes.items()):
            camera, lens = found.cameras[number], u[found.lens[number]]
            off = np.concatenate(
                (camera.focal - eye.focal, camera.principal - eye.principal, (camera.distortion - eye.distortion)[:4])
            )
            self.assertLess(np.abs(off / lens[:8]).max(), 4.5, name)
        turned = Rotation.from_matrix(found.cameras[1].rotation @ self.eyes["B"].rotation.T).magnitude()
        self.assertLess(np.degrees(turned), 0.05)
        answer = calibration.as_dict(found)
        self.assertLess(
            np.linalg.norm(np.array(answer["cameras"][1]["position_mm"]) - self.eyes["B"].position),
            4 * answer["cameras"][1]["u_position_mm"] + 0.1,
        )
        # OpenCV's own standard deviations of one camera's lens, from its pictures alone.
        mine = [view for view in views if view.camera == 0]
        plate = setup.targets[0][1]
        flat = [np.hstack((plate.dots[v.numbers], np.zeros((len(v.numbers), 1)))).astype(np.float32) for v in mine]
        seen = [view.pixels.astype(np.float32)[:, None] for view in mine]
        theirs = cv2.calibrateCameraExtended(flat, seen, (800, 650), None, None)[5].ravel()[:4]
        self.assertLess(np.abs(np.log(u[found.lens[0]][:4] / theirs)).max(), np.log(1.5))
        # What comes out goes into a set-up of pictures as it is.
        picture = stand(SMALL, 1).document() | {"cameras": answer["cameras"]}
        self.assertEqual(len(parse(picture, Path()).cameras), 2)

    def test_too_few_pictures_and_no_target_seen_by_both_are_told(self):
        few = {**self.document, "shots": self.document["shots"][:3]}
        apart = {**self.document, "shots": self.document["shots"][:28]}
        for document, pointer in ((few, "/cameras/0"), (apart, "/cameras/1")):
            setup = calibration.parse(document, Path())
            with self.assertRaises(JobFileError) as caught:
                calibration.calibrate(setup, read=self.reader(setup))
            self.assertIn(pointer, [fault.pointer for fault in caught.exception.faults])

    def test_the_verdict_says_whether_it_is_good_enough_and_what_would_better_it(self):
        face_on = {
            **self.document,
            "shots": [*self.document["shots"][:6], *self.document["shots"][14:20], *self.document["shots"][28:]],
        }
        setup = calibration.parse(face_on, Path())
        answer = calibration.calibrate(setup, read=self.reader(setup))
        for verdict in answer["verdicts"]:
            self.assertEqual(verdict["good"], verdict["toe_deg"] <= 0.01)
            self.assertRegex(
                verdict["message"],
                r"good enough for toe to 0\.01°" if verdict["good"] else r"not yet good enough .* Take",
            )
