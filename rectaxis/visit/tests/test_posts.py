"""A truck of five axles before cameras on two posts: each sees one side, and what both see is one measurement."""

import json
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

from django.core.files.storage import FileSystemStorage, default_storage
from django.test import TestCase
from django.utils import timezone
from uuid6 import uuid7

from alignment.simulate.rolling import Moment
from rectaxis.demo.business import make_library, make_people
from rectaxis.demo.data import TWIN_STEER
from rectaxis.demo.doing import look_over
from rectaxis.devices.models import Device
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.journal import Journal
from rectaxis.record.models import Shot
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.actions.take_shot import keep_shot, take_shot
from rectaxis.visit.sightings import called
from rectaxis.visit.visit import Visit
from standins.cameras import CameraYard

TRUTH = {
    # A rigid axle that points aside has one wheel behind the other.
    "axles/1/total_toe_deg": 0.3, "axles/2/total_toe_deg": 0.12, "axles/2/bearing_deg": 0.45, "axles/4/bearing_deg": 0.05,
    "axles/4/setback_mm": 1.6,
    **{f"axles/{axle}/{side}/{name}_deg": value for axle in (1, 2) for side in ("left", "right")
       for name, value in (("camber", 0.6), ("caster", 3.2), ("sai", 6.4))},
}  # fmt: skip


class OnPosts(TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        kept = mock.patch.object(default_storage, "_wrapped", FileSystemStorage(folder.name))
        kept.start()
        self.addCleanup(kept.stop)
        fleet = Fleet.objects.create(name="Stack Timber")
        self.person, kit = make_people(fleet), make_library()["target_cameras_posts"]
        truck = Vehicle.objects.create(fleet=fleet, unit="Rigid 14", layout=TWIN_STEER)
        self.job = open_job(self.person, truck, kit, timezone.now())
        path = Path(folder.name) / "truck.json"
        path.write_text(json.dumps({"vehicle": TWIN_STEER["vehicle"], "truth": TRUTH, "kit": kit.code, "seed": 3}))
        self.yard = CameraYard.load(path)
        identity = {"id": "C-2", "kind": "cameras", "kit": kit.code, "rig": self.yard.rig()}
        self.device = Device.objects.create(kit=kit, address="http://127.0.0.1:9", token="t", identity=identity)
        look_over(self.person, self.job)

    def take(self, phase, move):
        shot = take_shot(self.person, self.job, phase, move, self.device)
        for camera, raw in self.yard.take():
            keep_shot(str(self.device.pk), str(shot.pk), camera, raw)
        shot.refresh_from_db()
        return shot

    def assert_true(self, phase, least):
        """What was found lies within four standard uncertainties of how the bodies stand; how many results are there."""
        visit = Visit(self.job)
        stands = {at: self.yard._angles(*at) for at in self.yard.wheels}
        last = visit.snapshot.core.datum.rear
        scene = replace(self.yard.scene, moments=(Moment("still", adjusted=stands),))
        # The bodies' own datum goes through the last axle they have.
        scene = replace(scene, wheels=tuple(wheel for wheel in scene.wheels if wheel.axle <= last))
        compared = 0
        for path, value in scene.truth().items():
            estimate = visit.results(phase).estimates.get(path)
            if estimate is not None and estimate.u > 0:
                self.assertLess(abs(estimate.value - value), 4 * estimate.u, path)
                compared += 1
        self.assertGreaterEqual(compared, least)

    def test_a_shot_is_called_as_the_page_counts_it_also_where_one_before_it_did_not_come(self):
        lost = take_shot(self.person, self.job, "before", "roll", self.device)
        keep_shot(str(self.device.pk), str(lost.pk), "", b"")
        shots = []
        for phase in ("before", "set"):
            shots.append(take_shot(self.person, self.job, phase, "roll", self.device))
            shots[-1].found = {"A": {}, "B": {}}
            shots[-1].save()
        self.assertEqual(called(Journal(self.job), Phase.SET, shots), ["2 of the before", "1"])

    def test_both_front_axles_are_measured_and_one_is_set_by_what_each_post_sees_of_its_side(self):
        for degrees in (0, -15, -30):
            self.yard.rolled_deg = degrees
            shot = self.take("before", "roll")
        sides = {one["id"]: one["side"] for one in shot.rig["targets"]}
        for camera, side in (("A", "left"), ("B", "right")):
            self.assertEqual([sides[target] for target in shot.found[camera]], [side] * 5)
        for degrees in (10, -10):
            self.yard.steered_deg = degrees
            self.take("before", "sweep")
        self.yard.steered_deg = 0.0
        self.assert_true(Phase.BEFORE, 30)
        self.assertEqual(Visit(self.job).progress.open_count("read"), 0)
        self.client.force_login(self.person)
        page = self.client.get(f"/jobs/{self.job.pk}/roll/").content.decode()
        self.assertIn("10 of 10 targets seen", page)
        seal_phase(self.person, self.job, Phase.BEFORE)
        step = Visit(self.job).setting.in_hand()
        record_move(self.person, self.job, uuid7(), step.hardware.id, by=f"{float(step.to) - float(step.start):g}")
        for path, size in self.job.move_set.get().effect.items():
            self.yard.adjust({path: size})
        self.take("set", "still")
        self.assertEqual(Shot.objects.filter(job=self.job, move="still").count(), 1)
        self.assert_true(Phase.SET, 30)
