"""Setting vehicles in the browser, with simulated rulers that answer to the moves."""

from alignment.procedure.schools import SCHOOLS
from rectaxis.jobs.actions.seal_phase import seal_phase
from rectaxis.jobs.demo import look_over, read_all, type_in
from rectaxis.jobs.models import Job
from rectaxis.jobs.work import Work
from rectaxis.people.models import User
from tests.browser import BrowserTestCase, expect
from tests.technician import Technician


class Setting(BrowserTestCase):
    def at_set(self, unit: str, **answers: str) -> Technician:
        """A vehicle that is read and sealed, at its Set stage."""
        person, job = User.objects.get(username="mara"), Job.objects.get(vehicle__unit=unit)
        look_over(person, job)
        read_all(person, job, "before")
        seal_phase(person, job, "before")
        type_in(person, job, {slot.replace("__", "/"): text for slot, text in answers.items()})
        page = self.sign_in()
        page.goto(f"/jobs/{job.pk}/set/")
        page.wait_for_selector("[data-saved][data-ready]")
        return Technician(page, job)

    def assert_truly_inside(self, job: Job) -> None:
        """The hidden truth lies within the figures, but for what was said to be out of reach, or for what no kit can see."""
        job.refresh_from_db()
        setting = Work(job).setting
        beyond = {rule.path for rule in setting.advice.cannot}
        judged = 0
        for rule in setting.work.core.rules:
            estimate = setting.results().estimates[rule.path]
            truth = self.true_value(job, rule.path)
            if rule.path in beyond or estimate is None or truth is None:
                continue
            judged += 1
            self.assertGreaterEqual(truth, rule.minimum - 4 * estimate.u, rule.path)
            self.assertLessEqual(truth, rule.maximum + 4 * estimate.u, rule.path)
        self.assertGreaterEqual(judged, 4)

    @staticmethod
    def true_value(job: Job, path: str) -> float | None:
        truth = job.simulation["truth"]
        thrust = job.layout["vehicle"]["thrust_axle"]
        bearing = {
            axle: truth[f"axles/{axle}/bearing_deg"] for axle in range(1, len(job.layout["vehicle"]["axles"]) + 1)
        }
        derived = {"thrust_angle_deg": bearing[thrust], "steer_ahead_deg": bearing[1] - bearing[thrust],
                   "scrub_deg/2-3": bearing.get(3, 0.0) - bearing[2]}  # fmt: skip
        return derived.get(path, truth.get(path))

    def test_a_car_is_set_all_wheels_with_a_wheel_lifted_and_handed_over(self):
        at = self.at_set("Loan car 2")
        page = at.page
        expect(page.locator("#moves")).to_contain_text("All wheels")
        self.assert_accessible(page)
        self.lift_and_move(at)
        moved = at.set_everything()
        self.assertTrue({name[:2] for name in moved} >= {"A1", "A2"})
        self.assert_truly_inside(at.job)
        self.assert_accessible(page)
        self.leave_nothing_loose(at)
        at.go("prove")
        for number in range(2):
            at.open_tab(number)
            at.walk()
        at.answer("prove")
        at.press(page.locator("button:has-text('Save the after')"))
        expect(page.locator(".notice")).to_contain_text("The after is saved and sealed.")
        expect(page.locator("#strips .strip.outside:has-text('toe')")).to_have_count(0)
        at.go("hand-over")
        at.press(page.locator("button:has-text('Hand the job over')"))
        expect(page.locator(".notice")).to_contain_text("handed over")
        page.click("text=The report as a page")
        expect(page.locator(".report")).to_contain_text("Tightened:")
        expect(page.locator(".report")).to_contain_text("65 Nm")

    def lift_and_move(self, at: Technician) -> None:
        """The first move with the wheel in the air: only changes count, and they are carried over."""
        page = at.page
        name = page.locator("[data-in-hand]").get_attribute("data-in-hand")
        at.press(page.locator("button:has-text('I lift the wheel')"))
        expect(page.locator(".lifted")).to_contain_text("In the air since")
        self.assertEqual(
            page.locator("#plan-solved .target").count(), 0, "no mark before it is known how the wheel hangs"
        )
        slots = page.locator("[data-walkable]").evaluate_all("fields => fields.map(f => f.dataset.slot)")
        self.assertTrue(all(slot.startswith("air/") for slot in slots))
        hanging = at.shown("", slots)
        for slot in slots:
            at.type_at(slot, hanging[slot])
        at.saved()
        expect(page.locator("#plan-solved .target")).not_to_have_count(0)
        self.assertEqual(at.make_the_move(), name)
        at.job.refresh_from_db()
        turned = at.shown("", slots)
        for slot in [slot for slot in slots if turned[slot] != hanging[slot]]:
            at.type_at(slot, turned[slot])
        at.saved()
        at.press(page.locator("button:has-text('The wheel is down again')"))
        expect(page.locator(".notice")).to_contain_text("carried over")
        at.read_again()

    def leave_nothing_loose(self, at: Technician) -> None:
        page = at.page
        at.go("prove")
        expect(page.locator("#gates")).to_contain_text("Nobody wrote down")
        at.go("set")
        for field in page.locator("[data-slot^='torque/']").all():
            field.fill("65 Nm")
            field.blur()
        at.saved()
        at.go("prove")
        expect(page.locator("#gates .gate")).to_have_count(0)

    def set_in_school(self, school: str) -> list[int]:
        """Set the tractor in a school's order; answers with the axles in the order in which they were first moved."""
        at = self.at_set("Tractor 3", judge__school=school)
        moved = list(dict.fromkeys(int(name[1]) for name in at.set_everything()))
        self.assert_truly_inside(at.job)
        order = SCHOOLS[school].order(Work(at.job).core.vehicle)
        self.assertEqual(moved, [axle for axle in order if axle in moved])
        return moved

    def test_a_tractor_is_set_with_the_forward_drive_axle_first(self):
        self.assertEqual(self.set_in_school("thrust-axle-first")[0], 2)

    def test_a_tractor_is_set_from_the_rear_forward(self):
        self.assertEqual(self.set_in_school("rearmost-first")[0], 3)

    def test_a_sports_car_with_numbered_plates_is_set_and_a_move_is_left_alone_and_one_taken_back(self):
        at = self.at_set("Loan car 7")
        page = at.page
        expect(page.locator(".amount")).to_contain_text("plate")
        first = page.locator("[data-in-hand]").get_attribute("data-in-hand")
        page.click(".leave summary")
        page.fill("#skip-why", "bolt seized")
        page.locator("#skip-why").blur()
        expect(page.locator(".skipped")).to_contain_text("bolt seized")
        self.assertNotEqual(page.locator("[data-in-hand]").get_attribute("data-in-hand"), first)
        page.fill("input[data-slot^='skip/']:not(#skip-why)", "")
        page.locator("input[data-slot^='skip/']:not(#skip-why)").blur()
        expect(page.locator(f"[data-in-hand='{first}']")).to_be_visible()
        at.make_the_move()
        page.click(".made summary")
        at.press(page.locator("button:has-text('Take it back')"))
        expect(page.locator(".notice")).to_contain_text("taken back")
        at.read_again()
        other = page.locator(".coming a").last
        chosen = other.locator("b").inner_text()
        at.press(other)
        expect(page.locator(".move h2")).to_have_text(chosen)
        page.goto(f"/jobs/{at.job.pk}/set/")
        moved = at.set_everything()
        self.assertTrue(any("plate" in name for name in moved))
        self.assertTrue(any("rod" in name for name in moved))
        self.assert_truly_inside(at.job)
