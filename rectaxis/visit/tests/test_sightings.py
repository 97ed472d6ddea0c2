"""What pictures tell becomes readings like any other: judged, moved, sealed."""

import re

from django.test import TestCase
from django.utils import timezone
from uuid6 import uuid7

from rectaxis.demo.business import make_library, make_people, random_simulation
from rectaxis.demo.data import CAR
from rectaxis.demo.doing import look_over, read_all, set_all
from rectaxis.devices.models import Device
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.models import Shot, Sighting
from rectaxis.record.slot import Phase
from rectaxis.record.writing import writing
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.actions.take_shot import ShotError, take_over_sighting
from rectaxis.visit.visit import Visit


class Sightings(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.fleet = Fleet.objects.create(name="Harbour Post")
        cls.person, cls.kits = make_people(cls.fleet), make_library()

    def test_what_takes_pictures_stays_where_it_is_while_the_roll_goes_on(self):
        """A page refreshes itself under a finger: what was pressed may not have become something else."""
        vehicle = Vehicle.objects.create(fleet=self.fleet, unit="Car", layout=CAR)
        kit = self.kits["target_cameras"]
        job = open_job(self.person, vehicle, kit, timezone.now())
        look_over(self.person, job)
        targets = [
            {"id": f"t{axle}{side}", "axle": axle, "side": side} for axle in (1, 2) for side in ("left", "right")
        ]
        rig = {"cameras": [{"id": "a", "size": [640, 480]}], "targets": targets}
        Device.objects.create(
            kit=kit, address="http://127.0.0.1:9", token="t", identity={"kind": "cameras", "rig": rig}
        )
        self.client.force_login(self.person)

        def moves():
            page = self.client.get(f"/jobs/{job.pk}/roll/").content.decode()
            return re.findall(r'name="move" value="(\w+)"', page)

        seen = {one["id"]: {"missed": "hidden"} for one in targets}
        shown = [moves()]
        for rolled in (0.0, 12.0, 31.0):
            wheels = [{"axle": 1, "side": "left", "rolled_deg": rolled, "rolling_radius_mm": {"value": 300, "u": 1}}]
            with writing(self.person, job) as book:
                book.add(Shot(pk=uuid7(), phase="before", move="roll", rig=rig, taken={}, found={"a": seen}))
                book.add(Sighting(pk=uuid7(), phase="before", readings=[], wheels=wheels))
            shown.append(moves())
        self.assertEqual(shown, [["roll"], *[["roll", "sweep"]] * 3])

    def test_a_car_is_set_by_what_cameras_see_and_its_after_is_what_they_saw_last(self):
        vehicle = Vehicle.objects.create(fleet=self.fleet, unit="Car", layout=CAR)
        made_up = random_simulation(vehicle, self.kits["target_cameras"], seed=3)
        job = open_job(self.person, vehicle, self.kits["target_cameras"], timezone.now(), simulation=made_up)
        look_over(self.person, job)
        self.assertEqual([Visit(job).progress.open_count(stage) for stage in ("roll", "read")], [4, 4])
        read_all(self.person, job, "before")
        self.assertEqual(Visit(job).progress.open_count("read"), 0)
        seal_phase(self.person, job, Phase.BEFORE)
        with self.assertRaises(ShotError):
            read_all(self.person, job, "before")
        set_all(self.person, job)
        visit = Visit(job)
        self.assertGreater(len(visit.journal.moves), 1)
        self.assertFalse(visit.setting.unseen)
        self.assertIsNone(visit.setting.in_hand())
        unread = visit.progress.open_count("prove")
        take_over_sighting(self.person, job)
        self.assertEqual(Visit(job).progress.open_count("prove"), unread - 4)
        seal_phase(self.person, job, Phase.AFTER)
        hand_over(self.person, job)
        visit = Visit(job)
        self.client.force_login(self.person)
        for address in (
            f"/reports/{job.pk}/",
            f"/reports/{job.pk}/job.json",
            f"/jobs/{job.pk}/history/",
            f"/jobs/{job.pk}/prove/",
        ):
            self.assertEqual(self.client.get(address).status_code, 200, address)
        job.refresh_from_db()
        results, truth = visit.results(Phase.AFTER), job.simulation["truth"]
        for path in ("axles/1/total_toe_deg", "axles/2/total_toe_deg", "axles/1/left/camber_deg"):
            estimate = results.estimates[path]
            self.assertLess(abs(estimate.value - truth[path]), 4 * estimate.u, path)
