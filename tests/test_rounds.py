"""The office plans a week from what is due, moves a visit by pointer and keys, plans again and prints; the technician starts the job from a phone."""

import datetime as dt
from unittest.mock import patch

from django.utils import timezone

from rectaxis.common.days import start_of
from rectaxis.demo.business import make_van
from rectaxis.demo.rounds import make_rounds
from rectaxis.door.actions.ask_for_visit import ask_for_visit
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.rounds import tasks
from rectaxis.rounds.gather import wall
from rectaxis.rounds.models import Call, Run
from tests.browser import BrowserTestCase, expect


def make_the_plan():
    real = tasks.plan_of
    with (
        patch.object(tasks, "plan_of", lambda days, **_: real(days, seconds=30, steps=60)),
        patch.object(tasks, "close_old_connections"),
    ):
        tasks.make_plan(str(Run.objects.latest("at").pk))


class Rounds(BrowserTestCase):
    def setUp(self):
        super().setUp()
        today = timezone.localdate()
        # A week that today is not in: what the demo has today stays out of it.
        monday = today + dt.timedelta(days=7 - today.weekday())
        make_rounds(User.objects.get(username="jonah"), monday)
        jobs = Job.objects.filter(status="planned", planned_at__gte=start_of(monday)).order_by("planned_at")
        self.day = wall(jobs[0].planned_at).date()
        self.mine = [
            job for job in jobs if wall(job.planned_at).date() == self.day and job.technician.username == "brin"
        ]

    def test_a_week_from_what_is_due_to_the_job_that_is_begun(self):
        page = self.what_is_due_becomes_a_week()
        self.a_visit_is_dragged(page)
        self.another_goes_by_keys(page)
        self.it_is_planned_again_and_printed(page)
        self.the_technician_begins()

    def what_is_due_becomes_a_week(self):
        van = make_van(Fleet.objects.get(name="Harbour Post"), 77)
        ask_for_visit(User.objects.get(username="post"), van, "It wanders", self.day + dt.timedelta(days=3))
        page = self.signed_in("jonah")
        page.click("nav >> text=Week")
        page.click("text=What is due")
        expect(page.locator(".due").first).to_contain_text("The fleet asks: It wanders")
        page.click("text=Take what is ticked into the tray")
        page.goto(f"/rounds/?day={self.day}")
        expect(page.locator(".tray")).to_contain_text("Van 77")
        page.click("text=Plan this week")
        expect(page.locator("#run")).to_contain_text("waits for the worker")
        make_the_plan()
        page.click("text=Use this plan")
        expect(page.locator(".notice").first).to_contain_text("The plan is used")
        self.assertEqual(Job.objects.filter(vehicle=van).count(), 1)
        self.assert_accessible(page)
        return page

    def a_visit_is_dragged(self, page):
        block = page.locator(f"[data-block='job/{self.mine[-1].pk}']")
        self.mine[-1].refresh_from_db()
        was = self.mine[-1].planned_at
        box = block.bounding_box()
        x, y = box["x"] + 12, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 60, y, steps=6)
        expect(page.locator("#preview")).to_contain_text("begins at")
        expect(page.locator("#preview [data-possible]")).to_have_attribute("data-possible", "yes")
        self.assertEqual(Job.objects.get(pk=self.mine[-1].pk).planned_at, was)  # nothing before it is let go
        page.wait_for_timeout(400)
        page.mouse.up()
        expect(page.locator(".notice").first).to_contain_text(f"{self.mine[-1].vehicle.unit} ")
        moved = Job.objects.get(pk=self.mine[-1].pk)
        self.assertGreater(moved.planned_at, was)
        self.assertTrue(Call.objects.get(job=moved).wished)
        expect(page.locator(f"[data-block='job/{moved.pk}']")).to_have_class("block planned wished")

    def another_goes_by_keys(self, page):
        job = Job.objects.get(pk=self.mine[-1].pk)
        block = page.locator(f"[data-block='job/{job.pk}']")
        block.focus()
        page.keyboard.press("ArrowRight")
        expect(page.locator("#preview")).to_contain_text("begins at")
        page.keyboard.press("Escape")
        expect(page.locator("[data-ghost]")).to_have_attribute("width", "0")
        self.assertEqual(Job.objects.get(pk=job.pk).planned_at, job.planned_at)
        block.focus()
        page.keyboard.press("ArrowRight")
        expect(page.locator("#preview [data-possible]")).to_have_attribute("data-possible", "yes")
        page.wait_for_timeout(400)
        page.keyboard.press("Enter")
        self.wait_for(lambda: Job.objects.get(pk=job.pk).planned_at - job.planned_at == dt.timedelta(minutes=15))
        page.wait_for_load_state()

    def it_is_planned_again_and_printed(self, page):
        kept = Job.objects.get(pk=self.mine[-1].pk)
        page.click("text=Plan this week")
        make_the_plan()
        expect(page.locator("#run")).to_contain_text("was set by a person")
        page.click("text=Use this plan")
        self.assertEqual(Job.objects.get(pk=kept.pk).planned_at, kept.planned_at)
        page.goto(f"/rounds/day/?day={self.day}&all=1")
        page.emulate_media(media="print")
        expect(page.locator(".day-sheet").first).to_contain_text("Leave at")
        expect(page.locator(".topbar")).to_be_hidden()
        expect(page.locator(".not-on-paper")).to_be_hidden()

    def the_technician_begins(self):
        self.size = (390, 844)
        phone = self.signed_in("brin", at=f"/rounds/day/?day={self.day}")
        expect(phone.locator(".steps")).to_contain_text("Ferry from")
        self.assertLessEqual(phone.evaluate("document.documentElement.scrollWidth"), 390)
        phone.locator(".steps .visit a").first.click()
        expect(phone.locator("h1, h2").first).to_be_visible()
        self.assertIn("/jobs/", phone.url)
