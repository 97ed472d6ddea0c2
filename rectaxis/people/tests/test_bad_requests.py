"""What nobody's browser sends is answered with a refusal, never with a broken page."""

import json
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import TestCase
from uuid6 import uuid7

from rectaxis.common.pdf import _fetcher
from rectaxis.people.models import User
from rectaxis.record.models import Job, Photo
from tests.demo import put_out_the_demo


class BadRequests(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.mara = User.objects.get(username="mara")
        cls.job = Job.objects.get(vehicle__unit="Van 6")

    def setUp(self):
        self.client.force_login(self.mara)

    def test_deeply_nested_json_is_refused(self):
        for body in ("[" * 100_000, '{"entries":' + "[" * 100_000, "\ud800".encode("utf-8", "surrogatepass")):
            for address in ("entries", "scales"):
                answer = self.client.post(f"/jobs/{self.job.pk}/{address}/", body, content_type="application/json")
                self.assertEqual(answer.status_code, 400)

    def test_a_job_file_deeply_nested_or_with_a_character_that_cannot_be_kept_is_refused_with_its_place(self):
        reading = {"phase": "before", "kind": "outboard_pair", "axle": 2, "ahead_mm": 900, "on": "frame", "left_mm": 3,
                   "right_mm": 1, "mount": "a\x00b"}  # fmt: skip
        document = {
            "format": "rectaxis-job",
            "version": 1,
            "vehicle": self.job.layout["vehicle"],
            "readings": [reading],
        }
        for raw, words in ((json.dumps(document).encode(), "/readings/0/mount: "), (b"[" * 50_000, ""),
                           (json.dumps(document).replace("\\u0000", "\\ud800").encode(), "/readings/0/mount: ")):  # fmt: skip
            upload = SimpleUploadedFile("job.json", raw)
            answer = self.client.post("/jobs/read-in/", {"vehicle": self.job.vehicle.pk, "file": upload})
            self.assertContains(answer, words, status_code=422)

    def test_long_names_at_sign_in_odd_ways_back_and_endless_counts_are_refused(self):
        fleet = self.job.vehicle.fleet_id
        axles = {"axle-TOTAL_FORMS": "9" * 5000, "axle-INITIAL_FORMS": "0", "rows": "more"}
        self.assertEqual(self.client.post(f"/fleets/{fleet}/new-vehicle/", axles).status_code, 200)
        self.assertEqual(self.client.post(f"/fleets/{fleet}/new-vehicle/", axles | {"rows": ""}).status_code, 200)
        rows = {"row-TOTAL_FORMS": "9" * 5000, "row-INITIAL_FORMS": "9" * 5000}
        self.assertEqual(self.client.post("/specifications/new/", rows).status_code, 422)
        for way in (
            "x",
            "no:such",
            "javascript:alert(1)",
            "//elsewhere.example/",
            "\\\\elsewhere.example",
            "/\x00",
            "x" * 5000,
        ):
            answer = self.client.post("/preferences/", {"angle_style": "deg", "theme": "day", "next": way})
            self.assertEqual(answer.status_code, 302, way)
            self.assertNotIn("elsewhere", answer["Location"])
            self.assertNotIn("javascript", answer["Location"])
        self.client.logout()
        for name in ("n" * 300, "n\x00", "é" * 200):
            answer = self.client.post("/sign-in/", {"login": name, "password": "x" * 5000})
            self.assertEqual(answer.status_code, 200, name[:5])

    def test_nul_and_lone_surrogates_in_forms_are_refused(self):
        for address, data in (
            ("marks/", {"key": str(uuid7()), "x": "0.5", "y": "0.5", "what": "d\x00"}), ("hold/end/", {"reason": "\x00"}),
            ("moves/", {"key": str(uuid7()), "adjuster": "\x00", "by": "1"}), ("moves/", {"key": str(uuid7()), "adjuster": "A2 left tie rod", "by": "\x00"}),
            ("correct/", {"slot": "\x00", "typed": "1", "reason": "\x00"}),
        ):  # fmt: skip
            answer = self.client.post(f"/jobs/{self.job.pk}/{address}", data)
            self.assertIn(answer.status_code, (200, 302, 422), address)

    def test_a_page_that_is_printed_reads_nothing_but_what_is_shipped_and_handed_over(self):
        fetcher = _fetcher({"photo:1": b"jpeg"})
        fetcher.fetch("photo:1")
        static = next(iter(_shipped()))
        fetcher.fetch(static)
        folder = static.rsplit("/", 2)[0]
        for address in ("http://127.0.0.1:1/x", "https://127.0.0.1/x", "file:///etc/passwd", "photo:2", "ftp://127.0.0.1/",
                        f"{folder}/../settings/base.py", f"{folder}/%2e%2e/settings/base.py"):  # fmt: skip
            with self.assertRaisesRegex(ValueError, "may not ask for", msg=address):
                fetcher.fetch(address)

    def test_a_fleet_does_not_see_a_photo_that_was_taken_out(self):
        photo = Photo.objects.get(job__vehicle__unit="Van 9")
        address = f"/jobs/{photo.job_id}/photos/{photo.pk}.jpg"
        self.client.force_login(User.objects.get(username="post"))
        self.assertEqual(self.client.get(address).status_code, 200)
        Photo.objects.filter(pk=photo.pk).update(removed=True)
        self.assertEqual(self.client.get(address).status_code, 403)

    def test_passwords_that_are_short_or_common_are_not_taken(self):
        for password in ("short", "password123", "1234567890"):
            with (
                patch("rectaxis.people.management.commands.set_user.getpass", return_value=password),
                self.assertRaises(CommandError),
            ):
                call_command("set_user", "ana", "technician")
        self.assertFalse(User.objects.filter(username="ana").exists())


def _shipped():
    from rectaxis.common.pdf import _STATIC

    yield (_STATIC / "rectaxis" / "mark.svg").as_uri()
