"""20,000 mutated job files through the reader and the solver, with the time and the memory that they took."""

from __future__ import annotations

import os
import resource
import time
import unittest

FILES = 20_000


def report() -> bool:
    """Run the fuzz test on so many files; whether it passed."""
    os.environ["RECTAXIS_FUZZ_FILES"] = str(FILES)
    from alignment.tests import test_fuzz

    started = time.perf_counter()
    passed = (
        unittest.TextTestRunner(verbosity=0)
        .run(unittest.defaultTestLoader.loadTestsFromModule(test_fuzz))
        .wasSuccessful()
    )
    took, peak = time.perf_counter() - started, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    counts = test_fuzz.Fuzz.counts
    print(f"{counts['files']:,} mutated files, {counts['solved']:,} of them still good and solved: {took:.0f} s, "
          f"at most {peak:.0f} MB, {'no' if passed else 'A'} failure")  # fmt: skip
    return passed
