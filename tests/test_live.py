"""Devices in the yard: numbers that come by themselves are seen, taken and trusted, and what goes wrong is said."""

from pathlib import Path

from django.db import connection
from django.utils import timezone
from uuid6 import uuid7

from alignment.model.vehicle import SIDES, side_sign
from rectaxis.demo.data import MAKE, MODEL
from rectaxis.demo.doing import type_in
from rectaxis.devices.actions.pair_device import ask_device
from rectaxis.devices.models import Device
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import Phase
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.lift_wheel import lift_wheel
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.record_move import record_move
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.visit import Visit
from standins.yard import Yard
from tests.browser import expect
from tests.devices import TOKEN, HeadsTestCase
from tests.test_outbox import ALL

TRUTH = {
    "axles/1/total_toe_deg": 0.31, "axles/1/bearing_deg": 0.12, "axles/2/total_toe_deg": 0.2, "axles/2/bearing_deg": -0.16,
    "axles/1/left/camber_deg": -0.42, "axles/1/right/camber_deg": -0.85, "axles/2/left/camber_deg": -1.1,
    "axles/2/right/camber_deg": -0.7, "axles/1/left/caster_deg": 3.1, "axles/1/right/caster_deg": 3.6,
    "axles/1/left/sai_deg": 12.2, "axles/1/right/sai_deg": 12.9, "axles/1/setback_mm": 4.0, "axles/2/setback_mm": -3.0,
}  # fmt: skip
RESTING = """(rows => rows.length > 0 && rows.every(row => row.dataset.settled === "yes"))(
    [...document.querySelectorAll("[data-device-values] tr")])"""
STOPS = {
    "axles/1/left/lock_out_deg": 38.2, "axles/1/left/lock_in_deg": 32.9, "axles/1/right/lock_out_deg": 37.6,
    "axles/1/right/lock_in_deg": 33.4,
}  # fmt: skip


class WheelHeads(HeadsTestCase):
    allowed_noise = ("net::ERR", "Failed to load resource")
    PLAIN = 0.05  # degrees: what a move changes by so much is seen to be changed

    def open_read(self, script=""):
        page = self.signed_in(at=None)
        page.add_init_script(script)
        page.goto(f"/jobs/{self.job.pk}/read/")
        return page

    def test_what_the_heads_say_is_taken_once_it_has_settled_and_solved(self):
        _, device = self.device(self.job, self.heads, TRUTH)
        page = self.open_read(
            "const real = Date.now; Date.now = () => real() + Number(sessionStorage.getItem('late') || 0);"
        )
        expect(page.locator("[data-live].settled")).to_be_visible()
        # A scale that has not settled when it is pressed is not taken: the one in hand alone says nothing of the others.
        expect(page.locator("[data-ruler]:not(.settled)")).to_have_count(0)
        entries = Entry.objects.filter(job=self.job, counts=True)
        page.click("[data-live-take-all]")
        self.wait_for(lambda: entries.filter(slot__startswith="before/sight/").count() == 4)
        page.click("a:has-text('Heads on the rear')")
        page.wait_for_selector(".setups a[aria-current]:has-text('Heads on the rear')")
        # Now by itself, scale after scale.
        page.route("**/entries/", lambda route: route.abort())
        blank = page.context.request.get(page.url).body()
        page.check("[data-live-auto]")
        rulers = page.locator("[data-ruler] input[data-slot]")
        self.wait_for(lambda: rulers.evaluate_all("fields => fields.every(field => field.value)"))
        # What waits in the browser, and is saved long after it was taken, is not taken once more by a page that was made before that.
        page.evaluate("sessionStorage.setItem('late', '15000')")
        page.unroute("**/entries/")
        self.wait_for(lambda: entries.filter(slot__startswith="before/sight/").count() == 8)
        expect(page.locator("[data-saved]")).to_contain_text("saved")
        page.route(page.url, lambda route: route.fulfill(body=blank, content_type="text/html"))
        page.reload()
        self.wait_for(lambda: entries.filter(slot__startswith="before/camber/").count() == 4)
        page.wait_for_timeout(1500)
        self.wait_for(lambda: rulers.evaluate_all("fields => fields.every(field => field.value)"))
        slots = Entry.objects.filter(job=self.job).values_list("slot", flat=True)
        self.assertEqual(len(slots), len(set(slots)))
        kept = entries.filter(slot__startswith="before/sight/").first().taken
        self.assertEqual(
            (kept["serial"], kept["device"], kept["certified_until"]), ("S-7", str(device.pk), "2027-06-30")
        )
        self.assertGreaterEqual(kept["samples"], 5)
        results = Visit(self.job).results("before")
        for path in ("axles/1/total_toe_deg", "axles/2/total_toe_deg", "thrust_angle_deg"):
            truth = TRUTH.get(path, TRUTH["axles/2/bearing_deg"])
            estimate = results.estimates[path]
            self.assertLess(abs(estimate.value - truth), 4 * estimate.u, path)
        # Typing beside it stays possible, and says that a person did.
        field = page.locator("[data-hand-input]")
        field.fill("0.5")
        field.press("Enter")
        self.wait_for(lambda: entries.filter(typed__startswith="0.5", taken__isnull=True).exists())

    def test_trouble_is_said_and_nothing_in_trouble_is_taken(self):
        standin, _ = self.device(self.job, self.heads, TRUTH)
        page = self.open_read()
        said = page.locator("[data-live-trouble]")
        panel = page.locator("[data-live]")
        expect(page.locator("[data-live].settled")).to_be_visible()
        for do, more, words in (
            ("tilt", {"axle": 1, "side": "left"}, "the head is not level"), ("drained", {}, "Less than an hour"),
            ("swap", {"axle": 1, "side": "left"}, "belongs on another wheel"), ("nonsense", {}, "mean nothing"), ("block", {"axle": 2, "side": "right"}, "line of sight is blocked"),
        ):  # fmt: skip
            standin.do(do, **more)
            expect(said).to_contain_text(words)
            if more:
                expect(page.locator(f"[data-wheel='{more['axle']}/{more['side']}']")).to_have_class("wheel in-trouble")
                expect(page.locator("#plan-solved .trouble-word").first).to_be_visible()
            standin.do(do, **more)
        expect(said).not_to_contain_text("not level")
        standin.do("away")
        expect(said).to_contain_text("No connection to the device")
        expect(panel).to_contain_text("Nothing from a device")
        standin.do("away")
        expect(page.locator("[data-live].settled")).to_be_visible()
        standin.do("silent")
        expect(said).to_contain_text("said nothing for over a second")
        standin.do("silent")
        standin.do("knock", what="vehicle")
        expect(said).to_contain_text("The vehicle has moved")
        page.click("[data-live-take-all]")
        page.wait_for_timeout(300)
        self.assertFalse(Entry.objects.filter(job=self.job).exists())
        page.click("button:has-text('It stands as it did: go on')")
        expect(said).not_to_contain_text("The vehicle has moved")
        expect(page.locator("[data-live].settled")).to_be_visible()
        self.assertIn("/read/", page.url)
        standin.do("swap", axle=1, side="left")
        page.goto(f"/jobs/{self.job.pk}/rig/")
        expect(page.locator(".plan-still .crossed")).to_have_count(2)
        expect(page.locator("[data-live-trouble]")).to_contain_text("belongs on another wheel")

    def test_the_follower_is_killed_and_started_again_and_the_page_says_so_and_goes_on(self):
        self.device(self.job, self.heads, TRUTH)
        page = self.open_read()
        expect(page.locator("[data-live].settled")).to_be_visible()
        self.kill_follower()
        expect(page.locator("[data-live-trouble]")).to_contain_text("What follows the devices does not answer")
        # One that was entered before it ever answered, as in the demo, is known by what it first says.
        paired = Device.objects.get()
        Device.objects.update(identity={"id": paired.serial, "serial": paired.serial, "kind": ""})
        self.follow()
        self.wait_for(lambda: Device.objects.get().identity == paired.identity)
        expect(page.locator("[data-live-trouble]")).not_to_contain_text("does not answer")
        expect(page.locator("[data-live].settled")).to_be_visible()

    def test_pages_that_are_not_there_and_streams_that_end_hold_no_connection_to_the_database(self):
        page = self.open_read()
        page.goto("/")
        fetches = "Promise.all([...Array(24).keys()].map(n => fetch(`/fleets/${crypto.randomUUID()}/?n=${n}`).then(a => a.status)))"
        self.assertEqual(set(page.evaluate(fetches)), {404})
        # A browser that goes away while a page is being made: the page ends, and gives back what it had.
        page.evaluate(f"""Promise.all([...Array(12).keys()].map(n => {{ const go = new AbortController();
            setTimeout(() => go.abort(), 15 + 9 * n);
            return fetch('/jobs/{self.job.pk}/set/', {{ signal: go.signal }}).catch(() => 0); }}))""")
        page.close()
        # What is left is this test's own.
        pool = connection.pool
        self.wait_for(lambda: (now := pool.get_stats())["pool_size"] - now["pool_available"] <= 1)

    def test_a_device_is_paired_from_the_kits_page_and_what_is_wrong_is_said_beside_the_field(self):
        standin, device = self.device(self.job, self.heads, TRUTH)
        page = self.signed_in(at="/kits/")
        page.click(f"tr:has-text('{self.heads.name}') a:has-text('devices')")
        expect(page.locator("tr", has_text="camber, left of axle 1")).to_contain_text("settled")
        self.assert_accessible(page)
        self.check_itself(page, standin)
        page.goto(f"/kits/{self.heads.pk}/devices/")
        page.click("button:has-text('Part with it')")
        expect(page.locator("main")).to_contain_text("No device is paired")
        self.pair_again(page, standin)
        self.assertFalse(type(device).objects.get().unpaired)

    def check_itself(self, page, standin):
        """The first check, pose by pose: nothing is taken before it was moved and rests."""
        page.click("a:has-text('Run the self-check')")
        page.click("button:has-text('Begin')")
        take = page.locator("[data-rested] button")
        for pose in ("on the straight bar, as on a wheel", "end for end"):
            expect(page.locator(".do-next")).to_contain_text(pose)
            if pose == "end for end":
                # Whoever presses twice takes nothing twice: they rest, but nobody has turned them since; a radio that was gone turns nothing.
                self.wait_for(lambda: page.evaluate(RESTING))
                expect(take).to_be_disabled()
                standin.do("away")
                expect(page.locator("[data-device-values] tr")).to_have_count(0)
                standin.do("away")
                self.wait_for(lambda: page.evaluate(RESTING))
                expect(take).to_be_disabled()
            else:
                # As on the vehicle they rest, too: what is hung on the bar has to be seen before it is taken.
                expect(take).to_be_enabled()
            standin.do("bar")
            # What scattered while it was hung is not taken: the button waits until all of it has settled.
            expect(take).to_be_disabled()
            expect(take).to_be_enabled()
            take.click()
        expect(page.locator("table.told")).to_contain_text("as it should")
        expect(page.locator(".device-values tbody")).to_contain_text("sight, left of axle 1")
        expect(page.locator(".device-values tbody")).not_to_contain_text("camber")
        self.assert_accessible(page)

    def pair_again(self, page, standin):
        """From what announces itself; what is wrong is said, and nothing typed is lost."""
        page.click("a:has-text('Look on this network')")
        page.click(f"#announced li:has-text('{standin.address}') a")
        expect(page.locator("#id_address")).to_have_value(standin.address)
        for address, token, words in (
            ("the van", TOKEN, "Expected an address such as"), ("http://[", TOKEN, "Expected an address such as"),
            ("http://127.0.0.1:9", TOKEN, "Nothing answers there"),
            (standin.address, "wrong", "does not accept this token"), (standin.address, TOKEN, "is paired with"),
        ):  # fmt: skip
            page.fill("#id_address", address)
            page.fill("#id_token", token)
            page.click("button:has-text('Pair it')")
            expect(page.locator("main")).to_contain_text(words)
        page.click("button:has-text('Ask it to blink')")
        expect(page.locator("[data-device-did]")).to_contain_text("the lamp blinks")

    def test_wheels_and_strips_move_with_the_wheel_and_nothing_is_recorded(self):
        standin, _ = self.device(self.job, self.heads, TRUTH)
        page = self.open_read()
        wheel = page.locator("[data-wheel='1/left']").first
        strip = page.locator("[data-strip='axles/1/total_toe_deg'] .strip-text b")
        expect(strip).to_contain_text("toe-in")
        turn, toe = float(wheel.get_attribute("data-turn")), self.degrees(strip)
        standin.do("adjust", path="axles/1/left/toe_deg", by=1.0)
        self.wait_for(lambda: abs(float(wheel.get_attribute("data-turn")) - turn - 1.0) < 0.1)
        self.wait_for(lambda: abs(self.degrees(strip) - toe - 1.0) < 0.1)
        expect(page.locator("[data-live-drawn]")).to_be_visible()
        expect(page.locator("[data-line-name='thrust']")).to_contain_text("thrust line")
        self.assertFalse(Entry.objects.filter(job=self.job).exists())
        # A refresh of the page's own parts does not put the wheels back.
        page.evaluate("document.body.dispatchEvent(new CustomEvent('rx:saved'))")
        page.wait_for_timeout(800)
        self.assertLess(abs(float(wheel.get_attribute("data-turn")) - turn - 1.0), 0.1)
        standin.do("away")
        expect(page.locator("[data-live-drawn]")).to_be_hidden()
        expect(strip).to_have_text("–")

    @staticmethod
    def degrees(strip):
        return float(strip.inner_text().partition("°")[0])

    def test_a_van_is_set_by_live_numbers_with_a_head_away_in_the_middle_and_proved(self):
        truth = TRUTH | {
            f"axles/{axle}/{side}/clamp/{part}_deg": 0.0
            for axle in (1, 2)
            for side in SIDES
            for part in ("cosine", "sine")
        }
        standin, _ = self.device(self.job, self.heads, truth)
        yard = Yard.load(Path(self.folder.name) / "S-7.json")
        for axle in (1, 2):
            for side in SIDES:
                toe = truth[f"axles/{axle}/total_toe_deg"] / 2 + side_sign(side) * truth[f"axles/{axle}/bearing_deg"]
                stands = {"roll": truth[f"axles/{axle}/{side}/camber_deg"], "toe": toe}
                type_in(self.mara, self.job, {
                    f"before/runout/{axle}/{side}/{what}_{turn}": f"{value:.3f}"
                    for what, value in stands.items() for turn in (0, 180)
                })  # fmt: skip
        page = self.signed_in(at=None)
        self.take_all(page, "read", "before")
        seal_phase(self.mara, self.job, Phase.BEFORE)
        for _ in range(6):
            step = Visit(self.job).setting.in_hand()
            if step is None:
                break
            by = float(step.to) - float(step.start)
            record_move(self.mara, self.job, uuid7(), step.hardware.id, by=f"{by:g}")
            self.assert_nothing_is_taken_yet(page)
            standin.do("away")
            for path, size in step.hardware.adjuster().effect.items():
                yard.adjust({path: 0.9 * by * size})
                standin.do("adjust", path=path, by=0.9 * by * size)
            standin.do("away")
            self.job.refresh_from_db()
            self.take_all(page, "set", "set")
        self.assertTrue(self.job.move_set.exists())
        self.take_all(page, "prove", "after")
        seal_phase(self.mara, self.job, Phase.AFTER)
        after = self.job.seal_set.get(phase="after").results
        for quantity in ("total_toe_deg", "bearing_deg"):
            for axle in (1, 2):
                found = after["axles"][axle - 1][quantity]
                self.assertLess(
                    abs(found["value"] - yard.truth[f"axles/{axle}/{quantity}"]), 4 * found["u"], (quantity, axle)
                )
        toes = [verdict["verdict"] for verdict in after["verdicts"] if "toe" in verdict["quantity"]]
        self.assertNotIn("outside", toes)

    def assert_nothing_is_taken_yet(self, page):
        """The page is told at once that its numbers are out of date; but the rod is not turned yet."""
        changed = Visit(self.job).setting.was.items()
        waiting = [f"set/{at}" for at, (was, should) in changed if abs(should - was) > self.PLAIN]
        page.evaluate("document.body.dispatchEvent(new CustomEvent('rx:saved'))")
        page.wait_for_timeout(1_500)
        since = Entry.objects.filter(job=self.job, sequence__gt=self.job.move_set.last().sequence)
        self.assertEqual([entry.slot for entry in since.filter(slot__in=waiting)], [])

    def test_a_wheel_is_lifted_and_watched_live_and_its_change_is_carried_over(self):
        standin, _ = self.device(self.job, self.heads, TRUTH)
        page = self.signed_in(at=None)
        self.take_all(page, "read", "before")
        seal_phase(self.mara, self.job, Phase.BEFORE)
        lift_wheel(self.mara, self.job)
        standin.do("lift", axle=1, side="left")
        slot = "air/sight/1/left/to-1/deg"
        numbers = Entry.objects.filter(job=self.job, slot=slot).order_by("sequence")
        page.goto(f"/jobs/{self.job.pk}/set/")
        page.check("[data-live-auto]")
        self.wait_for(numbers.exists)
        first = numbers.last().value
        standin.do("adjust", path="axles/1/left/toe_deg", by=0.3)
        page.locator(f"[data-ruler] input[data-slot='{slot}']").focus()
        self.wait_for(lambda: abs(self.degrees(page.locator("[data-live-value]")) - first - 0.3) < 0.06)
        expect(page.locator("[data-live].settled")).to_be_visible()
        page.click("[data-live-take]")
        self.wait_for(lambda: numbers.count() > 1)
        page.click("button:has-text('The wheel is down again')")
        expect(page.locator(".notice")).to_contain_text("carried over")
        carried = Entry.objects.filter(job=self.job, slot="set/sight/1/left/to-1/deg").latest("sequence").value
        was = Entry.objects.filter(job=self.job, slot="before/sight/1/left/to-1/deg").latest("sequence").value
        self.assertAlmostEqual(carried - was, 0.3, delta=0.06)

    def take_all(self, page, stage, phase):
        """Let the page take each number of both set-ups by itself."""
        for tab in ("front", "rear"):
            page.goto(f"/jobs/{self.job.pk}/{stage}/")
            page.locator(f".setups a:has-text('Heads on the {tab}')").click()
            # Drawn anew under the press it is pressed again, as anybody would.
            box = page.locator("[data-live-auto]")
            self.wait_for(lambda box=box: box.is_checked() or box.click() or box.is_checked())
            axle = 1 if tab == "front" else 2
            wanted = [f"{phase}/sight/{axle}/{side}/to-{to}/deg" for side in SIDES for to in (1, 2)]
            fields = [page.locator(f"[data-ruler] input[data-slot='{slot}']") for slot in wanted]
            self.wait_for(lambda fields=fields: all(field.input_value() for field in fields))
            # A move that this test records itself does not wait, as a page's form does, for what is still to be saved.
            self.wait_for(lambda: page.evaluate(ALL) == [])
        expect(page.locator("[data-saved]")).to_contain_text("saved")

    def judge_full_lock(self):
        """A visit whose figures ask for full lock."""
        for figures in Specification.objects.filter(make=MAKE, model=MODEL):
            figures.rows = [*figures.rows, {"quantity": "lock_out_deg", "axle": 1, "side": "left", "min": 36.0}]
            figures.save()
        self.job = open_job(self.mara, self.job.vehicle, self.heads, timezone.now())

    def steer_to_the_stop(self, page, standin, to, further):
        """Nobody but who steers feels the stop: nothing is taken by itself."""
        locks = Entry.objects.filter(job=self.job, slot__contains="/lock/")
        before = locks.count()
        expect(page.locator("[data-guide-text]")).to_contain_text(f"Slowly to the {to} until it stops")
        standin.do("steer", deg=further)
        take = page.locator("button:has-text('At the stop: take it')")
        expect(take).to_be_enabled()
        self.assertEqual(locks.count(), before)
        take.click()
        self.wait_for(lambda: locks.count() == before + 2)

    def test_rolling_and_steering_are_guided_and_read_where_the_wheels_hold_still(self):
        truth = TRUTH | {f"axles/{axle}/{side}/clamp/{part}_deg": size for axle in (1, 2) for side, part, size in (
            ("left", "cosine", 0.21), ("left", "sine", -0.14), ("right", "cosine", -0.3), ("right", "sine", 0.1))}  # fmt: skip
        self.judge_full_lock()
        standin, _ = self.device(self.job, self.heads, truth | STOPS)
        page = self.signed_in(at=f"/jobs/{self.job.pk}/roll/")
        said, typed = page.locator("[data-guide-text]"), Entry.objects.filter(job=self.job, slot__contains="runout")
        for wheel in range(4):
            self.wait_for(lambda count=4 * wheel + 2: typed.count() == count)
            expect(said).to_contain_text("forward, 180° more")
            standin.do("roll", deg=100)
            expect(page.locator("[data-guide-by]")).to_have_text("80°")
            standin.do("roll", deg=180)
            self.wait_for(lambda count=4 * wheel + 4: typed.count() == count)
            standin.do("roll", deg=0)
        expect(said).to_have_text("Done.")
        clamps = Visit(self.job).readings.clamps
        self.assertAlmostEqual(clamps["runout/1/left"].cosine.value, 0.21, delta=0.05)
        page.goto(f"/jobs/{self.job.pk}/roll/?setup=1&sweep=1")
        swings = Entry.objects.filter(job=self.job, slot__contains="swing")
        page.locator(".setups a:has-text('weep')").first.click()
        expect(said).to_contain_text("Steer to the left, 10.0° more.")
        standin.do("steer", deg=10)
        self.wait_for(lambda: swings.count() == 2)
        self.steer_to_the_stop(page, standin, "left", 45)
        expect(said).to_contain_text("Steer to the right,")
        standin.do("steer", deg=-10)
        self.wait_for(lambda: swings.count() == 4)
        self.steer_to_the_stop(page, standin, "right", -45)
        standin.do("steer", deg=-10)
        expect(said).to_contain_text("Back to straight ahead: 10.0° to the left.")
        standin.do("steer", deg=0)
        expect(said).to_have_text("Done.")
        self.assertTrue(all(entry.taken for entry in swings))
        results = Visit(self.job).results("before")
        caster = results.estimates["axles/1/left/caster_deg"]
        self.assertLess(abs(caster.value - TRUTH["axles/1/left/caster_deg"]), 4 * caster.u)
        for path, stop in STOPS.items():
            self.assertLess(abs(results.estimates[path].value - stop), 4 * results.estimates[path].u, path)

    def test_treads_and_pressures_come_from_the_probe_and_a_sensor_is_reset_through_its_device(self):
        tyres = {
            "1/left": {"pressure": 3.1, "tread": [5.1, 5.8, 4.6]},
            "2/right": {"pressure": 3.3, "tread": [6.2, 6.4, 6.1]},
        }
        probe = self.accessory(self.heads, "probe", tyres)
        self.accessory(self.heads, "sensor_reset", tyres)
        page = self.signed_in(at=f"/jobs/{self.job.pk}/look/")
        entries = Entry.objects.filter(job=self.job, counts=True)
        for what, axle, side, place, slot, value in (
            ("tread", 1, "left", "outer", "look/tyre/1/left/tread-outer", 5.1),
            ("tread", 2, "right", "inner", "look/tyre/2/right/tread-inner", 6.1),
            ("pressure", 1, "left", "", "look/tyre/1/left/pressure", 3.1),
        ):  # fmt: skip
            probe.do("probe", what=what, axle=axle, side=side, place=place)
            field = page.locator(f"[data-slot='{slot}']").first
            expect(field).to_have_class("probed")
            self.wait_for(lambda slot=slot: entries.filter(slot=slot).exists())
            entry = entries.get(slot=slot)
            self.assertAlmostEqual(entry.value, value, delta=0.15)
            self.assertEqual(entry.taken["serial"], "P-probe")
        # What the device did for another visit says nothing of this one.
        other = Job.objects.get(vehicle__unit="Van 21")
        ask_device(self.mara, Device.objects.get(identity__kind="sensor_reset"), "reset_sensor", str(other.pk))
        page.goto(f"/jobs/{self.job.pk}/prove/")
        page.wait_for_timeout(1_500)
        self.assertFalse(entries.filter(slot="prove/sensors").exists())
        page.click("button:has-text('Reset it through')")
        expect(page.locator("[data-reset-said]")).to_contain_text("the sensor is at zero")
        self.wait_for(lambda: entries.filter(slot="prove/sensors", typed="done").exists())
