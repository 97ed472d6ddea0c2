"""The report, from seals alone."""

import io
import json
import re
from pathlib import Path
from unittest.mock import patch

import cv2
import numpy as np
import segno
from django.conf import settings
from django.template.loader import render_to_string
from django.test import TestCase
from django.urls import reverse
from pypdf import PdfReader
from uuid6 import uuid7

from alignment.jobfile import parse, solve_job
from alignment.judge.diagnose import diagnose
from rectaxis.demo.doing import read_all, type_in
from rectaxis.demo.extras import drawn_photo
from rectaxis.fleets.models import Vehicle
from rectaxis.people.models import User
from rectaxis.record.models import Job, Link, Seal
from rectaxis.record.slot import DAMAGE, Opinion, Phase
from rectaxis.reports.find import report_of
from rectaxis.reports.pdf import pdf_of
from rectaxis.visit.actions.add_photo import add_photo
from rectaxis.visit.actions.correct_reading import correct_reading
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.actions.mark_damage import mark_damage
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.actions.sign_report import sign_report
from rectaxis.visit.decisions import AGREED
from rectaxis.visit.visit import Visit
from tests.accessible_pdf import elements, faults
from tests.demo import put_out_the_demo

HERE = Path(__file__).parent


class Reports(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.person = User.objects.get(username="mara")
        cls.done = Job.objects.get(vehicle__unit="Van 9")
        cls.in_hand = Job.objects.get(vehicle__unit="Van 21")

    def setUp(self):
        self.client.force_login(self.person)

    def test_there_is_none_before_something_is_sealed(self):
        self.assertIsNone(report_of(self.in_hand, self.person))
        self.assertEqual(self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk})).status_code, 404)
        self.assertContains(self.client.get(f"/jobs/{self.in_hand.pk}/hand-over/"), "Nothing is saved yet")

    def test_with_a_before_alone_it_shows_what_was_found(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        report = report_of(self.in_hand, self.person)
        self.assertEqual((report.statement.phase, report.after), ("before", ()))
        page = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        self.assertContains(page, "As found")
        self.assertNotContains(page, "What is now")

    def test_the_first_page_answers_as_found_and_as_left_what_changed_what_is_left_what_that_costs_and_when_next(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        results = self.in_hand.seal_set.get(phase="before").results
        outside = [one for one in results["verdicts"] if one["verdict"] == "outside"]
        for move in ("A2 left tie rod", "A1 left tie rod"):
            record_move(self.person, self.in_hand, uuid7(), move, by="3")
        read_all(self.person, self.in_hand, "after", axles=(1,))
        type_in(self.person, self.in_hand, {"hand-over/next-day": "2027-05-26", "hand-over/next-odometer": "105000"})
        seal_phase(self.person, self.in_hand, Phase.AFTER)
        hand_over(self.person, self.in_hand)
        front = report_of(self.in_hand, self.person).front
        self.assertEqual([title for title, _ in front.answers], ["As found", "As left"])
        self.assertIn(f"{len(outside)} angles of {len(results['verdicts'])} are outside", front.answers[0][1].said)
        self.assertEqual(front.next, "Measure it again by 26 May 2027 or at 105,000 km, whichever comes first.")
        self.assertTrue(all("was moved" not in line for line in front.left))
        stand = {row.label: row.stands for row in front.statement.judged if row.axle == 2}
        self.assertEqual(stand["total toe"], "undetermined", "it was moved and not read again")
        self.assertEqual(stand["left camber"], "inside", "nothing moved it since the before")
        page = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        self.assertContains(page, "What leaving it so costs")
        self.assertContains(page, "These are assumptions for this fleet to set")

    def test_a_corrected_report_says_what_changed_keeps_the_first_and_each_says_by_its_fingerprint_which_it_is(self):
        page, first = reverse("reports:page", kwargs={"pk": self.done.pk}), report_of(self.done, self.person)
        scale = self.done.entry_set.filter(slot__startswith="after/toe_scales/2/left").latest("sequence")
        correct_reading(self.person, self.done, scale.slot, f"{scale.value + 1.0:.2f} mm", "read from the wrong end")
        report = report_of(self.done, self.person)
        self.assertEqual((report.version, report.of, report.latest), (2, 2, True))
        toe = {row.path: row.text["deg"] for row in first.statement.judged}["axles/2/total_toe_deg"]
        self.assertTrue(
            any(f"Rear axle, total toe, after: {toe} in the first" in line for line in report.changes), report.changes
        )
        self.assertContains(self.client.get(page), "read from the wrong end")
        link = Link.objects.get(seal=report.versions[-1].pk)
        self.assertContains(self.client.get(page), f"link in the chain of seals: {link.number}-{link.mac[:16]}")
        kept = self.client.get(f"{page}?version=1").content.decode()
        self.assertIn("This is version 1 of 2", kept)
        self.assertIn(toe, kept)
        self.assertNotIn("read from the wrong end", kept)
        for wrong in ("0", "3", "x", ""):
            self.assertEqual(self.client.get(f"{page}?version={wrong}").status_code, 404, wrong)
        self.client.logout()
        for of, words in ((first, "It was corrected since"), (report, "It is the latest version")):
            told = self.client.get(f"/genuine/?fingerprint={of.fingerprint}").content.decode()
            self.assertIn(words, told)
            self.assertNotIn("toe", told)
        self.assertEqual(self.client.get("/genuine/000000000000000000000000/").status_code, 404)
        draft = self.in_hand.seal_set.create(by=self.person, phase="before", digest="d" * 64, statement=first.statement.as_json(),
                                             job_file={}, results={}, core_version="1", sequence=1)  # fmt: skip
        self.assertEqual(
            self.client.get(f"/genuine/{draft.digest[:24]}/").status_code, 404, "nothing is said of an open job"
        )

    def test_the_code_on_a_report_is_read_by_another_program_and_leads_to_its_check(self):
        report = report_of(self.done, self.person)
        png = io.BytesIO()
        segno.make(report.address, error="m", micro=False).save(png, kind="png", scale=6, border=4)
        drawn = segno.make(report.address, error="m", micro=False).svg_inline(
            scale=2, border=2, dark="#16213a", light="#ffffff"
        )
        self.assertEqual(re.sub("<title>.*</title>", "", report.code), drawn)
        seen, _, _ = cv2.QRCodeDetector().detectAndDecode(
            cv2.imdecode(np.frombuffer(png.getvalue(), np.uint8), cv2.IMREAD_GRAYSCALE)
        )
        self.assertEqual(seen, report.address)
        self.assertEqual(self.client.get(seen.removeprefix(settings.SITE)).status_code, 200)

    def test_a_signature_is_drawn_kept_with_what_was_signed_and_says_when_something_came_after_it(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        lines = "[[[0.1, 0.5], [0.3, 0.2], [0.5, 0.8], [0.9, 0.5]]]"
        address, given = f"/jobs/{self.in_hand.pk}/signature/", {"whose": "customer", "name": "Edda Quill"}
        for strokes, words in (
            ("", "Draw the signature"),
            ("[[[5, 0]]]", "Draw the signature"),
            ("{", "Draw the signature"),
        ):
            answer = self.client.post(address, {**given, "key": str(uuid7()), "strokes": strokes})
            self.assertContains(answer, words, status_code=422)
            self.assertContains(answer, 'value="Edda Quill"', status_code=422)
        key = str(uuid7())
        for _ in range(2):
            self.assertEqual(self.client.post(address, {**given, "key": key, "strokes": lines}).status_code, 200)
        self.assertEqual(self.in_hand.signature_set.count(), 1)
        mark_damage(self.person, self.in_hand, uuid7(), 0.5, 0.5, "dent in the sill")
        sign_report(self.person, self.in_hand, uuid7(), "technician", "Mara Tolland", lines)
        hand_over(self.person, self.in_hand)
        signed = {one.whose: one for one in report_of(self.in_hand, self.person).statement.signatures}
        self.assertEqual((signed["customer"].same, signed["technician"].same), (False, True))
        self.assertEqual(signed["customer"].strokes[0][1], (0.3, 0.2))
        page = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        self.assertContains(page, "M36.0 60.0L108.0 24.0")
        self.assertContains(page, "what was noted or read after that was not signed", count=1)

    def test_what_was_left_outside_and_what_was_left_alone_are_on_it_with_what_would_set_them(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        type_in(self.person, self.in_hand, {"skip/A2 left tie rod": "seized"})
        read_all(self.person, self.in_hand, "after")
        seal_phase(self.person, self.in_hand, Phase.AFTER)
        page = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        self.assertContains(page, "Left tie rod of the rear: seized")
        self.assertContains(page, "over the most allowed. It is set by the tie rods of the rear.")

    def test_a_job_ended_early_has_a_report_that_says_why_and_what_was_found_and_its_fleet_sees_it(self):
        ended = Job.objects.get(vehicle__unit="Van 2")
        for name in ("mara", "post"):
            self.client.force_login(User.objects.get(username=name))
            page = self.client.get(reverse("reports:page", kwargs={"pk": ended.pk}))
            for words in ("Ended early", "left front spring is broken", "unsafe: stop", "left coil broken"):
                self.assertContains(page, words)
            told = page.content.decode()
            self.assertLess(told.index("Do not drive until repaired"), told.index("<h1>"), "the report begins with it")
        self.assertTrue(pdf_of(report_of(ended, self.person)).startswith(b"%PDF"))

    def test_what_was_noted_after_the_last_phase_was_saved_is_on_the_report_that_is_handed_over(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        mark_damage(self.person, self.in_hand, uuid7(), 0.5, 0.5, "dent in the sill")
        hand_over(self.person, self.in_hand)
        page = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        self.assertContains(page, "dent in the sill")

    def test_what_was_gone_on_without_and_torque_that_nobody_wrote_are_on_it(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        record_move(self.person, self.in_hand, uuid7(), "A2 left tie rod", by="1")
        type_in(self.person, self.in_hand, {"prove/torque": "yes", "rig/check/1": ""})
        page = self.client.get(f"/jobs/{self.in_hand.pk}/hand-over/")
        self.assertContains(page, "The report says that you went on without")
        hand_over(self.person, self.in_hand)
        report = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        self.assertContains(report, "The technician went on without.")
        self.assertContains(report, "No torque was written for the left tie rod of the rear")
        self.assertNotContains(report, "Tight to the maker")

    def test_what_was_looked_over_who_asked_and_what_was_not_read_again_are_on_it(self):
        Vehicle.objects.filter(pk=self.in_hand.vehicle_id).update(vin="WXYZA00000B123456")
        Job.objects.filter(pk=self.in_hand.pk).update(asked="Pulls to the left")
        type_in(
            self.person,
            self.in_hand,
            {"look/part/1/joints": "worn", "look/tyre/1/left/wear": "even", "arrive/asked-by": "Edda Quill"},
        )
        for slot in ("look/part/2/springs", "look/part/1/joints", str(DAMAGE)):
            add_photo(self.person, self.in_hand, slot, f"{slot}.jpg", drawn_photo())
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        record_move(self.person, self.in_hand, uuid7(), "A2 left tie rod", by="3")
        read_all(self.person, self.in_hand, "after", axles=(1,))
        seal_phase(self.person, self.in_hand, Phase.AFTER)
        hand_over(self.person, self.in_hand)
        report = self.client.get(reverse("reports:page", kwargs={"pk": self.in_hand.pk}))
        for words in ("VIN WXYZA00000B123456", "Asked by\n    Edda Quill: Pulls to the left", "Worn, can be measured</dt>",
                      "Front axle: ball joints and rod ends", "The ground", "before, not read again", "before, not adjusted"):  # fmt: skip
            self.assertContains(report, words)
        self.assertNotContains(report, "left front wear", msg_prefix="wear stands among the tyres")
        captions = re.findall(r"<figcaption>([^<]*)</figcaption></figure>", report.content.decode())
        self.assertEqual(
            [one.split(": ")[-1] for one in captions], ["worn, can be measured", "sound", "Damage already there"]
        )

    def test_causes_that_the_technician_agreed_with_and_tyres_are_on_it(self):
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        causes = diagnose(Visit(self.in_hand).decisions.evidence(Visit(self.in_hand).results(Phase.BEFORE)))
        type_in(
            self.person, self.in_hand, {str(Opinion(causes[0].code)): AGREED, str(Opinion(causes[1].code)): "disagreed"}
        )
        report = report_of(self.in_hand, self.person)
        self.assertEqual([section.lines for section in report.statement.sections], [(causes[0].say(),)])
        self.assertEqual(report.statement.tyres[0], ("left front", ("3.1", "5.1", "5.8", "4.6", "")))

    def test_a_car_that_competes_has_a_set_up_sheet_of_its_corners_as_they_leave_and_no_other_has(self):
        job = Job.objects.get(vehicle__unit="Loan car 7")
        type_in(self.person, job, {"look/height/1/left": "312", "look/tyre/2/right/pressure": "2.1"})
        read_all(self.person, job, "roll")
        read_all(self.person, job, "before")
        seal_phase(self.person, job, Phase.BEFORE)
        report = report_of(job, self.person)
        names = [name for name, _ in report.set_up]
        self.assertEqual(names[:4], ["Front axle, right", "Rear axle, right", "Front axle, left", "Rear axle, left"])
        corners = {name: dict(lines) for name, lines in report.set_up}
        self.assertEqual(corners["Front axle, left"]["Ride height"], "312 mm")
        self.assertEqual(corners["Rear axle, right"]["Pressure"], "2.1 bar")
        self.assertEqual(corners["Rear axle, left"]["Upper front mounting plate"], "5")
        camber = Seal.objects.get(job=job).results["axles"][1]["left"]["camber_deg"]["value"]
        self.assertTrue(corners["Rear axle, left"]["camber"].startswith(f"{abs(camber):.2f}°"))
        page = self.client.get(reverse("reports:page", kwargs={"pk": job.pk}))
        self.assertContains(page, "Set-up sheet")
        self.assertNotContains(self.client.get(reverse("reports:page", kwargs={"pk": self.done.pk})), "Set-up sheet")

    def test_an_after_without_the_full_lock_that_its_figures_ask_for_is_sealed(self):
        job = Job.objects.get(vehicle__unit="Loan car 7")
        self.assertIn("lock_out_deg", {row["quantity"] for row in Visit(job).snapshot.spec.rows})
        for phase in ("roll", "before"):
            read_all(self.person, job, phase)
        seal_phase(self.person, job, Phase.BEFORE)
        read_all(self.person, job, "after")
        seal_phase(self.person, job, Phase.AFTER)
        self.assertEqual(report_of(job, self.person).statement.phase, "after")

    def test_two_axles_that_point_apart_are_drawn_with_how_far_and_outside_is_told(self):
        job = Job.objects.get(vehicle__unit="Tractor 3")
        for phase in ("roll", "before"):
            read_all(self.person, job, phase)
        seal_phase(self.person, job, Phase.BEFORE)
        report = report_of(job, self.person)
        (plan,), (scrub,) = report.plans, report.plans[0].scrubs
        results = Seal.objects.get(job=job).results
        apart = results["axles"][2]["bearing_deg"]["value"] - results["axles"][1]["bearing_deg"]["value"]
        self.assertEqual(scrub.said, f"{abs(apart):.2f}°", "the rear one's direction less the front one's")
        self.assertEqual((scrub.front, scrub.rear), (plan.axles[1].x, plan.axles[2].x))
        self.assertEqual(scrub.verdict, "outside")
        self.assertNotIn(
            "scrub", {term for group in report.groups for term, _ in group.terms}, "said on the first page"
        )

    def test_the_job_file_solves_to_what_was_sealed(self):
        raw = self.client.get(reverse("reports:job-file", kwargs={"pk": self.done.pk})).content
        answer = solve_job(parse(json.loads(raw)))
        for phase in ("before", "after"):
            sealed = self.done.seal_set.get(phase=phase).results
            self.assertEqual(json.loads(json.dumps(answer["phases"][phase]["axles"])), sealed["axles"])

    def test_a_pdf_passes_what_a_program_can_see_of_pdf_ua_with_photos_and_a_signature(self):
        for slot in ("look/part/1/joints", str(DAMAGE)):
            add_photo(self.person, self.in_hand, slot, f"{slot}.jpg", drawn_photo())
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        sign_report(
            self.person,
            self.in_hand,
            uuid7(),
            "customer",
            "Edda Quill",
            "[[[0.1, 0.5], [0.3, 0.2], [0.5, 0.8], [0.9, 0.5]]]",
        )
        hand_over(self.person, self.in_hand)
        content = pdf_of(report_of(self.in_hand, self.person))
        self.assertEqual(faults(content), [])
        self.assertGreaterEqual(
            len([one for one in elements(PdfReader(io.BytesIO(content)).root_object) if one["/S"] == "/Figure"]), 6
        )

    def test_the_same_report_is_the_same_pdf(self):
        one, two = (pdf_of(report_of(self.done, self.person)) for _ in range(2))
        self.assertTrue(one.startswith(b"%PDF"))
        self.assertEqual(one, two)

    def test_angles_are_in_the_readers_own_style(self):
        self.person.angle_style = "dms"
        self.person.save()
        page = self.client.get(reverse("reports:page", kwargs={"pk": self.done.pk}))
        self.assertRegex(page.content.decode(), r"0°\d\d&#x27; toe-in")

    def test_a_reason_for_going_on_is_on_the_report(self):
        self.done.kit.refresh_from_db()
        job = self.in_hand
        job.rig["certified_until"] = "2020-01-31"
        job.save()
        self.assertContains(self.client.get(f"/jobs/{job.pk}/read/"), "certificate ran out")
        type_in(self.person, job, {"gate/certificate": "the test bench is closed for the winter"})
        seal_phase(self.person, job, Phase.BEFORE)
        page = self.client.get(reverse("reports:page", kwargs={"pk": job.pk}))
        self.assertContains(page, "the test bench is closed for the winter")
        self.assertNotContains(self.client.get(f"/jobs/{job.pk}/read/"), "certificate ran out")


class Sealed(TestCase):
    """A visit as it was sealed some time ago, and its report as it was read then: kept beside this file."""

    def setUp(self):
        put_out_the_demo()
        self.job, self.person = Job.objects.get(vehicle__unit="Van 9"), User.objects.get(username="mara")
        Seal.objects.filter(job=self.job).delete()
        for kept in json.loads((HERE / "sealed_visit.json").read_text()):
            at = kept.pop("at")
            seal = Seal.objects.create(job=self.job, by=self.person, **kept)
            Seal.objects.filter(pk=seal.pk).update(at=at)

    def printed(self, style):
        self.person.angle_style = style
        return self.of(self.job)

    def of(self, job):
        shown = render_to_string("reports/print.html", {"report": report_of(job, self.person), "printed": []})
        # When it was put into this database's chain is no part of it.
        return re.sub(r"\. Its link in the chain of seals: [0-9a-f-]+", "", shown)

    def test_a_sealed_report_is_the_same_word_for_word_with_a_newer_core(self):
        newer = {
            "alignment.quantities.say": lambda *_: "said otherwise", "alignment.words.sayback.say_back": lambda *_: ["anew"],
            "alignment.judge.diagnose.RULES": (), "alignment.procedure.stages.GATES": (), "alignment.__version__": "9",
            "alignment.judge.verdict.COVERAGE": 3.0, "alignment.judge.fitness.fitness": None, "alignment.words.front.HEADS": {}, "alignment.procedure.checklist.questions": lambda _: {},
        }  # fmt: skip
        lately = Job.objects.filter(vehicle__unit="Van 17", status="done").get()
        was = self.of(lately)
        for name, value in newer.items():
            self.enterContext(patch(name, value))
        self.assertIn("As left", was)
        self.assertEqual(self.of(Job.objects.get(pk=lately.pk)), was)
        vehicle = self.job.vehicle
        Vehicle.objects.filter(pk=vehicle.pk).update(unit="Van 900", make="Renamed")
        Job.objects.filter(pk=self.job.pk).update(rig={}, layout={}, specification={})
        self.job = Job.objects.get(pk=self.job.pk)
        for style in User.AngleStyle.values:
            # What was sealed before there was a style is said in degrees.
            as_then = "deg" if style == "mpm" else style
            kept = (HERE / f"sealed_visit_{as_then}.html").read_text()
            self.assertEqual(self.printed(style).split(), kept.split(), style)


class Simulated(TestCase):
    def test_only_a_demo_job_has_scales_to_look_at_and_they_show_the_same_twice(self):
        put_out_the_demo()
        person = User.objects.get(username="mara")
        with_truth, without = (Job.objects.get(vehicle__unit=f"Van {n}") for n in (14, 6))
        slot = "before/outboard_pair/2/left_mm"
        self.assertEqual(look_at_scales(person, without, [slot]), {})
        self.assertEqual(look_at_scales(person, with_truth, [slot]), look_at_scales(person, with_truth, [slot]))
        self.assertEqual(set(look_at_scales(person, with_truth, [slot, "no/such"])), {slot})
