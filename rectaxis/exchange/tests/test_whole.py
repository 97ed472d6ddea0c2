"""A fleet's whole data: open formats, each file as its manifest says, nothing of anybody else's, and none for who may no longer see it."""

import csv
import hashlib
import io
import json
import zipfile

from django.test import TestCase

from alignment.jobfile import parse, solve_job
from rectaxis.exchange import tasks
from rectaxis.exchange.models import Export
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.record.models import Job, Seal
from tests.demo import put_out_the_demo


class Whole(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.edda = User.objects.get(username="post")
        cls.fleet = cls.edda.fleet

    def setUp(self):
        self.client.force_login(self.edda)

    def asked(self):
        return self.client.post(f"/fleets/{self.fleet.pk}/everything/")["Location"]

    def test_everything_is_in_it_in_open_formats_as_the_manifest_says_and_nothing_of_another_fleet(self):
        page = self.asked()
        self.assertEqual(self.asked(), page, "asked for twice, it is made once")
        self.assertContains(self.client.get(page), "being made")
        tasks.make_export(page.split("/")[2])
        self.assertContains(self.client.get(page), "Take it")
        content = b"".join(self.client.get(f"{page}fleet.zip"))
        with zipfile.ZipFile(io.BytesIO(content)) as folder:
            manifest = json.loads(folder.read("manifest.json"))
            for name, digest in manifest["files"].items():
                self.assertEqual(hashlib.sha256(folder.read(name)).hexdigest(), digest, name)
            self.assertEqual(set(folder.namelist()) - {"manifest.json"}, set(manifest["files"]))
            vehicles = list(csv.DictReader(io.StringIO(folder.read("vehicles.csv").decode("utf-8-sig"))))
            visits = list(csv.DictReader(io.StringIO(folder.read("visits.csv").decode("utf-8-sig"))))
            files = next(visit["files"] for visit in visits if visit["unit"] == "Van 9")
            job_file = json.loads(folder.read(f"job-files/{files}.json"))
            everything = " ".join(folder.read(name).decode(errors="replace") for name in folder.namelist())
        self.assertEqual({one["unit"] for one in vehicles}, set(self.fleet.vehicles.values_list("unit", flat=True)))
        self.assertTrue(any(name.startswith("photos/") for name in manifest["files"]))
        # The job file solves to what was sealed.
        after = Seal.objects.filter(job__vehicle__unit="Van 9", job__status="done", phase="after").latest("sequence")
        solved = solve_job(parse(job_file))["phases"]["after"]
        self.assertAlmostEqual(solved["thrust_angle_deg"]["value"], after.results["thrust_angle_deg"]["value"], 9)
        for other in Fleet.objects.exclude(pk=self.fleet.pk):
            self.assertNotIn(other.name, everything)

    def test_who_left_meanwhile_gets_nothing_and_no_one_elses_is_opened(self):
        page = self.asked()
        User.objects.filter(pk=self.edda.pk).update(is_active=False)
        tasks.make_export(page.split("/")[2])
        self.assertEqual(Export.objects.get().status, "waiting")
        self.client.force_login(User.objects.get(username="mara"))
        self.assertEqual(self.client.get(page).status_code, 404)
        other = Job.objects.exclude(vehicle__fleet=self.fleet).first().vehicle.fleet
        User.objects.filter(pk=self.edda.pk).update(is_active=True)
        self.client.force_login(self.edda)
        self.assertEqual(self.client.post(f"/fleets/{other.pk}/everything/").status_code, 403)
