"""What pictures tell becomes readings like any other: judged, moved, sealed."""

from django.test import TestCase
from django.utils import timezone

from rectaxis.demo.business import make_library, make_people, random_simulation
from rectaxis.demo.data import CAR
from rectaxis.demo.doing import look_over, read_all, set_all
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.slot import Phase
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
