"""Setting vehicles in the browser, with simulated rulers that answer to the moves."""

from rectaxis.demo.doing import look_over, read_all, set_all
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from tests.browser import BrowserTestCase, expect
from tests.technician import Technician
from tests.truth import assert_truly_inside


class Setting(BrowserTestCase):
    def at_set(self, unit: str) -> Technician:
        """A vehicle that is read and sealed, at its Set stage."""
        person, job = User.objects.get(username="mara"), Job.objects.get(vehicle__unit=unit)
        look_over(person, job)
        read_all(person, job, "before")
        seal_phase(person, job, Phase.BEFORE)
        page = self.signed_in(at=f"/jobs/{job.pk}/set/")
        page.wait_for_selector("[data-saved][data-ready]")
        return Technician(page, job)

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
        at.make_the_move()
        at.read_again(by_button=True)
        at.job.refresh_from_db()
        set_all(at.person, at.job)
        moved = [move.adjuster for move in Visit(at.job).journal.moves]
        self.assertTrue(any("plate" in name for name in moved))
        self.assertTrue(any("rod" in name for name in moved))
        assert_truly_inside(self, at.job)
