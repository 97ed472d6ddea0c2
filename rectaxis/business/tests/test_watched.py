"""What is seen from outside: every request's number and line in the log, and the counts; without names, keys or words that were typed."""

import json
import logging
from unittest.mock import patch

from django.conf import settings
from django.test import Client, TestCase, override_settings
from procrastinate.contrib.django.models import ProcrastinateJob
from prometheus_client.parser import text_string_to_metric_families
from pythonjsonlogger.json import JsonFormatter

from rectaxis.common.observed import HEADER, WithNumber
from rectaxis.fleets.models import Vehicle
from rectaxis.people.models import User
from rectaxis.post.tasks import send_letter
from tests.demo import put_out_the_demo

TOKEN = "for the watcher"


class Lines(logging.Handler):
    """Keeps lines as the log's own formatter writes them."""

    def __init__(self):
        super().__init__()
        given = {name: of for name, of in settings.LOGGING["formatters"]["json"].items() if name != "()"}
        self.setFormatter(JsonFormatter(**given))
        self.addFilter(WithNumber())
        self.lines = []

    def emit(self, record):
        self.lines.append(json.loads(self.format(record)))


class Watched(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()

    def setUp(self):
        self.lines = Lines()
        for name in ("rectaxis.requests", "django.request"):
            log = logging.getLogger(name)
            self.addCleanup(log.setLevel, log.level)
            self.addCleanup(log.removeHandler, self.lines)
            self.addCleanup(setattr, log, "propagate", True)
            log.propagate = False
            log.addHandler(self.lines)
            log.setLevel(logging.INFO)
        self.client.force_login(User.objects.get(username="mara"))

    def counts(self):
        answer = self.client.get("/metrics/", headers={"Authorization": f"Bearer {TOKEN}"})
        self.assertEqual(answer.status_code, 200)
        samples = [s for family in text_string_to_metric_families(answer.content.decode()) for s in family.samples]
        return {(s.name, *sorted(s.labels.values())): s.value for s in samples}

    def test_a_request_has_a_line_with_its_number_and_nothing_of_whom_or_what_it_is_about(self):
        vehicle = Vehicle.objects.get(unit="Van 9")
        answer = self.client.get(f"/find/{vehicle.pk}/", {"q": "van 9"}, headers={HEADER: "forged"})
        (line,) = self.lines.lines
        self.assertEqual((line["route"], line["method"], line["status"]), ("/find/<uuid:pk>/", "GET", 200))
        self.assertEqual(line["request"], answer[HEADER])
        self.assertNotEqual(answer[HEADER], "forged")
        for words in (str(vehicle.pk), "van 9", "Van 9", "mara", "127.0.0.1"):
            self.assertNotIn(words, json.dumps(line))
        self.assertNotEqual(self.client.get("/fleets/")[HEADER], answer[HEADER])

    def test_what_broke_is_found_in_the_log_by_the_number_on_the_page(self):
        client = Client(raise_request_exception=False)
        client.force_login(User.objects.get(username="mara"))
        broken = patch("rectaxis.day.views.found_vehicles", side_effect=RuntimeError("broken for the test"))
        with broken:
            answer = client.get("/find/", {"q": "edda quill"})
        framework, own = (
            next(one for one in self.lines.lines if one["name"].startswith(name)) for name in ("django", "rectaxis")
        )
        self.assertIn("broken for the test", framework["exc_info"])
        self.assertEqual((own["level"], own["status"], own["request"]), ("ERROR", 500, framework["request"]))
        self.assertContains(answer, own["request"], status_code=500)
        self.assertNotIn("quill", json.dumps(self.lines.lines))

    @override_settings(METRICS_TOKEN=TOKEN)
    def test_the_counts_are_for_who_has_the_token_and_say_what_waits_and_what_was_asked(self):
        for header in ({}, {"Authorization": "Bearer another"}, {"Authorization": TOKEN}):
            self.assertEqual(Client().get("/metrics/", headers=header).status_code, 404)
        before, waiting = self.counts(), ProcrastinateJob.objects.filter(status="todo").count()
        send_letter.defer(letter="00000000-0000-0000-0000-000000000000")
        self.client.get("/find/", {"q": "van 9"})
        self.client.get("/nowhere/van-9/")
        after = self.counts()
        name = ("rectaxis_requests_total", "/find/", "200", "GET")
        self.assertEqual(after[name], before.get(name, 0) + 1)
        self.assertEqual(after["rectaxis_tasks", "todo"], waiting + 1)
        self.assertGreater(after["rectaxis_disk_free_bytes",], 0)
        self.assertFalse([key for key in after if "van-9" in str(key)])
        with override_settings(METRICS_TOKEN=""):
            self.assertEqual(Client().get("/metrics/", headers={"Authorization": "Bearer "}).status_code, 404)
