"""The fleet's own door: its vehicles worst first, its answers, what it asks for; and nothing of anybody else's."""

import datetime as dt
from unittest.mock import patch

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from icalendar import Calendar

from rectaxis.door import views
from rectaxis.door.models import AdviceAnswer, Question, VisitRequest
from rectaxis.door.state import standings
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.models import User
from rectaxis.record.models import Job, Seal
from tests.demo import put_out_the_demo


class Door(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.edda, cls.mara = (User.objects.get(username=name) for name in ("post", "mara"))
        cls.fleet, cls.done = cls.edda.fleet, Job.objects.get(vehicle__unit="Van 9")
        cls.other = Fleet.objects.create(name="Another", yard="Elsewhere")
        cls.stranger = User.objects.create_user("stranger", password="x", role="fleet", fleet=cls.other)
        VisitRequest.objects.all().delete()
        Question.objects.all().delete()

    def setUp(self):
        self.client.force_login(self.edda)
        self.page, self.asking = f"/fleets/{self.fleet.pk}/vehicles/", f"/fleets/{self.fleet.pk}/ask/"

    def test_of_many_vehicles_a_part_is_shown_with_its_own_advice_and_a_way_to_the_next(self):
        units = self.units()
        with patch.object(views, "PAGE", len(units) - 1):
            first = self.client.get(self.page)
            self.assertContains(first, f"1 to {len(units) - 1} of {len(units)}.")
            following = self.client.get(self.page, {"after": str(standings(self.fleet)[-2].vehicle.pk)})
        self.assertContains(following, f">{units[-1]}</a>")
        self.assertNotContains(following, f">{units[0]}</a>")
        self.assertContains(following, "Open advice of these")

    def units(self):
        return [one.vehicle.unit for one in standings(self.fleet)]

    def test_vehicles_stand_worst_first_and_one_whose_day_has_passed_before_those_that_are_in_order(self):
        self.assertEqual(self.units()[0], "Van 2", "it is unsafe")
        sealed = Seal.objects.filter(job=self.done, statement__isnull=False).latest("sequence")
        sealed.statement["left"] = {"code": "in-order", "head": "In order", "said": "All."}
        sealed.save()
        self.assertEqual(self.units()[-1], "Van 9")
        sealed.statement["answers"]["hand-over/next-day"]["typed"] = "2026-01-31"
        sealed.save()
        self.assertEqual(self.units()[1], "Van 9")
        sealed.statement["left"] = {"code": "outside", "head": "Not in order", "said": "1."}
        sealed.save()
        self.assertEqual(self.units()[:2], ["Van 2", "Van 9"])
        page = self.client.get(self.page).content.decode()
        self.assertLess(page.index("Van 2"), page.index("Van 9"))
        self.assertIn("Do not drive until repaired", page)

    def test_a_page_of_many_vehicles_asks_as_few_questions_as_one_of_few(self):
        few = len(self.asked())
        layout = self.done.vehicle.layout
        Vehicle.objects.bulk_create(Vehicle(fleet=self.fleet, unit=f"New {n}", layout=layout) for n in range(60))
        self.assertEqual(len(self.asked()), few)

    def test_who_reads_only_sees_the_same_and_can_answer_or_ask_nothing(self):
        reads = User.objects.get(username="holm")
        self.client.force_login(reads)
        page = self.client.get(f"{self.page}?all").content.decode()
        self.assertIn("Do not drive until repaired", page)
        for shown in ("Ask for a visit", "We will not", ">Done<"):
            self.assertNotIn(shown, page)
        self.assertNotContains(self.client.get(f"/reports/{self.done.pk}/questions/"), "Your question")
        self.assertEqual(self.client.get(self.asking).status_code, 403)
        for address, given in ((self.asking, {"vehicle": self.done.vehicle_id, "wish": "It pulls"}),
                               (f"/reports/{self.done.pk}/advice/0/", {"answer": "done"}),
                               (f"/reports/{self.done.pk}/questions/ask/", {"text": "Why?"})):  # fmt: skip
            self.assertEqual(self.client.post(address, given).status_code, 403, address)

    def test_yards_that_somebody_looks_after_come_alone_and_all_are_one_press_away(self):
        self.client.force_login(User.objects.get(username="holm"))
        page = self.client.get(self.page).content.decode()
        self.assertIn("Van 21", page)
        self.assertNotIn("Van 9", page)
        self.assertContains(self.client.get(f"{self.page}?all"), "Van 9")

    def test_the_office_says_which_yards_and_a_yard_that_is_none_of_the_fleets_is_refused_by_name(self):
        self.client.force_login(User.objects.get(username="jonah"))
        reads = User.objects.get(username="holm")
        words = {"username": "holm", "first_name": "Ivo", "last_name": "Marn", "email": "", "role": "fleet", "fleet": self.fleet.pk,
                 "password": "", "is_active": "on", "yards": "Upper Holm, Nowhere"}  # fmt: skip
        refused = self.client.post(f"/people/{reads.pk}/", words)
        self.assertContains(refused, "stands at Nowhere: it has Skerry Quay, Upper Holm", status_code=422)
        self.client.post(f"/people/{reads.pk}/", words | {"yards": "Skerry Quay, Upper Holm", "asks": "on"})
        reads.refresh_from_db()
        self.assertEqual((reads.yards, reads.asks), (["Skerry Quay", "Upper Holm"], True))

    def asked(self):
        with CaptureQueriesContext(connection) as found:
            self.client.get(self.page)
        return found.captured_queries

    def test_advice_is_done_or_not_wanted_with_a_reason_and_then_no_longer_open(self):
        address = f"/reports/{self.done.pk}/advice/0/"
        page = self.client.get(self.page)
        self.assertContains(page, "Left front tyre: replace it")
        self.assertContains(self.client.post(address, {"answer": "will-not"}, follow=True), "Say why you will not")
        for _ in range(2):
            self.client.post(address, {"answer": "will-not", "why": "the van is sold"})
        self.assertEqual(AdviceAnswer.objects.count(), 1)
        open_now = {advice.job for one in standings(self.fleet) for advice in one.open_advice}
        self.assertNotIn(self.done.pk, open_now)
        self.client.post(address, {"answer": "open"})
        self.assertIn(self.done.pk, {advice.job for one in standings(self.fleet) for advice in one.open_advice})
        for place, answer in (("7", "done"), ("0", "nonsense")):
            self.client.post(f"/reports/{self.done.pk}/advice/{place}/", {"answer": answer})
        self.assertEqual(AdviceAnswer.objects.count(), 2)

    def test_a_visit_is_asked_for_once_and_the_fleet_sees_what_becomes_of_it(self):
        van = self.done.vehicle
        for _ in range(2):
            self.client.post(f"/fleets/{self.fleet.pk}/ask/", {"vehicle": van.pk, "wish": "It pulls", "until": ""})
        wish = VisitRequest.objects.get()
        refused = self.client.post(
            f"/fleets/{self.fleet.pk}/ask/", {"vehicle": van.pk, "wish": "It pulls", "until": "soon"}
        )
        self.assertContains(refused, "It pulls", status_code=422)
        theirs = Vehicle.objects.exclude(fleet=self.fleet).first()
        self.assertEqual(
            self.client.post(f"/fleets/{self.fleet.pk}/ask/", {"vehicle": theirs.pk, "wish": "x"}).status_code, 422
        )
        self.client.force_login(self.mara)
        self.assertContains(self.client.get("/asked/"), "It pulls")
        self.client.post(f"/asked/{wish.pk}/settle/", {"said": "Planned for Monday"})
        self.assertNotContains(self.client.get("/asked/"), "It pulls")
        self.client.force_login(self.edda)
        self.assertContains(self.client.get(self.page), "Planned for Monday")

    def test_a_question_at_a_report_is_answered_there(self):
        address = f"/reports/{self.done.pk}/questions/"
        self.client.post(f"{address}ask/", {"text": "What is scrub?"})
        self.client.force_login(self.mara)
        self.client.post(
            f"/asked/questions/{Question.objects.get().pk}/answer/",
            {"answer": "Two axles that fight.", "next": address},
        )
        for elsewhere in ("abc", "https://else.example/", "//else.example", "http://[", "/\\else.example"):
            answer = self.client.post(
                f"/asked/questions/{Question.objects.get().pk}/answer/", {"answer": "It is.", "next": elsewhere}
            )
            self.assertRedirects(answer, "/asked/", msg_prefix=elsewhere)
        self.client.post(f"/asked/questions/{Question.objects.get().pk}/answer/", {"answer": "Two axles that fight."})
        self.client.force_login(self.edda)
        self.assertContains(self.client.get(address), "Two axles that fight.")

    def test_nothing_of_anybody_elses_and_nothing_of_an_open_job(self):
        self.client.force_login(self.stranger)
        for address in (
            self.page,
            f"/fleets/{self.fleet.pk}/due.ics",
            f"/fleets/{self.fleet.pk}/ask/",
            f"/reports/{self.done.pk}/questions/",
        ):
            self.assertEqual(self.client.get(address).status_code, 403, address)
        for address in (f"/reports/{self.done.pk}/advice/0/", f"/reports/{self.done.pk}/questions/ask/"):
            self.assertEqual(self.client.post(address, {"answer": "done", "text": "x"}).status_code, 403, address)
        self.client.force_login(self.edda)
        in_hand = Job.objects.get(vehicle__unit="Van 21")
        self.assertEqual(self.client.post(f"/reports/{in_hand.pk}/questions/ask/", {"text": "x"}).status_code, 403)
        User.objects.filter(pk=self.edda.pk).update(is_active=False)
        self.assertEqual(self.client.get(self.page).status_code, 302, "shut out at once")

    def test_what_is_due_is_a_calendar_that_another_library_reads(self):
        read = Calendar.from_ical(self.client.get(f"/fleets/{self.fleet.pk}/due.ics").content)
        entries = {str(entry["summary"]): entry.decoded("dtstart") for entry in read.walk("VEVENT")}
        self.assertEqual(entries["Van 9: measure the alignment again"], timezone.localdate() + dt.timedelta(days=180))
        self.assertEqual(len({str(entry["uid"]) for entry in read.walk("VEVENT")}), len(entries))
