"""A link shows one report to whoever has it, until it runs out or is revoked."""

import datetime as dt
import re

from django.test import Client, TestCase
from django.utils import timezone

from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.reports.models import Link
from tests.demo import put_out_the_demo


class Links(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.mara, cls.done = User.objects.get(username="mara"), Job.objects.get(vehicle__unit="Van 9")

    def setUp(self):
        self.client.force_login(self.mara)
        page = self.client.post(f"/reports/{self.done.pk}/links/", {"days": "30"}).content.decode()
        self.path = re.search(r'value="[^"]*?(/shared/[^"]+)"', page)[1]
        self.anybody = Client()

    def test_it_shows_the_report_with_its_photos_and_pdf_says_how_often_and_leads_nowhere_else(self):
        for _ in range(2):
            shown = self.anybody.get(self.path)
        self.assertContains(shown, "Wheel alignment, Van 9")
        self.assertEqual((shown["Cache-Control"], shown["X-Robots-Tag"]), ("no-store", "noindex"))
        self.assertNotRegex(shown.content.decode(), r'href="/(reports|jobs|fleets)/')
        picture = re.search(r'src="(/shared/[^"]+\.jpg)"', shown.content.decode())[1]
        self.assertEqual(self.anybody.get(picture)["Content-Type"], "image/jpeg")
        self.assertEqual(self.anybody.get(re.sub(r"[0-9a-f]{64}", "0" * 64, picture)).status_code, 404)
        self.assertTrue(self.anybody.get(f"{self.path}report.pdf?now").content.startswith(b"%PDF"))
        self.assertContains(self.client.get(f"/reports/{self.done.pk}/links/"), "2 times")
        self.assertNotContains(self.client.get(f"/reports/{self.done.pk}/links/"), self.path)

    def test_revoked_run_out_mistyped_or_made_by_somebody_shut_out_it_shows_nothing(self):
        link = Link.objects.get()
        self.assertEqual(self.anybody.get(f"{self.path[:-2]}x/").status_code, 404)
        User.objects.filter(pk=self.mara.pk).update(is_active=False)
        self.assertEqual(self.anybody.get(self.path).status_code, 404)
        User.objects.filter(pk=self.mara.pk).update(is_active=True)
        self.client.post(f"/links/{link.pk}/revoke/")
        for address in (self.path, f"{self.path}report.pdf"):
            self.assertEqual(self.anybody.get(address).status_code, 404)
        Link.objects.update(revoked_at=None, until=timezone.now() - dt.timedelta(seconds=1))
        self.assertEqual(self.anybody.get(self.path).status_code, 404)
        self.assertNotIn(self.path.split("/")[2], str(Link.objects.values().get()), "the address itself is not kept")
