"""Django's test runner, which ends with one line of counts."""

from django.test.runner import DiscoverRunner

from tests.runner_counts import counts


class Runner(DiscoverRunner):
    """Prints ``N passed, N failed, N skipped`` and keeps the result."""

    result = None

    def suite_result(self, suite, result, **kwargs):
        self.result = result
        print("{} passed, {} failed, {} skipped".format(*counts(result)))
        return super().suite_result(suite, result, **kwargs)
