"""What is added by a recipe of docs/contributing.md: a step that is forgotten fails here, and says which."""

import inspect
from dataclasses import replace
from importlib import import_module
from pathlib import Path
from pkgutil import iter_modules
from unittest.mock import patch

from django.test import TestCase

from alignment.adjust.hardware import KINDS as HARDWARE
from alignment.judge import diagnose
from alignment.judge.diagnose import RULES, DiagnosticRule
from alignment.procedure.checklist import Question, questions
from alignment.procedure.kit import kit, kit_codes
from alignment.procedure.stages import GATES, STAGES, Facts, Gate, GateRule, Named, all_gates, gates
from alignment.readings import KINDS
from rectaxis.drawing.kinds import DRAWN
from rectaxis.fleets.adjusters import adjuster_form, kinds
from rectaxis.kits.models import OFFERED
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.save_entries import save_entries
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.sections import SECTIONS
from rectaxis.visit.visit import Visit
from tests.demo import put_out_the_demo

ROOT = Path(__file__).resolve().parent.parent
NOT_ON_THE_DRAWING = {
    "ground": "it is no reading of an axle",
    "plumb": "it is no reading of an axle",
    "wheel_axis": "a camera's",
    "steer_axis": "a camera's",
    "rig": "no scale shows it",
    "clamp": "no scale shows it",
}
STANDING = Facts(
    certificate_days=-1, pressures_open=1, clamps_open=(Named("1/left", "left front wheel"),), locked=False, self_check="open",
    before_saved=False, unsafe=(Named("look/part/1/joints", "joints"),), rims_off=(571.5,), ground_checked=False,
    odometer_was=5.0, not_tightened=(Named("A1 left tie rod", "left tie rod"),), play_open=(Named("1", "the front"),),
    ride_open=True, straps_open=True,
)  # fmt: skip
"""Facts at which every gate stands."""


class Core(TestCase):
    def test_every_kind_of_reading_says_what_other_parts_ask_of_it(self):
        samples = (ROOT / "alignment" / "tests" / "test_readings.py").read_text()
        for name, kind in KINDS.items():
            with self.subTest(kind=name):
                self.assertTrue(
                    name in DRAWN or name in NOT_ON_THE_DRAWING, "no file of rectaxis/drawing/kinds draws it"
                )
                self.assertIn(f'"{name}"', samples, "no sample in alignment/tests/test_readings.py")
                if name not in NOT_ON_THE_DRAWING:
                    self.assertTrue(hasattr(kind, "WALK"), "WALK is missing: what is read first at one place")
                    self.assertEqual(
                        len({k.WALK for k in KINDS.values() if k.ON_AXLE}), sum(k.ON_AXLE for k in KINDS.values())
                    )

    def test_what_a_kit_asks_of_its_placing_has_words_and_every_kit_is_offered(self):
        self.assertEqual(set(OFFERED), set(kit_codes()))
        for code in kit_codes():
            with self.subTest(kit=code):
                for setup in kit(code).data["setups"]:
                    for reading in setup["readings"]:
                        for name in reading.get("asked", ()):
                            field = KINDS[reading["kind"]].field(name)
                            self.assertTrue(
                                field and field.asked, f"{reading['kind']}: {name} has no words to ask for it"
                            )

    def test_every_adjuster_has_a_form_and_a_name(self):
        self.assertEqual({code for code, _ in kinds()}, set(HARDWARE))
        for code in HARDWARE:
            self.assertTrue(adjuster_form(code, 2)().as_p())

    def test_every_diagnostic_rule_is_listed_once_and_has_a_case(self):
        rooms = [import_module(f"{diagnose.__name__}.{room.name}") for room in iter_modules(diagnose.__path__)]
        members = [one for room in rooms for _, one in inspect.getmembers(room, inspect.isclass)]
        defined = {one for one in members if issubclass(one, DiagnosticRule) and getattr(one, "CODE", None)}
        self.assertEqual({type(rule) for rule in RULES}, defined, "a rule is not in RULES")
        tests = ROOT / "alignment" / "tests"
        cases = "".join((tests / f"test_{name}.py").read_text() for name in ("judgement", "faults"))
        for rule in RULES:
            self.assertRegex(
                cases, f'"{rule.CODE}["/]', "no case in alignment/tests/test_judgement.py or test_faults.py"
            )
        self.assertEqual(len({rule.CODE for rule in RULES}), len(RULES))

    def test_every_gate_stands_before_a_stage_leads_to_one_and_has_facts_at_which_it_stands(self):
        stages = {stage.code for stage in STAGES}
        standing = {gate.code.split("/")[0] for gate in all_gates(STANDING)}
        for rule in GATES:
            with self.subTest(gate=rule.code):
                self.assertLessEqual({rule.before, rule.stage}, stages)
                self.assertIn(rule.code, standing, "STANDING has no fact at which it stands")
        self.assertEqual(len({rule.code for rule in GATES}), len(GATES))


class App(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.person = User.objects.get(username="mara")
        cls.job = Job.objects.get(vehicle__unit="Van 21")

    def setUp(self):
        self.client.force_login(self.person)

    def test_every_question_is_asked_on_the_page_of_its_stage_and_can_be_answered(self):
        for unit in ("Van 21", "Tractor 3", "Trailer 5"):
            job = Job.objects.get(vehicle__unit=unit)
            for stage, asked in Visit(job).snapshot.questions.items():
                page = self.client.get(f"/jobs/{job.pk}/{stage}/").content.decode()
                for question in asked:
                    self.assertIn(f'data-slot="{question.slot}"', page, f"{unit}: no field on {stage}")

    def test_a_new_question_is_asked_answered_and_on_the_record_by_one_function(self):
        more = Question("arrive/keys", "Keys left at the gate", "choice", choices={"yes": "yes", "no": "no"})
        with patch(
            "rectaxis.record.snapshot.questions", lambda on: (q := questions(on)) | {"arrive": (*q["arrive"], more)}
        ):
            self.assertContains(self.client.get(f"/jobs/{self.job.pk}/arrive/"), "Keys left at the gate")
            item = {"id": "01a208db-c625-792b-b69e-113c23cf63bc", "slot": more.slot, "typed": "yes"}
            self.assertEqual(save_entries(self.person, self.job, [item])[0].status, "saved")
            self.assertContains(self.client.get(f"/jobs/{self.job.pk}/history/"), "Keys left at the gate: “yes”")
            sealed = seal_phase(self.person, self.job, Phase.BEFORE)
            self.assertEqual(sealed.statement["answers"][more.slot]["said"], "yes")

    def test_a_new_gate_stands_is_passed_with_a_reason_and_reported_by_one_row(self):
        row = GateRule("weather", "read", "arrive", lambda _: [("", "It rains into the scales.")])
        with (
            patch("alignment.procedure.stages.GATES", (*GATES, row)),
            patch("rectaxis.visit.fields.GATES", (*GATES, row)),
        ):
            self.assertIn(Gate("weather", "It rains into the scales.", "arrive"), gates("read", STANDING))
            self.assertContains(self.client.get(f"/jobs/{self.job.pk}/read/"), "It rains into the scales.")
            item = {"id": "01a208db-c625-792b-b69e-113c23cf63bd", "slot": "gate/weather", "typed": "under a tarpaulin"}
            self.assertEqual(save_entries(self.person, self.job, [item])[0].status, "saved")
            seal_phase(self.person, self.job, Phase.BEFORE)
            self.assertContains(self.client.get(f"/reports/{self.job.pk}/"), "under a tarpaulin")

    def test_a_new_section_is_in_the_seal_and_on_the_report_by_one_function(self):
        more = SECTIONS | {"yard": ("The yard", lambda visit: [f"{visit.job.vehicle.unit} stood on gravel."])}
        with patch("rectaxis.visit.sections.SECTIONS", more):
            sealed = seal_phase(self.person, self.job, Phase.BEFORE)
            self.assertContains(self.client.get(f"/reports/{self.job.pk}/"), "Van 21 stood on gravel.")
        self.assertIn("yard", [section["code"] for section in sealed.statement["sections"]])

    def test_what_is_moved_is_gated_until_somebody_says_how_tight_it_is(self):
        loose = replace(STANDING, not_tightened=())
        self.assertEqual(len(gates("prove", STANDING)) - len(gates("prove", loose)), 1)
        job = Job.objects.get(vehicle__unit="Van 9")
        self.assertEqual(Visit(job).progress.gates("prove"), [])
        torque = Visit(job).journal.entries
        for slot in [slot for slot in torque if slot.startswith("torque/")]:
            visit = Visit(job)
            del visit.journal.entries[slot]
            (gate,) = visit.progress.gates("prove")
            self.assertEqual(gate.code, f"tight/{slot.removeprefix('torque/')}")


class Cautions(TestCase):
    def test_a_kit_with_beams_warns_of_them_and_one_without_does_not(self):
        put_out_the_demo()
        self.client.force_login(User.objects.get(username="mara"))
        for unit, said in (("Van 14", True), ("Trailer 5", False)):
            page = self.client.get(f"/jobs/{Job.objects.get(vehicle__unit=unit).pk}/rig/").content.decode()
            self.assertEqual("Do not look into a beam" in page, said, unit)
            self.assertEqual("Strap each clamp" in page, said, unit)
            set_page = self.client.get(f"/jobs/{Job.objects.get(vehicle__unit=unit).pk}/set/").content.decode()
            self.assertEqual("touches the steering" in set_page, said, unit)
