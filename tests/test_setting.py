"""Setting vehicles in the browser, with simulated rulers that answer to the moves."""

from alignment.procedure.schools import SCHOOLS
from rectaxis.demo.doing import look_over, read_all, type_in
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from tests.browser import BrowserTestCase, expect
from tests.technician import Technician
from tests.truth import assert_truly_inside


class Setting(BrowserTestCase):
    def at_set(self, unit: str, **answers: str) -> Technician:
        """A vehicle that is read and sealed, at its Set stage."""
        person, job = User.objects.get(username="mara"), Job.objects.get(vehicle__unit=unit)
        look_over(person, job)
        read_all(person, job, "before")
        seal_phase(person, job, Phase.BEFORE)
        type_in(person, job, {slot.replace("__", "/"): text for slot, text in answers.items()})
        page = self.sign_in()
        page.goto(f"/jobs/{job.pk}/set/")
        page.wait_for_selector("[data-saved][data-ready]")
        return Technician(page, job)

    def set_in_school(self, school: str) -> list[int]:
        """Set the tractor in a school's order; answers with the axles in the order in which they were first moved."""
        at = self.at_set("Tractor 3", judge__school=school)
        moved = list(dict.fromkeys(int(name[1]) for name in at.set_everything(by_button=True)))
        assert_truly_inside(self, at.job)
        order = SCHOOLS[school].order(Visit(at.job).snapshot.vehicle)
        self.assertEqual(moved, [axle for axle in order if axle in moved])
        return moved

    def test_a_tractor_is_set_from_the_rear_forward(self):
        self.assertEqual(self.set_in_school("rearmost-first")[0], 3)

    def test_a_sports_car_with_numbered_plates_is_set_and_a_move_is_left_alone_and_one_taken_back(self):
        at = self.at_set("Loan car 7")
        page = at.page
        expect(page.locator(".amount")).to_contain_text("plate")
        first = page.locator("[data-in-hand]").get_attribute("data-in-hand")
        page.click(".aims summary")
        page.click(".leave summary")
        why = page.locator(".leave input")
        why.fill("bolt seized")
        why.blur()
        expect(page.locator(".skipped")).to_contain_text("bolt seized")
        self.assertNotEqual(page.locator("[data-in-hand]").get_attribute("data-in-hand"), first)
        expect(why).to_have_value("")
        expect(page.locator(".aims")).to_have_attribute("open", "")
        again = page.locator(".skipped input")
        again.fill("")
        again.blur()
        expect(page.locator(f"[data-in-hand='{first}']")).to_be_visible()
        at.make_the_move()
        at.press(page.locator("#did button:has-text('I turned it back')"))
        expect(page.locator("#did")).to_contain_text("turned back")
        at.read_again()
        other = page.locator(".coming a").last
        chosen = other.locator("b").inner_text()
        at.press(other)
        expect(page.locator(".move h2")).to_have_text(chosen)
        page.goto(f"/jobs/{at.job.pk}/set/")
        moved = at.set_everything(by_button=True)
        self.assertTrue(any("plate" in name for name in moved))
        self.assertTrue(any("rod" in name for name in moved))
        assert_truly_inside(self, at.job)
