"""What a person reads follows what they prefer; what is sealed follows the business."""

import re

from django.test import TestCase

from rectaxis.business.models import Business
from rectaxis.demo.doing import read_all
from rectaxis.people.models import User
from rectaxis.record.tests.case import Record
from rectaxis.visit.actions.seal_phase import seal_phase

_A_SIDE_OF_THE_VEHICLE = re.compile(
    r"\b(left|right) (front|rear|axle|side|corner|wheel|tie rod|flag|scale|toe|camber|tyre)|on the (left|right)\b"
)
_THE_BAR = "its plus end is on the"
"""The ends of a level bar are said by direction, as the fall of the ground is."""


class Words(Record):
    def setUp(self):
        User.objects.filter(pk=self.person.pk).update(side_names="traffic-right", length_unit="in")
        self.client.force_login(self.person)

    def test_every_stage_calls_the_sides_what_the_person_calls_them(self):
        for stage in ("arrive", "look", "rig", "roll", "read", "judge", "set", "prove", "hand-over"):
            text = self.client.get(f"/jobs/{self.in_hand.pk}/{stage}/").content.decode()
            shown = re.sub(r"<[^>]*?(?:aria-label=\"([^\"]*)\"[^>]*)?>", r" \1 ", text)
            found = [m.group() for m in _A_SIDE_OF_THE_VEHICLE.finditer(shown.replace(_THE_BAR, ""))]
            self.assertEqual(found, [], stage)
        # Traffic keeps to the right, so the kerb and the nearside are there.
        read = self.client.get(f"/jobs/{self.in_hand.pk}/read/").content.decode()
        self.assertIn("offside rear", read)
        self.assertIn('data-slot="before/outboard_pair/2/left_mm"', read)

    def test_lengths_are_said_in_inches_and_kept_in_mm(self):
        shown = self.client.get(f"/jobs/{self.in_hand.pk}/judge/").content.decode()
        (said,) = re.findall(r"front setback</th>\s*<td>([\d.]+) in", shown)
        User.objects.filter(pk=self.person.pk).update(length_unit="mm")
        shown = self.client.get(f"/jobs/{self.in_hand.pk}/judge/").content.decode()
        (in_mm,) = re.findall(r"front setback</th>\s*<td>([\d.]+) mm", shown)
        self.assertAlmostEqual(float(said) * 25.4, float(in_mm), delta=0.07)

    def test_a_seal_is_in_the_words_of_the_business_whoever_seals(self):
        read_all(self.person, self.in_hand, "before")
        Business.objects.update(side_names="traffic-left")
        sealed = seal_phase(self.person, self.in_hand, "before")
        said = str(sealed.statement) + str(sealed.sentences)
        self.assertIn("nearside rear", said)
        self.assertNotRegex(said, r"\b(left|right) (front|rear)\b")
        self.assertNotRegex(said, r"\d in\b")


class Preferences(TestCase):
    def test_they_are_kept_and_lead_back_only_to_this_program(self):
        person = User.objects.create_user("ana", password="x")
        self.client.force_login(person)
        answer = self.client.post(
            "/preferences/", {"angle_style": "dms", "theme": "sun", "next": "//elsewhere.example/"}
        )
        self.assertEqual(answer["Location"], "/preferences/")
        person.refresh_from_db()
        self.assertEqual((person.angle_style, person.theme), ("dms", "sun"))
        whole = {"angle_style": "mpm", "theme": "night", "pressure_unit": "psi", "single_keys": "False", "length_unit": "in",
                 "side_names": ""}  # fmt: skip
        self.assertContains(self.client.post("/preferences/", whole, follow=True), "Preferences are saved")
        person.refresh_from_db()
        self.assertEqual((person.pressure_unit, person.single_keys), ("psi", False))
        # From within a job one of them is changed, and the others stay.
        self.client.post("/preferences/", {"theme": "sun", "next": "/"})
        person.refresh_from_db()
        self.assertEqual((person.theme, person.angle_style, person.single_keys), ("sun", "mpm", False))
        self.assertEqual(self.client.post("/preferences/", whole | {"angle_style": "rad"}).status_code, 422)
