"""Every stage for every kit that a person reads, on vehicles of every kind: all of it renders, and takes what it asks for."""

import re

from django.test import TestCase
from django.utils import timezone

from alignment.patterns import patterns
from alignment.procedure.stages import STAGES
from rectaxis.demo.business import make_library, make_people, random_simulation
from rectaxis.demo.doing import look_over, read_all, type_in
from rectaxis.fleets.forms import layout_of_pattern
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import OFFERED
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase, Trued
from rectaxis.record.snapshot import is_runout
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.actions.open_job import copies, open_job
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.decisions import KNOBS_TURNED
from rectaxis.visit.kits import KitError
from rectaxis.visit.visit import Visit

SAMPLES = (("flag_lasers", "truck_10x2"), ("mirror_lasers", "car"), ("frame_gauge_lasers", "tractor_6x4"),
           ("frame_gauge_lasers", "trailer_3_steered"), ("tyre_bars", "bus"), ("frame_flags", "truck_6x2_lift_behind"),
           ("straightedge_tape", "trailer_4"), ("drive_over_plate", "car_beam"),
           ("angle_gauge", "coach"), ("wheel_heads", "van"), ("frame_cameras", "bus"), ("flag_lasers", "car_rear_steer"), ("straightedge_tape", "trailer_1_drawbar"), ("target_cameras", "car"), ("target_cameras_posts", "truck_10x2"))  # fmt: skip


OF_A_KIT = ("rig", "roll", "read", "judge", "set", "prove")
"""Stages whose pages hang on the kit; the others are walked through once."""


class EveryStage(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.fleet = Fleet.objects.create(name="Harbour Post")
        cls.person = make_people(cls.fleet)
        cls.kits = make_library()

    def job(self, kit, pattern, scope="all"):
        layout = layout_of_pattern(patterns()[pattern])
        vehicle = Vehicle.objects.create(fleet=self.fleet, unit=f"{kit} {pattern} {scope}", layout=layout)
        made_up = random_simulation(vehicle, self.kits[kit], seed=1)
        return open_job(self.person, vehicle, self.kits[kit], timezone.now(), scope=scope, simulation=made_up)

    def test_the_samples_hold_every_kit_that_is_offered(self):
        self.assertEqual({kit for kit, _ in SAMPLES}, set(OFFERED))

    def test_every_stage_shows_itself_each_number_has_a_place_and_a_full_job_tells_what_its_kit_can_tell(self):
        self.client.force_login(self.person)
        for kit, pattern in SAMPLES:
            with self.subTest(kit=kit, pattern=pattern):
                job = self.job(kit, pattern)
                if pattern == "tractor_6x4":
                    self.walk_through(job, setups=1)
                if kit == SAMPLES[0][0]:
                    look_over(self.person, job)
                read_all(self.person, job, "before")
                shown = self.walk_through(job, stages=None if kit == SAMPLES[0][0] else OF_A_KIT)
                for station in Visit(job).readings.stations:
                    for field in station.fields:
                        self.assertIn(f'data-slot="before/{station.slot}/{field}"', shown)
                self.assert_tells_the_truth(Visit(job))

    def test_the_pages_of_a_visit_that_is_handed_over_take_nothing(self):
        self.client.force_login(self.person)
        job = self.job("flag_lasers", "van")
        look_over(self.person, job)
        read_all(self.person, job, "before")
        seal_phase(self.person, job, Phase.BEFORE)
        typed_in = re.compile(r"<(?:input|textarea|select)\b[^>]*\bdata-slot=[^>]*>", re.DOTALL)
        self.assertTrue(
            [field for field in typed_in.findall(self.walk_through(job, setups=1)) if "disabled" not in field]
        )
        hand_over(self.person, job)
        fields = typed_in.findall(self.walk_through(job))
        self.assertGreater(len(fields), 100)
        self.assertEqual([field for field in fields if "disabled" not in field], [])

    def test_a_page_is_told_nothing_until_something_is_newer_than_what_it_shows(self):
        self.client.force_login(self.person)
        job = self.job("tyre_bars", "van")

        def ask(shown):
            seen = re.search(r'id="seen" value="(\w+)"', shown).group(1)
            return self.client.get(f"/jobs/{job.pk}/arrive/live/", {"seen": seen})

        page = self.client.get(f"/jobs/{job.pk}/arrive/").content.decode()
        self.assertEqual((ask(page).status_code, ask(page).content), (204, b""))
        type_in(self.person, job, {"arrive/odometer": "120500"})
        newer = ask(page).content.decode()
        self.assertIn('data-slot="arrive/odometer" data-typed="120500"', newer)
        self.assertEqual(ask(newer).status_code, 204)
        other = copies(job.vehicle, [self.kits["straightedge_tape"]], "all", simulated=False)["rig"]
        Job.objects.filter(pk=job.pk).update(rig=other)
        self.assertEqual(ask(newer).status_code, 200)

    def walk_through(self, job, setups=None, stages=None):
        """Every page of a job, or those of some stages, joined; of the set-ups all, or the first few."""
        visit, pages = Visit(job), []
        # The first is what a page shows that asks for none.
        setups = [f"?setup={setup.number}" for setup in visit.snapshot.rig.setups[1:setups]]
        addresses = [
            f"{stage.code}/{query}"
            for stage in STAGES
            if stages is None or stage.code in stages
            for query in ("", *(setups if stage.code in ("roll", "read") else []))
        ]
        more = ("read/next/", "prove/live/", "worksheet/", "quick/")
        for address in (*addresses, *more, *(("look/live/", "history/") if stages is None else ())):
            answer = self.client.get(f"/jobs/{job.pk}/{address}")
            self.assertEqual(answer.status_code, 200, address)
            pages.append(answer.content.decode())
        return "".join(pages)

    def assert_tells_the_truth(self, visit):
        """Nothing is left to read, and every result lies within five standard uncertainties of the hidden truth."""
        self.assertEqual(visit.progress.open_count("read"), 0)
        truths = visit.job.simulation["truth"]
        off = [
            (path, estimate, truth)
            for path, estimate in visit.results(Phase.BEFORE).estimates.items()
            if estimate is not None and estimate.u > 0 and (truth := truths.get(path)) is not None
            and abs(estimate.value - truth) > 5 * estimate.u
        ]  # fmt: skip
        self.assertEqual(off, [])

    def test_the_quick_job_reads_toe_in_front_and_knows_no_thrust(self):
        job = self.job("flag_lasers", "van", scope="toe")
        look_over(self.person, job)
        read_all(self.person, job, "before")
        estimates = Visit(job).results(Phase.BEFORE).estimates
        self.assertIsNotNone(estimates["axles/1/total_toe_deg"])
        self.assertIsNone(estimates["thrust_angle_deg"])
        self.client.force_login(self.person)
        self.assertContains(self.client.get(f"/jobs/{job.pk}/judge/"), "Where the rear pushes is not known")
        with self.assertRaises(KitError):
            self.job("angle_gauge", "van", scope="toe")

    def test_a_kit_that_goes_axle_by_axle_is_rolled_and_read_at_one_stop(self):
        self.client.force_login(self.person)
        self.kits["flag_lasers"].goes = "axles"
        self.kits["flag_lasers"].save()
        job = self.job("flag_lasers", "van")
        first, second = Visit(job).snapshot.rig.setups
        roll, read = (f"/jobs/{job.pk}/{stage}/" for stage in ("roll", "read"))

        def clamps():
            return re.findall(r'aria-label="Runout, (\w+) (\w+) wheel"', self.client.get(roll).content.decode())

        self.assertEqual({axle for _, axle in clamps()}, {"rear"})
        self.assertNotContains(self.client.get(roll), "Read it now")
        read_all(self.person, job, "roll", axles=(first.heads,))
        trued = [s for s in Visit(job).readings.stations if is_runout(s) and s.reading["axle"] == first.heads]
        type_in(self.person, job, {str(Trued(s.slot)): KNOBS_TURNED for s in trued})
        read_all(self.person, job, "roll", axles=(first.heads,))
        self.assertContains(
            self.client.get(f"{roll}?setup={first.number}"), f'href="{read}?setup={first.number}">Read it now'
        )
        slots = [
            f"before/{s.slot}/{f}"
            for s in Visit(job).readings.of_stage(sweep=False)
            if s.setup == first.number
            for f in s.fields
        ]
        type_in(self.person, job, look_at_scales(self.person, job, slots))
        self.assertContains(self.client.get(f"{read}?setup={first.number}"), f'href="{roll}?setup={second.number}"')
        self.assertEqual({axle for _, axle in clamps()}, {"front"}, "the next axle is in hand")
