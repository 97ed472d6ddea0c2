"""A car with target cameras, from pairing to the report: pictures are taken, and what they tell is measured and set by."""

import json
from dataclasses import replace
from pathlib import Path

from django.utils import timezone

from alignment.jobfile import parse, solve_phase
from alignment.live.guide import FEWEST_ROLLS
from alignment.simulate.rolling import Moment
from rectaxis.demo.doing import look_over
from rectaxis.devices.actions.pair_device import pair_device
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Shot, Sighting
from rectaxis.record.slot import Phase
from rectaxis.reports.find import report_of
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.visit import Visit
from standins.cameras import CameraYard
from tests.browser import expect
from tests.devices import TOKEN, StandIn, YardTestCase

TRUTH = {
    "axles/1/total_toe_deg": 0.42, "axles/1/bearing_deg": 0.1, "axles/2/total_toe_deg": 0.3, "axles/2/bearing_deg": -0.12,
    "axles/1/left/camber_deg": -0.42, "axles/1/right/camber_deg": -0.85, "axles/2/left/camber_deg": -1.1,
    "axles/2/right/camber_deg": -0.7, "axles/1/left/caster_deg": 3.1, "axles/1/right/caster_deg": 3.6,
    "axles/1/left/sai_deg": 12.2, "axles/1/right/sai_deg": 12.9, "axles/1/setback_mm": 4.0, "axles/2/setback_mm": -3.0,
}  # fmt: skip
"""Bearings are those of the frame in which the car stands."""


class TargetCameras(YardTestCase):
    allowed_noise = ("net::ERR", "Failed to load resource")

    def setUp(self):
        super().setUp()
        self.kit = Kit.objects.create(name="Stand", code="target_cameras")
        self.mara = User.objects.get(username="mara")
        car = Vehicle.objects.get(unit="Loan car 2")
        self.job = open_job(self.mara, car, self.kit, timezone.now())
        path = Path(self.folder.name) / "C-1.json"
        path.write_text(
            json.dumps({"vehicle": self.job.layout["vehicle"], "truth": TRUTH, "kit": "target_cameras", "seed": 5})
        )
        self.standin, self.yard = StandIn(path, "C-1"), CameraYard.load(path)
        self.standins.append(self.standin)
        pair_device(self.mara, self.kit, self.standin.address, TOKEN)

    def take(self, page, words):
        """Press, and wait until what was taken is there."""
        count = Shot.objects.filter(job=self.job).count()
        page.click(f"#pictures button:has-text('{words}')")
        self.taken(count)

    def taken(self, count):
        """One more shot than so many is there, with what it told."""
        shots = Shot.objects.filter(job=self.job)
        self.wait_for(lambda: shots.count() > count and not shots.last().wanted)
        last = shots.last()
        rolled = shots.filter(phase=last.phase if last.phase != "set" else "before", move="roll").count()
        if last.found and rolled >= FEWEST_ROLLS and not (last.phase == "set" and last.move == "roll"):
            told = Sighting.objects.filter(job=self.job, newest_shot=last.sequence)
            self.wait_for(told.exists)

    def roll_and_sweep(self, page):
        """By the guide, where the cameras look all the time and a picture is taken where the vehicle stands still; then by presses."""
        page.check("[data-look-on]")
        says = page.locator("[data-guide-text]")
        self.standin.do("roll", deg=-5)
        expect(says).to_contain_text("back, 5° more")
        count = Shot.objects.filter(job=self.job).count()
        self.standin.do("roll", deg=-11)
        self.taken(count)
        page.uncheck("[data-look-on]")
        for do, degrees, words in (
            ("roll", -21, "Rolled"),
            ("roll", -32, "Rolled"),
            *(("steer", d, "Steered") for d in (10, 5, -5, -10)),
        ):
            self.standin.do(do, deg=degrees)
            self.take(page, words)
        page.check("[data-look-on]")
        expect(says).to_contain_text("Back to straight ahead")
        self.standin.do("steer", deg=0)
        expect(says).to_contain_text("Done")
        page.uncheck("[data-look-on]")

    def roll(self, page, first):
        for number, degrees in enumerate((0, -15, -30)):
            self.standin.do("roll", deg=degrees)
            self.take(page, "Rolled" if number else first)

    def assert_true(self, results, least):
        """What was found lies within four standard uncertainties of how the bodies stand."""
        truth, compared = self.results_of_the_bodies(), 0
        for path, value in truth.items():
            estimate = results.estimates.get(path)
            if estimate is not None and estimate.u > 0:
                self.assertLess(abs(estimate.value - value), 4 * estimate.u, path)
                compared += 1
        self.assertGreaterEqual(compared, least)

    def results_of_the_bodies(self):
        now = Moment("still", adjusted={at: self.yard._angles(*at) for at in self.yard.wheels})
        return replace(self.yard.scene, moments=(now,)).truth()

    def test_a_target_held_before_the_cameras_is_seen_on_the_page_that_calibrates_them(self):
        page = self.signed_in(at=f"/kits/{self.kit.pk}/devices/")
        page.click("a:has-text('Calibrate its cameras')")
        page.click("button:has-text('Begin a calibration')")
        self.standin.do("hold")
        page.click("button:has-text('Take a picture')")
        expect(page.locator(".field").first).to_contain_text("1 picture with a target")
        expect(page.locator(".field").first.locator("polygon")).to_have_count(1)
        self.assert_accessible(page)

    def test_a_car_is_measured_by_pictures_set_and_proved(self):
        look_over(self.mara, self.job)
        page = self.signed_in(at=f"/jobs/{self.job.pk}/roll/")
        # Pressed while nobody follows the devices: the pictures are asked for once somebody does.
        self.kill_follower()
        page.click("#pictures button:has-text('at rest')")
        self.wait_for(Shot.objects.filter(job=self.job).exists)
        self.follow()
        self.wait_for(lambda: not Shot.objects.get(job=self.job).wanted)
        page.reload()
        self.roll_and_sweep(page)
        self.assert_true(Visit(self.job).results(Phase.BEFORE), 12)
        page.goto(f"/jobs/{self.job.pk}/read/")
        expect(page.locator("[data-strip='axles/1/total_toe_deg'] .strip-text b")).to_contain_text("toe-in")
        self.assert_accessible(page)
        page.goto(f"/jobs/{self.job.pk}/judge/")
        page.click("button:has-text('Save the before')")
        expect(page.locator(".notice")).to_contain_text("The before is saved and sealed")
        self.assertGreater(self.set_all(page), 1)
        self.assert_true(Visit(self.job).results(Phase.SET), 12)
        page.goto(f"/jobs/{self.job.pk}/prove/")
        self.roll(page, "at rest")
        self.assert_true(Visit(self.job).results(Phase.AFTER), 12)
        page.click("button:has-text('Save the after')")
        expect(page.locator(".notice")).to_contain_text("The after is saved and sealed")
        after = self.job.seal_set.get(phase="after").results
        self.assertNotIn("outside", [one["verdict"] for one in after["verdicts"] if "toe" in one["quantity"]])
        # Both phases stand in one job file, each with how its own rows are known together.
        whole = report_of(self.job, self.mara).job_file()
        self.assertEqual(len([one for one in whole["readings"] if one["kind"] == "rig"]), 2)
        for phase, sealed in (("before", self.job.seal_set.get(phase="before").results), ("after", after)):
            again = solve_phase(parse(whole), phase).as_dict()
            self.assertEqual(again["axles"], sealed["axles"])

    def see_a_wheel_move(self, page):
        """Who hears the page is told what it shows, as it moves."""
        link = page.locator("[data-strip='axles/2/right/camber_deg'] .strip-text a")
        shown = link.locator("b").inner_text()
        self.yard.adjust({"axles/2/right/camber_deg": 0.05})
        self.standin.do("adjust", path="axles/2/right/camber_deg", by=0.05)
        expect(link.locator("b")).not_to_have_text(shown)
        heard = "a => (a.getAttribute('aria-label') || a.textContent).includes(a.querySelector('b').textContent)"
        self.assertTrue(link.evaluate(heard))

    def set_all(self, page):
        """Move what is advised, look again, and so on; how many moves it took. A target is covered and a camera knocked on the way."""
        for moves in range(12):
            page.goto(f"/jobs/{self.job.pk}/set/")
            if Visit(self.job).setting.in_hand() is None:
                return moves
            if moves == 0:
                page.check("[data-look-on]")
                self.see_a_wheel_move(page)
            count = self.job.move_set.count()
            page.click("[data-in-hand] form[data-move] .go")
            self.wait_for(lambda: self.job.move_set.count() > count)  # noqa: B023
            if moves == 0:
                expect(page.locator("[data-look-of]")).to_contain_text("It should come to")
                first = page.locator("[data-look-value]").inner_text()
            for path, size in self.job.move_set.last().effect.items():
                self.yard.adjust({path: 0.9 * size})
                self.standin.do("adjust", path=path, by=0.9 * size)
            expect(page.locator("#moves")).to_contain_text("Look again first")
            if moves == 0:
                # What the cameras see moves the page, and is not on the record.
                expect(page.locator("[data-look-value]")).not_to_have_text(first)
                self.assertFalse(Sighting.objects.filter(job=self.job, phase="set").exists())
                page.uncheck("[data-look-on]")
                self.standin.do("block", axle=2, side="left")
                self.take(page, "as it stands")
                expect(page.locator("#pictures")).to_contain_text("not seen: left rear")
                expect(page.locator("#moves")).to_contain_text("Not seen: left rear. Clear the view")
                self.standin.do("block", axle=2, side="left")
            if moves == 1:
                self.standin.do("knock", what="cameras")
                self.take(page, "as it stands")
                expect(page.locator("#pictures")).to_contain_text("was taken after the cameras were knocked")
                expect(page.locator("#moves")).to_contain_text("Look again first")
                self.roll(page, "Roll anew")
            self.take(page, "as it stands")
            expect(page.locator("#moves")).not_to_contain_text("Look again first")
        raise AssertionError("not set after 12 moves")
