"""Who may open what. Every address must stand in the table: a new one that does not fails the test."""

import datetime as dt
import io
import json
import re
from unittest.mock import patch

from django.test import Client, TestCase
from django.urls import URLPattern, URLResolver, get_resolver, reverse
from django.utils import timezone
from PIL import Image

from rectaxis.business.actions.change_business import change_business
from rectaxis.business.models import the_business
from rectaxis.demo.business import make_van
from rectaxis.devices.models import Device
from rectaxis.door.actions.ask_for_visit import ask_for_visit
from rectaxis.door.actions.ask_question import ask_question
from rectaxis.exchange.actions.ask_for_export import ask_for_export
from rectaxis.exchange.actions.read_list import read_list
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.models import User
from rectaxis.post.models import Contact
from rectaxis.post.write import write_report
from rectaxis.record.models import Job, Mark, Photo, Shot
from rectaxis.reports import stored
from rectaxis.reports.actions.make_batch import make_batch
from rectaxis.reports.actions.share_report import share_report
from rectaxis.reports.find import ANYBODY, report_of
from rectaxis.reports.search import Wanted
from rectaxis.rounds.tests.of_days import PAGES_OF_DAYS, PLAIN_OF_DAYS, WRITES_OF_DAYS, addresses_of_days
from rectaxis.specs.models import Specification
from rectaxis.stages.views import paper
from rectaxis.years.actions.note_happening import note_happening
from tests.demo import put_out_the_demo

OPEN, SIGN_IN, NO = 200, "sign in", 403
# address name: (technician, office, viewer of the fleet, viewer of another fleet); nobody is always sent to sign in.
PAGES = {
    "day:today": (200, 200, 302, 302),
    "fleets:new-fleet": (200, 200, NO, NO),
    "fleets:new-vehicle": (200, 200, NO, NO),
    "fleets:edit-fleet": (200, 200, NO, NO),
    "fleets:edit-vehicle": (200, 200, NO, NO),
    "specs:new": (200, 200, NO, NO),
    "specs:figures": (200, 200, NO, NO),
    "specs:edit": (200, 200, NO, NO),
    "kits:kits": (200, 200, NO, NO),
    "kits:edit": (200, 200, NO, NO),
    "day:help": (200, 200, NO, NO),
    "day:change": (200, 200, NO, NO),
    **dict.fromkeys(("mfa_index", "account_reauthenticate"), (200, 200, 200, 200)),
    **dict.fromkeys(
        ("mfa_reauthenticate", "mfa_activate_totp", "mfa_generate_recovery_codes"), (302, 302, 302, 302)
    ),  # asks who it is
    **dict.fromkeys(
        ("mfa_deactivate_totp", "mfa_view_recovery_codes", "mfa_download_recovery_codes"), (404, 404, 404, 404)
    ),  # none is on
    "people:people": (NO, 200, NO, NO),
    "people:new": (NO, 200, NO, NO),
    "people:edit": (NO, 200, NO, NO),
    "people:password": (200, 200, 200, 200),
    "business:business": (NO, 200, NO, NO),
    "business:logo": (NO, 200, NO, NO),
    "business:state": (NO, 200, NO, NO),
    "stages:figures": (200, 200, NO, NO),
    "reports:logo": (200, 200, 200, NO),
    "day:kits-for": (200, 200, NO, NO),
    "kits:new": (200, 200, NO, NO),
    "day:new": (200, 200, NO, NO),
    "day:read-in": (200, NO, NO, NO),
    "stages:job": (302, 302, NO, NO),
    "stages:stage": (200, 200, NO, NO),
    "stages:live": (200, 200, NO, NO),
    "stages:next": (200, 200, NO, NO),
    "day:find": (200, 200, NO, NO),
    "day:find-vehicle": (200, 200, NO, NO),
    "fleets:adjusters": (200, 200, NO, NO),
    "stages:history": (200, 200, NO, NO),
    "stages:learned": (200, 200, NO, NO),
    "stages:worksheet": (200, 200, NO, NO),
    "stages:worksheet-pdf": (200, 200, NO, NO),
    "stages:quick": (200, 200, NO, NO),
    "stages:photo-list": (200, 200, NO, NO),
    "stages:photo": (200, 200, 200, NO),
    "reports:fleets": (200, 200, NO, NO),
    "reports:fleet": (200, 200, 200, NO),
    "post:letters": (200, 200, NO, NO),
    "post:contacts": (200, 200, 200, NO),
    "post:new-contact": (200, 200, 200, NO),
    "post:contact": (200, 200, 200, NO),
    "post:report": (200, 200, NO, NO),
    "reports:reports": (200, 200, 200, 200),
    "reports:summary": (200, 200, 200, 200),
    "reports:batch": (200, 404, 404, 404),  # only who asked for it
    "reports:batch-file": (404, 404, 404, 404),  # it is not ready
    **dict.fromkeys(("years:fleet", "years:fleet-file", "years:reckon-with"), (200, 200, 200, NO)),
    **PAGES_OF_DAYS,
    "exchange:lists": (200, 200, NO, NO),
    "exchange:list": (200, 200, NO, NO),
    "exchange:whole": (200, 404, 404, 404),  # only who asked for it
    "exchange:whole-file": (404, 404, 404, 404),  # it is not ready
    "years:used": (200, 200, NO, NO),
    "years:practice": (200, 200, NO, NO),
    "years:vehicle": (200, 200, 200, NO),
    "years:note": (200, 200, 200, NO),
    "years:picture": (404, 404, 404, NO),  # it has none
    "door:fleet": (200, 200, 200, NO),
    "door:calendar": (200, 200, 200, NO),
    "door:ask": (200, 200, 200, NO),
    "door:report-questions": (200, 200, 200, NO),
    "door:waiting": (200, 200, NO, NO),
    "reports:links": (200, 200, 200, NO),
    "reports:page": (200, 200, 200, NO),
    "reports:pdf": (202, 202, 202, NO),  # it is being made
    "reports:csv": (200, 200, 200, NO),
    "reports:docx": (200, 200, 200, NO),
    "reports:xlsx": (200, 200, 200, NO),
    "reports:job-file": (200, 200, 200, NO),
    "people:preferences": (200, 200, 200, 200),
    "devices:targets": (404, 404, NO, NO),  # its kit has no targets
    "stages:picture": (404, 404, NO, NO),  # no picture was taken
    "devices:calibrate": (404, 404, NO, NO),  # it has no cameras
    "devices:check": (200, 200, NO, NO),
    "devices:kit": (200, 200, NO, NO),
    "devices:feed": (200, 200, NO, NO),
    "stages:devices": (200, 200, NO, NO),
}
WRITES = {
    "stages:make-sign": (200, NO, NO, NO),
    "devices:ask": (302, 302, NO, NO),
    "devices:part": (302, 404, NO, NO),  # the first to ask has parted with it
    "specs:delete": (302, 302, NO, NO),
    "stages:shoot": (302, NO, NO, NO),
    "stages:look": (422, NO, NO, NO),  # it does not say for which page
    "stages:take-over": (302, NO, NO, NO),
    "stages:leave-out": (302, NO, NO, NO),
    "stages:go-by-check": (302, NO, NO, NO),
    "stages:confirm": (302, NO, NO, NO),
    "stages:entries": (200, NO, NO, NO),
    "stages:scales": (200, NO, NO, NO),
    "stages:moves": (302, NO, NO, NO),
    "stages:undo": (302, NO, NO, NO),
    "stages:strike": (302, NO, NO, NO),
    "stages:lift": (302, NO, NO, NO),
    "stages:seal": (302, NO, NO, NO),
    "stages:finish": (302, NO, NO, NO),
    "stages:hold": (302, NO, NO, NO),
    "stages:correct": (422, NO, NO, NO),
    "stages:photos": (422, NO, NO, NO),
    "stages:photo-aside": (422, NO, NO, NO),
    "stages:marks": (422, NO, NO, NO),
    "reports:ask-batch": (302, 302, 302, 302),
    "reports:cancel-batch": (302, 404, 404, 404),
    **dict.fromkeys(("exchange:columns", "exchange:take", "exchange:undo"), (302, 302, NO, NO)),
    **WRITES_OF_DAYS,
    "exchange:ask": (302, 302, 302, NO),
    "exchange:bring": (NO, 422, NO, NO),  # without a file
    "years:drop": (302, 404, 404, 404),  # the first to ask has taken it back
    "door:advice": (302, 302, 302, NO),
    "door:question": (302, 302, 302, NO),
    "door:settle": (302, 302, NO, NO),
    "door:answer": (302, 302, NO, NO),
    "reports:revoke-link": (302, 302, 302, NO),
    "post:invite": (NO, 302, NO, NO),
    "people:take-second-factor": (NO, 302, NO, NO),
    "people:sign-out-everywhere": (NO, 302, NO, NO),
    "post:again": (302, 302, NO, NO),
    "stages:signature": (422, NO, NO, NO),
    "stages:mark-aside": (422, NO, NO, NO),
}
FREE = {
    "people:set-password",
    "rounds:feed",
    "post:forgot",
    "business:metrics",
    "reports:shared",
    "reports:shared-pdf",
    "reports:shared-picture",
    "reports:genuine",
    "reports:ask-genuine",
    "stages:enter-sign",
    "stages:sign",
    "stages:sign-feed",
    "account_login",
    "mfa_authenticate",
    "people:sign-out",
    "people:first",
}


def names(patterns, prefix=""):
    for pattern in patterns:
        if isinstance(pattern, URLResolver):
            yield from names(pattern.url_patterns, f"{pattern.namespace}:" if pattern.namespace else prefix)
        elif isinstance(pattern, URLPattern):
            yield f"{prefix}{pattern.name}"


PLAIN = {
    *PLAIN_OF_DAYS,
    "day:today",
    "post:letters",
    "door:waiting",
    "reports:reports",
    "reports:summary",
    "reports:ask-batch",
    "fleets:new-fleet",
    "specs:new",
    "kits:new",
    "day:new",
    "day:kits-for",
    "day:find",
    "day:read-in",
    "reports:fleets",
    "people:preferences",
    "people:password",
    "years:practice",
    "exchange:lists",
    "exchange:bring",
    "account_reauthenticate",
    *("mfa_index", "mfa_reauthenticate", "mfa_activate_totp", "mfa_deactivate_totp", "mfa_generate_recovery_codes"),
    *("mfa_view_recovery_codes", "mfa_download_recovery_codes"),
    "people:people",
    "people:new",
    "kits:kits",
    "specs:figures",
    "business:business",
    "business:logo",
    "business:state",
    "day:help",
}
"""Addresses that name nothing; the others are about the finished visit, where nothing else is said."""


class Access(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        other = Fleet.objects.exclude(name="Harbour Post").first()
        User.objects.create_user("stranger", password="x", role=User.Role.FLEET, fleet=other)
        cls.people = [User.objects.get(username=name) for name in ("mara", "jonah", "post", "stranger")]
        cls.done = Job.objects.get(vehicle__unit="Van 9")
        cls.figures = Specification.objects.first()
        cls.device = Device.objects.create(kit=cls.done.kit, name="Heads", address="http://127.0.0.1:9", token="t")
        rig = {"cameras": [{"id": "A", "size": [16, 16]}], "targets": []}
        cls.shot = Shot.objects.create(
            job=cls.done, by=cls.people[0], sequence=99_999, phase="before", move="roll", rig=rig, taken={}
        )
        picture = io.BytesIO()
        Image.new("RGB", (40, 20), "teal").save(picture, "PNG")
        change_business(cls.people[1], picture.getvalue(), name="Pier Alignment")
        statement = cls.done.seal_set.get(phase="visit")
        statement.statement["sender"] = {"name": "Pier Alignment", "logo": the_business().logo}
        statement.save()
        cls.batch = make_batch(cls.people[0], Wanted(), "zip")
        cls.wish = ask_for_visit(cls.people[2], cls.done.vehicle, "It pulls")
        cls.list = read_list(cls.people[0], "fleets", "a.csv", b"Name\nGull Freight\n")
        cls.whole = ask_for_export(cls.people[0], cls.done.vehicle.fleet)
        cls.happening = note_happening(
            cls.people[2], cls.done.vehicle, day=dt.date(2026, 5, 4), kind="strike", what="A kerb"
        )
        cls.question = ask_question(cls.people[2], cls.done, "Why is that?")
        cls.link, _ = share_report(cls.people[0], cls.done, 7)
        cls.contact = Contact.objects.create(fleet=cls.done.vehicle.fleet, name="Ilse Rann", email="ilse@post.example")
        cls.letter = write_report(cls.contact, report_of(cls.done, ANYBODY), None)
        cls.days = addresses_of_days(cls.people[0], cls.done.vehicle)
        cls.photo, cls.mark = Photo.objects.get(job=cls.done), Mark.objects.get(job=cls.done)

    def address(self, name):
        words = self.of_the_visit() | self.of_the_rest() | self.days
        return reverse(name, kwargs=None if name in PLAIN else words.get(name, {"pk": self.done.pk}))

    def of_the_visit(self):
        return {
            "stages:stage": {"pk": self.done.pk, "stage": "read"},
            "stages:live": {"pk": self.done.pk, "stage": "read"},
            "stages:next": {"pk": self.done.pk, "stage": "read"},
            "stages:hold": {"pk": self.done.pk, "what": "pause"},
            "fleets:adjusters": {"pk": self.done.vehicle_id},
            "day:find-vehicle": {"pk": self.done.vehicle_id},
            "stages:photo": {"pk": self.done.pk, "photo": self.photo.pk},
            "stages:photo-aside": {"pk": self.done.pk, "photo": self.photo.pk},
            "stages:lift": {"pk": self.done.pk, "what": "up"},
            "stages:undo": {"pk": self.done.pk, "move": self.done.pk},
            "stages:strike": {"pk": self.done.pk, "move": self.done.pk},
            "stages:mark-aside": {"pk": self.done.pk, "mark": self.mark.pk},
            "stages:seal": {"pk": self.done.pk, "phase": "before"},
            "fleets:new-vehicle": {"pk": self.done.vehicle.fleet_id},
        }

    def of_the_rest(self):
        return {
            **{name: {"pk": self.batch.pk} for name in ("reports:batch", "reports:batch-file", "reports:cancel-batch")},
            **{f"door:{name}": {"pk": self.done.vehicle.fleet_id} for name in ("fleet", "calendar", "ask")},
            **{f"years:{name}": {"pk": self.done.vehicle.fleet_id} for name in ("fleet", "reckon-with")},
            **{f"exchange:{name}": {"pk": self.list.pk} for name in ("list", "columns", "take", "undo")},
            "exchange:ask": {"pk": self.done.vehicle.fleet_id},
            **{f"exchange:{name}": {"pk": self.whole.pk} for name in ("whole", "whole-file")},
            "years:used": {"pk": self.figures.pk},
            "years:fleet-file": {"pk": self.done.vehicle.fleet_id, "ending": "csv"},
            "years:vehicle": {"pk": self.done.vehicle_id},
            "years:note": {"pk": self.done.vehicle_id},
            **{f"years:{name}": {"pk": self.happening.pk} for name in ("picture", "drop")},
            "door:advice": {"pk": self.done.pk, "place": 0},
            "door:settle": {"pk": self.wish.pk},
            "door:answer": {"pk": self.question.pk},
            "reports:revoke-link": {"pk": self.link.pk},
            "post:contacts": {"pk": self.done.vehicle.fleet_id},
            "post:new-contact": {"pk": self.done.vehicle.fleet_id},
            "post:contact": {"pk": self.contact.pk},
            "post:again": {"pk": self.letter.pk},
            "reports:fleet": {"pk": self.done.vehicle.fleet_id},
            "fleets:edit-fleet": {"pk": self.done.vehicle.fleet_id},
            "fleets:edit-vehicle": {"pk": self.done.vehicle_id},
            "kits:edit": {"pk": self.done.kit_id},
            "devices:targets": {"pk": self.done.kit_id, "paper": "a3"},
            "stages:picture": {"pk": self.done.pk, "shot": self.shot.pk, "camera": "A"},
            "stages:leave-out": {"pk": self.done.pk, "shot": self.shot.pk},
            "devices:kit": {"pk": self.done.kit_id},
            "devices:feed": {"pk": self.done.kit_id},
            "devices:ask": {"pk": self.device.pk},
            "devices:calibrate": {"pk": self.device.pk},
            "devices:check": {"pk": self.device.pk},
            "devices:part": {"pk": self.device.pk},
            "specs:edit": {"pk": self.figures.pk},
            "specs:delete": {"pk": self.figures.pk},
            "people:edit": {"pk": self.people[0].pk},
            "post:invite": {"pk": self.people[0].pk},
            "people:take-second-factor": {"pk": self.people[0].pk},
            "people:sign-out-everywhere": {"pk": User.objects.get(username="holm").pk},
        }

    def test_every_address_is_in_the_table(self):
        self.assertEqual(set(names(get_resolver().url_patterns)), set(PAGES) | set(WRITES) | FREE)

    @patch.object(stored, "FORM", "never printed")
    @patch.object(paper, "pdf_bytes", lambda _: b"printed")
    def test_pages_open_to_those_whom_they_concern(self):
        clients = self.clients()
        for name, expected in PAGES.items():
            address = self.address(name)
            answer = self.client.get(address)
            self.assertEqual(answer.status_code, 302, name)
            self.assertIn("/sign-in/", answer["Location"])
            for (person, client), status in zip(clients.items(), expected, strict=True):
                with self.subTest(name=name, person=person):
                    self.assertEqual(client.get(address).status_code, status)

    def clients(self):
        """A browser for each person, signed in."""
        found = {person.username: Client() for person in self.people}
        for person in self.people:
            found[person.username].force_login(person)
        return found

    def test_only_a_technician_writes_in_a_job(self):
        clients = self.clients()
        for name, expected in WRITES.items():
            for (person, client), status in zip(clients.items(), expected, strict=True):
                body = {"content_type": "application/json", "data": json.dumps({"entries": [], "slots": []})}
                if name not in ("stages:entries", "stages:scales"):
                    body = {
                        "data": {"key": "01a208db-c625-792b-b69e-113c23cf63bc", "adjuster": "A2 left tie rod", "by": 1}
                    }
                with self.subTest(name=name, person=person):
                    self.assertEqual(client.post(self.address(name), **body).status_code, status)

    def test_a_fleet_sees_a_report_only_when_it_is_handed_over(self):
        open_job = Job.objects.get(vehicle__unit="Van 21")
        self.client.force_login(self.people[0])
        self.client.post(reverse("stages:seal", kwargs={"pk": open_job.pk, "phase": "before"}))
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
            answer = self.client.post("/sign-in/", {"login": "mara", "password": "wrong"})
        self.assertEqual(answer.status_code, 429)
        self.assertContains(answer, "Too many tries", status_code=429)


class Lists(TestCase):
    def test_todays_page_asks_as_few_questions_for_many_visits_as_for_few(self):
        put_out_the_demo()
        person, few = User.objects.get(username="mara"), Job.objects.get(vehicle__unit="Van 6")
        self.client.force_login(person)
        with self.assertNumQueries(8):
            self.client.get("/")
        for number in range(100, 130):
            van = make_van(few.vehicle.fleet, number)
            few.pk, few.vehicle, few.planned_at = None, van, timezone.now() + dt.timedelta(minutes=1)
            few._state.adding = True
            few.id = Job._meta.pk.get_default()
            few.save()
        with self.assertNumQueries(8):
            self.client.get("/")

    def test_a_long_list_is_paged_and_sorted_and_nothing_of_it_is_cut_in_silence(self):
        put_out_the_demo()
        self.client.force_login(User.objects.get(username="mara"))
        fleet = Fleet.objects.get(name="Harbour Post")
        layout = fleet.vehicles.first().layout
        Vehicle.objects.bulk_create(Vehicle(fleet=fleet, unit=f"Barge {n:03d}", layout=layout) for n in range(120))
        seen = set()
        for page in range(1, 10):
            text = self.client.get(f"/fleets/{fleet.pk}/?vehicles-page={page}").content.decode()
            seen |= set(re.findall(r"Barge \d{3}", text))
        self.assertEqual(len(seen), 120)
        first = self.client.get(f"/fleets/{fleet.pk}/?vehicles-sort=-unit")
        self.assertContains(first, f"1 to 50 of {fleet.vehicles.count()}")
        self.assertNotContains(first, "Barge 000")
        for odd in (
            "vehicles-page=x",
            "vehicles-page=99999999999999",
            "vehicles-sort=nothing",
            "vehicles-sort=fleet__name",
            "vehicles-sort=900.0",
        ):
            self.assertEqual(self.client.get(f"/fleets/{fleet.pk}/?{odd}").status_code, 200)
