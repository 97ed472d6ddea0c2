"""Vehicles of one's own, from an empty program to the visit two weeks later: hidden truth on bodies, numbers by eye alone."""

import datetime as dt
from itertools import combinations
from typing import ClassVar

from django.utils import timezone

from alignment.adjust.hardware import hardware_of
from rectaxis.fleets.models import Vehicle
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.visit.visit import Visit
from tests.browser import BrowserTestCase, expect
from tests.yard import Fingers, OwnTechnician, Yard

PERSON, UNIT = "ana", "Unit 1"


class OwnVehicle(BrowserTestCase):
    """What the journeys share."""

    demo = False
    allowed_noise = ("422",)
    looked_over: ClassVar[set[tuple[str, str]]] = set()

    def assert_accessible_once(self, page, stage):
        """A stage's page, once for each way of working: what is found in it there does not hang on the vehicle."""
        if (type(self).__name__, stage) not in self.looked_over:
            self.looked_over.add((type(self).__name__, stage))
            self.assert_accessible(page)

    def begin(self, page, kit, pattern, adjusters=()):
        """The first person, a kit, a fleet and a vehicle with what adjusts on it, each on its screen."""
        page.goto("/")
        page.fill("[name='username']", PERSON)
        page.fill("[name='password']", "seven slow boats")
        page.click("button:has-text('Begin')")
        page.click(".begin a:has-text('Add your kit')")
        page.fill("[name='name']", "My kit")
        page.select_option("[name='code']", kit)
        page.click("main button:has-text('Save')")
        page.goto("/")
        page.click(".begin a:has-text('Add your first fleet')")
        page.fill("[name='name']", "Stack Timber")
        page.click("main button:has-text('Save')")
        page.click("a:has-text('Add a vehicle')")
        page.fill("[name='unit']", UNIT)
        page.click(f".patterns button[value='{pattern}']")
        page.wait_for_selector("table.axles tbody tr")
        page.click("main .go:has-text('Save the vehicle')")
        for kind, fields in adjusters:
            page.click("a:has-text('What adjusts')")
            page.goto(f"{page.url}?kind={kind}")
            for name, value in fields.items():
                if page.locator(f"select[name='{name}']").count():
                    page.select_option(f"[name='{name}']", value)
                else:
                    page.fill(f"[name='{name}']", value)
            page.click("main button:has-text('Add it')")
            expect(page.locator(".notice")).to_contain_text("Added")
            page.click(f"main a:has-text('{UNIT}, Stack Timber')")
        expect(page.locator("h1")).to_contain_text(UNIT)

    def plan(self, page, *, scope="all"):
        """A visit to the vehicle, opened."""
        page.click("a:has-text('Plan a visit')")
        page.locator("label:has-text('My kit') input").check()
        page.locator(f"[name='scope'][value='{scope}']").check()
        page.click("main button:has-text('Save')")
        page.wait_for_selector("[data-saved][data-ready]")
        return Job.objects.latest("planned_at")

    def prepare(self, at):
        for stage in ("arrive", "look", "rig"):
            at.go(stage)
            at.answer(stage)
            self.assert_accessible_once(at.page, stage)
        at.go("roll")
        at.read_gauges()
        at.answer("roll")

    def read_and_save(self, at):
        at.go("read")
        for number in range(at.page.locator(".setups nav a").count()):
            at.open_tab(number)
            at.walk()
        named = at.page.locator(".line-name[data-turned]").evaluate_all(
            "all => all.map(one => Number(one.getAttribute('y')))"
        )
        self.assertTrue(all(abs(a - b) > 17 for a, b in combinations(named, 2)), "names of lines stand on each other")
        at.go("judge")
        self.assert_accessible_once(at.page, "judge")
        at.press(at.page.locator("button:has-text('Save the before')"))
        expect(at.page.locator(".notice")).to_contain_text("The before is saved and sealed.")

    def prove_and_hand_over(self, at):
        """What was read last is confirmed, what was not is read."""
        at.go("prove")
        for number in range(at.page.locator(".setups nav a").count()):
            at.open_tab(number)
            at.read_all_in_view()
        at.answer("prove")
        at.press(at.page.locator("button:has-text('Save the after')"))
        expect(at.page.locator(".notice")).to_contain_text("The after is saved and sealed.")
        at.press(at.page.locator("button:has-text('Hand the job over')"))
        expect(at.page.locator(".notice")).to_contain_text("handed over")

    def assert_true(self, yard, phase, least):
        """What was found lies within four standard uncertainties of how the bodies stand."""
        results, compared = Visit(yard.job).results(phase), 0
        for path, estimate in results.estimates.items():
            truth = yard.true_value(path)
            if estimate is not None and truth is not None and estimate.u > 0:
                self.assertLess(abs(estimate.value - truth), 4 * estimate.u, path)
                compared += 1
        self.assertGreaterEqual(compared, least)

    def assert_set(self, yard):
        """The bodies stand within the figures, by what the kit can see."""
        visit = yard.visit()
        results, beyond = visit.results(Phase.AFTER), {rule.path for rule in visit.setting.advice.cannot}
        for rule in visit.snapshot.core.rules:
            estimate, truth = results.estimates[rule.path], yard.true_value(rule.path)
            if estimate is not None and truth is not None and rule.path not in beyond:
                self.assertGreaterEqual(truth, rule.minimum - 4 * estimate.u, rule.path)
                self.assertLessEqual(truth, rule.maximum + 4 * estimate.u, rule.path)

    def two_weeks_later(self, page, yard):
        """The next visit knows what is in place, how the vehicle was left, and what was typed of it."""
        Job.objects.update(planned_at=timezone.now() - dt.timedelta(days=14))
        vehicle = Vehicle.objects.get()
        stands = {one.id: one.in_place for one in hardware_of(vehicle.layout["adjusters"])}
        left = {
            one.id: one.standing_at(end if isinstance(end, str) else f"{end:g}").in_place
            for one, end in yard.made
            if one.in_place is not None
        }
        self.assertEqual({name: stands[name] for name in left}, left)
        page.goto("/")
        page.fill("#find", UNIT)
        page.click(f"#found a:has-text('{UNIT}')")
        again = self.plan(page)
        self.assertNotEqual(again.pk, yard.job.pk)
        self.assertGreaterEqual(page.locator(".last-time li").count(), len({one.id for one, _ in yard.made}))
        page.goto(f"/jobs/{again.pk}/judge/")
        self.assertGreater(page.locator("#strips .s-was-dot").count(), 0)
        return left


class ByKeyboard(OwnVehicle):
    def test_a_tractor_with_frame_gauges_whose_drive_axles_are_shimmed(self):
        page = self.page()
        shims = {"side": "both", "where": "seat", "thickness_mm": "0.8", "lever_mm": "1100", "most": "6"}
        self.begin(
            page, "frame_gauge_lasers", "tractor_6x4",
            [("spring_shims", {"axle": str(axle)} | shims) for axle in (2, 3)],
        )  # fmt: skip
        yard = Yard(self.plan(page), {
            "axles/1/bearing_deg": 0.21, "axles/1/total_toe_deg": 0.42, "axles/1/setback_mm": 2.0,
            "axles/2/bearing_deg": 0.16, "axles/2/setback_mm": 5.1, "axles/3/bearing_deg": -0.11, "axles/3/setback_mm": -3.5,
            "frame/bearing_deg": 0.05, "frame/offset_mm": 3.0,
            **{f"axles/1/{side}/{name}_deg": value for side in ("left", "right")
               for name, value in (("caster", 3.5), ("sai", 8.0), ("camber", 0.3))},
        }, share=0.9)  # fmt: skip
        at = OwnTechnician(page, yard, PERSON)
        self.prepare(at)
        self.read_and_save(at)
        self.assert_true(yard, Phase.BEFORE, 12)
        at.go("set")
        self.assert_accessible(page)
        moved = at.set_everything()
        self.assertEqual(moved[0][:2], "A2", "the forward drive axle first")
        for axle in (2, 3):
            both = {f"A{axle} {side} spring seat shims" for side in ("left", "right")}
            self.assertFalse(both <= set(moved), "shims on one side are not taken back by shims on the other")
        self.prove_and_hand_over(at)
        self.assert_true(yard, Phase.AFTER, 12)
        self.assert_set(yard)
        self.assertTrue(any("shims" in name for name in self.two_weeks_later(page, yard)))

    def test_a_car_with_mirrors_whose_camber_is_shimmed_to_figures_of_ones_own(self):
        page = self.page()
        shims = {"side": "both", "thickness_mm": "1.5", "pushes": "inboard", "height_mm": "320"}
        cams = {"axle": "2", "side": "both", "arm_mm": "240", "throw_mm": "4", "mark_deg": "5"}
        self.begin(page, "mirror_lasers", "car", [("arm_shims", {"axle": "1"} | shims), ("toe_cam", cams)])
        self.enter_figures(page)
        yard = Yard(self.plan(page), {
            "axles/1/bearing_deg": -0.18, "axles/1/total_toe_deg": -0.12, "axles/1/setback_mm": 2.0,
            "axles/1/left/camber_deg": 0.65, "axles/1/right/camber_deg": -0.4,
            "axles/2/bearing_deg": 0.02, "axles/2/total_toe_deg": 0.2, "axles/2/left/camber_deg": -0.9, "axles/2/right/camber_deg": -0.8,
            **{f"axles/1/{side}/{name}_deg": value for side in ("left", "right") for name, value in (("caster", 4.2), ("sai", 12.0))},
        }, share=0.85)  # fmt: skip
        at = OwnTechnician(page, yard, PERSON)
        self.choose_figures(page)
        self.prepare(at)
        at.open_tab(1)
        at.walk()
        self.read_and_save(at)
        self.assert_true(yard, Phase.BEFORE, 12)
        at.go("set")
        expect(page.locator("#moves")).to_contain_text("All wheels")
        self.lift_and_move(at)
        moved = at.set_everything()
        self.assertIn("A1 left upper arm shims", [*moved, *(one.id for one, _ in yard.made)])
        self.leave_nothing_loose(at)
        self.prove_and_hand_over(at)
        page.click("a:has-text('The report as a page')")
        expect(page.locator(".report")).to_contain_text("Tightened:")
        expect(page.locator(".report")).to_contain_text("65 Nm")
        self.assert_true(yard, Phase.AFTER, 12)
        self.assert_set(yard)
        self.assertGreater(len(self.two_weeks_later(page, yard)), 0)

    def enter_figures(self, page):
        """A set of one's own, as a table has them: degrees, and minutes."""
        page.goto("/specifications/new/")
        page.fill("[name='name']", "My table")
        page.fill("[name='make']", "Brannoch")
        page.fill("[name='model']", "Ketch 4")
        rows = (("Axle 1", "Total toe", "0", "0.3", "deg"), ("Axle 1", "Camber", "-45", "15", "min"),
                ("Axle 2", "Total toe", "0", "0.4", "deg"), ("The vehicle as a whole", "Steer ahead", "-0.1", "0.1", "deg"),
                ("The vehicle as a whole", "Thrust angle", "-0.1", "0.1", "deg"))  # fmt: skip
        for where, what, least, most, unit in rows:
            page.get_by_label(f"{where}, {what}, least").fill(least)
            page.get_by_label(f"{where}, {what}, most").fill(most)
            page.get_by_label(f"{where}, {what}, given in").select_option(unit)
        page.click("main .go:has-text('Save')")
        expect(page.locator(".notice")).to_contain_text("saved")
        page.goto("/")
        page.fill("#find", UNIT)
        page.click(f"#found a:has-text('{UNIT}')")

    def choose_figures(self, page):
        """Found by their name, since the vehicle has no make or model to find them by."""
        page.click("a:has-text('general practice')")
        page.fill("#q", "Ketch")
        page.keyboard.press("Enter")
        page.click("button[name='figures']:has-text('My table')")
        expect(page.locator(".notice")).to_contain_text("judged by My table")

    def lift_and_move(self, at):
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

    def leave_nothing_loose(self, at):
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


class ByTouch(OwnVehicle):
    size = (1180, 820)

    def test_a_van_with_flags_is_read_by_touch_on_a_tablet(self):
        page = self.page(self.context(has_touch=True))
        cams = {"axle": "2", "side": "both", "arm_mm": "240", "throw_mm": "4", "mark_deg": "5"}
        self.begin(page, "flag_lasers", "van", [("toe_cam", cams)])
        yard = Yard(self.plan(page), {
            "axles/1/bearing_deg": 0.14, "axles/1/total_toe_deg": 0.46, "axles/1/left/camber_deg": -0.4,
            "axles/1/right/camber_deg": -0.3, "axles/2/bearing_deg": -0.17, "axles/2/total_toe_deg": 0.1,
            "axles/1/left/clamp/cosine_deg": 0.2, "axles/1/left/clamp/sine_deg": -0.3,
            "axles/2/right/clamp/cosine_deg": -0.25, "axles/2/right/clamp/sine_deg": 0.2,
        }, share=1.1)  # fmt: skip
        at = Fingers(page, yard, PERSON)
        self.prepare(at)
        expect(page.locator(".clamp .accepted")).to_have_count(4)
        self.read_and_save(at)
        self.assert_true(yard, Phase.BEFORE, 8)
        at.go("set")
        self.assertEqual(at.make_the_move(), at.job.move_set.get().adjuster)


class OnAPhone(OwnVehicle):
    size = (390, 844)

    def test_a_car_over_the_plate(self):
        page = self.page(self.context(has_touch=True, is_mobile=True))
        self.begin(page, "drive_over_plate", "car")
        yard = Yard(self.plan(page), {"axles/1/total_toe_deg": 0.5, "axles/2/total_toe_deg": 0.15})
        self.quick(Fingers(page, yard, PERSON))
        self.assert_true(yard, Phase.AFTER, 2)
        self.assert_set(yard)

    def test_the_toe_of_a_car_with_two_heads_and_nothing_at_the_rear(self):
        page = self.page(self.context(has_touch=True, is_mobile=True))
        self.begin(page, "flag_lasers", "car")
        yard = Yard(self.plan(page, scope="toe"), {"axles/1/total_toe_deg": -0.35, "axles/1/bearing_deg": 0.1})
        at = Fingers(page, yard, PERSON)
        self.quick(at)
        self.assert_true(yard, Phase.AFTER, 1)
        self.assert_set(yard)
        page.click("a:has-text('The report as a page')")
        expect(page.locator(".report")).to_contain_text("thrust")

    def quick(self, at):
        """From arrival to hand-over, what is asked and no more."""
        self.prepare(at)
        self.read_and_save(at)
        at.go("set")
        self.assertGreaterEqual(len(at.set_everything()), 1)
        self.prove_and_hand_over(at)
