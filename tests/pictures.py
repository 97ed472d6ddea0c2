"""Pictures of the main views from the demo's data, for the README: ``./run shots``."""

import random
from pathlib import Path

from alignment.simulate.truth import random_truth
from rectaxis.demo.doing import look_over, read_all
from rectaxis.demo.rounds import make_rounds
from rectaxis.demo.years import STORIES, make_years
from rectaxis.fleets.layout import Layout
from rectaxis.people.models import User
from rectaxis.record.models import Job, Shot, Sighting
from rectaxis.record.slot import Phase
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.seal_phase import seal_phase
from tests.browser import BrowserTestCase, Far, expect
from tests.devices import YardTestCase

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


class Pictures(BrowserTestCase):
    def shoot(self, page: Far, name: str) -> None:
        page.wait_for_load_state("networkidle")
        page.screenshot(path=str(FOLDER / f"{name}.png"))

    def test_pictures(self):
        FOLDER.mkdir(parents=True, exist_ok=True)
        mara = User.objects.get(username="mara")
        job, done, tractor, car = (
            Job.objects.get(vehicle__unit=unit) for unit in ("Van 21", "Van 9", "Tractor 3", "Loan car 2")
        )
        page = self.signed_in()
        self.shoot(page, "today")
        again = Job.objects.get(vehicle__unit="Van 17", status="planned")
        for one in (tractor, car, again):
            look_over(mara, one)
            read_all(mara, one, "before")
        page.goto(f"/fleets/{tractor.vehicle.fleet_id}/new-vehicle/?pattern=tractor_6x4")
        self.shoot(page, "new-vehicle")
        for of, stage, name in (
            (again, "arrive", "arrive"), (tractor, "look", "look"), (tractor, "rig", "rig"), (car, "roll", "roll"),
            (tractor, "read/?setup=2", "read-truck"),
            (again, "judge", "judge"),
        ):  # fmt: skip
            page.goto(f"/jobs/{of.pk}/{stage}" + ("" if "?" in stage else "/"))
            self.shoot(page, name)
        page.goto(f"/specifications/{Specification.objects.get(make='Tarvane').pk}/")
        self.shoot(page, "figures")
        page.goto(f"/jobs/{job.pk}/read/")
        page.locator("[data-walkable]").nth(3).focus()
        self.shoot(page, "read")
        self.size = (390, 844)
        phone = self.signed_in(at=f"/jobs/{job.pk}/read/")
        self.size = (1280, 800)
        self.shoot(phone, "read-phone")
        User.objects.filter(pk=mara.pk).update(theme="night")
        struck = make_years(mara, STORIES[:1])[0]
        page.goto(f"/vehicles/{struck.pk}/years/")
        self.shoot(page, "years-night")
        User.objects.filter(pk=mara.pk).update(theme="day")
        seal_phase(mara, job, Phase.BEFORE)
        page.goto(f"/jobs/{job.pk}/set/")
        self.shoot(page, "set")
        page.goto(f"/jobs/{done.pk}/hand-over/")
        self.shoot(page, "hand-over")
        page.goto(f"/reports/{done.pk}/")
        self.shoot(page, "report")
        self.the_week(page)
        viewer = self.signed_in("post")
        self.shoot(viewer, "fleet")

    def the_week(self, page: Far) -> None:
        make_rounds(User.objects.get(username="jonah"))
        first = Job.objects.filter(status="planned", call__isnull=False).order_by("planned_at").first()
        page.goto(f"/rounds/?day={first.planned_at:%Y-%m-%d}")
        self.shoot(page, "week")


class LivePictures(YardTestCase):
    """With devices: the heads on a van, in the demo's own visit."""

    def test_pictures(self):
        job = Job.objects.get(vehicle__unit="Van 30")
        layout = Layout.from_json(job.layout).core
        truth = random_truth(layout.vehicle, layout.datum, random.Random("stand-in/Van 30"))
        self.device(job, job.kit, truth)
        page = self.signed_in(at=f"/jobs/{job.pk}/read/")
        expect(page.locator("[data-live].settled")).to_be_visible()
        page.wait_for_timeout(1500)
        page.screenshot(path=str(FOLDER / "live.png"))

    def test_pictures_of_cameras(self):
        job = Job.objects.get(vehicle__unit="Loan car 3")
        layout = Layout.from_json(job.layout).core
        truth = random_truth(layout.vehicle, layout.datum, random.Random("stand-in/Loan car 3"))
        standin, _ = self.device(job, job.kit, truth)
        page = self.signed_in(at=f"/jobs/{job.pk}/roll/")
        for degrees, words in ((0, "at rest"), (-11, "Rolled"), (-22, "Rolled"), (-31, "Rolled")):
            standin.do("roll", deg=degrees)
            page.click(f"#pictures button:has-text('{words}')")
            shots = Shot.objects.filter(job=job)
            self.wait_for(lambda shots=shots: shots.exists() and not shots.last().wanted)
        self.wait_for(
            lambda: Sighting.objects.filter(job=job, newest_shot=Shot.objects.filter(job=job).last().sequence).exists()
        )
        page.check("[data-look-on]")
        expect(page.locator("[data-guide-text]")).to_contain_text("Steer to the left")
        page.screenshot(path=str(FOLDER / "cameras.png"))
