"""A fleet's whole data: open formats, each file as its manifest says, nothing of anybody else's, and none for who may no longer see it."""

import csv
import hashlib
import io
import json
import re
import zipfile

from django.apps import apps
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from alignment.jobfile import parse, solve_job
from rectaxis.exchange import tasks
from rectaxis.exchange.models import Export, Import
from rectaxis.exchange.whole import write_whole
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.models import User
from rectaxis.record.chain import faults
from rectaxis.record.models import CLOSED, Entry, Job, Photo, Seal
from rectaxis.record.pictures import stored_picture
from tests.demo import put_out_the_demo

OF_HERE = r'(csrf[^>]*?(content|value)=|"X-CSRFToken": )"[^"]*"|link in the chain of seals: [0-9a-f-]+'
"""What differs from page to page, and from installation to installation: each has a chain of its own."""


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

    def written(self):
        file = io.BytesIO()
        write_whole(self.fleet, self.edda, file)
        return file.getvalue()

    def brought(self, content):
        self.client.force_login(User.objects.get(username="jonah"))
        answer = self.client.post(
            "/lists/fleet/", {"fleet_file": SimpleUploadedFile("fleet.zip", content)}, follow=True
        )
        self.assertEqual(answer.status_code, 200, answer.content.decode()[-600:])
        made = Import.objects.first()
        tasks.bring_fleet(str(made.pk))
        made.refresh_from_db()
        return made

    def shown(self):
        self.client.force_login(User.objects.get(username="mara"))
        jobs = Job.objects.filter(vehicle__fleet__name=self.fleet.name, status__in=CLOSED).order_by("pk")
        addresses = [
            f"/{kind}/{job.pk}/{end}"
            for job in jobs
            for kind, end in (("reports", ""), ("reports", "report.csv"), ("jobs", "history/"))
        ]
        pages = {address: re.sub(OF_HERE, "", self.client.get(address).content.decode()) for address in addresses}
        photos = {photo.digest: stored_picture(photo.digest) for photo in Photo.objects.filter(job__in=jobs)}
        return pages, photos, list(Vehicle.objects.filter(fleet__name=self.fleet.name).order_by("pk").values())

    def forget_everything(self):
        """As in an installation of its own: nothing of any fleet is there, and other people have these keys."""
        User.objects.filter(fleet__isnull=False).update(fleet=None, role="office", last_name="Other")
        User.objects.filter(username="mara").update(last_name="Other")
        for config in ("door", "post", "reports", "years", "exchange", "devices", "jobs", "fleets"):
            for model in apps.get_app_config(config).get_models(include_auto_created=True):
                model._base_manager.all()._raw_delete("default")

    def test_in_another_installation_its_reports_are_the_same_word_for_word_and_taken_twice_it_is_there_once(self):
        content, before = self.written(), self.shown()
        self.assertGreater(len(before[0]), 6)
        self.forget_everything()
        self.assertIn("visits and 0 notes were new", self.brought(content).said)
        # Somebody of another name measures here: those who did this are kept by theirs, and cannot sign in.
        mara = User.objects.get(first_name="Mara", last_name="Tolland")
        self.assertFalse(mara.is_active or mara.has_usable_password())
        after = self.shown()
        self.assertEqual(after[1:], before[1:])
        for address, page in before[0].items():
            self.assertEqual(after[0][address].replace("Mara Other", "Mara Tolland"), page, address)
        self.assertEqual(list(faults()), [])
        rows = (Job.objects.count(), Entry.objects.count(), Seal.objects.count(), Vehicle.objects.count())
        self.assertIn(": 0 vehicles, 0 visits and 0 notes were new", self.brought(content).said)
        self.assertEqual(
            (Job.objects.count(), Entry.objects.count(), Seal.objects.count(), Vehicle.objects.count()), rows
        )

    @staticmethod
    def with_a_part_of(data, job):
        """The same record, of which one entry says that it is of another job."""
        rows = json.loads(data)
        next(row for row in rows if row["model"] == "jobs.entry")["fields"]["job"] = job
        return json.dumps(rows).encode()

    @staticmethod
    def with_a_kit_in_which(change):
        """What makes the same record, but for a change to the first of its kit's scales that is read on one side."""

        def changed(data):
            rows = json.loads(data)
            stations = rows[0]["fields"]["rig"]["stations"]
            change(next(station for station in stations if "side" in station["reading"]))
            return json.dumps(rows).encode()

        return changed

    @staticmethod
    def with_a_tread_less(data):
        """The same record, whose reports lack a number in the table of tyres."""
        rows = json.loads(data)
        for statement in (row["fields"].get("statement") for row in rows if row["model"] == "jobs.seal"):
            if statement and statement.get("tyres"):
                statement["tyres"][0][1].pop()
        return json.dumps(rows).encode()

    def test_nothing_is_added_to_a_visit_that_is_here_already(self):
        content = self.written()
        entry = Entry.objects.filter(job__vehicle__unit="Van 9", job__status="done").first()
        Entry.objects.filter(pk=entry.pk).delete()
        self.assertIn(": 0 vehicles, 0 visits", self.brought(content).said)
        self.assertFalse(Entry.objects.filter(pk=entry.pk).exists())

    def test_what_was_changed_on_the_way_or_is_no_fleet_is_refused_whole(self):
        content = self.written()
        self.forget_everything()

        def changed(name, change, *, honest=True):
            made = io.BytesIO()
            with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(made, "w") as new:
                files = {one: old.read(one) for one in old.namelist()}
                name = next(one for one in files if one.startswith(name))
                files[name] = change(files[name])
                manifest = json.loads(files["manifest.json"])
                if honest and name != "manifest.json":
                    manifest["files"][name] = hashlib.sha256(files[name]).hexdigest()
                    files["manifest.json"] = json.dumps(manifest).encode()
                for one, data in files.items():
                    new.writestr(one, data)
            return made.getvalue()

        for file, words in (
            (b"PK nothing", "no file of a fleet"), (changed("reports/", lambda _: b"{}", honest=False), "is not what its manifest says"),
            (changed("photos/", lambda _: b"no photo"), "is no photo"), (changed("records/", lambda data: data.replace(b"jobs.entry", b"people.user")), "expected a part of a visit"),
            (changed("vehicles.json", lambda data: data.replace(b'"axles"', b'"wheels"')), "Nothing was taken"),
            (changed("records/", lambda data: data.replace(b'"stations"', b'"scales"')), "cannot be read"),
            (changed("records/", lambda data: self.with_a_part_of(data, "0190ffff-0000-7000-8000-000000000001")), "belongs to another visit"),
            (changed("records/", lambda data: data.replace(b'"pk": "', b'"pk": "no key ')), "Nothing was taken"),
            (changed("records/", lambda data: data.replace(b'"fields": {', b'"fields": {"whose": 1, ', 1)), "cannot be read"),
            (changed("records/", lambda data: data.replace(b'"kind": "outboard_pair"', b'"kind": "inboard_pair"')), "cannot be shown"),
            (changed("records/", lambda data: data.replace(b'"track_mm": 1', b'"track_mm": -1')), "cannot be shown"),
            (changed("records/", self.with_a_kit_in_which(lambda station: station["reading"].pop("side"))), "side: is missing"),
            (changed("records/", self.with_a_kit_in_which(lambda station: station.update(most=station["least"]))), "a scale that ends above"),
            (changed("records/", self.with_a_tread_less), "expected 6 values in each row"),
            (changed("records/", lambda data: data.replace(b'"slot": "before/', b'"slot": "before//', 1)), "has no such field"),
            (changed("fleet.json", lambda data: data.replace(b'"name": "', b'"name": 7, "was": "')), "in words"),
            (changed("vehicles.json", lambda data: data.replace(b'"steering_ratio": ', b'"steering_ratio": "usual", "was": ')), "Nothing was taken"),
            (changed("people.json", lambda data: re.sub(rb'"(\d+)"', rb'"no \1"', data)), "no file of a fleet"),
            (changed("manifest.json", lambda data: data.replace(b'"version": 1', b'"version": 9')), "bring both programs up to date"),
        ):  # fmt: skip
            made = self.brought(file)
            self.assertEqual(made.status, "failed", words)
            self.assertIn(words, made.said)
            self.assertFalse(Fleet.objects.exists() or Job.objects.exists(), words)

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
