"""Who may open what. Every address must stand in the table: a new one that does not fails the test."""

import datetime as dt
import json

from django.test import TestCase
from django.urls import URLPattern, URLResolver, get_resolver, reverse
from django.utils import timezone

from rectaxis.fleets.models import Fleet
from rectaxis.jobs.demo import make_demo, make_van
from rectaxis.jobs.models import Job, Mark, Photo
from rectaxis.people.models import User

OPEN, SIGN_IN, NO = 200, "sign in", 403
# address name: (technician, office, viewer of the fleet, viewer of another fleet); nobody is always sent to sign in.
PAGES = {
    "jobs:today": (200, 200, 302, 302),
    "fleets:new-fleet": (200, 200, NO, NO),
    "fleets:new-vehicle": (200, 200, NO, NO),
    "specs:new": (200, 200, NO, NO),
    "kits:new": (200, 200, NO, NO),
    "jobs:new": (200, 200, NO, NO),
    "jobs:read-in": (200, NO, NO, NO),
    "jobs:job": (302, 302, NO, NO),
    "jobs:stage": (200, 200, NO, NO),
    "jobs:live": (200, 200, NO, NO),
    "jobs:next": (200, 200, NO, NO),
    "jobs:find": (200, 200, NO, NO),
    "jobs:find-vehicle": (200, 200, NO, NO),
    "jobs:adjusters": (200, 200, NO, NO),
    "jobs:history": (200, 200, NO, NO),
    "jobs:worksheet": (200, 200, NO, NO),
    "jobs:worksheet-pdf": (200, 200, NO, NO),
    "jobs:quick": (200, 200, NO, NO),
    "jobs:photo-list": (200, 200, NO, NO),
    "jobs:photo": (200, 200, 200, NO),
    "reports:fleets": (200, 200, NO, NO),
    "reports:fleet": (200, 200, 200, NO),
    "reports:page": (200, 200, 200, NO),
    "reports:pdf": (200, 200, 200, NO),
    "reports:job-file": (200, 200, 200, NO),
    "people:preferences": (200, 200, 200, 200),
}
WRITES = {
    "jobs:entries": (200, NO, NO, NO),
    "jobs:scales": (200, NO, NO, NO),
    "jobs:moves": (302, NO, NO, NO),
    "jobs:undo": (302, NO, NO, NO),
    "jobs:lift": (302, NO, NO, NO),
    "jobs:seal": (302, NO, NO, NO),
    "jobs:finish": (302, NO, NO, NO),
    "jobs:hold": (302, NO, NO, NO),
    "jobs:correct": (422, NO, NO, NO),
    "jobs:photos": (422, NO, NO, NO),
    "jobs:photo-aside": (422, NO, NO, NO),
    "jobs:marks": (422, NO, NO, NO),
    "jobs:mark-aside": (422, NO, NO, NO),
}
FREE = {"people:sign-in", "people:sign-out"}


def names(patterns, prefix=""):
    for pattern in patterns:
        if isinstance(pattern, URLResolver):
            yield from names(pattern.url_patterns, f"{pattern.namespace}:" if pattern.namespace else prefix)
        elif isinstance(pattern, URLPattern):
            yield f"{prefix}{pattern.name}"


class Access(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_demo()
        other = Fleet.objects.exclude(name="Harbour Post").first()
        User.objects.create_user("stranger", password="x", role=User.Role.FLEET, fleet=other)
        cls.people = [User.objects.get(username=name) for name in ("mara", "jonah", "post", "stranger")]
        cls.done = Job.objects.get(vehicle__unit="Van 9")
        cls.photo, cls.mark = Photo.objects.get(job=cls.done), Mark.objects.get(job=cls.done)

    def address(self, name):
        words = {
            "jobs:stage": {"pk": self.done.pk, "stage": "read"},
            "jobs:live": {"pk": self.done.pk, "stage": "read"},
            "jobs:next": {"pk": self.done.pk, "stage": "read"},
            "jobs:hold": {"pk": self.done.pk, "what": "pause"},
            "jobs:adjusters": {"pk": self.done.vehicle_id},
            "jobs:find-vehicle": {"pk": self.done.vehicle_id},
            "jobs:photo": {"pk": self.done.pk, "photo": self.photo.pk},
            "jobs:photo-aside": {"pk": self.done.pk, "photo": self.photo.pk},
            "jobs:lift": {"pk": self.done.pk, "what": "up"},
            "jobs:undo": {"pk": self.done.pk, "move": self.done.pk},
            "jobs:mark-aside": {"pk": self.done.pk, "mark": self.mark.pk},
            "jobs:seal": {"pk": self.done.pk, "phase": "before"},
            "fleets:new-vehicle": {"pk": self.done.vehicle.fleet_id},
            "reports:fleet": {"pk": self.done.vehicle.fleet_id},
        }
        plain = (
            "jobs:today",
            "fleets:new-fleet",
            "specs:new",
            "kits:new",
            "jobs:new",
            "jobs:find",
            "jobs:read-in",
            "reports:fleets",
            "people:preferences",
        )
        return reverse(name, kwargs=None if name in plain else words.get(name, {"pk": self.done.pk}))

    def test_every_address_is_in_the_table(self):
        self.assertEqual(set(names(get_resolver().url_patterns)), set(PAGES) | set(WRITES) | FREE)

    def test_pages_open_to_those_whom_they_concern(self):
        for name, expected in PAGES.items():
            self.client.logout()
            answer = self.client.get(self.address(name))
            self.assertEqual(answer.status_code, 302, name)
            self.assertIn("/sign-in/", answer["Location"])
            for person, status in zip(self.people, expected, strict=True):
                self.client.force_login(person)
                with self.subTest(name=name, person=person.username):
                    self.assertEqual(self.client.get(self.address(name)).status_code, status)

    def test_only_a_technician_writes_in_a_job(self):
        for name, expected in WRITES.items():
            for person, status in zip(self.people, expected, strict=True):
                self.client.force_login(person)
                body = {"content_type": "application/json", "data": json.dumps({"entries": [], "slots": []})}
                if name not in ("jobs:entries", "jobs:scales"):
                    body = {
                        "data": {"key": "01a208db-c625-792b-b69e-113c23cf63bc", "adjuster": "A2 left tie rod", "by": 1}
                    }
                with self.subTest(name=name, person=person.username):
                    self.assertEqual(self.client.post(self.address(name), **body).status_code, status)

    def test_a_fleet_sees_a_report_only_when_it_is_handed_over(self):
        open_job = Job.objects.get(vehicle__unit="Van 21")
        self.client.force_login(self.people[0])
        self.client.post(reverse("jobs:seal", kwargs={"pk": open_job.pk, "phase": "before"}))
        address = reverse("reports:page", kwargs={"pk": open_job.pk})
        self.assertEqual(self.client.get(address).status_code, 200)
        self.client.force_login(self.people[2])
        self.assertEqual(self.client.get(address).status_code, 403)

    def test_every_answer_carries_the_strict_policy(self):
        self.client.force_login(self.people[0])
        policy = self.client.get("/")["Content-Security-Policy"]
        self.assertIn("default-src 'none'", policy)
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("unsafe", policy)

    def test_a_password_tried_too_often_locks_the_name_for_a_while(self):
        for _ in range(9):
            answer = self.client.post("/sign-in/", {"username": "mara", "password": "wrong"})
        self.assertEqual(answer.status_code, 429)
        self.assertContains(answer, "Too many tries", status_code=429)


class Lists(TestCase):
    def test_todays_page_asks_as_few_questions_for_many_visits_as_for_few(self):
        make_demo()
        person, few = User.objects.get(username="mara"), Job.objects.get(vehicle__unit="Van 6")
        self.client.force_login(person)
        with self.assertNumQueries(5):
            self.client.get("/")
        for number in range(100, 130):
            van = make_van(few.vehicle.fleet, number)
            few.pk, few.vehicle, few.planned_at = None, van, timezone.now() + dt.timedelta(minutes=1)
            few._state.adding = True
            few.id = Job._meta.pk.get_default()
            few.save()
        with self.assertNumQueries(5):
            self.client.get("/")
