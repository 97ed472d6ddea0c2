"""Counting a result, without Django."""

import unittest


def counts(result: unittest.TestResult) -> tuple[int, int, int]:
    """Passed, failed and skipped."""
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return result.testsRun - failed - len(result.skipped), failed, len(result.skipped)
