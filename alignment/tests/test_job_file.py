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

from alignment.checker import MOST_FAULTS
from alignment.errors import JobFileError
from alignment.jobfile import FORMAT, VERSION, parse, read_document, solve_job
from alignment.jobfile.batch import solve_many
from alignment.jobfile.schema import job_schema
from alignment.tests.cases import reading
from alignment.tests.strategies import good_files
from alignment.tests.test_readings import SAMPLES

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


def set_at(pointer: str, value: object, file: dict | None = None) -> dict:
    """A file (the good one) with one value changed; MISSING takes the key away."""
    document = copy.deepcopy(file or GOOD)
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
    ("/adjusters/0/step", 1e-311, "/adjusters/0/step"),
    ("/adjusters/0/installed", 30, "/adjusters/0/installed"),
    ("/adjusters/1/installed", 4, "/adjusters/1/installed"),
]


ALL_KINDS = {
    **GOOD,
    "vehicle": {**GOOD["vehicle"], "kingpin_mm": -3000},
    "readings": [dict(reading(kind.split(",", maxsplit=1)[0], **fields).data) for kind, fields in SAMPLES.items()],
}
AT = {kind: f"/readings/{index}" for index, kind in enumerate(SAMPLES)}
FAULTS_OF_KINDS = [
    ("caster", "/axle", 2, "/axle"),
    ("swing", "/axle", 2, "/axle"),
    ("turn", "/axle", 2, "/axle"),
    ("sai", "/axle", 2, "/axle"),
    ("swing", "/out_deg", 0, "/out_deg"),
    ("swing", "/pitch_in_deg", MISSING, "/pitch_in_deg"),
    ("swing", "/u_mm", 1, "/u_mm"),
    ("cross_dial", "/reference_diameter_mm", MISSING, "/reference_diameter_mm"),
    ("cross_dial", "/dial_mm", MISSING, "/dial_mm"),
    ("cross_dial", "/dial_deg", 1, "/dial_deg"),
    ("mirror_pair", "/from_axle", 2, "/from_axle"),
    ("mirror_pair", "/from_axle", 3, "/from_axle"),
    ("mirror_pair", "/from_axle", "frame", "/from_axle"),
    ("hub_square", "/span_mm", 0, "/span_mm"),
    ("tape_toe", "/diameter_mm", -1, "/diameter_mm"),
    ("toe_gauge", "/baseline_mm", 0, "/baseline_mm"),
    ("toe_gauge", "/second", "left", "/second"),
    ("wheel_axis", "/axis", [0, 0, 0], "/axis"),
    ("wheel_axis", "/axis", [0, 1], "/axis"),
    ("wheel_axis", "/centre_mm", 3, "/centre_mm"),
    ("wheel_axis", "/centre_mm/1", "x", "/centre_mm/1"),
    ("drive_over", "/side", "left", "/side"),
    ("rim_angle", "/deg", 400, "/deg"),
    ("frame_side", "/u_deg", 0.1, "/u_deg"),
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

    def test_every_kind_is_taken_and_each_of_its_faults_is_found(self):
        self.assertEqual(faults_of(ALL_KINDS), [])
        json.dumps(solve_job(parse(copy.deepcopy(ALL_KINDS))), allow_nan=False)
        for kind, below, value, expected in FAULTS_OF_KINDS:
            with self.subTest(kind=kind, below=below, value=value):
                self.assertEqual(faults_of(set_at(AT[kind] + below, value, ALL_KINDS)), [AT[kind] + expected])

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

    def test_every_kind_and_every_kits_job_is_taken(self):
        validator = jsonschema.Draft202012Validator(job_schema())
        validator.validate(ALL_KINDS)
        for text in good_files():
            validator.validate(json.loads(text))
        refused = [
            not validator.is_valid(set_at(AT[kind] + below, value, ALL_KINDS))
            for kind, below, value, _ in FAULTS_OF_KINDS
        ]
        self.assertGreater(sum(refused), len(refused) * 0.7)

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
    def test_a_file_of_nothing_but_faults_is_answered_with_the_first_of_them_and_looked_at_no_further(self):
        nulls = [None] * 1_000_000
        document = {"format": FORMAT, "version": VERSION, "vehicle": {"axles": nulls}}
        with self.assertRaises(JobFileError) as refused:
            parse(document)
        self.assertEqual(len(refused.exception.faults), MOST_FAULTS + 1)
        self.assertIn("mend these first", str(refused.exception.faults[-1]))

    @given(st.data())
    @settings(max_examples=120, deadline=None)
    def test_any_allowed_numbers_are_solved_without_a_warning_or_a_number_that_is_none(self, data):
        document = copy.deepcopy(GOOD)
        document["vehicle"]["axles"][1]["rigid"] = True
        document["vehicle"]["axles"][1]["track_mm"] = data.draw(above_zero)
        for entry in document["readings"][:4]:
            for key in [k for k in entry if k in ("left_mm", "right_mm", "ahead_mm")]:
                entry[key] = data.draw(tiny_to_huge)
            entry["u_mm" if "left_mm" in entry else "u_deg"] = data.draw(above_zero)
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

    def test_a_simulated_job_is_solved_to_its_hidden_truth_and_explained(self):
        with tempfile.TemporaryDirectory() as folder:
            truth, job = Path(folder) / "truth.json", Path(folder) / "job.json"
            made = self.run_it(
                "simulate", "target_cameras", "truck_6x4", "--seed", "4", "--exact", "--truth", str(truth)
            )
            self.assertEqual((made.returncode, made.stderr), (0, ""))
            job.write_text(made.stdout)
            again = self.run_it("simulate", "target_cameras", "truck_6x4", "--seed", "4", "--exact")
            self.assertEqual(again.stdout, made.stdout)
            solved = json.loads(self.run_it("solve", str(job)).stdout)["phases"]["before"]
            hidden = json.loads(truth.read_text())
            self.assertAlmostEqual(solved["thrust_angle_deg"]["value"], hidden["axles/2/bearing_deg"], places=9)
            self.assertAlmostEqual(
                solved["axles"][0]["left"]["caster_deg"]["value"], hidden["axles/1/left/caster_deg"], places=9
            )
            told = self.run_it("explain", str(job), "--ratio", "20", "--kit", "target_cameras")
            self.assertEqual((told.returncode, told.stderr), (0, ""))
            for words in ("What it means:", "together push", "steering wheel will sit", "Axles 2 and 3"):
                self.assertIn(words, told.stdout)
            job.write_text(self.run_it("simulate", "drive_over_plate", "car").stdout)
            told = self.run_it("explain", str(job), "--kit", "flag_lasers").stdout
            for words in (
                "Not measured:",
                "What to read next:",
                "To know the front out of square, read the flag scales",
            ):
                self.assertIn(words, told)

    def test_wrong_words_are_refused_with_those_that_are_expected(self):
        for words, expected in (
            (("simulate", "no_kit", "car"), "no kit is called no_kit; there are"),
            (("simulate", "flag_lasers", "tricycle"), "no pattern is called tricycle; there are"),
            (("simulate", "flag_lasers", "car", "--seed"), "--seed: expected one of"),
            (("simulate", "flag_lasers", "car", "--truth", "/no/such/folder/x"), "cannot be written"),
            (("explain", "x.json", "--ratio", "zero"), "--ratio: expected a number above 0"),
            ((), "usage: python -m alignment solve"),
        ):
            done = self.run_it(*words)
            self.assertEqual((done.returncode, done.stdout), (2, ""))
            self.assertIn(expected, done.stderr)

    def test_a_batch_answers_each_file_in_order_and_a_faulty_one_stops_nothing(self):
        files = [json.dumps(set_at("/readings/2/deg", deg)).encode() for deg in (-0.4, "x", 0.6)] * 40
        answers = list(solve_many(files, processes=2))
        self.assertEqual(len(answers), len(files))
        self.assertEqual(answers[0], json.loads(json.dumps(solve_job(parse(read_document(files[0]))))))
        self.assertEqual(answers[1], ['/readings/2/deg: expected a number, got "x"'])
        self.assertEqual(answers[-1], answers[2])

    def test_a_job_without_readings_is_good_and_has_no_phases(self):
        self.assertEqual(solve_job(parse(set_at("/readings", [])))["phases"], {})
