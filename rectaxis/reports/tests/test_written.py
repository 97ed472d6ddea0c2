"""Workbook, document and CSV, read back with other libraries: they say what was solved, and nothing runs in them."""

import csv
import io
import zipfile

import docx
import openpyxl
from django.test import TestCase

from alignment.jobfile import parse, solve_job
from alignment.quantities import say
from rectaxis.demo.doing import type_in
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.reports.find import report_of
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.seal_phase import seal_phase
from tests.demo import put_out_the_demo


class Written(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.person = User.objects.get(username="mara")
        cls.done = Job.objects.get(vehicle__unit="Van 9")

    def setUp(self):
        self.client.force_login(self.person)

    def got(self, ending, job=None):
        answer = self.client.get(f"/reports/{(job or self.done).pk}/report.{ending}")
        self.assertEqual(answer.status_code, 200)
        self.assertIn(f".{ending}", answer["Content-Disposition"])
        return answer.content

    def solved(self):
        """What the core makes of the job file: for each judged angle of the after its value and the before's."""
        phases = solve_job(parse(report_of(self.done, self.person).job_file()))["phases"]
        return list(zip(phases["before"]["verdicts"], phases["after"]["verdicts"], strict=True))

    def test_the_workbook_has_the_solved_numbers_as_numbers_with_their_units(self):
        book = openpyxl.load_workbook(io.BytesIO(self.got("xlsx")))
        self.assertEqual(book.sheetnames[:2], ["Report", "Angles"])
        heads, *rows = book["Angles"].iter_rows(values_only=True)
        self.assertEqual(len(rows), len(self.solved()))
        sealed = self.done.seal_set.get(phase="after").results["verdicts"]
        for row, (before, after), as_sealed in zip(rows, self.solved(), sealed, strict=True):
            cell = dict(zip(heads, row, strict=True))
            self.assertAlmostEqual(cell["After"], after["value"], delta=1e-12)
            self.assertAlmostEqual(cell["After, ±"], 2 * as_sealed["u"], delta=1e-12)
            self.assertAlmostEqual(cell["Before"], before["value"], delta=1e-12)
            self.assertEqual((cell["Limit, least"], cell["Limit, most"]), (after["min"], after["max"]))
            self.assertEqual(cell["After, in words"], say(after["quantity"], after["value"]))
            self.assertIn(cell["Unit"], ("°", "mm"))
        self.assertEqual(book["Angles"].cell(2, heads.index("After") + 1).number_format, "0.00")
        every = {(row[0], row[1]): row[3] for row in book["Every angle"].iter_rows(min_row=2, values_only=True)}
        toe = self.done.seal_set.get(phase="after").results["axles"][0]["left"]["toe_deg"]
        self.assertEqual(
            every["Front axle", "left toe"], f"{say('toe_deg', toe['value'])} ± {2 * toe['u']:.2f}°", "it is not judged"
        )
        self.assertNotIn(("Front axle", "offset"), every, "it was given and not measured")
        read = [row[2] for row in book["Readings"].iter_rows(values_only=True)]
        self.assertGreater(len(read), 20)

    def test_csv_and_document_say_the_same(self):
        rows = list(csv.DictReader(io.StringIO(self.got("csv").decode("utf-8-sig"))))
        document = docx.Document(io.BytesIO(self.got("docx")))
        tables = [[[cell.text for cell in row.cells] for row in table.rows] for table in document.tables]
        angles = next(table for table in tables if table[0][0] == "Axle")
        for row, written, (_, after) in zip(rows, angles[1:], self.solved(), strict=True):
            self.assertAlmostEqual(float(row["After"]), after["value"], delta=1e-6)
            self.assertEqual(written[4], say(after["quantity"], after["value"]))
            self.assertEqual(row["After, in words"], written[4])
        self.assertIn("Wheel alignment, Van 9", [one.text for one in document.paragraphs])

    def test_what_a_person_typed_is_never_a_formula(self):
        job = Job.objects.get(vehicle__unit="Van 21")
        seal_phase(self.person, job, Phase.BEFORE)
        Job.objects.filter(pk=job.pk).update(asked='=HYPERLINK("http://x.example")')
        type_in(self.person, job, {"hand-over/next": "@SUM(1)", "arrive/asked-by": "+1"})
        hand_over(self.person, Job.objects.get(pk=job.pk))
        raw = self.got("xlsx", job)
        self.assertIn(
            '=HYPERLINK("http://x.example")',
            [row[1] for row in openpyxl.load_workbook(io.BytesIO(raw))["Report"].values],
        )
        with zipfile.ZipFile(io.BytesIO(raw)) as sheets:
            for name in sheets.namelist():
                self.assertNotIn(b"<f>", sheets.read(name))
        Job.objects.filter(pk=job.pk).update(asked="")
        for line in self.got("csv", job).decode("utf-8-sig").splitlines():
            self.assertNotRegex(line, r"(^|,)\"?[=@]")

    def test_an_early_end_is_written_too(self):
        ended = Job.objects.get(vehicle__unit="Van 2")
        sheet = openpyxl.load_workbook(io.BytesIO(self.got("xlsx", ended)))["Report"]
        lines = [str(cell) for row in sheet.values for cell in row if cell]
        self.assertTrue(any(line.startswith("Do not drive until repaired") for line in lines))
        self.assertIn("left front spring is broken", "".join(p.text for t in docx.Document(io.BytesIO(self.got("docx", ended))).tables
                                                              for r in t.rows for p in r.cells))  # fmt: skip
