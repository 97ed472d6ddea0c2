"""Mutated job files: solved and planned, or refused with pointers, never a traceback, a warning or a number that is none.

``./run bench fuzz`` takes 20,000 of them.
"""

import json
import os
import time
import unittest
import warnings

from hypothesis import HealthCheck, given, settings

from alignment.errors import JobFileError
from alignment.jobfile import parse, plan_job, read_document, solve_job
from alignment.tests.strategies import good_files, mutated_files

EVERYDAY = settings(deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
FILES = int(os.environ.get("RECTAXIS_FUZZ_FILES", "600"))
LONGEST_SECONDS = 10
"""No small file may take this long, on the slowest machine: a hang, not a speed, is what this looks for."""


class Fuzz(unittest.TestCase):
    counts = {"files": 0, "solved": 0}

    def test_what_is_mutated_is_good_before_and_stands_on_tilted_ground(self):
        for text in good_files():
            job = parse(json.loads(text))
            self.assertIn("ground", {reading.KIND for reading in job.readings}, text[:200])

    @given(mutated_files())
    @settings(EVERYDAY, max_examples=FILES)
    def test_mutated_files_are_solved_or_refused(self, raw: bytes):
        started = time.perf_counter()
        self.counts["files"] += 1
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            try:
                job = parse(read_document(raw))
                answer = solve_job(job), plan_job(job)
            except JobFileError as error:
                self.assertTrue(error.faults)
                for fault in error.faults:
                    self.assertTrue(fault.pointer == "" or fault.pointer.startswith("/"))
                    self.assertTrue(str(fault).isprintable())
            else:
                self.counts["solved"] += 1
                json.dumps(answer, allow_nan=False)
        self.assertLess(time.perf_counter() - started, LONGEST_SECONDS)
