"""The office invites a fleet's manager, who reads and answers on a phone; the office takes a month's reports away."""

import io
import json
import re
from unittest.mock import patch

from django.core import mail
from django.test import override_settings
from django.utils import timezone
from pypdf import PdfReader

from rectaxis.demo.years import STORIES, make_years
from rectaxis.door.models import AdviceAnswer, VisitRequest
from rectaxis.exchange.actions.read_list import read_list
from rectaxis.people.models import User
from rectaxis.post.models import Letter
from rectaxis.post.send import send
from rectaxis.record.models import Job
from rectaxis.reports import tasks
from rectaxis.reports.models import Batch
from tests.browser import BrowserTestCase, expect
from tests.test_phone import FINGER_PX, SMALL_TARGETS

PHONE = {"width": 390, "height": 844}


class FleetDoor(BrowserTestCase):
    allowed_noise = ("status of 422",)  # a form that is refused

    def test_a_manager_is_invited_reads_on_a_phone_answers_asks_and_is_answered_and_the_office_takes_the_month_away(
        self,
    ):
        done = Job.objects.get(vehicle__unit="Van 9")
        office = self.signed_in("jonah")
        with override_settings(EMAIL_HOST="mail.example", SITE=self.live_server_url):
            link = self.invited(office)
        phone = self.page(self.context())
        phone.set_viewport_size(PHONE)
        phone.goto(link)
        for field in ("#id_new_password1", "#id_new_password2"):
            phone.fill(field, "seven slow boats")
        phone.click("text=Set it")
        phone.fill("#id_login", "ilse")
        phone.fill("#id_password", "seven slow boats")
        phone.click("button.go")
        self.reads_and_answers(phone, done)
        self.is_answered(office, phone)
        self.takes_the_month(office, done)

    def test_pages_of_years_lists_and_second_factors_are_accessible_and_fit_a_narrow_phone(self):
        mara = User.objects.get(username="mara")
        struck = make_years(mara, STORIES[:1])[0]
        made = read_list(mara, "vehicles", "a.csv", b"Fleet,Unit,Pattern\nHarbour Post,Van 70,Van\nNobody,x,van\n")
        page = self.sign_in()
        for address in (
            f"/vehicles/{struck.pk}/years/", f"/vehicles/{struck.pk}/note/", f"/fleets/{struck.fleet_id}/years/",
            f"/fleets/{struck.fleet_id}/years/prices/", "/kits/agreement/", "/lists/", f"/lists/{made.pk}/", "/second-factor/", "/sign-in/again/",
        ):  # fmt: skip
            with self.subTest(address=address):
                page.set_viewport_size({"width": 1280, "height": 800})
                page.goto(address)
                self.assert_accessible(page)
                page.set_viewport_size({"width": 320, "height": 700})
                self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 320)
                self.assertEqual(json.loads(page.evaluate(SMALL_TARGETS, FINGER_PX)), [])

    def invited(self, office):
        """The link that came to the manager's mailbox."""
        office.click("nav >> text=People")
        office.click("text=Add a person")
        for name, typed in (
            ("username", "ilse"),
            ("first_name", "Ilse"),
            ("last_name", "Rann"),
            ("email", "ilse@harbourpost.example"),
        ):
            office.fill(f"#id_{name}", typed)
        office.select_option("#id_role", "fleet")
        office.select_option("#id_fleet", label="Harbour Post")
        office.fill("#id_yards", "Nowhere")
        office.click("text=Save")
        expect(office.locator("#id_yards_error")).to_contain_text("stands at Nowhere: it has Skerry Quay, Upper Holm")
        office.fill("#id_yards", "")
        office.click("text=Save")
        expect(office.locator("main")).to_contain_text("Ilse Rann is added.")
        with patch("django.core.mail.backends.locmem.EmailBackend.open", create=True):
            send(str(Letter.objects.filter(to="ilse@harbourpost.example").latest("made_at").pk))
        return re.search(r"http://\S+", mail.outbox[-1].body)[0]

    def reads_and_answers(self, phone, done):
        worst = phone.locator(".standing li").first
        expect(worst).to_contain_text("Van 2")
        expect(worst).to_contain_text("Do not drive until repaired")
        self.assert_accessible(phone)
        # What they may not see is not there: no other place's name, and none of its pages by address.
        expect(phone.locator("nav")).to_have_text(re.compile(r"^\s*Vehicles\s*Reports\s*Preferences\s*$"))
        phone.locator(".standing li", has_text="Van 9").get_by_text("Report of").click()
        expect(phone.locator(".answer.newest")).to_be_in_viewport()
        expect(phone.locator(".next")).to_be_in_viewport()
        self.assertLessEqual(phone.evaluate("document.documentElement.scrollWidth"), PHONE["width"])
        phone.click("text=Questions")
        phone.fill("#text", "Which tyre do we order?")
        phone.click("text=Ask")
        expect(phone.locator(".asked").last).to_contain_text("Not answered yet")
        phone.click("nav >> text=Vehicles")
        advised = phone.locator(".advised li", has_text="Van 9: Left front tyre")
        advised.get_by_label("We will not, because").fill("the van is sold in May")
        advised.get_by_role("button", name="We will not").dblclick()
        expect(phone.locator("main")).to_contain_text("Your answer is kept with the report.")
        self.assertEqual(AdviceAnswer.objects.get(job=done).why, "the van is sold in May")
        phone.locator(".standing li", has_text="Van 21").get_by_text("Ask for a visit").click()
        phone.fill("#id_wish", "It pulls since Monday")
        phone.locator("button.go").dblclick()
        expect(phone.locator("main")).to_contain_text("It is asked for.")
        self.assertEqual(VisitRequest.objects.filter(wish="It pulls since Monday").count(), 1)

    def is_answered(self, office, phone):
        office.click("nav >> text=Asked")
        wish = office.locator(".asked", has_text="It pulls since Monday")
        wish.get_by_label("What becomes of it").fill("Thursday at nine")
        wish.get_by_text("Tell them").click()
        question = office.locator(".asked", has_text="Which tyre do we order?")
        question.locator("textarea, input[name=answer]").first.fill("205/65 R16, the left front one")
        question.get_by_role("button").click()
        phone.reload()
        expect(phone.locator("main")).to_contain_text("Thursday at nine")
        expect(phone.locator("main")).to_contain_text("205/65 R16, the left front one")

    def takes_the_month(self, office, done):
        today = timezone.localdate()
        office.click("nav >> text=Reports")
        office.select_option("#id_fleet", label="Harbour Post")
        office.fill("#id_since", today.replace(day=1).isoformat())
        office.fill("#id_until", today.isoformat())
        office.click("text=Look")
        expect(office.locator(".reports-list")).to_contain_text("Van 9")
        office.click("text=As one PDF")
        expect(office.locator("#batch")).to_contain_text("0 of")
        batch = Batch.objects.get(by__username="jonah")
        tasks.make_batch(str(batch.pk))  # as the worker does
        ready = office.locator("a.go", has_text="Take")
        expect(ready).to_be_visible()  # the page looks by itself
        content = office.context.request.get(ready.get_attribute("href")).body()
        text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(content)).pages)
        self.assertEqual(text.count("Wheel alignment, Van"), len(batch.jobs))
        self.assertIn(str(done.pk), batch.jobs)
