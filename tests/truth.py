"""The hidden truth behind a simulated vehicle, against what its figures ask."""

from unittest import TestCase

from rectaxis.record.models import Job
from rectaxis.visit.visit import Visit


def true_value(job: Job, path: str) -> float | None:
    """The true value of a result, None where the truth has none of it."""
    truth = job.simulation["truth"]
    thrust = job.layout["vehicle"]["thrust_axle"]
    bearing = {axle: truth[f"axles/{axle}/bearing_deg"] for axle in range(1, len(job.layout["vehicle"]["axles"]) + 1)}
    derived = {"thrust_angle_deg": bearing[thrust], "steer_ahead_deg": bearing[1] - bearing[thrust],
               "scrub_deg/2-3": bearing.get(3, 0.0) - bearing[2]}  # fmt: skip
    return derived.get(path, truth.get(path))


def assert_truly_inside(test: TestCase, job: Job) -> None:
    """The truth lies within the figures, by what the kit can see; but for what was said to be out of reach."""
    job.refresh_from_db()
    visit = Visit(job)
    setting = visit.setting
    beyond = {rule.path for rule in setting.advice.cannot}
    judged = 0
    for rule in visit.snapshot.core.rules:
        estimate = setting.results().estimates[rule.path]
        truth = true_value(job, rule.path)
        if rule.path in beyond or estimate is None or truth is None:
            continue
        judged += 1
        test.assertGreaterEqual(truth, rule.minimum - 4 * estimate.u, rule.path)
        test.assertLessEqual(truth, rule.maximum + 4 * estimate.u, rule.path)
    test.assertGreaterEqual(judged, 4)
