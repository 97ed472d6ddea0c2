"""What a visit keeps besides readings: photos, marks, pauses, ends, corrections, looks repeated, and its papers."""

import io
import json
import struct
import subprocess
import sys
import tempfile
import zlib
from pathlib import Path
from unittest.mock import patch

from django.core.exceptions import PermissionDenied
from django.core.files.storage import default_storage
from django.test import TestCase
from django.utils import timezone
from PIL import Image
from pypdf import PdfReader
from uuid6 import uuid7

from alignment.judge.diagnose import diagnose
from alignment.procedure.checklist import TILTED, UNSAFE, tyre_slot, tyres
from alignment.procedure.stages import STAGES
from rectaxis.demo.business import put_behind, random_simulation
from rectaxis.demo.doing import look_over, read_all, type_in
from rectaxis.demo.extras import drawn_photo
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record import unpack
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Entry, Job, Mark, Photo, Seal
from rectaxis.record.pictures import PictureError, written_anew
from rectaxis.record.slot import AIM, DAMAGE, LEAN, Phase, Scale, of_damage
from rectaxis.record.snapshot import is_runout
from rectaxis.record.unpack import LONGEST_SIDE
from rectaxis.stages.history import history_of
from rectaxis.stages.rig import bar_said
from rectaxis.visit.actions.add_photo import add_photo
from rectaxis.visit.actions.correct_reading import correct_reading
from rectaxis.visit.actions.hold_job import HoldError, hold_job
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.actions.mark_damage import mark_damage
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from tests.demo import put_out_the_demo

SLOT = "before/outboard_pair/2/left_mm"


def jpeg(width=40, height=20, orientation=None, comment=None, **how):
    picture, out = Image.new("RGB", (width, height), (200, 10, 10)), io.BytesIO()
    exif = picture.getexif()
    if orientation:
        exif[0x0112] = orientation
    exif[0x8825] = {1: "N", 2: (56.0, 0.0, 0.0)}
    picture.save(out, "JPEG", exif=exif, comment=comment or b"", **how)
    return out.getvalue()


def bomb(width=50_000, height=50_000):
    """A small PNG that claims so many pixels."""

    def chunk(name, data):
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", header)
        + chunk(b"IDAT", zlib.compress(b"\0" * 10_000))
        + chunk(b"IEND", b"")
    )


class Pictures(TestCase):
    def test_a_photo_is_turned_upright_made_small_and_keeps_nothing_but_its_pixels(self):
        kept = written_anew(jpeg(60, 30, orientation=6, comment=b"left yard gate"))
        self.assertEqual((kept.width, kept.height), (30, 60))
        again = Image.open(io.BytesIO(kept.data))
        self.assertEqual(dict(again.getexif()), {})
        self.assertNotIn(b"left yard gate", kept.data)
        # A plain JPEG is unpacked smaller than it is.
        self.assertEqual(written_anew(jpeg(6_000, 4_300)).width, LONGEST_SIDE)
        wide = written_anew(jpeg(4000, 1000))
        self.assertEqual((wide.width, wide.height), (LONGEST_SIDE, LONGEST_SIDE // 4))

    def test_what_is_no_photo_is_refused_in_a_sentence(self):
        for raw, words in (
            (b"just some text", "not a photo that can be read"),
            (jpeg()[:300], "not a photo that can be read"),
            (b"\0" * 40_000_000, "40 MB; at most 25 MB fit"),
            (bomb(), "claims more pixels than a camera takes"),
            (bomb(10_000, 8_500), "claims more pixels than a camera takes"),
            (bomb(6_000, 6_000), "would unpack to more than 25 million"),
            (jpeg(6_000, 4_300, progressive=True), "would unpack to more than 25 million"),
            (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "not a photo"),
        ):
            with self.assertRaisesRegex(PictureError, words):
                written_anew(raw)

    def test_a_file_that_takes_the_memory_or_kills_the_program_that_unpacks_it_is_refused_and_nothing_else_comes_to_harm(
        self,
    ):
        png = io.BytesIO()
        Image.new("RGB", (5_900, 4_200)).save(png, "PNG")
        little = f"import sys; sys.path.insert(0, {str(Path(unpack.__file__).parent)!r}); import unpack; unpack.MEMORY = 200_000_000; unpack.main()"
        done = subprocess.run([sys.executable, "-c", little], input=png.getvalue(), capture_output=True, check=True)
        self.assertEqual(json.loads(done.stdout.partition(b"\n")[0]), {"refused": unpack.LARGE})
        with tempfile.NamedTemporaryFile("w", suffix=".py") as killer:
            killer.write("import os; os.kill(os.getpid(), 9)")
            killer.flush()
            with (
                patch.object(unpack, "__file__", killer.name),
                self.assertLogs("rectaxis.record.pictures", "WARNING"),
                self.assertRaisesRegex(PictureError, "not a photo that can be read"),
            ):
                written_anew(jpeg())
        self.assertEqual(written_anew(jpeg(60, 30)).width, 60)

    def test_the_program_that_unpacks_knows_no_secret_and_no_database(self):
        with tempfile.NamedTemporaryFile("w", suffix=".py") as tells:
            tells.write(
                'import os; print(\'{"refused": "bomb"}\' if any(\'RECTAXIS\' in name for name in os.environ) else \'{"refused": "none"}\')'
            )
            tells.flush()
            with patch.object(unpack, "__file__", tells.name), self.assertRaisesRegex(PictureError, "not a photo"):
                written_anew(jpeg())


class Keeping(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.person = User.objects.get(username="mara")
        cls.job = Job.objects.get(vehicle__unit="Van 21")

    def setUp(self):
        self.client.force_login(self.person)

    def test_the_same_photo_sent_twice_is_kept_once_and_can_be_taken_out_and_put_back(self):
        one, two = (add_photo(self.person, self.job, str(DAMAGE), "a.jpg", drawn_photo()) for _ in range(2))
        self.assertEqual(one.pk, two.pk)
        self.assertTrue(default_storage.exists(one.path))
        answer = self.client.get(f"/jobs/{self.job.pk}/photos/{one.pk}.jpg")
        self.assertEqual(answer["Content-Type"], "image/jpeg")
        self.client.post(f"/jobs/{self.job.pk}/photos/{one.pk}/aside/")
        self.assertEqual(Visit(self.job).journal.photos, {})
        self.client.post(f"/jobs/{self.job.pk}/photos/{one.pk}/aside/", {"back": "1"})
        self.assertEqual([p.pk for p in Visit(self.job).journal.photos[str(DAMAGE)]], [one.pk])
        self.assertEqual(Photo.objects.filter(job=self.job).count(), 1)

    def test_a_photo_belongs_to_a_place_of_this_job_and_only_a_technician_adds_one(self):
        others = Mark.objects.get(job__vehicle__unit="Van 9")
        for slot in ("look/nothing", f"{DAMAGE}/{others.pk}"):
            with self.assertRaises(PictureError):
                add_photo(self.person, self.job, slot, "a.jpg", drawn_photo())
        mark = mark_damage(self.person, self.job, uuid7(), 0.5, 0.5, "dent")
        add_photo(self.person, self.job, str(of_damage(mark.pk)), "dent.jpg", drawn_photo())
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/arrive/"), "dent.jpg, by Mara Tolland")
        with self.assertRaises(PermissionDenied):
            add_photo(User.objects.get(username="jonah"), self.job, str(DAMAGE), "a.jpg", drawn_photo())

    def test_damage_is_marked_once_for_a_key_and_nonsense_keeps_what_was_typed(self):
        key = str(uuid7())
        for _ in range(2):
            self.client.post(f"/jobs/{self.job.pk}/marks/", {"key": key, "x": "0.5", "y": "0.2", "what": "dent"})
        self.assertEqual(Mark.objects.filter(job=self.job).count(), 1)
        for x, what in (("", "dent above"), ("7", "dent above"), ("0.5", "")):
            answer = self.client.post(
                f"/jobs/{self.job.pk}/marks/", {"key": str(uuid7()), "x": x, "y": "0.2", "what": what}
            )
            self.assertContains(answer, what or "Say what the damage is", status_code=422)

    def test_a_job_pauses_goes_on_by_itself_when_typed_in_and_ends_with_a_reason(self):
        hold_job(self.person, self.job, "pause", "ferry")
        self.assertEqual(Job.objects.get(pk=self.job.pk).status, "paused")
        type_in(self.person, Job.objects.get(pk=self.job.pk), {"arrive/odometer": "90000"})
        self.assertEqual(Job.objects.get(pk=self.job.pk).status, "open")
        with self.assertRaises(HoldError):
            hold_job(self.person, self.job, "end", " ")
        hold_job(self.person, self.job, "end", "cracked spring")
        with self.assertRaisesRegex(ValueError, "ended early"):
            type_in(self.person, Job.objects.get(pk=self.job.pk), {"arrive/odometer": "90001"})
        self.assertEqual([event.what for event in Visit(self.job).journal.events], ["paused", "ended"])
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/history/"), "the job was ended early: cracked spring")

    def test_a_corrected_reading_supersedes_and_keeps_the_first_and_both_seals(self):
        first = seal_phase(self.person, self.job, Phase.BEFORE)
        was = Entry.objects.filter(job=self.job, slot=SLOT).order_by("-id").first()
        with self.assertRaisesRegex(ValueError, "already saved and sealed"):
            type_in(self.person, self.job, {SLOT: "31"})
        for slot, typed, reason in (
            (SLOT, "31", ""),
            (SLOT, "", "misread"),
            (SLOT, "wide", "misread"),
            ("rig/straps", "yes", "x"),
        ):
            with self.assertRaises(ValueError):
                correct_reading(self.person, self.job, slot, typed, reason)
        again = correct_reading(self.person, self.job, SLOT, "31", "read the wrong edge of the beam")
        self.assertEqual((first.revision, again.revision), (1, 2))
        self.assertNotEqual(first.digest, again.digest)
        self.assertEqual(Seal.objects.get(pk=first.pk).job_file, first.job_file)
        self.assertTrue(Entry.objects.filter(pk=was.pk, typed=was.typed).exists())
        lines = [line for _, of_day in history_of(Visit(self.job)) for line in of_day]
        self.assertTrue(any(line.superseded and was.typed in line.what for line in lines))
        self.assertContains(self.client.get(f"/reports/{self.job.pk}/"), "read the wrong edge of the beam")

    def test_a_sealed_before_does_not_move_when_the_rig_is_written_over(self):
        seal_phase(self.person, self.job, Phase.BEFORE)
        value = Visit(self.job).results(Phase.BEFORE).value("thrust_angle_deg")
        type_in(self.person, self.job, {"rig/ground": TILTED, "rig/bar/across": "2", "rig/bar/along": "1"})
        self.assertEqual(Visit(self.job).results(Phase.BEFORE).value("thrust_angle_deg"), value)

    def test_a_scale_looked_at_again_counts_with_its_mean_and_betters_what_is_known(self):
        job = Job.objects.get(vehicle__unit="Van 6")
        pair = {SLOT: "40", SLOT.replace("left", "right"): "46"}
        type_in(self.person, job, pair)
        once = Visit(job).results(Phase.BEFORE).estimates["thrust_angle_deg"]
        type_in(self.person, job, {f"{slot}/again-2": str(float(text) + 1) for slot, text in pair.items()})
        visit = Visit(job)
        twice = visit.results(Phase.BEFORE).estimates["thrust_angle_deg"]
        self.assertAlmostEqual(once.value, twice.value)
        # Two looks at each scale: better by the root of two, as the flags' whole uncertainty is the reading's.
        pair = next(r for r in visit.readings.read_now(Phase.BEFORE) if r["kind"] == "outboard_pair")
        self.assertAlmostEqual(0.5 / pair["u_mm"], 2**0.5, places=6)
        self.assertLess(twice.u, once.u)
        self.assertContains(self.client.get(f"/jobs/{job.pk}/read/"), "2 looks: mean 40.50 mm, spread 0.71 mm")

    def test_a_side_of_zero_is_said_in_words_with_the_kits_own_zone(self):
        job = Job.objects.get(vehicle__unit="Van 6")
        answer = self.client.post(f"/jobs/{job.pk}/entries/", {"entries": [
            {"id": str(uuid7()), "slot": f"before/toe_scales/1/{side}_mm", "typed": typed}
            for side, typed in (("left", "-1.5"), ("right", "2"))]}, content_type="application/json")  # fmt: skip
        self.assertEqual([saved["text"] for saved in answer.json()["results"]],
                         ["1.5 mm toe-out, grey", "2 mm toe-in, white"])  # fmt: skip

    def test_where_a_tool_was_put_is_refused_where_it_cannot_be_and_counts_where_it_can(self):
        job = Job.objects.get(vehicle__unit="Tractor 3")
        for slot, typed, words in (("swing/1/left/out_deg", "500", "at most 60°"),
                                   ("outboard_pair/1/far/ahead_mm", "0", "more than 0"),
                                   ("toe_gauge/2/baseline_mm", "40 m", "at most 30,000 mm")):  # fmt: skip
            with self.assertRaisesRegex(ValueError, words):
                type_in(self.person, job, {f"rig/place/{slot}": typed})
        type_in(self.person, job, {"rig/place/outboard_pair/1/far/ahead_mm": "4.1 m"})
        far = next(s for s in Visit(job).readings.stations if s.slot == "outboard_pair/1/far")
        self.assertEqual(far.reading["ahead_mm"], -4100)

    def test_nonsense_in_addresses_and_fields_breaks_no_page(self):
        at = f"/jobs/{self.job.pk}"
        for address in ("/jobs/new/?vehicle=x", "/jobs/new/?vehicle=%00", "/find/?q=%00a", "/find/?q=-", f"{at}/read/?setup=%00",
                        f"{at}/roll/?setup=99&sweep=1", f"{at}/photos/list/?slot=%00",
                        f"/fleets/{self.job.vehicle.fleet_id}/new-vehicle/?sister=x&pattern=%00"):  # fmt: skip
            self.assertEqual(self.client.get(address).status_code, 200, address)
        for address, data in (("marks/", {"key": str(uuid7()), "x": "nan", "y": "0", "what": "a\x00"}),
                              ("marks/", {"key": str(uuid7()), "x": "0.1", "y": "0.2", "what": "a\x00b"}),
                              ("hold/pause/", {"reason": "a\x00b"}), ("hold/burn/", {}),
                              ("correct/", {"slot": "\x00", "typed": "\x00", "reason": "\x00"})):  # fmt: skip
            self.assertIn(self.client.post(f"{at}/{address}", data).status_code, (200, 302, 422), address)

    def test_an_odometer_that_runs_backward_is_said_beside_it_and_stands_as_a_gate(self):
        van9 = Job.objects.get(vehicle__unit="Van 9")
        kit = Kit.objects.get(code="flag_lasers")
        real = open_job(self.person, van9.vehicle, kit, timezone.now())
        self.assertIsNone(real.odometer_was, "a simulated visit says nothing of a real one")
        job = open_job(self.person, van9.vehicle, kit, timezone.now(), simulation=van9.simulation)
        self.assertEqual(job.odometer_was, 82410)
        type_in(self.person, job, {"arrive/odometer": "81 000".replace(" ", "")})
        self.assertContains(self.client.get(f"/jobs/{job.pk}/arrive/"), "it runs backward")
        self.assertIn("odometer", [gate.code for gate in Visit(job).progress.gates("read")])

    def test_rims_out_of_the_clamps_reach_and_unsafe_parts_stand_as_gates(self):
        type_in(self.person, self.job, {"look/size/1": "445/50 R24.5", "look/part/1/joints": UNSAFE,
                                        "look/part/1/joints/why": "left rod end"})  # fmt: skip
        gates = {gate.code: gate.text for gate in Visit(self.job).progress.gates("read")}
        self.assertIn("rim/622", gates)
        self.assertTrue(any(text.startswith("Stop: ") for text in gates.values()))
        # Nothing goes on until it is put right, or the job is ended.
        for stopped in (lambda: seal_phase(self.person, self.job, Phase.BEFORE),
                        lambda: record_move(self.person, self.job, uuid7(), "A2 left tie rod", by="1")):  # fmt: skip
            with self.assertRaisesRegex(RecordError, "^Stop: .*ball joints"):
                stopped()
        self.assertNotContains(self.client.get(f"/jobs/{self.job.pk}/read/"), "gate/unsafe")
        for stage in STAGES:
            page = self.client.get(f"/jobs/{self.job.pk}/{stage.code}/")
            self.assertContains(page, "Stop: not safe to drive", msg_prefix=stage.code)
            self.assertContains(page, "left rod end", msg_prefix=stage.code)
            self.assertContains(page, "End the job</button>", msg_prefix=stage.code)
        type_in(self.person, self.job, {"look/part/1/joints": "worn"})
        self.assertTrue(seal_phase(self.person, self.job, Phase.BEFORE).pk)

    def test_what_the_level_bar_says_is_said_back_at_once_with_its_own_error(self):
        said = lambda: bar_said(Visit(self.job))  # noqa: E731 - asked again and again
        empty = {f"rig/bar/{code}": "" for code in ("across-turned", "along", "along-turned")}
        type_in(self.person, self.job, {"rig/ground": TILTED, "rig/bar/across": "0.5", **empty})
        self.assertEqual(len([line for line in said() if "turn the bar end for end" in line]), 1)
        # A fall of 0.42 to the right on a bar that shows 0.08 too much: 0.5 as laid, -0.34 turned. Common practice, no source.
        type_in(self.person, self.job, {"rig/bar/across-turned": "-0.34"})
        self.assertEqual(said()[0], "Across the ground falls 0.42° to the right; the bar itself is off by 0.08°.")
        self.assertIn("both across and along", said()[-1])
        type_in(self.person, self.job, {"rig/bar/along": "-1.2", "rig/bar/along-turned": "1.2"})
        self.assertIn("Along the ground falls 1.20° to the rear; the bar itself is off by 0.00°.", said())
        self.assertAlmostEqual(Visit(self.job).readings.tilt["roll_deg"], 0.42)
        type_in(self.person, self.job, {"rig/bar/along-turned": "-1.2"})
        self.assertTrue(any("signs wrong" in line for line in said()))

    def test_a_clamp_is_open_until_what_its_runout_came_to_is_accepted(self):
        job = open_job(self.person, self.job.vehicle, Kit.objects.get(code="frame_gauge_lasers"), timezone.now())
        put_behind(job, random_simulation(job.vehicle, job.kit, 6))
        look_over(self.person, job)
        self.assertEqual(Visit(job).progress.open_count("roll"), 0)
        wheel = next(s for s in Visit(job).readings.stations if is_runout(s))
        type_in(self.person, job, {str(Scale(Phase.BEFORE, wheel.slot, wheel.fields[0])): ""})
        self.assertEqual(Visit(job).progress.open_count("roll"), 1)

    def test_a_tyre_that_is_worn_the_same_way_is_a_cause_to_look_into(self):
        at = tyres(Visit(self.job).snapshot.vehicle, ())[0][0]
        for pattern, said in (("", 0), ("cups", 1)):
            type_in(self.person, self.job, {tyre_slot(at, "wear"): pattern})
            visit = Visit(self.job)
            evidence = visit.decisions.evidence(visit.results(Phase.BEFORE))
            self.assertEqual(sum(f.code.startswith("wear-that") for f in diagnose(evidence)), said, pattern)

    def test_what_the_technician_goes_for_is_what_is_advised(self):
        self.assertFalse(Visit(self.job).decisions.wishes.lean_in)
        type_in(self.person, self.job, {str(LEAN): "yes", str(AIM): "fewest"})
        wishes = Visit(self.job).decisions.wishes
        self.assertEqual((wishes.lean_in, wishes.aim), (True, "fewest"))

    def test_the_worksheet_prints_every_scale_and_quick_entry_takes_what_was_written(self):
        job = Job.objects.get(vehicle__unit="Tractor 3")
        pdf = self.client.get(f"/jobs/{job.pk}/worksheet.pdf").content
        text = "\n".join(sheet.extract_text() for sheet in PdfReader(io.BytesIO(pdf)).pages)
        for words in ("Worksheet: Tractor 3", "left axle 1 frame gauge, far", "Sweep", "Never trust a jack"):
            self.assertIn(words.lower(), text.lower())
        quick = self.client.get(f"/jobs/{job.pk}/quick/").content.decode()
        for station in Visit(job).readings.stations:
            for field in station.fields:
                self.assertIn(f'data-slot="before/{station.slot}/{field}"', quick)

    def test_what_to_read_next_is_answered_from_the_first_scale_to_the_last(self):
        job, seen = Job.objects.get(vehicle__unit="Trailer 5"), []
        look_over(self.person, job)
        for _ in range(40):
            found = self.client.get(f"/jobs/{job.pk}/read/next/").context
            if not Visit(job).readings.missing("before"):
                break
            station = "/".join(found["slot"].split("/")[1:-1])
            self.assertNotIn(station, seen)
            seen.append(station)
            visit = Visit(job)
            fields = next(s.fields for s in visit.readings.stations if s.slot == station)
            type_in(
                self.person, job, look_at_scales(self.person, job, [f"before/{station}/{field}" for field in fields])
            )
        self.assertEqual(Visit(job).readings.missing("before"), 0)

    def test_two_people_read_one_job_and_each_is_named(self):
        jonah = User.objects.get(username="jonah")
        User.objects.filter(pk=jonah.pk).update(role="technician")
        job = Job.objects.get(vehicle__unit="Van 6")
        type_in(self.person, job, {SLOT: "40"})
        type_in(User.objects.get(pk=jonah.pk), job, {SLOT.replace("left", "right"): "46"})
        lines = {line.who for _, of_day in history_of(Visit(job)) for line in of_day}
        self.assertEqual(lines, {"Mara Tolland", "Jonah Wick"})

    def test_a_fleet_sees_the_photos_of_its_own_handed_over_jobs_and_no_others(self):
        done = Job.objects.get(vehicle__unit="Van 9")
        open_photo = add_photo(self.person, self.job, str(DAMAGE), "a.jpg", drawn_photo())
        kept = Photo.objects.get(job=done)
        self.client.force_login(User.objects.get(username="post"))
        self.assertEqual(self.client.get(f"/jobs/{done.pk}/photos/{kept.pk}.jpg").status_code, 200)
        self.assertEqual(self.client.get(f"/jobs/{self.job.pk}/photos/{open_photo.pk}.jpg").status_code, 403)
        self.assertEqual(self.client.get(f"/jobs/{done.pk}/photos/{open_photo.pk}.jpg").status_code, 404)
        report = self.client.get(f"/reports/{done.pk}/")
        self.assertContains(report, f"{kept.pk}.jpg")

    def test_reading_everything_of_a_simulated_job_answers_every_open_question_of_reading(self):
        job = Job.objects.get(vehicle__unit="Loan car 2")
        look_over(self.person, job)
        read_all(self.person, job, "before")
        visit = Visit(job)
        self.assertEqual(
            [visit.progress.open_count(stage) for stage in ("arrive", "look", "rig", "roll", "read")], [0] * 5
        )


class Reasons(TestCase):
    def test_a_second_reason_counts_among_the_complaints_and_stands_on_the_record(self):
        put_out_the_demo()
        job, mara = Job.objects.get(vehicle__unit="Van 21"), User.objects.get(username="mara")
        type_in(mara, job, {"arrive/reason": "wheel-off-centre", "arrive/also": "pulls-left"})
        visit = Visit(job)
        evidence = visit.decisions.evidence(visit.results(Phase.BEFORE))
        self.assertEqual(evidence.complaints, {"wheel-off-centre", "pulls-left"})


class Quick(TestCase):
    def test_a_quick_toe_job_asks_for_what_a_toe_needs_and_nothing_else_is_open(self):
        put_out_the_demo()
        mara, van = User.objects.get(username="mara"), Vehicle.objects.get(unit="Van 14")
        for kit in Kit.objects.filter(code__in=("flag_lasers", "drive_over_plate")):
            whole = Visit(open_job(mara, van, kit, timezone.now()))
            quick = Visit(
                open_job(mara, van, kit, timezone.now(), scope="toe", simulation=random_simulation(van, kit, seed=3))
            )
            asked = [q for of_stage in quick.snapshot.questions.values() for q in of_stage if q.needed]
            self.assertLess(len(asked), 15, kit.code)
            self.assertLess(len(asked), sum(q.needed for of in whole.snapshot.questions.values() for q in of) - 15)
            self.assertNotIn("arrive/odometer", {q.slot for q in asked})
            look_over(mara, quick.job)
            read_all(mara, quick.job, "before")
            done = Visit(Job.objects.get(pk=quick.job.pk))
            self.assertEqual(
                [done.progress.open_count(stage) for stage in ("arrive", "look", "rig", "roll", "read")], [0] * 5
            )
            # One kit of the demo is out of its certificate: that is said of a quick job as of any.
            self.assertLessEqual({gate.code for gate in done.progress.gates("read")}, {"certificate"}, kit.code)
