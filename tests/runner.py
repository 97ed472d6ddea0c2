"""Django's test runner, which names the slowest tests and ends with one line of counts."""

import gc
import time
import unittest

from django.template import Template
from django.test.runner import DiscoverRunner
from django.test.signals import template_rendered

from tests.runner_counts import counts

_SLOWEST = 6


def _render(self, context):
    """Tell the test client of a page's own template alone. It copies the context of each one it is told of, and a drawing has hundreds."""
    if context.template is self:
        template_rendered.send(sender=self, template=self, context=context)
    return self.nodelist.render(context)


class Timed(unittest.TextTestResult):
    """Keeps how long each test took, its setting up included."""

    def __init__(self, *words, **named):
        super().__init__(*words, **named)
        self.took = {}

    def startTest(self, test):  # noqa: N802 - unittest's name
        self._started = time.monotonic()
        super().startTest(test)

    def stopTest(self, test):  # noqa: N802 - unittest's name
        super().stopTest(test)
        self.took[test.id()] = time.monotonic() - self._started


class Runner(DiscoverRunner):
    """Prints ``N passed, N failed, N skipped`` and keeps the result."""

    result = None

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        Template._render = _render

    def run_suite(self, suite, **kwargs):
        # What is loaded by now stays, so garbage collection leaves it out: that took a twentieth of the time.
        gc.collect()
        gc.freeze()
        return super().run_suite(suite, **kwargs)

    def get_resultclass(self):
        return Timed

    def suite_result(self, suite, result, **kwargs):
        self.result = result
        slowest = sorted(result.took.items(), key=lambda item: -item[1])[:_SLOWEST]
        print("slowest: " + ", ".join(f"{name.rsplit('.', 1)[-1]} {seconds:.0f} s" for name, seconds in slowest))
        print("{} passed, {} failed, {} skipped".format(*counts(result)))
        return super().suite_result(suite, result, **kwargs)
