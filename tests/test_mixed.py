"""A visit measured by two kits at once: heads that say their numbers in front, a tape that a person reads behind."""

from pathlib import Path

from django.utils import timezone

from alignment.model.vehicle import SIDES
from alignment.simulate.bodies import Bodies
from rectaxis.demo.doing import type_in
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from standins.yard import Yard
from tests.browser import expect
from tests.devices import YardTestCase

TRUTH = {
    "axles/1/total_toe_deg": 0.5, "axles/1/bearing_deg": 0.0, "axles/2/total_toe_deg": 0.16, "axles/2/bearing_deg": 0.03,
    "axles/1/left/camber_deg": -0.42, "axles/1/right/camber_deg": -0.6, "axles/2/left/camber_deg": -1.1, "axles/2/right/camber_deg": -0.9,
} | {f"axles/1/{side}/clamp/{part}_deg": 0.0 for side in SIDES for part in ("cosine", "sine")}  # fmt: skip


class Mixed(YardTestCase):
    allowed_noise = ("net::ERR", "Failed to load resource")

    def setUp(self):
        super().setUp()
        self.heads, self.tape = (
            Kit.objects.create(name=n, code=c) for n, c in (("Heads", "wheel_heads"), ("Tape", "straightedge_tape"))
        )
        self.mara = User.objects.get(username="mara")
        self.job = open_job(
            self.mara, Vehicle.objects.get(unit="Van 9"), self.heads, timezone.now(), further=[self.tape]
        )
        self.standin, _ = self.device(self.job, self.heads, TRUTH, hangs=[1])
        self.yard = Yard.load(Path(self.folder.name) / "S-7.json")

    def read(self, page, stage, phase):
        """The front by the heads, by themselves; the rear by the tape, typed as it shows."""
        page.goto(f"/jobs/{self.job.pk}/{stage}/")
        page.click(".setups a:has-text('Heads on the front')")
        page.check("[data-live-auto]")
        for slot in (f"{phase}/sight/1/{side}/to-1/deg" for side in SIDES):
            field = page.locator(f"[data-ruler] input[data-slot='{slot}']")
            self.wait_for(lambda field=field: bool(field.input_value()))
        page.click(".setups a:has-text('Straightedge ahead of the rear')")
        bodies = Bodies(self.yard.vehicle, self.yard.truth)
        for station in Visit(self.job).snapshot.rig.stations:
            if station.slot not in ("tape_toe/2", "hub_square/2"):
                continue
            shown = bodies.shown(station.blank())
            for path in station.fields:
                field = page.locator(f"[data-ruler] input[data-slot='{phase}/{station.slot}/{path}']")
                field.fill(f"{shown[path]:.1f}")
                field.press("Enter")
        expect(page.locator("[data-saved]")).to_contain_text("saved")

    def assert_true(self, results):
        for path in ("axles/1/total_toe_deg", "axles/2/total_toe_deg"):
            estimate = results.estimates[path]
            self.assertLess(abs(estimate.value - self.yard.truth[path]), 4 * estimate.u, path)

    def test_heads_in_front_and_a_tape_behind_measure_one_vehicle(self):
        page = self.signed_in(at=None)
        for side in SIDES:
            stands = {"roll": TRUTH[f"axles/1/{side}/camber_deg"], "toe": TRUTH["axles/1/total_toe_deg"] / 2}
            type_in(self.mara, self.job, {
                f"before/runout/1/{side}/{what}_{turn}": f"{value:.2f}" for what, value in stands.items() for turn in (0, 180)
            })  # fmt: skip
        self.read(page, "read", "before")
        self.assert_true(Visit(self.job).results(Phase.BEFORE))
        seal_phase(self.mara, self.job, Phase.BEFORE)
        page.goto(f"/jobs/{self.job.pk}/set/")
        page.click("[data-in-hand] form[data-move] .go")
        self.wait_for(self.job.move_set.exists)
        for path, size in self.job.move_set.get().effect.items():
            self.yard.adjust({path: size})
            self.standin.do("adjust", path=path, by=size)
        self.read(page, "prove", "after")
        self.assert_true(Visit(self.job).results(Phase.AFTER))
        seal_phase(self.mara, self.job, Phase.AFTER)
        after = self.job.seal_set.get(phase="after").results
        self.assertLess(after["axles"][0]["total_toe_deg"]["value"], TRUTH["axles/1/total_toe_deg"])
        taken = {one.slot: bool(one.taken) for one in self.job.entry_set.filter(slot__startswith="after/")}
        self.assertTrue(taken["after/sight/1/left/to-1/deg"])
        self.assertFalse(taken["after/tape_toe/2/ahead_mm"])
