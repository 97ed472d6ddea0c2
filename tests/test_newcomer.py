"""A newcomer on an empty program with a phone: from nobody to a report, and to the same vehicle two weeks later."""

import datetime as dt
import re

from django.utils import timezone

from rectaxis.people.models import User
from rectaxis.record.models import Job
from tests.browser import BrowserTestCase, expect


class Newcomer(BrowserTestCase):
    size = (390, 844)
    allowed_noise = ("422",)
    demo = False

    def test_from_nobody_to_a_report_and_to_a_second_visit_on_a_phone(self):
        page = self.page(self.context(has_touch=True, is_mobile=True))
        self.begin(page)
        self.enter_what_is_needed(page)
        self.first_visit(page)
        # Two weeks go by.
        Job.objects.update(planned_at=timezone.now() - dt.timedelta(days=14))
        page.goto("/")
        page.fill("#find", "trailer")
        page.tap("#found a:has-text('Trailer 1')")
        page.tap("a:has-text('Plan a visit')")
        page.tap("main button:has-text('Save')")
        page.wait_for_selector("[data-saved][data-ready]")
        expect(page.locator(".last-time")).to_contain_text("Nothing was moved")
        expect(page.locator(".open-advice")).to_contain_text("Look at the bushes")
        self.answer(page, "arrive/reason", "routine")
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        page.goto(page.url.replace("/arrive/", "/look/"))
        expect(page.locator("input[data-slot='look/size/1']")).to_have_value("385/65 R22.5")

    def begin(self, page):
        """Whoever opens it first is asked who they are, and is told where to begin."""
        page.goto("/")
        page.fill("[name='username']", "ana")
        page.fill("[name='password']", "short")
        page.tap("button:has-text('Begin')")
        expect(page.locator(".refusal")).to_contain_text("too short")
        expect(page.locator("[name='username']")).to_have_value("ana")
        page.fill("[name='password']", "seven slow boats")
        page.tap("button:has-text('Begin')")
        expect(page.locator(".begin li")).to_have_count(6)
        self.assertEqual(User.objects.get().username, "ana")
        self.assert_accessible(page)

    def enter_what_is_needed(self, page):
        """Kit, fleet and vehicle, each from the list of what to begin with."""
        page.tap(".begin a:has-text('Add your kit')")
        page.fill("[name='name']", "Tapes")
        page.select_option("[name='code']", "straightedge_tape")
        page.tap("main button:has-text('Save')")
        expect(page.locator("main table")).to_contain_text("no certificate")
        page.goto("/")
        page.tap(".begin a:has-text('Add your first fleet')")
        page.fill("[name='name']", "Stack Timber")
        page.tap("main button:has-text('Save')")
        page.tap("a:has-text('Add a vehicle')")
        page.fill("[name='unit']", "Trailer 1")
        page.tap(".patterns button[value='trailer_3']")
        expect(page.locator("[name='unit']")).to_have_value("Trailer 1")
        expect(page.locator("table.axles tbody tr")).to_have_count(3)
        page.tap("main .go:has-text('Save the vehicle')")
        expect(page.locator("h1")).to_contain_text("Trailer 1, Stack Timber")

    def first_visit(self, page):
        """Planned and opened, read in part, and handed over with advice."""
        page.tap("a:has-text('Plan a visit')")
        page.locator("label:has-text('Tapes')").tap()
        page.tap("main button:has-text('Save')")
        page.wait_for_selector("[data-saved][data-ready]")
        expect(page.locator(".facts")).to_contain_text("general practice")
        job = Job.objects.get()
        self.answer(page, "arrive/reason", "routine")
        page.goto(f"/jobs/{job.pk}/look/")
        page.wait_for_selector("[data-saved][data-ready]")
        page.fill("[data-slot='look/size/1']", "385/65 R22.5")
        page.locator("[data-slot='look/size/1']").blur()
        page.goto(f"/jobs/{job.pk}/read/")
        page.wait_for_selector("[data-saved][data-ready]")
        for digits in ("90.2", "1850", "1851"):
            for digit in digits:
                page.locator(f".pad [data-char='{digit}']").tap()
            page.locator(".pad [data-char='enter']").tap()
            expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        page.goto(f"/jobs/{job.pk}/judge/")
        page.wait_for_selector("[data-saved][data-ready]")
        page.tap("button:has-text('Save the before')")
        expect(page.locator(".notice")).to_contain_text("sealed")
        page.goto(f"/jobs/{job.pk}/hand-over/")
        page.wait_for_selector("[data-saved][data-ready]")
        page.fill("[data-slot='hand-over/advice/1']", "Look at the bushes of axle 2")
        page.locator("[data-slot='hand-over/advice/1']").blur()
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        page.tap("button:has-text('Hand the job over')")
        expect(page.locator(".notice")).to_contain_text("handed over")
        page.tap("a:has-text('The report as a page')")
        expect(page.locator(".report")).to_contain_text("general practice (common practice, not the maker's figures)")
        expect(page.locator(".report")).to_contain_text("The technician went on without")

    def answer(self, page, slot, value):
        """A choice, by its label."""
        page.locator(f"label:has([data-slot='{slot}'][value='{value}'])").tap()
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
