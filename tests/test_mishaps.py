"""What goes wrong in a yard: nothing typed is lost, and every refusal stands beside its field."""

import re
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Thread

from django.db import connection

from rectaxis.demo.extras import drawn_photo
from rectaxis.fleets.models import Vehicle
from rectaxis.people.models import User
from rectaxis.record.models import Entry, Job, Photo, Seal
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.tests.test_visit import bomb, jpeg
from tests.browser import BrowserTestCase, expect

SLOT = "before/outboard_pair/2/left_mm"


class Typing(BrowserTestCase):
    allowed_noise = ("ERR_INTERNET_DISCONNECTED",)

    def open_read(self, context=None):
        return self.at_stage("Van 6", "read", context=context)

    def latest(self, slot=SLOT):
        return Entry.objects.filter(job__vehicle__unit="Van 6", slot=slot).order_by("-sequence").first()

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

    def test_a_number_off_its_scale_keeps_the_focus_and_is_announced_until_it_is_mended_or_left_on_purpose(self):
        page = self.open_read()
        here = "document.activeElement.dataset.slot"
        page.locator(f"main [data-slot='{SLOT}']").focus()
        for text in ("400", "forty"):
            page.keyboard.press("Control+a")
            page.keyboard.insert_text(text)
            page.keyboard.press("Enter")
            expect(page.locator("[data-hand-note][role='alert']")).to_contain_text(
                re.compile("off the flag|Cannot read")
            )
            self.assertEqual(page.evaluate(here), SLOT)
        page.keyboard.press("Enter")
        self.assertNotEqual(page.evaluate(here), SLOT, "a second Enter goes on")
        expect(page.locator("[data-saved]")).to_contain_text("1 refused")

    def test_an_answer_can_be_taken_back_and_what_is_marked_together_is_listed_and_undone(self):
        page = self.at_stage("Van 6", "look")
        page.wait_for_selector("[data-saved][data-ready]")
        worn = page.locator("[data-slot='look/part/1/joints'][value='worn']")
        worn.focus()
        page.keyboard.press("Space")
        expect(worn).to_be_checked()
        page.keyboard.press("Space")
        expect(worn).not_to_be_checked()
        self.assertEqual(page.locator("[data-slot^='look/part/'][value='sound']:checked").count(), 0)
        page.click("text=Mark what is not answered")
        count = page.locator("[data-rest-said] li").count()
        self.assertGreater(count, 3)
        page.click("#rest-mark")
        marked = page.locator("[data-slot^='look/part/'][value='sound']:checked, [value='not-asked']:checked")
        expect(marked).to_have_count(count)
        page.click("#rest-undo")
        expect(marked).to_have_count(0)
        for side, pressure in (("left", "2.4"), ("right", "2.9")):
            page.locator(f"[data-slot='look/tyre/1/{side}/pressure']").fill(pressure)
            page.locator(f"[data-slot='look/tyre/1/{side}/pressure']").blur()
        expect(page.locator("#remarks")).to_contain_text("Make them equal before measuring")

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

    def test_a_minus_flips_the_sign_where_the_scale_goes_below_zero(self):
        page = self.open_read()
        field = page.locator("main [data-slot='before/toe_scales/2/left_mm']")
        field.fill("1.5")
        field.press("-")
        expect(field).to_have_value("-1.5")
        field.press("-")
        expect(field).to_have_value("1.5")

    def test_what_is_being_typed_is_saved_when_the_screen_goes_dark(self):
        page = self.open_read()
        field = page.locator("[data-walkable]").first
        field.focus()
        page.keyboard.type("1.25")
        page.evaluate("""() => {
          Object.defineProperty(document, "visibilityState", { value: "hidden", configurable: true });
          document.dispatchEvent(new Event("visibilitychange"));
        }""")
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        slot = field.get_attribute("data-slot")
        self.assertEqual(Entry.objects.get(slot=slot, job__vehicle__unit="Van 6").typed, "1.25")

    def test_number_keys_open_stages_and_the_question_mark_lists_the_keys(self):
        page = self.open_read()
        page.locator("h1").click()
        page.keyboard.press("?")
        expect(page.locator("#help")).to_be_visible()
        expect(page.locator("#help")).to_contain_text("Read everything before anything is touched")
        page.click("#help summary:has-text('Words')")
        self.assert_accessible(page)
        page.keyboard.press("Escape")
        page.keyboard.press("u")
        expect(page.locator("#quick-style")).to_have_value("dms")
        page.keyboard.press("6")
        expect(page.locator(".rail a[aria-current]")).to_contain_text("Judge")
        # Who dictates turns single keys off: then they do nothing, and the stages are reached as before.
        User.objects.filter(username="mara").update(single_keys=False)
        page.reload()
        page.wait_for_selector("[data-saved][data-ready]")
        for key in ("3", "?", "u"):
            page.keyboard.press(key)
        expect(page.locator("#help")).to_be_hidden()
        expect(page.locator(".rail a[aria-current]")).to_contain_text("Judge")
        # The theme is changed from within the job, and the person stays where they were.
        page.click("[data-help]")
        page.select_option("#quick-theme", "night")
        page.click("#help button:has-text('Show it so')")
        expect(page.locator("html[data-theme='night']")).to_have_count(1)
        expect(page.locator(".rail a[aria-current]")).to_contain_text("Judge")


class Files(BrowserTestCase):
    allowed_noise = ("422", "ERR_INTERNET_DISCONNECTED", "Failed to fetch")

    def open_arrive(self, context=None):
        page = self.at_stage("Van 6", "arrive", context=context)
        page.wait_for_selector("[data-photos] input[type=file]", state="attached")
        return page

    def choose(self, page, *files):
        folder = Path(self.enterContext(TemporaryDirectory()))
        for name, data in files:
            (folder / name).write_bytes(data)
        page.set_input_files("[data-photos='arrive/damage'] input", [str(folder / name) for name, _ in files])

    def test_of_many_photos_the_good_are_kept_and_each_other_gets_a_clear_sentence(self):
        page = self.open_arrive()
        self.choose(page, ("gate.jpg", drawn_photo()), ("text.jpg", b"this is text"), ("huge.jpg", b"x" * 40_000_000),
                    ("bomb.jpg", bomb()), ("sill.jpg", jpeg(3000, 2000)))  # fmt: skip
        uploads = page.locator(".uploads")
        expect(uploads).to_contain_text("text.jpg: This file is not a photo that can be read")
        expect(uploads).to_contain_text("huge.jpg has 40 MB")
        expect(uploads).to_contain_text("bomb.jpg: This picture claims more pixels than a camera takes")
        expect(page.locator(".photos img")).to_have_count(2)
        self.assertEqual(
            [photo.name for photo in Photo.objects.filter(job__vehicle__unit="Van 6")], ["gate.jpg", "sill.jpg"]
        )
        self.assert_accessible(page)

    def test_a_photo_taken_without_signal_waits_and_goes_up_when_it_is_back(self):
        context = self.context()
        page = self.open_arrive(context)
        context.set_offline(True)
        self.choose(page, ("gate.jpg", drawn_photo()))
        expect(page.locator(".uploads")).to_contain_text("not sent yet, kept here")
        context.set_offline(False)
        expect(page.locator(".photos img")).to_have_count(1)

    def test_damage_is_marked_by_tapping_the_outline_and_by_words_alone(self):
        page = self.open_arrive()
        page.locator("[data-mark-here]").click(position={"x": 300, "y": 60})
        page.keyboard.type("dent in the side door")
        page.keyboard.press("Enter")
        expect(page.locator(".mark-list")).to_contain_text("dent in the side door")
        page.select_option("#mark-where", label="rear")
        page.fill("#mark-what", "cracked lamp")
        page.click("text=Mark it")
        expect(page.locator(".damage")).to_have_count(2)
        page.click("text=take off >> nth=0")
        expect(page.locator(".damage")).to_have_count(1)
        page.click("text=put it back")
        expect(page.locator(".damage")).to_have_count(2)
        page.fill("#mark-what", "a dent while the server is gone")
        page.context.set_offline(True)
        page.click("text=Mark it")
        expect(page.locator("[data-not-sent]")).to_be_visible()
        expect(page.locator("#mark-what")).to_have_value("a dent while the server is gone")

    def test_a_note_of_20_000_characters_is_refused_in_a_sentence_and_stays_where_it_was_typed(self):
        page, note = self.open_arrive(), "a rattle, " * 2000
        field = page.locator("[data-slot='arrive/noted']")
        field.fill(note)
        field.blur()
        said = page.locator("[data-note='arrive/noted']")
        expect(said).to_contain_text("At most 2,000 characters fit here; this is")
        page.reload()
        expect(field).to_have_value(note.strip())
        expect(said).to_contain_text("At most 2,000 characters")


class SmallScreen(BrowserTestCase):
    size = (390, 844)

    def test_touch_alone_types_a_negative_reading_on_the_pad_and_walks_on(self):
        page = self.at_stage("Van 6", "read", context=self.context(has_touch=True, is_mobile=True))
        pad = page.locator(".pad")
        expect(pad).to_be_visible()
        slot = page.locator("[data-hand-input][data-slot]").get_attribute("data-slot")
        for key in ("1", ".", "5", "sign", "enter"):
            pad.locator(f"[data-char='{key}']").tap()
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual(Entry.objects.get(slot=slot, job__vehicle__unit="Van 6").value, -1.5)
        self.assertNotEqual(page.locator("[data-hand-input]").get_attribute("data-slot"), slot)
        self.assert_accessible(page)

    def test_the_side_of_zero_is_chosen_in_words_and_nobody_types_a_sign(self):
        page = self.at_stage("Van 6", "read", context=self.context(has_touch=True, is_mobile=True))
        slot = page.locator("[data-hand-input][data-slot]").get_attribute("data-slot")
        page.locator(".sides button:has-text('top in')").tap()
        for key in ("0", ".", "8", "enter"):
            page.locator(f".pad [data-char='{key}']").tap()
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual(Entry.objects.get(slot=slot, job__vehicle__unit="Van 6").value, -0.8)
        page.locator("[data-walk='back']").tap()
        expect(page.locator("[data-hand-note]")).to_contain_text("0.8° top in, saved")
        expect(page.locator(".sides [data-side='-']")).to_have_attribute("aria-pressed", "true")

    def test_one_reading_is_typed_in_the_large_field_of_a_phone_and_no_stage_is_wider_than_it(self):
        page = self.at_stage("Van 6", "read")
        page.wait_for_selector("[data-hand-input]")
        slot = page.locator("[data-hand-input][data-slot]").get_attribute("data-slot")
        page.locator("[data-hand-input]").fill("-0.8")
        page.click("text=Next scale")
        expect(page.locator("[data-saved]")).to_contain_text(re.compile(r"^saved"))
        self.assertEqual(Entry.objects.get(slot=slot, job__vehicle__unit="Van 6").value, -0.8)
        for unit in ("Tractor 3", "Loan car 2"):
            job = Job.objects.get(vehicle__unit=unit)
            for stage in ("arrive", "look", "rig", "roll", "read", "judge", "prove", "hand-over"):
                page.goto(f"/jobs/{job.pk}/{stage}/")
                self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390, f"{unit} {stage}")


class Sealing(BrowserTestCase):
    def test_a_double_click_on_the_seal_seals_once(self):
        page = self.at_stage("Van 21", "judge")
        page.dblclick("text=Save the before")
        expect(page.locator(".notice")).to_have_count(1)
        expect(page.locator(".notice")).to_contain_text("The before is saved and sealed.")
        self.assertEqual(Seal.objects.filter(job__vehicle__unit="Van 21").count(), 1)

    def test_two_at_once_seal_a_phase_once(self):
        job, person = Job.objects.get(vehicle__unit="Van 21"), User.objects.get(username="mara")
        sealed = []

        def seal():
            try:
                sealed.append(seal_phase(person, job, Phase.BEFORE).pk)
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
    @staticmethod
    def with_keys():
        van = Vehicle.objects.get(unit="Van 9")
        job = van.jobs.get()
        new = f"/fleets/{van.fleet_id}/new-vehicle/?pattern=trailer_3"
        papers = [f"/jobs/{job.pk}/{paper}/" for paper in ("history", "worksheet", "quick")]
        return [f"/find/{van.pk}/", f"/jobs/new/?vehicle={van.pk}", new, *papers]

    def test_a_vehicle_is_found_while_typing_and_its_visit_is_planned(self):
        page = self.signed_in()
        page.keyboard.press("/")
        page.keyboard.type("st08")
        expect(page.locator(".found li")).to_have_count(1)
        page.click(".found >> text=Plan a visit")
        page.locator("label:has([name='kit']):has-text('Frame-gauge lasers')").click()
        page.click("button:has-text('Save')")
        expect(page.locator(".rail a[aria-current]")).to_contain_text("Arrive")
        newest = Job.objects.filter(vehicle__unit="Rigid 8").order_by("id").last()
        self.assertEqual(newest.kit.code, "frame_gauge_lasers")

    def test_today_fleets_preferences_and_planning_are_accessible_and_a_fleet_viewer_sees_their_reports(self):
        page = self.page()
        page.goto("/sign-in/")
        self.assert_accessible(page)
        page = self.signed_in(at=None)
        for address in (
            "/",
            "/fleets/",
            "/preferences/",
            "/jobs/new/",
            "/jobs/read-in/",
            "/fleets/new/",
            "/specifications/new/",
            "/specifications/",
            "/kits/",
            "/help/",
            "/preferences/password/",
            "/find/?q=van",
            "/reports/",
            "/letters/",
            "/asked/",
            *self.with_keys(),
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
        viewer = self.signed_in("post")
        expect(viewer.locator("h1")).to_have_text("Harbour Post")
        viewer.click(".standing li:has-text('Van 9') a:has-text('Report of')")
        expect(viewer.locator(".report")).to_contain_text("Before and after")
        self.assert_accessible(viewer)
