"""What the office does: correcting vehicles, kits, figures and visits, adding people, and saying what the business is."""

import datetime as dt
import math
import shutil
import zoneinfo
from unittest.mock import patch

from django.db import connection
from django.test import TestCase
from django.utils import timezone
from procrastinate.contrib.django import app

from rectaxis.business import wellness
from rectaxis.business.models import Business
from rectaxis.day.board import Board
from rectaxis.demo.doing import look_over, read_all, type_in
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.seal import sealed_statement
from rectaxis.record.slot import Phase
from rectaxis.record.snapshot import is_runout
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from tests.demo import put_out_the_demo

Usage = type(shutil.disk_usage("."))


class Office(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.mara, cls.jonah = (User.objects.get(username=name) for name in ("mara", "jonah"))
        cls.van = Vehicle.objects.get(unit="Van 14")
        cls.lasers = Kit.objects.get(code="flag_lasers")

    def setUp(self):
        self.client.force_login(self.jonah)

    def form_of(self, address):
        """What the form of a page is filled in with, as a browser would send it back."""
        page = self.client.get(address)
        found = {}
        for form in [page.context["form"], *page.context.get("axles", []), *page.context.get("rows", [])]:
            for bound in form:
                value = bound.value()
                if value not in (None, False):
                    found[bound.html_name] = "on" if value is True else value
        for many in ("axles", "rows"):
            if many in page.context:
                found |= {bound.html_name: bound.value() for bound in page.context[many].management_form}
        return found

    def change(self, page, **changes):
        return self.client.post(page, self.form_of(page) | changes)

    def test_a_visit_that_is_planned_by_two_presses_is_one_and_the_page_gone_back_to_plans_another_vehicle_too(self):
        self.client.force_login(self.jonah)
        first, other = Vehicle.objects.order_by("unit")[:2]
        key = str(self.client.get("/jobs/new/").context["form"]["key"].value())
        before = Job.objects.count()
        for vehicle in (first, first, other):
            kit = Kit.objects.get(code="flag_lasers")
            self.client.post(
                "/jobs/new/",
                {"key": key, "vehicle": str(vehicle.pk), "kit": str(kit.pk), "planned_at": "2026-12-01 09:00"},
            )
        self.assertEqual(Job.objects.count(), before + 2)

    def test_a_corrected_vehicle_keeps_what_adjusts_and_visits_that_wait_follow_it(self):
        waiting, begun = (open_job(self.mara, self.van, self.lasers, timezone.now()) for _ in range(2))
        Job.objects.filter(pk=begun.pk).update(added=1)
        was = self.van.layout
        answer = self.change(f"/find/{self.van.pk}/change/", **{"axle-1-position": "3.3 m", "unit": "Van 14b"})
        self.assertRedirects(answer, f"/find/{self.van.pk}/")
        now = Vehicle.objects.get(pk=self.van.pk)
        self.assertEqual((now.unit, now.layout["adjusters"]), ("Van 14b", was["adjusters"]))
        self.assertEqual(now.layout["vehicle"]["axles"][1]["position_mm"], 3300)
        for job, position in ((waiting, 3300), (begun, was["vehicle"]["axles"][1]["position_mm"])):
            job.refresh_from_db()
            self.assertEqual(Visit(job).snapshot.vehicle.axles[1].position_mm, position)
        answer = self.change(f"/find/{self.van.pk}/change/", **{"axle-1-position": "0"})
        self.assertContains(answer, "position_mm", status_code=422)

    def test_a_vehicle_that_is_saved_unchanged_is_unchanged(self):
        for vehicle in Vehicle.objects.all():
            self.assertEqual(self.change(f"/find/{vehicle.pk}/change/").status_code, 302, vehicle.unit)
            again = Vehicle.objects.get(pk=vehicle.pk)
            now, was = (Layout.from_json(one.layout) for one in (again, vehicle))
            self.assertEqual(now.core, was.core, vehicle.unit)
            self.assertEqual({**now.as_json(), "vehicle": 0}, {**was.as_json(), "vehicle": 0}, vehicle.unit)
            self.assertEqual((again.unit, again.vin, again.year), (vehicle.unit, vehicle.vin, vehicle.year))

    def test_a_certificate_is_renewed_and_one_that_ran_out_is_flagged_and_not_chosen(self):
        Kit.objects.filter(pk=self.lasers.pk).update(certified_until=timezone.localdate() - dt.timedelta(days=3))
        page = self.client.get(f"/jobs/new/?vehicle={self.van.pk}")
        self.assertContains(page, "Flag lasers, blue case: certificate ran out on")
        self.assertNotEqual(page.context["form"]["kit"].value(), self.lasers.pk)
        job = open_job(self.mara, self.van, self.lasers, timezone.now())
        until = timezone.localdate() + dt.timedelta(days=365)
        self.change(f"/kits/{self.lasers.pk}/", certified_until=until.isoformat())
        job.refresh_from_db()
        self.assertEqual(Visit(job).snapshot.rig.certified_until, until)
        self.change(f"/kits/{self.lasers.pk}/", retired="on")
        self.assertContains(self.client.get("/kits/"), "no longer")
        self.assertNotContains(self.client.get("/jobs/new/"), "Flag lasers, blue case")

    def test_a_visit_is_moved_to_another_day_person_and_kit_until_something_was_read(self):
        job, bars = open_job(self.mara, self.van, self.lasers, timezone.now()), Kit.objects.get(code="tyre_bars")
        address = f"/jobs/{job.pk}/plan/"
        answer = self.change(
            address, planned_at="2030-05-04 09:00", technician=self.jonah.pk, kit=bars.pk, asked="pulls left"
        )
        self.assertEqual(answer.status_code, 302)
        job.refresh_from_db()
        self.assertEqual(
            (job.technician, job.kit, job.planned_at.year, job.asked), (self.jonah, bars, 2030, "pulls left")
        )
        self.assertEqual(Visit(job).snapshot.rig.code, "tyre_bars")
        job.entry_set.create(by=self.mara, sequence=1, slot="before/whatever/1/left_mm", typed="4", value=4)
        answer = self.change(address, kit=self.lasers.pk)
        self.assertContains(answer, "Something was read already", status_code=422)

    def test_a_further_kit_reads_what_the_first_does_not_and_a_wheel_carries_one_clamp(self):
        tape = Kit.objects.create(name="Tapes", code="straightedge_tape")
        mirrors = Kit.objects.exclude(pk=self.lasers.pk).get(code="mirror_lasers")
        planned = {"vehicle": self.van.pk, "kit": self.lasers.pk, "scope": "all", "planned_at": "2026-11-25 10:00"}
        answer = self.client.post("/jobs/new/", planned | {"further": [mirrors.pk]})
        self.assertContains(answer, "a wheel carries one: leave one of them out", status_code=422)
        # Magnets at the wheel's bolts err as clamps do.
        magnets = Kit.objects.get(code="frame_gauge_lasers")
        answer = self.client.post("/jobs/new/", planned | {"further": [magnets.pk]})
        self.assertContains(answer, "a wheel carries one: leave one of them out", status_code=422)
        self.client.post("/jobs/new/", planned | {"further": [tape.pk]})
        job = Job.objects.filter(further_kits=tape).get()
        visit = Visit(job)
        kinds = {station.reading["kind"]: station.setup for station in visit.readings.stations}
        self.assertGreater(kinds["hub_square"], kinds["outboard_pair"], "hung after the first kit's")
        hung = {station.setup for station in visit.readings.stations if not is_runout(station)}
        self.assertEqual(hung, {setup.number for setup in visit.snapshot.rig.setups})
        self.assertEqual(visit.snapshot.rig.runout_limit_deg, 0.03, "the clamps are those of the lasers")
        shown = self.client.get(f"/jobs/{job.pk}/read/?setup={kinds['hub_square']}")
        self.assertContains(shown, "before/hub_square")
        self.change(f"/jobs/{job.pk}/plan/", technician=self.mara.pk, asked="after the kerb")
        job.refresh_from_db()
        self.assertEqual((job.asked, job.kits), ("after the kerb", [self.lasers, tape]))
        # A kit that was put away since stays with the visits that have it.
        Kit.objects.exclude(pk=self.lasers.pk).update(retired=True)
        job.entry_set.create(by=self.mara, sequence=1, slot="before/whatever/1/left_mm", typed="4", value=4)
        answer = self.change(f"/jobs/{job.pk}/plan/", asked="after the gate")
        self.assertEqual(answer.status_code, 302)
        job.refresh_from_db()
        self.assertEqual((job.asked, job.kits), ("after the gate", [self.lasers, tape]))
        job.entry_set.all().delete()
        self.client.post(f"/jobs/{job.pk}/plan/", self.form_of(f"/jobs/{job.pk}/plan/") | {"further": []})
        job.refresh_from_db()
        self.assertEqual((job.kits, job.rig["name"]), ([self.lasers], self.lasers.name))

    def test_figures_are_shown_as_they_were_typed_corrected_copied_and_deleted_while_unused(self):
        page = self.form_of("/specifications/new/?make=Orsk&model=Low")
        rows = {"name": "Orsk Low", "row-0-least": "1", "row-0-most": "3", "row-0-given": "mm", "row-0-over": "15 in",
                "row-1-least": "-30", "row-1-given": "min"}  # fmt: skip
        self.assertEqual(self.client.post("/specifications/new/", page | rows).status_code, 302)
        made = Specification.objects.get(name="Orsk Low")
        toe, *camber = made.rows
        # 3 mm of both wheels together at 381 mm: two right triangles of 1.5 over 381.
        self.assertAlmostEqual(toe["max"], 2 * math.degrees(math.asin(1.5 / 381)))
        self.assertEqual([(row["side"], row["min"]) for row in camber], [("left", -0.5), ("right", -0.5)])
        address = f"/specifications/{made.pk}/"
        shown = self.form_of(address)
        self.assertEqual((shown["row-0-most"], shown["row-0-over"], shown["row-1-least"]), ("3", "15 in", "-30"))
        fleet = Fleet.objects.first()
        car = Vehicle.objects.create(fleet=fleet, unit="Car 1", make="orsk", model="LOW", layout=self.van.layout)
        job = open_job(self.mara, car, self.lasers, timezone.now())
        self.client.post(address, shown | {"row-0-most": "4"})
        self.assertAlmostEqual(
            Specification.objects.get(pk=made.pk).rows[0]["max"], 2 * math.degrees(math.asin(2 / 381))
        )
        job.refresh_from_db()
        self.assertEqual(
            (job.specification["rows"], job.specification["version"]), (made.rows, 1), "a visit keeps its own"
        )
        self.assertEqual(self.client.get(address).context["found"].version, 2)
        copied = self.form_of(f"/specifications/new/?copy={made.pk}") | {"applies": "16 in wheels", "year_from": "2021"}
        self.assertEqual(self.client.post("/specifications/new/", copied).status_code, 302)
        self.client.post(f"{address}delete/")
        self.assertTrue(Specification.objects.filter(pk=made.pk).exists(), "a visit went by it")
        other = Specification.objects.get(applies="16 in wheels")
        self.assertContains(self.client.get("/specifications/?q=16+orsk"), str(other.pk))
        self.client.post(f"/specifications/{other.pk}/delete/")
        self.assertFalse(Specification.objects.filter(pk=other.pk).exists())

    def test_figures_of_the_demo_come_back_the_same_from_their_page(self):
        for one in Specification.objects.all():
            address = f"/specifications/{one.pk}/"
            self.assertEqual(self.client.post(address, self.form_of(address)).status_code, 302, one.name)
            kinds = [sorted(map(str, rows)) for rows in (one.rows, Specification.objects.get(pk=one.pk).rows)]
            self.assertEqual(*kinds, one.name)

    def test_rows_of_an_axle_more_keep_what_was_typed(self):
        page = self.form_of("/specifications/new/") | {"name": "Long", "row-0-least": "0.1", "axles": "more"}
        shown = self.client.post("/specifications/new/", page)
        self.assertContains(shown, "Axle 3")
        self.assertContains(shown, 'value="0.1"')
        self.assertContains(shown, 'value="Long"')

    def test_the_figures_of_the_year_are_taken_and_others_are_chosen_in_the_visit_until_it_is_judged(self):
        make, model = self.van.make, self.van.model
        late = Specification.objects.create(name="Late", make=make, model=model, year_from=2020, rows=[])
        Vehicle.objects.filter(pk=self.van.pk).update(year=2021)
        self.van.refresh_from_db()
        job = open_job(self.mara, self.van, self.lasers, timezone.now())
        self.assertEqual(job.specification["key"], str(late.pk))
        address = f"/jobs/{job.pk}/figures/"
        self.client.force_login(self.mara)
        self.client.post(address, {"figures": "general"})
        job.refresh_from_db()
        self.assertTrue(Visit(job).snapshot.spec.general)
        self.assertContains(self.client.get(f"/jobs/{job.pk}/judge/"), "not the maker")
        for wrong in ("", "nothing", str(job.pk)):
            self.assertContains(self.client.post(address, {"figures": wrong}, follow=True), "choose others")
        done = Job.objects.get(vehicle__unit="Van 9")
        self.client.post(f"/jobs/{done.pk}/figures/", {"figures": "none"})
        done.refresh_from_db()
        self.assertTrue(done.specification["rows"])

    def test_figures_that_fit_what_is_found_on_the_vehicle_are_offered_and_go_by_its_ride_height(self):
        car = Vehicle.objects.get(unit="Loan car 7")
        job = open_job(self.mara, car, Kit.objects.get(code="mirror_lasers"), timezone.now())
        self.client.force_login(self.mara)
        judge, choose = f"/jobs/{job.pk}/judge/", f"/jobs/{job.pk}/figures/"
        self.assertNotContains(self.client.get(judge), "fit this vehicle better")
        type_in(self.mara, job, {"look/size/1": "215/40 r18", "look/size/2": "215/40R18"})
        self.assertContains(self.client.get(judge), "fit this vehicle better")
        shown = self.client.get(choose).content.decode()
        lowered = Specification.objects.get(tyres="215/40 R18")
        self.assertRegex(shown, rf"{lowered.pk}[^<]*</button>[^;]*; <b>fits best</b>:\s+it is for tyres 215/40 R18")
        self.client.post(choose, {"figures": str(lowered.pk)})
        job.refresh_from_db()
        self.assertContains(
            self.client.get(judge),
            "Left camber of axle 1 is not judged: its figures go by the ride height, which is not measured.",
        )
        type_in(self.mara, job, {"look/plate": "10", "look/height/1/left": "350", "look/height/1/right": "420"})
        rules = {rule.path: rule for rule in Visit(job).snapshot.core.rules}
        # Half way between -1.6 at 330 mm and -1.1 at 350 mm of the table; the other side stands higher than the table goes.
        self.assertAlmostEqual(rules["axles/1/left/camber_deg"].preferred, -1.35)
        self.assertNotIn("axles/1/right/camber_deg", rules)
        self.assertContains(self.client.get(judge), "from 310 to 350 mm of ride height, and it stands at 410 mm")

    def test_only_who_manages_adds_people_and_nobody_shuts_themselves_out(self):
        new = {"username": "tove", "password": "seven slow boats", "role": "fleet"}
        self.assertContains(self.client.post("/people/new/", new), "Choose whose reports", status_code=422)
        self.client.post("/people/new/", new | {"fleet": Fleet.objects.first().pk})
        tove = User.objects.get(username="tove")
        self.assertTrue(tove.check_password("seven slow boats"))
        own = f"/people/{self.jonah.pk}/"
        out = self.form_of(own)
        del out["is_active"]
        self.assertContains(self.client.post(own, out), "shut yourself out", status_code=422)
        self.change(f"/people/{tove.pk}/", role="technician")
        tove.refresh_from_db()
        self.assertEqual((tove.role, tove.fleet), ("technician", None))
        User.objects.filter(pk=self.jonah.pk).update(is_active=False)
        self.client.force_login(self.mara)
        self.assertEqual(self.client.get("/people/").status_code, 200, "without an office a technician manages")

    def test_the_page_of_the_program_marks_what_somebody_should_see_to(self):
        def odd(now=None):
            return {line.title for line in wellness.lines(now or timezone.now()) if line.odd}

        def raw(sql):
            with connection.cursor() as cursor:
                cursor.execute(sql)

        raw("DELETE FROM procrastinate_jobs")
        Kit.objects.update(certified_until=timezone.localdate() + dt.timedelta(days=300))
        self.assertEqual(odd(), {"Worker"})
        raw("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now())")
        self.assertEqual(odd(), set())
        app.configure_task("reckon_kits").defer()
        self.assertEqual(odd(), set())
        self.assertEqual(odd(timezone.now() + dt.timedelta(minutes=6)), {"Worker", "What waits for the worker"})
        with patch.object(wellness.shutil, "disk_usage", return_value=Usage(100e9, 95e9, 5e9)):
            self.assertEqual(odd(), {"Disk"})
        Kit.objects.filter(pk=self.lasers.pk).update(certified_until=timezone.localdate() - dt.timedelta(days=1))
        self.assertEqual(odd(), {self.lasers.name})
        raw("UPDATE procrastinate_jobs SET status = 'failed'")
        self.assertContains(self.client.get("/business/program/"), "Reckon kits")

    def test_reports_are_numbered_and_say_whose_they_are_as_it_was_then(self):
        self.change(
            "/business/",
            name="Pier Alignment",
            address="Slip 4",
            prefix="PA-",
            next_number="41",
            time_zone="Asia/Tokyo",
        )
        numbers = []
        for unit in ("Van 14", "Van 21"):
            job = Job.objects.filter(vehicle__unit=unit).exclude(status="done").first()
            look_over(self.mara, job)
            read_all(self.mara, job, "before")
            seal_phase(self.mara, job, Phase.BEFORE)
            hand_over(self.mara, job)
            numbers.append(sealed_statement(job).number)
        self.assertEqual(numbers, ["PA-41", "PA-42"])
        self.change("/business/", name="Other")
        report = self.client.get(f"/reports/{job.pk}/")
        self.assertContains(report, "Pier Alignment")
        self.assertContains(report, "Report PA-42")
        sealed = job.seal_set.filter(phase="before").get().at
        there = sealed.astimezone(zoneinfo.ZoneInfo(sealed_statement(job).sender.zone))
        self.assertNotEqual(f"{there:%H:%M}", f"{sealed:%H:%M}", "the business works in another zone")
        self.assertContains(report, f"{there:%H:%M %Z}")
        self.assertNotContains(report, "Other")
        self.assertEqual(Business.objects.get().next_number, 43)
        self.assertContains(self.change("/business/", time_zone="Moon/Base"), "Select a valid choice", status_code=422)


class Day(TestCase):
    def test_each_visit_stands_once_and_one_that_is_late_today_has_its_time_not_its_day(self):
        put_out_the_demo()
        noon = timezone.now().replace(hour=12, minute=0, second=0, microsecond=0)
        visits = list(Job.objects.filter(planned_at__date=noon.date()).order_by("planned_at"))
        board = Board.of(visits, [], noon)
        shown = [*board.now, *board.late, board.next, *board.later, *board.done]
        self.assertEqual(sorted(job.pk for job in shown), sorted(job.pk for job in visits))
        self.assertEqual(
            {job.vehicle.unit for job in board.late},
            {"Loan car 7", "Tractor 3", "Van 30", "Rigid 12", "Loan car 3", "Rigid 14"},
        )
        self.assertEqual(board.next.vehicle.unit, "Loan car 2")
        late = Job.objects.filter(vehicle__unit="Loan car 7")
        late.update(planned_at=timezone.now() - dt.timedelta(minutes=40))
        if (at := timezone.localtime(late.get().planned_at)).date() == timezone.localdate():
            self.client.force_login(User.objects.get(username="mara"))
            self.assertContains(self.client.get("/"), f'">{at:%H:%M}')


class Empty(TestCase):
    def test_an_empty_program_begins_with_its_first_person_and_no_second_comes_that_way(self):
        self.assertRedirects(self.client.get("/sign-in/"), "/first/")
        self.assertContains(
            self.client.post("/first/", {"username": "ana", "password": "short"}), "too short", status_code=422
        )
        self.client.post("/first/", {"username": "ana", "password": "seven slow boats"})
        self.assertEqual(self.client.get("/").status_code, 200)
        self.assertEqual(self.client.get("/people/").status_code, 200)
        self.client.logout()
        self.assertRedirects(
            self.client.post("/first/", {"username": "eve", "password": "seven slow boats"}), "/sign-in/"
        )
        self.assertEqual(User.objects.count(), 1)
