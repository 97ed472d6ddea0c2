"""The record: what is typed, superseded, sealed and handed over."""

import datetime as dt
import json
import random

from django.core.exceptions import PermissionDenied
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from uuid6 import uuid7

from alignment.errors import JobFileError
from rectaxis.jobs.actions.hand_over import HandOverError, hand_over
from rectaxis.jobs.actions.lift_wheel import lift_wheel, put_down
from rectaxis.jobs.actions.open_job import open_job
from rectaxis.jobs.actions.read_in_job_file import read_in_job_file
from rectaxis.jobs.actions.record_move import MoveError, record_move, undo_move
from rectaxis.jobs.actions.save_entries import save_entries
from rectaxis.jobs.actions.seal_phase import SealError, seal_phase
from rectaxis.jobs.demo import make_demo, read_all, set_all, slots_of
from rectaxis.jobs.models import Entry, Job, Seal, Taught
from rectaxis.jobs.work import Work
from rectaxis.people.models import User
from rectaxis.reports.content import report_of
from rectaxis.specs.models import Specification

SLOT = "before/outboard_pair/2/left_mm"


class Record(TestCase):
    @classmethod
    def setUpTestData(cls):
        make_demo()
        cls.person = User.objects.get(username="mara")
        cls.empty = Job.objects.get(vehicle__unit="Van 6")
        cls.in_hand = Job.objects.get(vehicle__unit="Van 21")
        cls.done = Job.objects.get(vehicle__unit="Van 9")

    def save(self, *fields, job=None, person=None):
        items = [{"id": str(key), "slot": slot, "typed": typed} for key, slot, typed in fields]
        return [saved.status for saved in save_entries(person or self.person, job or self.empty, items)]


class Saving(Record):
    def test_a_repeated_save_is_harmless(self):
        key = uuid7()
        self.assertEqual(self.save((key, SLOT, "40")) + self.save((key, SLOT, "40")), ["saved", "saved"])
        self.assertEqual(Entry.objects.filter(job=self.empty).count(), 1)

    def test_a_corrected_reading_supersedes_and_keeps_the_first(self):
        self.save((uuid7(), SLOT, "40"))
        self.save((uuid7(), SLOT, "41"))
        self.assertEqual(Work(self.empty).current[SLOT].value, 41)
        self.assertEqual(
            list(Entry.objects.filter(job=self.empty).order_by("id").values_list("value", flat=True)), [40, 41]
        )

    def test_the_order_of_arrival_does_not_matter(self):
        first, second = uuid7(), uuid7()
        self.save((second, SLOT, "41"))
        self.save((first, SLOT, "40"))
        self.assertEqual(Work(self.empty).current[SLOT].value, 41)

    def test_a_key_used_for_something_else_is_refused(self):
        key = uuid7()
        self.save((key, SLOT, "40"))
        self.assertEqual(self.save((key, SLOT, "50")), ["refused"])
        self.assertEqual(self.save((key, SLOT, "40"), job=self.in_hand), ["refused"])
        self.assertEqual(Work(self.empty).current[SLOT].value, 40)

    def test_keys_that_are_no_keys_or_from_the_future_are_refused(self):
        ahead = uuid7().int + ((10 * 60 * 1000) << 80)
        for key in ("", "x", "5" * 32, f"{ahead:032x}"):
            self.assertEqual(self.save((key, SLOT, "40")), ["refused"], key)

    def test_what_no_field_takes_is_refused_with_a_sentence_and_the_rest_is_saved(self):
        answers = save_entries(self.person, self.empty, [
            {"id": str(uuid7()), "slot": slot, "typed": typed}
            for slot, typed in ((SLOT, "400"), (SLOT, "abc"), ("no/such", "1"), ("arrive/reason", "bored"),
                                ("arrive/noted", "x" * 2001), ("arrive/noted", "a\x00b"), ("arrive/odometer", "12"))
        ])  # fmt: skip
        self.assertEqual([answer.status for answer in answers], ["refused"] * 6 + ["saved"])
        self.assertIn("0 to 80 mm", answers[0].text)
        for answer in answers[:6]:
            self.assertTrue(answer.text.endswith(".") or "such as" in answer.text, answer.text)

    def test_odd_requests_get_a_plain_refusal(self):
        self.client.force_login(self.person)
        address = reverse("jobs:entries", kwargs={"pk": self.empty.pk})
        for body in ("", "[]", "{", '{"entries": 3}', '{"entries": [3]}', '{"entries": null}'):
            answer = self.client.post(address, body, content_type="application/json")
            self.assertEqual(answer.status_code, 400, body)
        self.assertEqual(self.client.get(f"/jobs/{self.empty.pk}/nowhere/").status_code, 404)
        self.assertEqual(self.client.get(f"/jobs/{self.empty.pk}/read/?setup=99999999999999999999").status_code, 200)

    def test_random_saves_never_break_a_page(self):
        rng = random.Random(5)
        slots = slots_of(self.empty, "roll") + slots_of(self.empty, "before")
        self.client.force_login(self.person)
        for _ in range(6):
            typed = [
                (uuid7(), rng.choice(slots), rng.choice(["", "0", "-4", "4", "80", "1/3", "x"])) for _ in range(12)
            ]
            self.save(*typed)
            for stage in ("roll", "read", "judge", "set", "prove", "hand-over"):
                self.assertEqual(self.client.get(f"/jobs/{self.empty.pk}/{stage}/").status_code, 200)

    def test_only_technicians_save(self):
        with self.assertRaises(PermissionDenied):
            self.save((uuid7(), SLOT, "40"), person=User.objects.get(username="jonah"))


class Sealing(Record):
    def test_a_sealed_phase_takes_no_more_readings_and_a_second_seal_is_the_first(self):
        first = seal_phase(self.person, self.in_hand, "before")
        self.assertEqual(seal_phase(self.person, self.in_hand, "before").pk, first.pk)
        self.assertEqual(self.save((uuid7(), SLOT, "40"), job=self.in_hand), ["refused"])

    def test_nothing_read_or_no_before_cannot_be_sealed(self):
        with self.assertRaises(SealError):
            seal_phase(self.person, self.empty, "before")
        with self.assertRaises(SealError):
            seal_phase(self.person, self.in_hand, "after")
        with self.assertRaises(HandOverError):
            hand_over(self.person, self.in_hand)

    def test_later_edits_of_vehicle_and_specification_never_change_a_report(self):
        before = report_of(self.done, self.person)
        Specification.objects.update(rows=[])
        vehicle = self.done.vehicle
        vehicle.layout["vehicle"]["axles"][1]["position_mm"] = 9000
        vehicle.save()
        after = report_of(Job.objects.get(pk=self.done.pk), self.person)
        self.assertEqual(before.groups, after.groups)
        self.assertEqual(before.job_file(), after.job_file())

    def test_a_reason_stays_as_it_was_given_whatever_the_day_and_whatever_is_sealed_later(self):
        job = self.in_hand
        job.planned_at -= dt.timedelta(days=400)
        job.rig["certified_until"] = (job.planned_at - dt.timedelta(days=12)).date().isoformat()
        job.save()
        self.save((uuid7(), "gate/certificate", "bench closed"), (uuid7(), "gate/before", "in a hurry"), job=job)
        record_move(self.person, job, uuid7(), "A2 left tie rod", by="1")
        seal_phase(self.person, job, "before")
        said = [(gate.text, entry.typed) for gate, entry in Work(job).reasons()]
        self.assertEqual(said[0], ("The kit's certificate ran out 12 days ago.", "bench closed"))
        self.assertEqual(said[1][1], "in a hurry")

    def test_a_job_that_is_handed_over_stays_as_it_is(self):
        self.assertEqual(self.save((uuid7(), "arrive/odometer", "5"), job=self.done), ["refused"])
        with self.assertRaises(MoveError):
            record_move(self.person, self.done, uuid7(), "A2 left tie rod", by="1")

    def test_the_demo_done_ends_inside(self):
        verdicts = Seal.objects.get(job=self.done, phase="after").results["verdicts"]
        self.assertEqual({v["verdict"] for v in verdicts} - {"inside", "undecided"}, set())
        before = Seal.objects.get(job=self.done, phase="before").results["verdicts"]
        self.assertIn("outside", {v["verdict"] for v in before})


class Setting(Record):
    def turn(self, adjuster="A2 left tie rod", by="2", to="", job=None):
        return record_move(self.person, job or self.in_hand, uuid7(), adjuster, by=by, to=to)

    def test_a_turn_puts_its_axles_scales_out_of_date_until_they_are_read_again(self):
        setting = Work(self.in_hand).setting
        step, marks = setting.in_hand(), setting.targets(setting.in_hand())
        self.assertEqual((step.hardware.axle, setting.standing.waiting), (2, frozenset()))
        self.turn(step.hardware.id, f"{step.to - step.start:g}")
        turned = Work(self.in_hand).setting
        self.assertIsNone(turned.results().value("axles/2/left/toe_deg"))
        self.assertIsNotNone(turned.results().value("axles/1/total_toe_deg"))
        self.assertTrue(turned.waiting(2))
        self.assertFalse(turned.waiting(1))
        self.assertNotIn(step.hardware.id, [s.hardware.id for s in turned.advice.steps if not step.cautious])
        still = turned.targets(None)
        self.assertGreaterEqual(len(marks), 4)
        self.assertEqual({s: round(v, 6) for s, v in marks.items()}, {s: round(v, 6) for s, v in still.items()})
        self.in_hand.refresh_from_db()
        read_all(self.person, self.in_hand, "set", axles=(2,))
        self.assertFalse(Work(self.in_hand).setting.waiting(2))

    def test_what_a_turn_did_is_learned_for_its_like_and_kept_for_the_model(self):
        self.in_hand.simulation["shares"] = {"tie_rod": 1.6}
        self.in_hand.layout["learned"] = {}
        self.in_hand.save()
        seal_phase(self.person, self.in_hand, "before")
        set_all(self.person, self.in_hand)
        learned = Work(self.in_hand).setting.learned
        self.assertTrue(learned.taught)
        for name in learned.taught:
            self.assertGreater(learned.of(name).share, 1.15)
            self.assertAlmostEqual(learned.of(name).share, 1.6, delta=3 * learned.of(name).u)
        read_all(self.person, self.in_hand, "after")
        seal_phase(self.person, self.in_hand, "after")
        kept = Taught.objects.filter(job=self.in_hand)
        self.assertEqual(
            {row.family for row in kept}, {o.family for o in Work(self.in_hand).hardware if o.id in learned.taught}
        )
        newer = open_job(self.person, self.empty.vehicle, self.in_hand.kit, timezone.now())
        name = next(iter(learned.taught))
        self.assertAlmostEqual(Work(newer).setting.learned.of(name).share, learned.of(name).share, delta=0.1)

    def test_a_move_is_taken_back_once_and_only_the_last_of_its_adjuster(self):
        first, second = self.turn(by="2"), self.turn(by="1")
        with self.assertRaisesRegex(MoveError, "Only the last"):
            undo_move(self.person, self.in_hand, uuid7(), first.pk)
        undo_move(self.person, self.in_hand, uuid7(), second.pk)
        setting = Work(self.in_hand).setting
        self.assertEqual(setting.positions, {"A2 left tie rod": 2.0})
        self.assertIn("taken back", Work(self.in_hand).turns()[-1][0])
        with self.assertRaises(MoveError):
            undo_move(self.person, self.in_hand, uuid7(), second.pk)

    def test_what_is_found_in_place_counts_and_what_cannot_be_in_place_is_refused(self):
        job = Job.objects.get(vehicle__unit="Loan car 7")
        name = "A1 left upper front mounting plate"
        self.assertEqual(self.save((uuid7(), f"found/{name}", "12"), job=job), ["refused"])
        self.assertEqual(self.save((uuid7(), f"found/{name}", "3"), job=job), ["saved"])
        move = self.turn(name, to="5", job=job)
        self.assertEqual((move.start, move.end), ("3", "5"))
        self.assertAlmostEqual(move.effect["axles/1/left/camber_deg"], 0.225)

    def test_a_lifted_wheels_readings_are_frozen_and_only_their_change_is_carried_over(self):
        slot = "camber/1/left/deg"
        ground = Work(self.in_hand).values("before")["camber/1/left"]["deg"]
        lift_wheel(self.person, self.in_hand)
        self.assertEqual(self.save((uuid7(), f"air/{slot}", "2.5"), job=self.in_hand), ["saved"])
        self.assertAlmostEqual(Work(self.in_hand).setting.held()["camber/1/left"]["deg"], ground)
        self.assertEqual(self.save((uuid7(), f"air/{slot}", "2.2"), job=self.in_hand), ["saved"])
        self.assertEqual(put_down(self.person, self.in_hand), 1)
        setting = Work(self.in_hand).setting
        self.assertIsNone(setting.lifted)
        self.assertAlmostEqual(setting.held()["camber/1/left"]["deg"], ground - 0.3, places=2)
        self.assertEqual(put_down(self.person, self.in_hand), 0)

    def test_what_is_left_alone_for_a_reason_is_not_advised_and_is_on_the_record(self):
        name = Work(self.in_hand).setting.in_hand().hardware.id
        self.assertEqual(self.save((uuid7(), f"skip/{name}", "seized, needs heat"), job=self.in_hand), ["saved"])
        setting = Work(self.in_hand).setting
        self.assertNotIn(name, [step.hardware.id for step in setting.advice.steps])
        self.assertEqual(setting.skipped, {name: "seized, needs heat"})

    def test_nothing_is_turned_after_the_after_is_sealed(self):
        seal_phase(self.person, self.in_hand, "before")
        read_all(self.person, self.in_hand, "after")
        seal_phase(self.person, self.in_hand, "after")
        with self.assertRaisesRegex(MoveError, "after is saved and sealed"):
            record_move(self.person, self.in_hand, uuid7(), "A2 left tie rod", by="1")

    def test_tilted_ground_is_taken_off_camber_while_adjusting_too(self):
        readings = [{"phase": "before", "kind": "ground", "roll_deg": 1.0, "pitch_deg": 0.0},
                    {"phase": "before", "kind": "camber", "axle": 1, "side": "left", "deg": -1.0}]  # fmt: skip
        document = {
            "format": "rectaxis-job",
            "version": 1,
            "vehicle": self.empty.layout["vehicle"],
            "readings": readings,
        }
        work = Work(read_in_job_file(self.person, self.empty.vehicle, json.dumps(document).encode()))
        for phase in ("before", "set"):
            self.assertAlmostEqual(work.results(phase).value("axles/1/left/camber_deg"), 0.0, places=9)

    def test_the_thrust_axle_comes_first(self):
        axles = [step.hardware.axle for step in Work(self.in_hand).setting.advice.steps]
        self.assertEqual(axles, sorted(axles, reverse=True))
        self.assertEqual(set(axles), {1, 2})

    def test_a_turn_is_recorded_once_and_within_reason(self):
        key = uuid7()
        for _ in range(2):
            record_move(self.person, self.in_hand, key, "A2 left tie rod", by="2")
        self.assertEqual(len(Work(self.in_hand).moves), 1)
        for adjuster, by in (("A2 left tie rod", "0"), ("A2 left tie rod", "61"), ("A2 left tie rod", "nan"),
                             ("A2 left tie rod", "0.3"), ("A2 left tie rod", "much"), ("A3 left tie rod", "1")):  # fmt: skip
            with self.assertRaises(MoveError):
                self.turn(adjuster, by)


class Files(Record):
    def test_a_file_with_repeats_and_ground_comes_back_as_it_went_in(self):
        readings = [
            {"phase": "before", "kind": "ground", "roll_deg": 0.5, "pitch_deg": -0.2},
            {"phase": "before", "kind": "camber", "axle": 1, "side": "left", "deg": -0.4},
            {"phase": "before", "kind": "camber", "axle": 1, "side": "left", "deg": -0.5},
            {"phase": "before", "kind": "camber", "axle": 1, "side": "left", "deg": -5.5, "clamp": "raw"},
            {"phase": "before", "kind": "camber", "axle": 1, "side": "right", "deg": -0.4, "u_deg": 0.1},
            {"phase": "after", "kind": "camber", "axle": 1, "side": "right", "deg": -0.2, "u_deg": 0.02},
            {"phase": "before", "kind": "runout", "axle": 2, "side": "left", "positions": [
                {"roll_deg": 0.0, "camber_deg": 0.1}, {"roll_deg": 0.0, "camber_deg": 0.2}, {"roll_deg": 180.0, "camber_deg": 0.1, "toe_deg": 0.3}]},
            {"phase": "before", "kind": "outboard_pair", "axle": 2, "ahead_mm": 900, "on": "frame", "left_mm": 300, "right_mm": 10},
        ]  # fmt: skip
        document = {
            "format": "rectaxis-job",
            "version": 1,
            "vehicle": self.empty.layout["vehicle"],
            "readings": readings,
        }
        job = read_in_job_file(self.person, self.empty.vehicle, json.dumps(document).encode())

        def key(reading):
            return json.dumps({k: float(v) if isinstance(v, int) else v for k, v in reading.items()}, sort_keys=True)

        again = Work(job).readings("before") + Work(job).readings("after")
        self.assertEqual(sorted(map(key, again)), sorted(map(key, readings)))

    def test_a_file_of_more_readings_than_a_page_can_hold_is_refused_at_once(self):
        many = [{"phase": "before", "kind": "camber", "axle": 1, "side": "left", "deg": 0.1}] * 501
        document = {"format": "rectaxis-job", "version": 1, "vehicle": self.empty.layout["vehicle"], "readings": many}
        with self.assertRaisesRegex(JobFileError, "/readings: a job here takes at most 500"):
            read_in_job_file(self.person, self.empty.vehicle, json.dumps(document).encode())

    def test_a_file_of_any_vehicle_opens_on_every_stage(self):
        rigid = {"role": "drive", "track_mm": 1830, "rigid": True}
        truck = [
            {"role": "steer", "position_mm": 0, "track_mm": 2050},
            rigid | {"position_mm": 3800},
            rigid | {"position_mm": 5150},
        ]
        frame = {
            "phase": "before",
            "kind": "outboard_pair",
            "ahead_mm": 1500,
            "on": "frame",
            "left_mm": 30,
            "right_mm": 34,
        }
        readings = [frame | {"axle": axle, "mount": f"m{axle}"} for axle in (1, 2, 3)]
        readings += [frame | {"axle": 2, "on": 3, "phase": "after", "right_mm": 3e5}]
        scrub = [{"quantity": "scrub_deg", "axles": [2, 3], "max": 0.1}, {"quantity": "offset_mm", "axle": 1, "max": 5}]
        trailer = [{"role": "trailer", "position_mm": 0, "track_mm": 1800}]
        self.client.force_login(self.person)
        for axles, read, spec in ((truck, readings, scrub), (truck, [], []), (trailer, [], [])):
            document = {
                "format": "rectaxis-job",
                "version": 1,
                "vehicle": {"axles": axles},
                "readings": read,
                "spec": spec,
            }
            job = read_in_job_file(self.person, self.empty.vehicle, json.dumps(document).encode())
            for stage in ("arrive", "look", "rig", "roll", "read", "judge", "set", "prove", "hand-over"):
                for part in ("", "live/"):
                    answer = self.client.get(f"/jobs/{job.pk}/{stage}/{part}", {"setup": "2"})
                    self.assertEqual(answer.status_code, 200, stage)

    def test_a_faulty_file_is_refused_with_every_fault_and_makes_nothing(self):
        self.client.force_login(self.person)
        from django.core.files.uploadedfile import SimpleUploadedFile

        before = Job.objects.count()
        for raw, words in ((b"not json", "is not JSON"), (b'{"format": 1}', "/vehicle: is missing"), (b"", "empty")):
            upload = SimpleUploadedFile("job.json", raw)
            answer = self.client.post("/jobs/read-in/", {"vehicle": self.empty.vehicle.pk, "file": upload})
            self.assertContains(answer, words, status_code=422)
        self.assertEqual(Job.objects.count(), before)


class Questions(Record):
    """How much the database is asked."""

    def count(self, do):
        do()
        with CaptureQueriesContext(connection) as caught:
            do()
        return len(caught)

    def test_the_job_page_and_one_fields_save_ask_little_whatever_the_history(self):
        self.client.force_login(self.person)
        page = f"/jobs/{self.in_hand.pk}/read/"
        few = self.count(lambda: self.client.get(page))
        for n in range(60):
            self.save((uuid7(), SLOT, str(n)), job=self.in_hand)
        self.assertEqual(self.count(lambda: self.client.get(page)), few)
        self.assertTrue(3 < few < 12, few)

        def save():
            body = {"entries": [{"id": str(uuid7()), "slot": SLOT, "typed": "44"}]}
            self.client.post(f"/jobs/{self.in_hand.pk}/entries/", body, content_type="application/json")

        self.assertTrue(3 < self.count(save) < 8 + 2)  # the two beyond are the savepoint of the action's transaction
