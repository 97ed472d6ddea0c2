"""A kit checks itself by what its devices say on a straight bar, and a visit goes by it."""

import json
import tempfile
from pathlib import Path

from django.test import TestCase
from django.utils import timezone

from alignment.patterns import pattern
from rectaxis.demo.business import make_people
from rectaxis.demo.doing import type_in
from rectaxis.devices.models import Device, SelfCheck
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.visit import Visit
from standins.yard import Yard


class Checking(TestCase):
    def setUp(self):
        fleet = Fleet.objects.create(name="Harbour Post")
        self.person = make_people(fleet)
        self.kit = Kit.objects.create(name="Heads", code="wheel_heads")
        self.device = Device.objects.create(
            kit=self.kit, name="Wheel heads", address="http://127.0.0.1:9", token="t", identity={"kind": "heads", "serial": "S-7"}
        )  # fmt: skip
        self.van = Vehicle.objects.create(fleet=fleet, unit="Van 30", layout=pattern("van").as_dict())
        self.client.force_login(self.person)

    def bar(self, **zeros):
        """The heads on the bar, each head's level off by what is said."""
        path = Path(tempfile.mkdtemp()) / "van.json"
        truth = {f"gauges/head's level, {side}, of axle {axle}/zero_deg": zeros.get(f"{side}_{axle}", 0.0)
                 for axle in (1, 2) for side in ("left", "right")}  # fmt: skip
        path.write_text(json.dumps({**pattern("van").as_dict(), "truth": truth, "kit": "wheel_heads", "seed": 4}))
        return Yard.load(path)

    def test_what_goes_with_a_kit_and_measures_no_wheel_is_not_asked_to_check_it(self):
        probe = {"kind": "probe", "serial": "P-1"}
        for identity, offered in ((self.device.identity, True), (probe, False)):
            Device.objects.update(identity=identity)
            page = self.client.get(f"/kits/{self.kit.pk}/devices/").content.decode()
            self.assertEqual("Run the self-check" in page, offered)
            self.assertEqual("data-device-values" in page, offered)
            self.assertEqual("Ask it to set its zero" in page, offered)

    def page(self, **posted):
        address = f"/devices/{self.device.pk}/self-check/"
        answer = self.client.post(address, posted, follow=True) if posted else self.client.get(address)
        self.assertEqual(answer.status_code, 200)
        return answer.content.decode()

    def run_through(self, yard):
        """Each pose as the page asks for it."""
        self.page(do="begin")
        for number, (bar, what) in enumerate(((1, "camber"), (2, "camber"), (1, "sight"), (1, "sight"))):
            yard.bar = bar
            facing = {2: 1, 3: 2}.get(number)
            said = {one.of.key: one.value for one in yard.measured() if facing in (None, one.of.axle)}
            self.assertIn(f'data-only="{what}"', self.page())
            shown = self.page(do="take", number=str(number), values=json.dumps(said))
        return shown

    def test_the_bars_own_lean_goes_out_and_a_head_that_is_off_is_named(self):
        shown = self.run_through(self.bar(right_2=0.11))
        self.assertIn("It did not pass", shown)
        off = {(one["title"], one["key"]): one for one in SelfCheck.objects.get().results}
        self.assertEqual([key for key, one in off.items() if not one["good"]], [("Levels", "camber/2/right")])
        self.assertAlmostEqual(off["Levels", "camber/2/right"]["off"], 0.11, delta=0.02)
        self.assertEqual(len([key for key in off if key[0] == "Sights across"]), 4)

    def test_a_visit_goes_by_what_the_kit_found_today_and_says_by_which_device(self):
        begun = open_job(self.person, self.van, self.kit, timezone.now())
        type_in(self.person, begun, {"arrive/odometer": "120500"})
        self.assertIn("Run it with Wheel heads", self.client.get(f"/jobs/{begun.pk}/rig/").content.decode())
        self.assertIn("It passed", self.run_through(self.bar()))
        later = open_job(self.person, self.van, self.kit, timezone.now())
        type_in(self.person, later, {"arrive/odometer": "120501"})
        self.assertIn("Go by it", self.client.get(f"/jobs/{begun.pk}/rig/").content.decode())
        self.client.post(f"/jobs/{begun.pk}/go-by-check/")
        for job in (begun, later):
            self.assertEqual(Visit(job).progress.facts.self_check, "passed")
            self.assertContains(self.client.get(f"/jobs/{job.pk}/rig/"), "as Wheel heads, S-7 showed")
        self.run_through(self.bar(left_1=-0.2))
        last = open_job(self.person, self.van, self.kit, timezone.now())
        type_in(self.person, last, {"arrive/odometer": "120502"})
        self.assertEqual(Visit(last).progress.facts.self_check, "open", "it has failed since")
        self.client.post(f"/jobs/{last.pk}/go-by-check/")
        self.assertEqual(Visit(last).progress.facts.self_check, "failed")

    def test_what_is_no_number_is_refused_a_pose_counts_once_and_another_set_of_wheels_is_told(self):
        self.page(do="begin")
        for bad in (
            "",
            "[",
            "[1]",
            '{"camber/1/left": "x"}',
            '{"camber": 1}',
            '{"camber/1/left": 1e999}',
            '{"toe/1/left": 1}',
        ):
            self.page(do="take", number="0", values=bad)
            self.assertEqual(SelfCheck.objects.get().taken, [])
        for _ in range(2):
            self.page(do="take", number="0", values='{"camber/1/left": 0.4}')
        self.assertEqual(len(SelfCheck.objects.get().taken), 1)
        self.assertIn("Not the same wheels", self.page(do="take", number="1", values='{"camber/1/right": 0.4}'))
        self.assertEqual(len(SelfCheck.objects.get().taken), 1)
        self.page(do="drop")
        self.assertIn("Begin", self.page())
