"""A truck of five axles whose cameras go from axle to axle, both of its steered axles set with their track rods and drag links."""

from pathlib import Path

from django.utils import timezone

from alignment.adjust.hardware.rods import DragLink
from alignment.model.vehicle import SIDES
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from standins.yard import Yard
from tests.devices import YardTestCase
from tests.test_outbox import ALL

AXLES = range(1, 6)
TRUTH = {
    "axles/1/total_toe_deg": 0.35, "axles/1/bearing_deg": 0.02, "axles/2/total_toe_deg": 0.14, "axles/2/bearing_deg": 0.4,
    **{f"axles/{axle}/bearing_deg": 0.02 for axle in (3, 4, 5)}, **{f"axles/{axle}/total_toe_deg": 0.0 for axle in (3, 4, 5)},
    **{f"axles/{axle}/{side}/clamp/{part}_deg": 0.0 for axle in AXLES for side in SIDES for part in ("cosine", "sine")},
}  # fmt: skip


class AxleByAxle(YardTestCase):
    allowed_noise = ("net::ERR", "Failed to load resource")

    def setUp(self):
        super().setUp()
        self.cameras = Kit.objects.create(name="Cameras", code="frame_cameras")
        self.mara = User.objects.get(username="mara")
        self.job = open_job(self.mara, Vehicle.objects.get(unit="Rigid 12"), self.cameras, timezone.now())
        self.standin, _ = self.device(self.job, self.cameras, TRUTH)
        self.yard = Yard.load(Path(self.folder.name) / "S-7.json")

    def read(self, page, stage, phase, axle):
        """The cameras hang on one axle, and the page takes what they say by itself."""
        page.goto(f"/jobs/{self.job.pk}/{stage}/?setup={axle}")
        page.check("[data-live-auto]")
        wanted = [f"{phase}/outboard_pair/{axle}/{place}/{side}_mm" for place in ("near", "far") for side in SIDES]
        fields = [page.locator(f"[data-ruler] input[data-slot='{slot}']") for slot in wanted]
        self.wait_for(lambda: all(field.input_value() for field in fields))
        self.wait_for(lambda: page.evaluate(ALL) == [])

    def assert_true(self, results):
        for axle in AXLES:
            for name in ("total_toe_deg", "bearing_deg"):
                estimate = results.estimates[f"axles/{axle}/{name}"]
                self.assertLess(
                    abs(estimate.value - self.yard.truth[f"axles/{axle}/{name}"]), 4 * estimate.u, (axle, name)
                )

    def test_a_truck_of_five_axles_is_measured_and_set_axle_by_axle(self):
        page = self.signed_in(at=None)
        for axle in AXLES:
            self.read(page, "read", "before", axle)
        self.assert_true(Visit(self.job).results(Phase.BEFORE))
        seal_phase(self.mara, self.job, Phase.BEFORE)
        moved = []
        for _ in range(6):
            page.goto(f"/jobs/{self.job.pk}/set/")
            step = Visit(self.job).setting.in_hand()
            if step is None:
                break
            page.click("[data-in-hand] form[data-move] .go")
            self.wait_for(lambda: self.job.move_set.count() > len(moved))
            moved.append(step.hardware)
            for path, size in self.job.move_set.last().effect.items():
                self.yard.adjust({path: 0.9 * size})
                self.standin.do("adjust", path=path, by=0.9 * size)
            while stale := Visit(self.job).setting.out_of_date:
                self.read(page, "set", "set", stale[0].setup)
        self.assertTrue(any(isinstance(one, DragLink) for one in moved))
        for axle in AXLES:
            self.read(page, "prove", "after", axle)
        after = Visit(self.job).results(Phase.AFTER)
        self.assert_true(after)
        self.assertNotIn("outside", [verdict["verdict"] for verdict in after.as_dict()["verdicts"]])
