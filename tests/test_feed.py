"""The open device feed: what is written of it is true, and nothing that comes over it breaks anything."""

import datetime as dt
import json
import math
import random
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from alignment.jobfile import parse, solve_phase
from alignment.live.measures import measure_of
from alignment.model.vehicle import SIDES
from alignment.patterns import pattern
from alignment.procedure.kit import kit
from alignment.simulate.truth import random_truth
from rectaxis.devices.channel import MOST_BYTES, parcels
from rectaxis.devices.feed import KNOWN, Identity, read_event
from rectaxis.devices.listening import Listening
from standins.check import check
from standins.yard import Yard
from tests.devices import free_port, wait_for_port

ROOT = Path(__file__).resolve().parent.parent
GOOD = {
    "reading": {"time": "2027-03-31T10:15:00Z", "quality": "good",
                "measured": [{"what": "sight", "axle": 1, "side": "left", "to": 2, "value": 0.31, "u": 0.02}]},
    "state": {"time": "2027-03-31T10:15:00Z", "battery": 0.5, "hours_left": 4, "blocked": [{"axle": 1, "side": "left"}]},
    "moved": {"time": "2027-03-31T10:15:00Z", "what": "vehicle"},
}  # fmt: skip


class AsDescribed(unittest.TestCase):
    def test_the_device_of_the_documentation_passes_the_check(self):
        text = (ROOT / "docs" / "devicefeed.md").read_text()
        example = re.search(r"```python\n(.*?)```", text, re.DOTALL)[1]
        self.assertLessEqual(len([line for line in example.splitlines() if line.strip()]), 20)
        port = free_port()
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "mine.py").write_text(example)
            command = [
                sys.executable,
                "-m",
                "uvicorn",
                "mine:application",
                "--port",
                str(port),
                "--log-level",
                "critical",
            ]
            with subprocess.Popen([*command, "--timeout-graceful-shutdown", "1"], cwd=folder) as device:
                try:
                    said: list[str] = []
                    wait_for_port(port)
                    wrong = check(f"http://127.0.0.1:{port}", "on-the-label", said.append)
                finally:
                    device.terminate()
        self.assertEqual(wrong, 0, said)

    def test_the_check_finds_what_is_not_as_described(self):
        said: list[str] = []
        self.assertEqual(check("http://127.0.0.1:9", "x", said.append), 1)
        self.assertIn("ConnectError", said[0])


class Nonsense(unittest.TestCase):
    """10,000 messages that a broken device, or somebody who means harm, might send."""

    def test_nothing_that_comes_breaks_anything_or_fills_the_memory(self):
        chance, heard, refused = random.Random(4), Listening(), 0
        heard.joined(Identity({"id": "x"}, 0.0))
        for number in range(10_000):
            name = chance.choice([*GOOD, "done", "lost", "weather"])
            text = self.mutated(json.dumps(GOOD.get(name, GOOD["moved"])), chance)
            event = read_event(name, text)
            if event is None:
                self.assertNotIn(name, KNOWN)
                continue
            refused += bool(event.bad)
            self.assertTrue(all(len(one) < 400 for one in event.bad))
            heard.hear(event, number / 10)
            json.dumps([heard.values(number / 10), [list(one) for one in heard.trouble(number / 10)]], allow_nan=False)
        self.assertGreater(refused, 1000)
        self.assertLessEqual(len(heard.values(1000.0)), 1000)

    def mutated(self, text: str, chance: random.Random) -> str:
        """Some characters changed, cut or doubled; some values replaced by others of the wrong kind."""
        for _ in range(chance.choice([0, 1, 1, 2, 5])):
            match chance.randrange(5):
                case 0:
                    at = chance.randrange(len(text) + 1)
                    text = (
                        text[:at]
                        + chance.choice(["", '"', "{", "]", "\ud800", "\0", "9" * 400, "NaN", "-"])
                        + text[at + 1 :]
                    )
                case 1:
                    text = text[: chance.randrange(len(text) + 1)]
                case 2:
                    new = chance.choice(
                        ["null", "true", "[]", "{}", "1e999", "-1", '"left"', "[" * 3000, '"2027"', "9999999999999"]
                    )
                    text = re.sub(r"(?<=: )[^,\]}]+", new, text, count=chance.randrange(1, 4))
                case 3:
                    text *= chance.choice([1, 2])
                case 4:
                    text = text.replace(
                        chance.choice(["what", "axle", "time", "value", "measured"]), chance.choice(["wh", "", "u"])
                    )
        return text

    def test_a_flood_of_measures_is_cut_and_pieces_fit_what_the_database_takes(self):
        heard = Listening()
        heard.joined(Identity({"id": "x"}, 0.0))
        at = dt.datetime.now(dt.UTC).isoformat()
        for axle in range(1, 41):
            for to in range(60):
                one = {"what": "sight", "axle": axle, "side": "left", "to": to, "value": 1.0, "u": 0.1}
                heard.hear(read_event("reading", json.dumps({"time": at, "measured": [one]})), 1.0)
        values = heard.values(1.0)
        self.assertLessEqual(len(values), 1000)
        pieces = list(parcels({"device": "d" * 36}, {"trouble": []}, "values", values))
        self.assertTrue(all(len(piece.encode()) < 8000 for piece in pieces))
        self.assertEqual(sum(len(json.loads(piece)["values"]) for piece in pieces), len(values))
        self.assertGreater(MOST_BYTES, 0)

    def test_an_identity_says_what_is_missing(self):
        now = dt.datetime.now(dt.UTC)
        whole = {"format": "rectaxis-device", "version": 1, "id": "1", "kind": "gauge", "kit": "angle_gauge", "serial": "1",
                 "clock": (now + dt.timedelta(days=1)).isoformat()}  # fmt: skip
        self.assertAlmostEqual(Identity.read(whole, now).off_s, 86400, places=3)
        for key, value, words in (
            ("format", "x", "no device"),
            ("version", 2, "version 1"),
            ("kit", "", "its kit"),
            ("clock", "noon", "clock"),
        ):
            with self.subTest(key), self.assertRaisesRegex(ValueError, words):
                Identity.read({**whole, key: value}, now)

    def test_a_clock_that_is_a_day_off_is_set_right_and_said(self):
        heard, day = Listening(), dt.timedelta(days=1)
        heard.joined(Identity({"id": "x"}, day.total_seconds()))
        begun = dt.datetime.now(dt.UTC) + day
        for number in range(30):
            at = begun + dt.timedelta(seconds=number / 10)
            one = {"what": "camber", "axle": 1, "side": "left", "value": -0.5, "u": 0.02}
            heard.hear(read_event("reading", json.dumps({"time": at.isoformat(), "measured": [one]})), number / 10)
        self.assertTrue(heard.values(2.9)["camber/1/left"][4])
        self.assertEqual([one.code for one in heard.trouble(2.9)], ["clock"])
        self.assertEqual([one.code for one in heard.trouble(9.0)], ["old", "clock"])
        self.assertEqual(heard.values(9.0), {})


class StandIns(unittest.TestCase):
    """What a stand-in says, solved by the core without any of the application, is the vehicle that it hangs on."""

    def test_heads_and_cameras_say_what_solves_to_their_hidden_truth(self):
        for code, named, paths in (
            ("wheel_heads", "van", ("axles/1/total_toe_deg", "axles/2/total_toe_deg", "thrust_angle_deg", "axles/1/left/camber_deg")),
            ("frame_cameras", "truck_10x2", ("axles/1/total_toe_deg", "axles/2/bearing_deg", "axles/3/total_toe_deg", "axles/5/bearing_deg")),
        ):  # fmt: skip
            one = pattern(named)
            truth = random_truth(one.vehicle, one.datum, random.Random(3), exact_ties=True)
            # Clamps that run true, and level ground: what is told here is the reading of scales.
            truth = {name: 0.0 if "clamp" in name or "gauge" in name else value for name, value in truth.items()}
            yard = Yard(one.vehicle, one.datum, truth, code, seed=4)
            said: dict[str, list[float]] = {}
            for _ in range(20):
                for measured in yard.measured():
                    said.setdefault(measured.of.key, []).append(measured.value)
            readings = []
            for station in kit(code).stations(one.vehicle):
                of = {path: measure_of(station, path) for path in station.fields}
                values = {
                    path: sum(said[m.key]) / len(said[m.key])
                    for path, m in of.items()
                    if m is not None and m.key in said
                }
                complete = station.with_values(values) if station.stage == "read" else None
                if complete is not None:
                    readings.append({"phase": "before", **complete})
            readings += [{"phase": "before", "kind": "clamp", "axle": axle.number, "side": side, "cosine_deg": 0.0, "sine_deg": 0.0, "u_deg": 0.001}
                         for axle in one.vehicle.axles for side in SIDES if code == "wheel_heads"]  # fmt: skip
            job = {"format": "rectaxis-job", "version": 1, **one.as_dict(), "readings": readings}
            found = solve_phase(parse(job), "before")
            for path in paths:
                true = truth[path] if path in truth else truth[f"axles/{one.vehicle.thrust_axle}/bearing_deg"]
                estimate = found.estimates[path]
                self.assertLess(abs(estimate.value - true), 4 * estimate.u, (code, path))
            self.assertTrue(all(-300 < values[0] < 600 for key, values in said.items() if key.startswith("scale")))

    def test_it_turns_clamps_with_the_wheels_and_steers_about_the_hidden_axis(self):
        one = pattern("van")
        truth = {"axles/1/left/clamp/cosine_deg": 0.3, "axles/1/left/clamp/sine_deg": -0.2, "axles/1/left/camber_deg": -0.5,
                 "axles/1/left/caster_deg": 4.0, "axles/1/left/sai_deg": 12.0}  # fmt: skip
        yard = Yard(one.vehicle, one.datum, truth, "wheel_heads", seed=1)

        def camber():
            return sum(m.value for _ in range(60) for m in yard.measured() if m.of.key == "camber/1/left") / 60

        at_rest = camber()
        yard.rolled_deg = 180.0
        # Half a turn on, the clamp's error has changed its sign (common practice, no source).
        self.assertAlmostEqual((at_rest - camber()) / 2, 0.3, delta=0.01)
        yard.rolled_deg = 0.0
        ends = []
        for yard.steered_deg in (10.0, -10.0):
            ends.append(camber())
        # An axis that leans back lays the top of a wheel out that is steered out: by the caster times 2·sin 10°, or the change times 1/(2·sin 10°), common practice, no source.
        self.assertAlmostEqual((ends[0] - ends[1]) / (2 * math.sin(math.radians(10))), 4.0, delta=0.25)


if __name__ == "__main__":
    unittest.main()
