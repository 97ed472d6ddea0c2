"""Many reports at once: found, summed up, made into one file in the background, stopped and gone on with."""

import io
import uuid
import zipfile
from unittest.mock import patch

import openpyxl
from django.core.files.storage import default_storage
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from procrastinate.contrib.django.models import ProcrastinateJob
from pypdf import PdfReader
from uuid6 import uuid7

from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.record.models import Job, Seal
from rectaxis.reports import stored, tasks
from rectaxis.reports.actions.make_batch import make_batch
from rectaxis.reports.models import Batch
from rectaxis.reports.search import Wanted
from tests.accessible_pdf import elements, faults
from tests.demo import put_out_the_demo


class Many(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.mara, cls.post = (User.objects.get(username=name) for name in ("mara", "post"))

    def setUp(self):
        self.client.force_login(self.mara)

    @patch.object(stored, "FORM", "never printed")
    def test_a_pdf_that_is_not_made_yet_is_made_by_the_worker_once_and_the_page_says_when_it_is_there(self):
        self.client.force_login(User.objects.create_user("minutes", role="technician", angle_style="dms"))
        done = Job.objects.get(vehicle__unit="Van 9")
        address = f"/reports/{done.pk}/report.pdf"
        queued = ProcrastinateJob.objects.filter(task_name="make_pdf", queueing_lock__startswith="reports/")
        for _ in range(2):
            self.assertContains(self.client.get(address), "is being made", status_code=202)
        waiting = queued.get().args
        self.assertEqual(waiting["style"], "dms")
        looked = {"looks": 1}
        self.assertNotContains(self.client.get(address, looked, headers={"HX-Request": "true"}), "PDF is ready")
        self.assertContains(self.client.get(address, {"looks": 9}, headers={"HX-Request": "true"}), "Make it at once")
        tasks.make_pdf(**waiting)
        self.assertContains(self.client.get(address, looked, headers={"HX-Request": "true"}), "PDF is ready")
        with patch.object(stored, "pdf_of", side_effect=AssertionError("the web process makes none")):
            self.assertTrue(self.client.get(address).content.startswith(b"%PDF"))

    def test_they_are_found_by_fleet_day_and_vehicle_and_a_fleet_finds_its_own_whatever_it_asks_for(self):
        other = Job.objects.get(vehicle__unit="Tractor 3")
        Job.objects.filter(pk=other.pk).update(status=Job.Status.ENDED)
        for asked, units in (
            ("", {"Van 9", "Van 2", "Van 17", "Tractor 3"}), ("words=van+9", {"Van 9"}), ("until=2020-01-01", set()),
            (f"before=1900-01-01T00:00:00%2B23:00~{other.pk}", set()),
            *((f"before={at}~{other.pk}", {"Van 9", "Van 2", "Van 17", "Tractor 3"}) for at in ("0001-01-01T00:00:00%2B23:00", "9999-12-31T23:59:59-23:00")),
            (f"fleet={other.vehicle.fleet_id}", {"Tractor 3"}), ("since=nonsense&fleet=x&page=99", {"Van 9", "Van 2", "Van 17", "Tractor 3"}),
        ):  # fmt: skip
            rows = self.client.get(f"/reports/?{asked}").context["rows"]
            self.assertEqual({job.vehicle.unit for job, *_ in rows}, units, asked)
        self.client.force_login(self.post)
        rows = self.client.get(f"/reports/?fleet={other.vehicle.fleet_id}").context["rows"]
        self.assertEqual({job.vehicle.unit for job, *_ in rows}, {"Van 9", "Van 2", "Van 17"})
        self.assertNotContains(self.client.get("/reports/"), "Tractor 3")
        book = openpyxl.load_workbook(
            io.BytesIO(self.client.get(f"/reports/summary.xlsx?fleet={other.vehicle.fleet_id}").content)
        )
        cells = [row[:2] for row in book["Reports"].iter_rows(min_row=2, values_only=True)]
        self.assertEqual({fleet for fleet, _ in cells}, {"Harbour Post"})

    def test_one_file_of_them_is_made_once_killed_goes_on_and_is_whole(self):
        self.client.post("/reports/as-one/", {"form": "zip"})
        batch = Batch.objects.get()
        self.assertEqual((batch.count, batch.status), (3, "waiting"))
        with (
            patch.object(tasks, "stored_pdf", side_effect=[b"%PDF", KeyboardInterrupt]),
            self.assertRaises(KeyboardInterrupt),
        ):
            tasks.make_batch(str(batch.pk))
        batch.refresh_from_db()
        self.assertEqual((batch.status, batch.done), ("making", 1))
        for _ in range(2):
            tasks.make_batch(str(batch.pk))
        batch.refresh_from_db()
        self.assertEqual((batch.status, batch.done), ("done", 3))
        content = b"".join(self.client.get(f"/reports/as-one/{batch.pk}/file/"))
        with zipfile.ZipFile(io.BytesIO(content)) as folder:
            self.assertIsNone(folder.testzip())
            self.assertEqual(len(set(folder.namelist())), 3)
            texts = [PdfReader(io.BytesIO(folder.read(name))).pages[0].extract_text() for name in folder.namelist()]
        for unit in ("Van 9", "Van 2", "Van 17"):
            self.assertTrue(any(f"Wheel alignment, {unit}" in text for text in texts))
        one = make_batch(self.mara, Wanted(words="Van"), "pdf")
        tasks.make_batch(str(one.pk))
        content = b"".join(self.client.get(f"/reports/as-one/{one.pk}/file/"))
        reader = PdfReader(io.BytesIO(content))
        self.assertEqual(faults(content), [])
        self.assertEqual(len(reader.outline), 3)
        # Whoever reads by ear hears each report's own heading, in the order of the outline.
        said = [element for element in elements(reader.root_object) if element["/S"] == "/H1"]
        where = [
            reader.pages.index(page)
            for page in reader.pages
            for one in said
            if one["/Pg"].get_object() == page.get_object()
        ]
        self.assertEqual(where, [reader.get_destination_page_number(entry) for entry in reader.outline])

    def test_reports_of_one_vehicle_and_day_have_files_of_their_own_and_a_summary_asks_as_few_questions_for_many(self):
        done = Job.objects.get(vehicle__unit="Van 9")
        seals = list(done.seal_set.order_by("sequence"))
        few = self.questions()
        for number in range(1, 30):
            done.pk = uuid.UUID(f"01a21b69-1abe-7e68-a60f-{number:08x}db91")
            done.save(force_insert=True)
            for seal in seals:
                seal.pk, seal.job = uuid7(), done
            Seal.objects.bulk_create(seals)
        self.assertEqual(self.questions(), few)
        batch = make_batch(self.mara, Wanted(words="Van 9"), "zip")
        with patch.object(tasks, "stored_pdf", return_value=b"%PDF"):
            tasks.make_batch(str(batch.pk))
        with zipfile.ZipFile(default_storage.open(f"batches/{batch.pk}.zip")) as folder:
            self.assertEqual(len(set(folder.namelist())), 30)

    def questions(self):
        with CaptureQueriesContext(connection) as found:
            self.client.get("/reports/summary.xlsx")
        return len(found.captured_queries)

    def test_cancelled_it_stops_and_somebody_shut_out_gets_nothing(self):
        batch = make_batch(self.post, Wanted(), "zip")
        self.assertEqual(self.client.get(f"/reports/as-one/{batch.pk}/").status_code, 404, "it is another's")
        self.client.force_login(self.post)

        def cancelled_meanwhile(_report):
            self.client.post(f"/reports/as-one/{batch.pk}/cancel/")
            return b"%PDF"

        with patch.object(tasks, "stored_pdf", side_effect=cancelled_meanwhile) as made:
            tasks.make_batch(str(batch.pk))
        self.assertEqual(made.call_count, 1)
        batch.refresh_from_db()
        self.assertEqual((batch.status, default_storage.exists(f"batches/{batch.pk}.zip")), ("cancelled", False))
        ready = make_batch(self.post, Wanted(), "zip")
        tasks.make_batch(str(ready.pk))
        other = Fleet.objects.create(name="Another", yard="Elsewhere")
        User.objects.filter(pk=self.post.pk).update(fleet=other)
        self.assertEqual(
            self.client.get(f"/reports/as-one/{ready.pk}/file/").status_code, 404, "they look after another fleet now"
        )
        User.objects.filter(pk=self.post.pk).update(fleet=self.post.fleet)
        left = make_batch(self.post, Wanted(), "zip")
        User.objects.filter(pk=self.post.pk).update(is_active=False)
        tasks.make_batch(str(left.pk))
        with zipfile.ZipFile(default_storage.open(f"batches/{left.pk}.zip")) as folder:
            self.assertEqual(folder.namelist(), [])
