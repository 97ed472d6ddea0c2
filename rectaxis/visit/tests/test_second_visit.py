"""Two weeks later: what the last visit wrote down is there, and is not typed again."""

import datetime as dt

from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from rectaxis.demo.business import random_simulation
from rectaxis.demo.doing import look_over, read_all, type_in
from rectaxis.demo.extras import drawn_photo
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import DAMAGE, Phase
from rectaxis.reports.find import report_of
from rectaxis.visit.actions.add_photo import add_photo
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.hold_job import hold_job
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.statement import statement_of
from rectaxis.visit.visit import Visit
from tests.demo import put_out_the_demo


class SecondVisit(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.mara, cls.van = User.objects.get(username="mara"), Vehicle.objects.get(unit="Van 14")
        cls.kit = Kit.objects.get(code="frame_flags")
        first = open_job(cls.mara, cls.van, cls.kit, timezone.now() - dt.timedelta(days=14))
        # A person's own job, its scales read off a simulated one.
        scales = random_simulation(cls.van, cls.kit, seed=2)
        shown = open_job(cls.mara, cls.van, cls.kit, timezone.now(), simulation=scales)
        look_over(cls.mara, shown)
        read_all(cls.mara, shown, "before")
        seen = {slot: entry.typed for slot, entry in Visit(shown).journal.entries.items() if slot.startswith("before/")}
        type_in(cls.mara, first, {slot: text for slot, text in seen.items() if not slot.endswith("/trued")})
        place = next(slot for slot in cls.placeable(first))
        type_in(cls.mara, first, {"arrive/odometer": "80000", "look/size/1": "205/65R16", place: "812",
                                  "look/tyre/1/left/tread-outer": "6.0", "look/tyre/1/left/tread-inner": "5.0",
                                  **{f"rig/check/{n}": "passed" for n in (1, 2)},
                                  "hand-over/advice/1": "New tyres in front", "hand-over/advice/1/due": "2027-03-01",
                                  "hand-over/advice/2": "Wash it"})  # fmt: skip
        seal_phase(cls.mara, first, Phase.BEFORE)
        hand_over(cls.mara, first)
        cls.first, cls.place = first, place
        cls.van.refresh_from_db()
        cls.second = open_job(cls.mara, cls.van, cls.kit, timezone.now())

    @staticmethod
    def placeable(job):
        """Slots that say where a tool was put."""
        return (f"rig/place/{number.slot}" for s in Visit(job).snapshot.rig.stations for number in s.set_up_numbers())

    def setUp(self):
        self.client.force_login(self.mara)

    def page(self, stage):
        return self.client.get(reverse("stages:stage", args=[self.second.pk, stage]))

    def test_sizes_places_and_the_days_self_check_are_carried_as_the_work_begins_and_no_sooner(self):
        self.assertEqual(Visit(self.second).journal.answer("look/size/1"), "")
        type_in(self.mara, self.second, {"arrive/odometer": "83,000"})
        visit = Visit(Job.objects.get(pk=self.second.pk))
        self.assertEqual((visit.journal.answer("look/size/1"), visit.journal.number(self.place)), ("205/65R16", 812))
        self.assertEqual(visit.progress.facts.self_check, "passed")
        self.assertContains(self.page("rig"), ", at Van 14.")
        self.assertContains(self.page("arrive"), "Tyre sizes and places of tools are as on")
        self.assertIn(", at Van 14.", statement_of(visit).checked)
        other = open_job(self.mara, self.van, Kit.objects.get(code="tyre_bars"), timezone.now())
        type_in(self.mara, other, {"arrive/odometer": "83,000"})
        self.assertEqual(Visit(other).progress.facts.self_check, "open", "another kit was not checked")

    def test_a_photo_taken_first_does_not_keep_them_from_being_carried(self):
        add_photo(self.mara, self.second, str(DAMAGE), "a.jpg", drawn_photo())
        type_in(self.mara, self.second, {"arrive/odometer": "83,000"})
        self.assertEqual(Visit(self.second).journal.answer("look/size/1"), "205/65R16")

    def test_a_visit_that_was_paused_before_anything_was_typed_carries_them_too_and_once(self):
        hold_job(self.mara, self.second, "pause")
        type_in(self.mara, self.second, {"arrive/odometer": "83,000"})
        self.assertEqual(Visit(self.second).journal.answer("look/size/1"), "205/65R16")
        type_in(self.mara, self.second, {"look/size/1": ""})
        hold_job(self.mara, self.second, "pause")
        type_in(self.mara, self.second, {"arrive/reason": "routine"})
        self.assertEqual(Visit(Job.objects.get(pk=self.second.pk)).journal.answer("look/size/1"), "")

    def test_a_kit_that_failed_since_is_not_taken_for_checked(self):
        type_in(self.mara, self.first_open(), {"rig/check/1": "failed"})
        type_in(self.mara, self.second, {"arrive/odometer": "83,000"})
        self.assertEqual(Visit(self.second).progress.facts.self_check, "open")

    def first_open(self):
        """Another visit of the same day with the same kit."""
        return open_job(self.mara, self.van, self.kit, timezone.now())

    def test_last_time_stands_on_arrive_its_treads_on_look_over_and_its_angles_on_judge(self):
        type_in(self.mara, self.second, {"arrive/odometer": "83,000", "look/tyre/1/left/tread-outer": "4.5",
                                         "look/tyre/1/left/tread-inner": "4.7"})  # fmt: skip
        self.assertContains(self.page("arrive"), "3,000 km ago")
        look = self.page("look")
        self.assertContains(look, "last 6, –, 5")
        # 1.5 mm over 3,000 km is half a millimetre in a thousand.
        self.assertContains(look, "left front: 1.5 mm of tread in 3,000 km, 0.50 mm in 1,000 km (outer).")
        self.assertContains(self.page("judge"), "Open circle: as left on")

    def test_open_advice_is_closed_renewed_or_left_with_a_word_and_the_next_visit_knows(self):
        self.assertContains(self.page("arrive"), "Advised last time: New tyres in front (by 1 March 2027)")
        type_in(
            self.mara,
            self.second,
            {"arrive/advice/1": "again", "arrive/advice/2": "dropped", "arrive/advice/2/why": "it rains"},
        )
        seen = {slot: e.typed for slot, e in Visit(self.first).journal.entries.items() if slot.startswith("before/")}
        type_in(self.mara, self.second, seen)
        seal_phase(self.mara, self.second, Phase.BEFORE)
        hand_over(self.mara, self.second)
        said = report_of(Job.objects.get(pk=self.second.pk), self.mara).statement
        self.assertIn("Wash it: no longer wanted (it rains)", said.followed)
        self.assertEqual([(one.said, one.due) for one in said.advice], [("New tyres in front", "2027-03-01")])
        self.van.refresh_from_db()
        third = open_job(self.mara, self.van, self.kit, timezone.now())
        self.assertEqual(Visit(third).snapshot.layout.advice, (("New tyres in front", "2027-03-01"),))
