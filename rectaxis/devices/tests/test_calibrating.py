"""Cameras are calibrated from the screen, by pictures of a target that is held about."""

import json
import tempfile
from pathlib import Path

import numpy as np
from django.test import TestCase
from scipy.spatial.transform import Rotation

from alignment.camera.held import look_at
from alignment.patterns import pattern
from rectaxis.demo.business import make_people
from rectaxis.devices.actions.calibrate_cameras import (
    CalibrationError,
    begin_calibration,
    held_waiting,
    keep_held,
    leave_out_held,
    take_held,
    use_calibration,
)
from rectaxis.devices.models import Device, HeldShot
from rectaxis.fleets.models import Fleet
from rectaxis.kits.models import Kit
from standins.cameras import CameraYard

HELD = (*range(1, 6), *range(15, 20), *range(29, 33))


class Calibrating(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.person = make_people(Fleet.objects.create(name="Harbour Post"))
        kit = Kit.objects.create(name="Stand", code="target_cameras")
        path = Path(tempfile.mkdtemp()) / "car.json"
        path.write_text(json.dumps({**pattern("car").as_dict(), "truth": {}, "kit": kit.code, "seed": 5}))
        cls.yard = CameraYard.load(path)
        cls.device = Device.objects.create(
            kit=kit, name="Stand", address="http://127.0.0.1:9", token="t", identity={"kind": "cameras", "rig": cls.yard.rig()}
        )  # fmt: skip

    def page(self, **posted):
        self.client.force_login(self.person)
        address = f"/devices/{self.device.pk}/calibrate/"
        answer = self.client.post(address, posted, follow=True) if posted else self.client.get(address)
        self.assertEqual(answer.status_code, 200)
        return answer.content.decode()

    def taken(self, calibration, held):
        shot = take_held(self.person, calibration)
        self.yard.held = held
        for camera, raw in self.yard.take():
            keep_held(str(self.device.pk), str(shot.pk), camera, raw)
        return shot

    def test_cameras_are_found_where_they_really_stand_and_what_was_taken_before_keeps_its_own(self):
        self.assertIn("Begin a calibration", self.page())
        self.assertIn("Hold a printed target still before camera A", self.page(do="begin"))
        self.page(do="begin")
        calibration = self.device.calibrations.get()
        shot = take_held(self.person, calibration)
        self.assertEqual(held_waiting(), [(str(self.device.pk), str(shot.pk))])
        self.assertIn("on their way", self.page())
        keep_held(str(self.device.pk), str(shot.pk), "", b"")
        keep_held(str(self.device.pk), "no such shot", "A", b"x")
        self.assertIn("did not come", self.page())
        self.page(do="leave-out", shot=str(shot.pk))
        self.page(do="use")
        self.assertEqual(Device.objects.get().calibrated, [])
        for held in HELD[:-1]:
            self.yard.held = held
            found = {camera: look_at(calibration.rig, camera, raw) for camera, raw in self.yard.take()}
            HeldShot.objects.create(calibration=calibration, found=found)
        self.taken(calibration, HELD[-1])
        page = self.page()
        self.assertIn("good", page)
        self.assertGreater(page.count("<polygon"), 15)
        self.page(do="use")
        device = Device.objects.get()
        for one in device.rig["cameras"]:
            eye = self.yard.scene.eyes[one["id"]]
            off = abs(one["focal_px"][0] - eye.focal[0]) / eye.focal[0]
            self.assertLess(off, 4 * one["u_focal"])
        # How the second stands to the first, both as bodies.
        first, second = self.yard.scene.eyes.values()
        a, b = device.rig["cameras"]
        really = first.rotation @ (second.position - first.position)
        found = np.array(a["rotation"]) @ (np.array(b["position_mm"]) - a["position_mm"])
        self.assertLess(np.abs(found - really).max(), 4 * b["u_position_mm"])
        turned = Rotation.from_matrix(np.array(b["rotation"]) @ np.array(a["rotation"]).T)
        between = turned * Rotation.from_matrix(second.rotation @ first.rotation.T).inv()
        self.assertLess(np.degrees(between.magnitude()), 4 * b["u_rotation_deg"])
        self.assertIn("calibrated here on", self.page())
        with self.assertRaises(CalibrationError):
            take_held(self.person, calibration)

    def test_it_is_not_used_once_the_cameras_say_something_else(self):
        calibration = begin_calibration(self.person, self.device)
        with self.assertRaises(CalibrationError):
            leave_out_held(self.person, calibration, "x")
        calibration.results = {"cameras": []}
        calibration.save()
        Device.objects.update(identity={"kind": "cameras", "rig": {**self.yard.rig(), "u_up_deg": 9}})
        with self.assertRaises(CalibrationError):
            use_calibration(self.person, calibration)
