"""The record: what is typed, superseded, sealed and handed over."""

import datetime as dt
import json
import random
from uuid import UUID

from django.core.exceptions import PermissionDenied
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from uuid6 import uuid7

from alignment.errors import JobFileError
from rectaxis.demo.doing import read_all, slots_of
from rectaxis.people.models import User
from rectaxis.record.errors import ClosedError
from rectaxis.record.models import Entry, Job, Seal
from rectaxis.record.slot import Phase
from rectaxis.record.tests.case import SLOT, Record
from rectaxis.reports.find import report_of
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.hand_over import HandOverError, hand_over
from rectaxis.visit.actions.read_in_job_file import read_in_job_file
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.save_entries import save_entries
from rectaxis.visit.actions.seal_phase import SealError, seal_phase
from rectaxis.visit.visit import Visit


def key_at(days):
    """A key as a device makes it whose clock is so many days off."""
    return UUID(int=uuid7().int + ((days * 86_400_000) << 80))


class Saving(Record):
    def test_a_repeated_save_is_harmless(self):
        key = uuid7()
        self.assertEqual(self.save((key, SLOT, "40")) + self.save((key, SLOT, "40")), ["saved", "saved"])
        self.assertEqual(Entry.objects.filter(job=self.empty).count(), 1)
        self.assertEqual(self.save((key, SLOT, "40"), (key, SLOT, "40")), ["saved", "saved"])

    def test_a_corrected_reading_supersedes_and_keeps_the_first(self):
        self.save((uuid7(), SLOT, "40"))
        self.save((uuid7(), SLOT, "41"))
        self.assertEqual(Visit(self.empty).readings.current[SLOT].value, 41)
        self.assertEqual(
            list(Entry.objects.filter(job=self.empty).order_by("sequence").values_list("value", flat=True)), [40, 41]
        )

    def test_the_servers_order_counts_whatever_the_clocks_of_the_devices_say(self):
        for days, typed in ((1, "40"), (-3000, "41"), (400, "42"), (0, "43")):
            key = key_at(days)
            self.assertEqual(self.save((key, SLOT, typed)), ["saved"])
            self.assertEqual(Visit(self.empty).readings.current[SLOT].text, typed)
            self.assertAlmostEqual((Entry.objects.get(pk=key).device_at - timezone.now()).days, days, delta=1)
        for key in (f"ffffffff-ffff-7fff-bfff-ffffffffff{n:02x}" for n in range(2)):
            self.assertEqual(self.save((key, SLOT, "44")), ["saved"])
        self.assertEqual(sorted(e.sequence for e in Entry.objects.filter(job=self.empty)), list(range(1, 7)))

    def test_what_somebody_else_typed_in_the_meantime_is_not_overruled_in_silence(self):
        first = self.answers((uuid7(), SLOT, "40"), replaces=[])[0]
        second = self.answers((uuid7(), SLOT, "41"), replaces=[first.entry])[0]
        self.assertEqual((second.status, second.counts), ("saved", "41"))
        unaware = self.answers((uuid7(), SLOT, "45"), replaces=[first.entry])[0]
        self.assertEqual((unaware.status, unaware.counts, unaware.entry), ("other counts", "41", second.entry))
        self.assertIn("Mara Tolland typed 41 here in the meantime, and that counts", unaware.text)
        self.assertEqual(Visit(self.empty).readings.current[SLOT].text, "41")
        self.assertTrue(Entry.objects.filter(job=self.empty, typed="45", counts=False).exists())
        aware = self.answers((uuid7(), SLOT, "45"), replaces=[unaware.entry])[0]
        self.assertEqual((aware.status, Visit(self.empty).readings.current[SLOT].text), ("saved", "45"))
        same = self.answers((uuid7(), SLOT, "45"), replaces=[])[0]
        self.assertEqual(same.status, "saved", "two who read the same agree")

    def test_a_save_whose_answer_was_lost_is_answered_with_what_counts_by_now(self):
        lost, later = uuid7(), uuid7()
        self.save((lost, SLOT, "40"))
        self.save((later, SLOT, "41"))
        again = self.answers((lost, SLOT, "40"), replaces=[])[0]
        self.assertEqual((again.status, again.counts, again.entry), ("saved", "41", str(later)))

    def test_a_repeat_of_what_did_not_count_is_answered_as_it_was(self):
        first, unaware = uuid7(), uuid7()
        self.save((first, SLOT, "40"))
        answers = [self.answers((unaware, SLOT, "45"), replaces=[])[0] for _ in range(2)]
        self.assertEqual({(one.counts, one.entry) for one in answers}, {("40", str(first))})
        self.assertEqual(Visit(self.empty).readings.current[SLOT].text, "40")

    def test_one_bad_item_fails_no_other(self):
        good = {"id": str(uuid7()), "slot": SLOT, "typed": "40"}
        bad = [
            {"id": str(uuid7()), "slot": SLOT, "typed": "4\ud800"}, {"id": str(uuid7()), "slot": "gate/before", "typed": "in a \ud800 hurry"}, {"id": str(uuid7()), "slot": "gate/\x00", "typed": "x"}, {"id": str(uuid7()), "slot": "found/\ud800", "typed": "x"},
            {"id": str(uuid7()), "slot": "gate/" + "x" * 300, "typed": "x"}, {"id": "\ud800", "slot": SLOT, "typed": "1"},
            {"id": str(uuid7()), "slot": "judge/anything", "typed": "x"}, {"id": str(uuid7()), "slot": "aim/for", "typed": "glory"},
            {"id": str(uuid7()), "slot": "gate/nothing", "typed": "x"}, {"id": str(uuid7()), "slot": "gate/rim/x", "typed": "x"},
            {"id": str(uuid7()), "slot": "judge/finding/none", "typed": "agreed"}, {"slot": SLOT}, {},
            {"id": str(uuid7()), "slot": "judge/finding/beam-axle/2/left", "typed": "perhaps"},
            {"id": str(uuid7()), "slot": f"{SLOT}/again-10", "typed": "40"}, {"id": str(uuid7()), "slot": "arrive/odometer/why", "typed": "x"},
            {"id": str(uuid7()), "slot": f"{SLOT}", "typed": ["40"]}, {"id": str(uuid7()), "slot": "set/runout/1/left/roll_0", "typed": "1"},
        ]  # fmt: skip
        self.client.force_login(self.person)
        body = json.dumps({"entries": [*bad, good]})
        answer = self.client.post(f"/jobs/{self.empty.pk}/entries/", body, content_type="application/json")
        self.assertEqual([one["status"] for one in answer.json()["results"]], ["refused"] * len(bad) + ["saved"])
        self.assertEqual(Entry.objects.filter(job=self.empty).count(), 1)

    def test_a_key_used_for_something_else_is_refused(self):
        key = uuid7()
        self.save((key, SLOT, "40"))
        self.assertEqual(self.save((key, SLOT, "50")), ["refused"])
        self.assertEqual(self.save((key, SLOT, "40"), job=self.in_hand), ["refused"])
        self.assertEqual(Visit(self.empty).readings.current[SLOT].value, 40)

    def test_keys_that_are_no_keys_are_refused(self):
        for key in ("", "x", "5" * 32):
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
        address = reverse("stages:entries", kwargs={"pk": self.empty.pk})
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
        first = seal_phase(self.person, self.in_hand, Phase.BEFORE)
        self.assertEqual(seal_phase(self.person, self.in_hand, Phase.BEFORE).pk, first.pk)
        self.assertEqual(self.save((uuid7(), SLOT, "40"), job=self.in_hand), ["refused"])

    def test_nothing_read_or_no_before_cannot_be_sealed(self):
        with self.assertRaises(SealError):
            seal_phase(self.person, self.empty, Phase.BEFORE)
        read_all(self.person, self.in_hand, "after")
        with self.assertRaisesRegex(SealError, "before first"):
            seal_phase(self.person, self.in_hand, Phase.AFTER)
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
        seal_phase(self.person, job, Phase.BEFORE)
        said = [(gate.text, entry.typed) for gate, entry in Visit(job).progress.reasons()]
        self.assertEqual(said[0], ("The kit's certificate ran out 12 days ago.", "bench closed"))
        self.assertEqual(said[1][1], "in a hurry")

    def test_a_job_that_is_handed_over_stays_as_it_is(self):
        self.assertEqual(self.save((uuid7(), "arrive/odometer", "5"), job=self.done), ["refused"])
        with self.assertRaises(ClosedError):
            record_move(self.person, self.done, uuid7(), "A2 left tie rod", by="1")

    def test_the_demo_done_ends_inside(self):
        verdicts = Seal.objects.get(job=self.done, phase="after").results["verdicts"]
        self.assertEqual({v["verdict"] for v in verdicts} - {"inside", "undecided"}, set())
        before = Seal.objects.get(job=self.done, phase="before").results["verdicts"]
        self.assertIn("outside", {v["verdict"] for v in before})


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

        again = Visit(job).readings.of_phase(Phase.BEFORE) + Visit(job).readings.of_phase(Phase.AFTER)
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
        self.assertTrue(3 < few < 13, few)

        def save():
            body = {"entries": [{"id": str(uuid7()), "slot": SLOT, "typed": "44"}]}
            self.client.post(f"/jobs/{self.in_hand.pk}/entries/", body, content_type="application/json")

        self.assertTrue(3 < self.count(save) < 9 + 2)  # the two beyond are the savepoint of the action's transaction
