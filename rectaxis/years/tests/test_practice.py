"""How the work did: a kit that reads high is said, what was seen again soon is counted, how long jobs take is the middle one."""

import datetime as dt

from django.core.cache import cache
from django.test import TestCase
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob
from uuid6 import uuid7

from rectaxis.demo.years import READS_HIGH, make_years
from rectaxis.devices.models import Device, SelfCheck
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Entry, Job
from rectaxis.specs.models import Specification
from rectaxis.years.practice import kits_told, reckoned, seen_again, took
from rectaxis.years.tasks import reckon_kits_soon
from tests.demo import put_out_the_demo


class Practice(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.mara = User.objects.get(username="mara")
        make_years(cls.mara)
        cls.high = Kit.objects.get(code="mirror_lasers")

    def setUp(self):
        cache.clear()
        self.addCleanup(cache.clear)

    def test_the_kit_that_reads_high_is_said_and_no_other_once_the_worker_has_reckoned_it(self):
        self.client.force_login(self.mara)
        for _ in range(2):
            self.assertContains(self.client.get("/kits/agreement/"), "being reckoned")
        self.assertEqual(ProcrastinateJob.objects.filter(task_name="reckon_kits").count(), 1)
        reckon_kits_soon()
        self.assertContains(self.client.get("/kits/agreement/"), "Have it checked")
        apart = reckoned().apart
        told = kits_told(apart, "deg", timezone.localdate())
        self.assertEqual([one.kit for one in told if one.odd], [self.high])
        (line,) = [line for line, odd in told[0].lines if odd]
        found = apart["camber_deg"]
        odd = next(one for one in found if one.name == self.high.name)
        self.assertLess(abs(odd.value - READS_HIGH), 4 * odd.u)
        self.assertIn(f"camber: reads {odd.value:.2f}° leaning out more than the others", line)

    def test_a_vehicle_that_is_measured_again_within_two_months_counts_for_who_was_there_before(self):
        before = {one.name: (one.visits, one.again) for one in seen_again()}["Mara Tolland"]
        last = Job.objects.filter(vehicle__unit="Van 15", status="done").latest("planned_at")
        last.pk, last._state.adding = uuid7(), True
        last.planned_at += dt.timedelta(days=20)
        last.technician = User.objects.create_user("orla", first_name="Orla", last_name="Fenn", role="technician")
        last.save()
        after = {one.name: (one.visits, one.again) for one in seen_again()}
        self.assertEqual(after["Mara Tolland"], (before[0], before[1] + 1))
        self.assertEqual(after["Orla Fenn"], (1, 0))

    def test_how_long_a_job_takes_is_the_middle_of_three_or_more_and_one_left_open_does_not_count(self):
        jobs = list(Job.objects.filter(vehicle__unit="Coach 4", status="done").order_by("planned_at")[:4])
        for number, job in enumerate(jobs):
            job.kit, job.planned_at = self.high, timezone.now() - dt.timedelta(days=100 + number)
            job.save()
        for job, minutes in zip(jobs, (40, 50, 70, 1000), strict=True):
            for at in (job.planned_at, job.planned_at + dt.timedelta(minutes=minutes)):
                entry = Entry.objects.create(
                    pk=uuid7(),
                    job=job,
                    by=self.mara,
                    sequence=90 + minutes + at.minute,
                    slot="arrive/odometer",
                    typed="1",
                )
                Entry.objects.filter(pk=entry.pk).update(at=at)
        (coach,) = [one for one in took() if one.group == "bus"]
        self.assertEqual((coach.kit, coach.minutes, coach.jobs), (self.high.name, 50, 3))

    def test_figures_say_in_how_many_visits_they_are_used_and_which_in_hand_go_by_an_older_version(self):
        job = Job.objects.get(vehicle__unit="Van 21", status="open")
        figures = Specification.objects.get(pk=job.specification["key"])
        self.client.force_login(self.mara)
        address = f"/specifications/{figures.pk}/used/"
        done = Job.objects.filter(
            status__in=("done", "ended"), vehicle__model=figures.model, vehicle__make=figures.make
        )
        page = self.client.get(address)
        self.assertContains(
            page, f"{done.filter(specification__key=str(figures.pk)).count()} visits that are handed over"
        )
        self.assertNotContains(page, "Begun with an older version")
        figures.source = "the maker's table of 2026"
        figures.save()
        self.assertContains(self.client.get(address), f'href="/jobs/{job.pk}/figures/"')

    def test_self_checks_are_told_and_drawn_by_how_much_of_what_may_be_they_took(self):
        device = Device.objects.create(kit=self.high, name="Bar", address="http://127.0.0.1:9", identity={"id": "B"})
        for days, off in ((60, 0.01), (30, 0.02), (1, -0.05)):
            at = timezone.now() - dt.timedelta(days=days)
            results = [
                {
                    "title": "Levels",
                    "limit": 0.04,
                    "unit": "deg",
                    "key": "camber/1/left",
                    "off": value,
                    "good": abs(value) <= 0.04,
                }
                for value in (off, 0.001)
            ]
            SelfCheck.objects.create(device=device, by=self.mara, began_at=at, ended_at=at, results=results)
        SelfCheck.objects.create(device=device, by=self.mara)
        told = next(one for one in kits_told({}, "deg", timezone.localdate()) if one.kit == self.high)
        self.assertEqual([check.worst for check in told.checks], [25, 50, 125])
        self.assertLess(told.checks[2].y, 10.0, "what is beyond its limit is drawn beyond the line")
        self.client.force_login(self.mara)
        self.assertContains(self.client.get("/kits/agreement/"), "at worst 125 % of what may be")

    def test_the_page_is_for_those_who_work_here(self):
        for name, expected in (("mara", 200), ("jonah", 200), ("post", 403)):
            self.client.force_login(User.objects.get(username=name))
            self.assertEqual(self.client.get("/kits/agreement/").status_code, expected)
