"""What goes wrong in a yard: nothing typed is lost, and every refusal stands beside its field."""

import re
from threading import Thread

from django.db import connection

from rectaxis.jobs.actions.seal_phase import seal_phase
from rectaxis.jobs.models import Entry, Job, Seal
from rectaxis.people.models import User
from tests.browser import BrowserTestCase, expect

SLOT = "before/outboard_pair/2/left_mm"


class Typing(BrowserTestCase):
    allowed_noise = ("ERR_INTERNET_DISCONNECTED",)

    def open_read(self, context=None):
        page = self.sign_in(context=context)
        page.click("text=Van 6")
        page.click(".rail a:has-text('Read')")
        page.wait_for_selector(".rail a[aria-current]:has-text('Read')")
        return page

    def latest(self, slot=SLOT):
        return Entry.objects.filter(job__vehicle__unit="Van 6", slot=slot).order_by("-id").first()

    def test_nonsense_and_far_out_values_are_refused_beside_the_field_and_kept_in_it(self):
        page = self.open_read()
        field = page.locator(f"main [data-slot='{SLOT}']")
        note = page.locator("[data-hand-note]")
        for text, words in (("forty", "Cannot read"), ("400", "off the flag"), ("5 7/0", "Cannot read")):
            field.fill(text)
            field.blur()
            expect(note).to_contain_text(words)
            expect(field).to_have_value(text)
            expect(field).to_have_attribute("aria-invalid", "true")
        self.assertIsNone(self.latest())
        page.reload()
        expect(page.locator(f"main [data-slot='{SLOT}']")).to_have_value("5 7/0")
        page.locator(f"main [data-slot='{SLOT}']").fill("40")
        page.locator(f"main [data-slot='{SLOT}']").blur()
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual(self.latest().value, 40)

    def test_what_is_typed_while_the_server_is_gone_is_kept_and_sent_on_its_return(self):
        context = self.context()
        page = self.open_read(context)
        context.set_offline(True)
        page.locator(f"main [data-slot='{SLOT}']").fill("41.5")
        page.locator(f"main [data-slot='{SLOT}']").press("Enter")
        expect(page.locator("[data-saved]")).to_contain_text("1 not sent yet, kept on this device")
        self.assertIsNone(self.latest())
        context.set_offline(False)
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual((self.latest().typed, self.latest().value), ("41.5", 41.5))

    def test_a_save_for_a_job_that_is_gone_does_not_hold_up_the_others(self):
        page = self.open_read()
        gone = {
            "job": "gone",
            "url": "/jobs/01a208db-c625-792b-b69e-113c23cf63bc/entries/",
            "id": "x",
            "slot": "s",
            "typed": "1",
        }
        page.evaluate("item => localStorage.setItem('rectaxis-outbox', JSON.stringify([item]))", gone)
        page.reload()
        page.locator(f"main [data-slot='{SLOT}']").fill("42")
        page.locator(f"main [data-slot='{SLOT}']").press("Enter")
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual(self.latest().value, 42)
        page.wait_for_function("JSON.parse(localStorage.getItem('rectaxis-outbox'))[0].refused !== undefined")
        self.noise[:] = [line for line in self.noise if "404" not in line]

    def test_two_tabs_on_one_job_see_each_others_readings_and_the_later_one_counts(self):
        one = self.open_read()
        two = self.open_read()
        for page, text in ((one, "41"), (two, "43")):
            page.locator(f"main [data-slot='{SLOT}']").fill(text)
            page.locator(f"main [data-slot='{SLOT}']").press("Enter")
            expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        expect(one.locator(f"main [data-slot='{SLOT}']")).to_have_value("43", timeout=30_000)
        self.assertEqual(self.latest().value, 43)
        self.assertEqual(Entry.objects.filter(slot=SLOT, job__vehicle__unit="Van 6").count(), 2)

    def test_a_minus_flips_the_sign_where_the_scale_goes_below_zero(self):
        page = self.open_read()
        field = page.locator("main [data-slot='before/toe_scales/2/left_mm']")
        field.fill("1.5")
        field.press("-")
        expect(field).to_have_value("-1.5")
        field.press("-")
        expect(field).to_have_value("1.5")

    def test_number_keys_open_stages_and_the_question_mark_lists_the_keys(self):
        page = self.open_read()
        page.locator("h1").click()
        page.keyboard.press("?")
        expect(page.locator("#keys")).to_be_visible()
        self.assert_accessible(page)
        page.keyboard.press("Escape")
        page.keyboard.press("u")
        expect(page.locator(".notice")).to_contain_text("Preferences are saved")
        self.assertEqual(User.objects.get(username="mara").angle_style, "dms")
        page.keyboard.press("6")
        expect(page.locator(".rail a[aria-current]")).to_contain_text("Judge")


class SmallScreen(BrowserTestCase):
    size = (390, 844)

    def test_touch_alone_types_a_negative_reading_on_the_pad_and_walks_on(self):
        page = self.sign_in(context=self.context(has_touch=True, is_mobile=True))
        page.locator("text=Van 6").tap()
        page.locator(".rail a:has-text('Read')").tap()
        pad = page.locator(".pad")
        expect(pad).to_be_visible()
        slot = page.locator("[data-hand-input]").get_attribute("data-slot")
        for key in ("1", ".", "5", "sign", "enter"):
            pad.locator(f"[data-char='{key}']").tap()
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual(Entry.objects.get(slot=slot, job__vehicle__unit="Van 6").value, -1.5)
        self.assertNotEqual(page.locator("[data-hand-input]").get_attribute("data-slot"), slot)
        self.assert_accessible(page)

    def test_one_reading_is_typed_in_the_large_field_of_a_phone(self):
        page = self.sign_in()
        page.click("text=Van 6")
        page.click(".rail a:has-text('Read')")
        page.wait_for_selector("[data-hand-input]")
        slot = page.locator("[data-hand-input]").get_attribute("data-slot")
        page.locator("[data-hand-input]").fill("-0.8")
        page.click("text=Next scale")
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual(Entry.objects.get(slot=slot, job__vehicle__unit="Van 6").value, -0.8)
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)


class Sealing(BrowserTestCase):
    def test_two_at_once_seal_a_phase_once(self):
        job, person = Job.objects.get(vehicle__unit="Van 21"), User.objects.get(username="mara")
        sealed = []

        def seal():
            try:
                sealed.append(seal_phase(person, job, "before").pk)
            finally:
                connection.close()

        threads = [Thread(target=seal) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual((len(sealed), len(set(sealed))), (4, 1))
        self.assertEqual(Seal.objects.filter(job=job).count(), 1)


class Places(BrowserTestCase):
    def test_today_fleets_preferences_and_planning_are_accessible_and_a_fleet_viewer_sees_their_reports(self):
        page = self.page()
        page.goto("/sign-in/")
        self.assert_accessible(page)
        page = self.sign_in()
        for address in (
            "/",
            "/fleets/",
            "/preferences/",
            "/jobs/new/",
            "/jobs/read-in/",
            "/fleets/new/",
            "/specifications/new/",
            "/nowhere/",
        ):
            page.goto(address)
            self.assert_accessible(page)
        self.noise[:] = [line for line in self.noise if "404" not in line]
        page.goto("/preferences/")
        for theme in ("night", "sun"):
            page.locator(f"[value='{theme}']").check()
            page.click("text=Save")
            expect(page.locator("html")).to_have_attribute("data-theme", theme)
            page.goto("/")
            page.click("text=Van 21")
            page.click(".rail a:has-text('Read')")
            page.wait_for_selector("#plan-solved")
            self.assert_accessible(page)
            page.goto("/preferences/")
        viewer = self.sign_in("post")
        expect(viewer.locator("h1")).to_have_text("Harbour Post")
        viewer.click("text=Van 9, before and after")
        expect(viewer.locator(".report")).to_contain_text("Before and after")
        self.assert_accessible(viewer)
