"""The job file's contract: faults by pointer, the command line, the schema."""

import copy
import json
import math
import subprocess
import sys
import tempfile
import unittest
import warnings
from pathlib import Path

import jsonschema
from hypothesis import given, settings
from hypothesis import strategies as st

from alignment.errors import JobFileError
from alignment.jobfile import parse, read_document, solve_job
from alignment.schema import job_schema

GOOD = {
    "format": "rectaxis-job",
    "version": 1,
    "vehicle": {
        "axles": [
            {"role": "steer", "position_mm": 0, "track_mm": 1540},
            {"role": "drive", "position_mm": 2700, "track_mm": 1530, "rigid": False},
        ],
        "thrust_axle": 2,
    },
    "datum": {"kind": "axles", "front": 1, "rear": 2},
    "readings": [
        {"phase": "before", "kind": "outboard_pair", "axle": 2, "ahead_mm": 2700, "on": 1, "left_mm": 38, "right_mm": 46, "mount": "f"},
        {"phase": "before", "kind": "toe_scales", "axle": 2, "left_mm": -1, "right_mm": 0.5, "reference_diameter_mm": 400, "heads": "reversed"},
        {"phase": "before", "kind": "camber", "axle": 1, "side": "left", "deg": -0.4, "u_deg": 0.03, "as_read": "-0°24'"},
        {"phase": "before", "kind": "setback_scales", "axle": 1, "left_mm": 30, "right_mm": 28},
        {"phase": "before", "kind": "ground", "roll_deg": 0.2, "pitch_deg": 0},
        {"phase": "after", "kind": "runout", "axle": 1, "side": "left", "positions": [{"roll_deg": 0, "camber_deg": 0.5}, {"roll_deg": 180, "camber_deg": -0.3}]},
    ],
    "spec": [
        {"quantity": "thrust_angle_deg", "min": -0.1, "max": 0.1},
        {"quantity": "camber_deg", "axle": 1, "side": "left", "min": -1, "max": 1, "preferred": 0},
        {"quantity": "total_toe_deg", "axle": 2, "max": 0.3},
    ],
    "adjusters": [
        {"id": "A1 left tie rod", "kind": "tie_rod", "unit": "flat", "min": -24, "max": 24, "effect": {"axles/1/left/toe_deg": 0.06}},
        {"id": "plate", "installed": 5, "choices": {"1": {"axles/1/left/camber_deg": -0.4}, "5": {}}},
    ],
}  # fmt: skip


def set_at(pointer: str, value: object) -> dict:
    """The good file with one value changed; MISSING takes the key away."""
    document = copy.deepcopy(GOOD)
    *path, last = pointer.strip("/").split("/")
    place = document
    for key in path:
        place = place[int(key) if isinstance(place, list) else key]
    key = int(last) if isinstance(place, list) and last.isdigit() else last
    if value is MISSING:
        del place[key]
    else:
        place[key] = value
    return document


MISSING = object()
FAULTS = [
    ("/format", "other", "/format"),
    ("/version", True, "/version"),
    ("/vehicle", MISSING, "/vehicle"),
    ("/vehicle", 3, "/vehicle"),
    ("/colour", "red", "/colour"),
    ("/vehicle/axles", [], "/vehicle/axles"),
    ("/vehicle/axles/0/role", "front", "/vehicle/axles/0/role"),
    ("/vehicle/axles/0/position_mm", 5, "/vehicle/axles/0/position_mm"),
    ("/vehicle/axles/1/position_mm", 0, "/vehicle/axles/1/position_mm"),
    ("/vehicle/axles/1/track_mm", 0, "/vehicle/axles/1/track_mm"),
    ("/vehicle/axles/0/rigid", True, "/vehicle/axles/0/rigid"),
    ("/vehicle/axles/1/rigid", 1, "/vehicle/axles/1/rigid"),
    ("/vehicle/axles/1/steers", True, "/vehicle/thrust_axle"),
    ("/vehicle/thrust_axle", 3, "/vehicle/thrust_axle"),
    ("/datum", {"kind": "kingpin", "axle": 2}, "/datum/kind"),
    ("/datum/front", 2, "/datum/front"),
    ("/datum/rear", MISSING, "/datum/rear"),
    ("/datum", {"kind": "frame", "front": 1}, "/datum/front"),
    ("/readings", {}, "/readings"),
    ("/readings/0/kind", "laser", "/readings/0/kind"),
    ("/readings/0/axle", 3, "/readings/0/axle"),
    ("/readings/0/axle", True, "/readings/0/axle"),
    ("/readings/0/on", 2, "/readings/0/on"),
    ("/readings/0/on", "kingpin", "/readings/0/on"),
    ("/readings/0/on", [], "/readings/0/on"),
    ("/readings/0/left_mm", "4", "/readings/0/left_mm"),
    ("/readings/0/left_mm", True, "/readings/0/left_mm"),
    ("/readings/0/left_mm", math.nan, "/readings/0/left_mm"),
    ("/readings/0/left_mm", math.inf, "/readings/0/left_mm"),
    ("/readings/0/left_mm", 1.1e6, "/readings/0/left_mm"),
    ("/readings/0/left_mm", MISSING, "/readings/0/left_mm"),
    ("/readings/0/u_mm", 0, "/readings/0/u_mm"),
    ("/readings/0/phase", "during", "/readings/0/phase"),
    ("/readings/1/heads", "up", "/readings/1/heads"),
    ("/readings/1/reference_diameter_mm", 0, "/readings/1/reference_diameter_mm"),
    ("/readings/2/deg", 361, "/readings/2/deg"),
    ("/readings/2/side", "middle", "/readings/2/side"),
    ("/readings/2/clamp", "loose", "/readings/2/clamp"),
    ("/readings/3/square_to", "frame", "/readings/3/square_to"),
    ("/readings/3", {"phase": "before", "kind": "ground", "roll_deg": 0, "pitch_deg": 0}, "/readings/4"),
    ("/readings/5/positions", [], "/readings/5/positions"),
    ("/readings/5/positions/1/camber_deg", None, "/readings/5/positions/1/camber_deg"),
    ("/readings/5/positions/1/speed", 1, "/readings/5/positions/1/speed"),
    ("/spec/0/min", 0.2, "/spec/0/min"),
    ("/spec/1/quantity", "colour", "/spec/1/quantity"),
    ("/spec/1/side", MISSING, "/spec/1/side"),
    ("/spec/1", {"quantity": "caster_deg", "axle": 2, "side": "left"}, "/spec/1/quantity"),
    ("/spec/1", {"quantity": "scrub_deg", "axles": [1, 2]}, "/spec/1/axles"),
    ("/spec/2/side", "left", "/spec/2/side"),
    ("/adjusters/0/id", "plate", "/adjusters/1/id"),
    ("/adjusters/0/effect", {"axles/9/left/toe_deg": 1}, "/adjusters/0/effect/axles~19~1left~1toe_deg"),
    ("/adjusters/0/step", 0, "/adjusters/0/step"),
    ("/adjusters/0/step", 0.001, "/adjusters/0/step"),
    ("/adjusters/0/installed", 30, "/adjusters/0/installed"),
    ("/adjusters/1/installed", 4, "/adjusters/1/installed"),
]


def faults_of(document: object) -> list[str]:
    try:
        parse(read_document(json.dumps(document).encode()))
    except JobFileError as error:
        return [fault.pointer for fault in error.faults]
    return []


class Faults(unittest.TestCase):
    def test_a_good_file_has_none(self):
        self.assertEqual(faults_of(GOOD), [])

    def test_each_fault_is_found_at_its_own_pointer(self):
        for pointer, value, expected in FAULTS:
            with self.subTest(pointer=pointer, value="missing" if value is MISSING else value):
                self.assertEqual(faults_of(set_at(pointer, value)), [expected])

    def test_one_mount_name_on_two_axles_is_a_fault_and_on_one_is_not(self):
        second = {**GOOD["readings"][0], "ahead_mm": 2500}
        self.assertEqual(faults_of(set_at("/readings/3", second)), [])
        other = {**second, "axle": 1, "on": 2, "ahead_mm": -2700}
        self.assertEqual(faults_of(set_at("/readings/3", other)), ["/readings/3/mount"])

    def test_every_fault_of_a_file_is_told_at_once(self):
        document = set_at("/readings/0/left_mm", "4")
        document["readings"][2]["deg"] = None
        document["spec"][0]["max"] = False
        self.assertEqual(faults_of(document), ["/readings/0/left_mm", "/readings/2/deg", "/spec/0/max"])

    def test_whole_file_faults_have_the_empty_pointer(self):
        deep = b'{"x":' * 70 + b"1" + b"}" * 70
        for raw in (b"", b"[]", b"{", b"\xff\xfe", b'{"a":1,"a":2}', deep, b"[" * 100_000, b" " * 10_000_001):
            with self.subTest(raw=raw[:20]), self.assertRaises(JobFileError) as caught:
                parse(read_document(raw))
            self.assertEqual([fault.pointer for fault in caught.exception.faults], [""])

    def test_a_number_of_thousands_of_digits_is_refused_like_any_huge_number(self):
        raw = json.dumps(GOOD).replace('"left_mm": 38', '"left_mm": ' + "9" * 6000).encode()
        with self.assertRaises(JobFileError) as caught:
            parse(read_document(raw))
        self.assertEqual(caught.exception.faults[0].pointer, "/readings/0/left_mm")

    def test_a_fault_is_one_printable_line_whatever_the_file_says(self):
        for fault in faults_lines({**GOOD, "line\nbreak\ud800": 1, "vehicle": {"axles": "x" * 1000}}):
            self.assertTrue(fault.isprintable() and fault.isascii() and len(fault) < 200, fault)


def faults_lines(document: dict) -> list[str]:
    with_faults = json.dumps(document).encode()
    try:
        parse(read_document(with_faults))
    except JobFileError as error:
        return [str(fault) for fault in error.faults]
    return []


class Schema(unittest.TestCase):
    def test_it_is_a_schema_that_takes_the_good_file(self):
        jsonschema.Draft202012Validator.check_schema(job_schema())
        jsonschema.validate(GOOD, job_schema())

    def test_what_the_schema_refuses_the_reader_refuses(self):
        validator = jsonschema.Draft202012Validator(job_schema())
        refused = 0
        for pointer, value, _ in FAULTS:
            document = set_at(pointer, value)
            if not validator.is_valid(document):
                refused += 1
                self.assertNotEqual(faults_of(document), [], pointer)
        self.assertGreater(refused, len(FAULTS) / 2)


json_values = st.recursive(
    st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=6),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)
pointers = st.sampled_from(sorted({pointer for pointer, _, _ in FAULTS if pointer != "/readings"}))


class Mutations(unittest.TestCase):
    @given(st.lists(st.tuples(pointers, json_values), min_size=1, max_size=3))
    @settings(max_examples=300, deadline=None)
    def test_any_values_anywhere_are_solved_or_refused_with_pointers(self, changes):
        document = copy.deepcopy(GOOD)
        for pointer, value in changes:
            try:
                document = {**document, **set_at(pointer, value)} if len(changes) == 1 else set_at(pointer, value)
            except (KeyError, IndexError, TypeError):
                continue
        try:
            answer = solve_job(parse(read_document(json.dumps(document).encode())))
        except JobFileError as error:
            self.assertTrue(all(f.pointer == "" or f.pointer.startswith("/") for f in error.faults))
        else:
            json.dumps(answer, allow_nan=False)


tiny_to_huge = st.sampled_from([0, 5e-324, -1e-300, 1e-12, 1e-3, 40, 1e6, -1e6])
above_zero = st.sampled_from([5e-324, 1e-300, 1e-30, 1e-9, 1, 300])


class Extremes(unittest.TestCase):
    @given(st.data())
    @settings(max_examples=120, deadline=None)
    def test_any_allowed_numbers_are_solved_without_a_warning_or_a_number_that_is_none(self, data):
        document = copy.deepcopy(GOOD)
        document["vehicle"]["axles"][1]["rigid"] = True
        document["vehicle"]["axles"][1]["track_mm"] = data.draw(above_zero)
        for reading in document["readings"][:4]:
            for key in [k for k in reading if k in ("left_mm", "right_mm", "ahead_mm")]:
                reading[key] = data.draw(tiny_to_huge)
            reading["u_mm" if "left_mm" in reading else "u_deg"] = data.draw(above_zero)
        document["readings"][1]["reference_diameter_mm"] = data.draw(above_zero)
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            json.dumps(solve_job(parse(document)), allow_nan=False)


class CommandLine(unittest.TestCase):
    def run_it(self, *words: str) -> subprocess.CompletedProcess:
        return subprocess.run([sys.executable, "-m", "alignment", *words], capture_output=True, text=True, check=False)

    def test_solve_prints_results_and_ends_with_0(self):
        with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
            json.dump(GOOD, file)
            file.flush()
            done = self.run_it("solve", file.name)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        answer = json.loads(done.stdout)
        self.assertEqual((answer["format"], answer["version"]), ("rectaxis-results", 1))
        self.assertEqual(list(answer["phases"]), ["before", "after"])
        before = answer["phases"]["before"]
        self.assertIn("axles/1/left/caster_deg", before["undetermined"])
        self.assertNotIn("caster_deg", before["axles"][0]["left"])
        self.assertNotIn("axles/2/left/caster_deg", before["undetermined"])
        self.assertEqual(before["verdicts"][1]["side"], "left")

    def test_a_faulty_file_ends_with_2_and_one_line_for_each_fault(self):
        with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
            json.dump(set_at("/readings/0/left_mm", "4"), file)
            file.flush()
            done = self.run_it("solve", file.name)
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertEqual(done.stderr, '/readings/0/left_mm: expected a number, got "4"\n')

    def test_a_file_that_is_not_there_and_a_wrong_call_end_with_2(self):
        missing = self.run_it("solve", str(Path(tempfile.gettempdir()) / "no-such-job.json"))
        self.assertEqual((missing.returncode, missing.stdout), (2, ""))
        self.assertTrue(missing.stderr.startswith(": cannot be read"))
        self.assertEqual(self.run_it("guess").returncode, 2)
        self.assertEqual(json.loads(self.run_it("schema").stdout), job_schema())

    def test_a_job_without_readings_is_good_and_has_no_phases(self):
        self.assertEqual(solve_job(parse(set_at("/readings", [])))["phases"], {})
