"""A vehicle over the years: what its seals and notes tell, drawn and said; nothing of anybody else's."""

import datetime as dt

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from rectaxis.demo.extras import drawn_photo
from rectaxis.demo.years import FRONT_RIGHT, FRONT_TOE, STORIES, make_years
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.models import User
from rectaxis.record.models import Seal
from rectaxis.years.models import Happening
from rectaxis.years.told import angles, next_due
from rectaxis.years.tracks import years_of
from tests.demo import put_out_the_demo


class YearsOfAVehicle(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.mara, cls.edda = (User.objects.get(username=name) for name in ("mara", "post"))
        cls.struck, cls.worn, _, cls.unnoted, cls.steady = make_years(cls.mara, STORIES[:5])
        other = Fleet.objects.create(name="Another")
        cls.stranger = User.objects.create_user("stranger", password="x", role="fleet", fleet=other)

    def track(self, vehicle, path):
        return next(one for one in years_of(vehicle).tracks if one.path == path)

    def test_a_blow_that_was_noted_is_no_drift_and_one_that_was_not_is_found(self):
        noted = self.track(self.struck, FRONT_TOE)
        self.assertEqual(noted.drift.jumps, ())
        self.assertEqual([look.struck for look in noted.looks].count(True), 1)
        self.assertLess(abs(noted.drift.rate), 0.02)
        Happening.objects.filter(vehicle=self.struck).delete()
        (jump,) = self.track(self.struck, FRONT_RIGHT).drift.jumps
        self.assertAlmostEqual(jump.size, -0.4, delta=4 * jump.u)
        self.assertEqual(len(self.track(self.unnoted, "thrust_angle_deg").drift.jumps), 1)

    def test_a_worn_bush_drifts_until_it_is_renewed(self):
        track = self.track(self.worn, FRONT_RIGHT)
        self.assertLess(abs(track.drift.rate), 0.03, "since it was renewed")
        Happening.objects.filter(vehicle=self.worn).update(day="2010-01-01")
        looks = [look for look in self.track(self.worn, FRONT_RIGHT).looks if look.km < 150_000]
        self.assertLess((looks[-1].found - looks[0].found) / (looks[-1].km - looks[0].km) * 10_000, -0.04)

    def test_the_page_says_draws_and_lists_each_angle_and_stands_within_the_vehicles_own(self):
        self.client.force_login(self.mara)
        page = self.client.get(f"/vehicles/{self.struck.pk}/years/")
        for words in (
            "Measure it again by",
            "km a year, by its odometers",
            "hit the kerb at Ferry Stance",
            "wears",
            "Outside today",
        ):
            self.assertContains(page, words)
        self.assertEqual(page.content.decode().count('class="chart"'), len(years_of(self.struck).tracks))
        within = self.client.get(f"/vehicles/{self.struck.pk}/years/", headers={"HX-Request": "true"})
        self.assertNotContains(within, "<html")
        self.assertContains(
            self.client.get(reverse("day:find-vehicle", args=[self.struck.pk])),
            f'hx-get="/vehicles/{self.struck.pk}/years/"',
        )
        nothing = Vehicle.objects.get(unit="Van 14")
        self.assertContains(self.client.get(f"/vehicles/{nothing.pk}/years/"), "No visit is handed over yet")

    def test_the_likeliest_to_be_outside_comes_first_and_a_longer_wait_makes_all_likelier(self):
        years = years_of(self.steady)
        now, later = (angles(years, "deg", timezone.localdate() + dt.timedelta(days=days)) for days in (0, 2000))
        self.assertEqual([one.chance for one in now], sorted((one.chance for one in now), reverse=True))
        chances = {one.name: one.chance for one in later}
        self.assertTrue(all(chances[one.name] >= one.chance for one in now))
        self.assertGreater(next_due(years)[0], years.visits[-1].day)

    def test_a_visit_without_an_odometer_is_reckoned_by_its_day_and_said_to_be(self):
        seal = Seal.objects.filter(job__vehicle=self.steady, phase="visit").order_by("-job__planned_at")[1]
        del seal.statement["answers"]["arrive/odometer"]
        seal.save()
        years = years_of(self.steady)
        self.assertEqual([visit.read for visit in years.visits[-3:]], [True, False, True])
        before, reckoned, after = (visit.km for visit in years.visits[-3:])
        self.assertTrue(before < reckoned < after)
        self.client.force_login(self.mara)
        self.assertContains(self.client.get(f"/vehicles/{self.steady.pk}/years/"), "km, reckoned")

    def test_a_note_is_typed_with_a_photo_once_corrected_and_taken_back_by_those_who_may(self):
        address = f"/vehicles/{self.struck.pk}/note/"
        words = {
            "day": "2026-05-04",
            "kind": "strike",
            "what": "slid into the quay wall",
            "axle": "1",
            "odometer": "200100",
        }
        self.client.force_login(self.edda)
        for wrong, said in (({"axle": "9"}, "Expected an axle from 1 to 2, got 9."), ({"day": "2099-01-01"}, "a day that has come"),
                            ({"what": ""}, "required")):  # fmt: skip
            answer = self.client.post(address, words | wrong)
            self.assertContains(answer, said, status_code=422)
            self.assertContains(answer, 'value="200100"', status_code=422)
        for _ in range(2):
            photo = SimpleUploadedFile("a.png", drawn_photo(), "image/png")
            self.assertEqual(self.client.post(address, words | {"photo": photo}).status_code, 302)
        note = Happening.objects.get(what="slid into the quay wall")
        self.assertEqual(self.client.get(f"/notes/{note.pk}/photo/")["Content-Type"], "image/jpeg")
        for name, expected in (("stranger", 403), ("holm", 403)):
            self.client.force_login(User.objects.get(username=name))
            self.assertEqual(self.client.post(address, words).status_code, expected, name)
            self.assertEqual(self.client.post(f"/notes/{note.pk}/drop/").status_code, expected, name)
        self.client.force_login(self.stranger)
        for page in (f"/vehicles/{self.struck.pk}/years/", f"/notes/{note.pk}/photo/"):
            self.assertEqual(self.client.get(page).status_code, 403)
        self.client.force_login(self.edda)
        self.client.post(f"/notes/{note.pk}/drop/")
        self.assertNotContains(self.client.get(f"/vehicles/{self.struck.pk}/years/"), "slid into the quay wall")
