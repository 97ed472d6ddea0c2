"""The after takes over what was read while setting: looked at again, confirmed, and said so."""

from django.urls import reverse
from uuid6 import uuid7

from rectaxis.demo.doing import read_all
from rectaxis.record.slot import Phase
from rectaxis.record.tests.case import Record
from rectaxis.visit.actions.confirm_readings import confirm_readings
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit


class Confirming(Record):
    def setUp(self):
        super().setUp()
        self.client.force_login(self.person)
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        record_move(self.person, self.in_hand, uuid7(), "A2 left tie rod", by="2")

    def confirm_all(self):
        return sum(
            confirm_readings(self.person, self.in_hand, setup.number, sweep=False)
            for setup in Visit(self.in_hand).snapshot.rig.setups
        )

    def test_what_a_move_put_out_of_date_is_not_taken_over_and_the_rest_once(self):
        stale = {station.slot for station in Visit(self.in_hand).setting.out_of_date}
        self.assertTrue(stale)
        taken = self.confirm_all()
        self.assertGreater(taken, 0)
        self.assertEqual(self.confirm_all(), 0)
        after = Visit(self.in_hand).readings.values(Phase.AFTER)
        self.assertEqual(stale & set(after), set())
        read_all(self.person, self.in_hand, "set", axles=(1, 2))
        self.assertEqual(
            self.confirm_all() + taken, sum(len(s.fields) for s in Visit(self.in_hand).readings.of_stage(sweep=False))
        )

    def test_what_was_moved_and_not_read_again_is_not_called_not_adjusted(self):
        page = self.client.get(reverse("stages:stage", args=[self.in_hand.pk, "prove"]))
        said = {strip.path: strip.word for group in page.context["strips"] for strip in group.strips}
        self.assertEqual(said["thrust_angle_deg"], "outside before, not read again")
        self.assertEqual(said["axles/1/total_toe_deg"], "outside before, not adjusted")

    def test_the_after_is_then_what_was_read_while_setting_and_the_report_says_which_axles(self):
        read_all(self.person, self.in_hand, "set", axles=(1, 2))
        now = Visit(self.in_hand).setting.results().as_dict()
        self.confirm_all()
        read_all(self.person, self.in_hand, "after", axles=(1,))
        seal = seal_phase(self.person, self.in_hand, Phase.AFTER)
        toe = [results["axles"][1]["total_toe_deg"]["value"] for results in (seal.results, now)]
        self.assertAlmostEqual(*toe, places=9)
        self.assertEqual(list(seal.statement["confirmed"]), ["the rear"])
        page = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        self.assertContains(page, "Readings of the rear were taken while setting")

    def test_the_page_offers_it_shows_the_marks_and_goes_to_the_next_hanging(self):
        read_all(self.person, self.in_hand, "set", axles=(1, 2))
        stage = reverse("stages:stage", args=[self.in_hand.pk, "prove"])
        self.assertContains(self.client.get(stage), "show the same: confirm")
        confirm = reverse("stages:confirm", args=[self.in_hand.pk])
        self.assertEqual(self.client.post(confirm, {"setup": "x"}).status_code, 302)
        for setup in Visit(self.in_hand).snapshot.rig.setups:
            self.client.post(confirm, {"setup": setup.number})
        self.assertEqual(Visit(self.in_hand).readings.missing(Phase.AFTER), 0)
        self.assertContains(self.client.get(stage), "confirmed after tightening")
