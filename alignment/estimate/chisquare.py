"""The tail of the chi-square distribution, so that the core needs nothing beyond NumPy.

Series and continued fraction of the regularised incomplete gamma function (NIST Digital Library of Mathematical
Functions, 8.11.4 and 8.9.2, named from memory); checked in the tests against SciPy.
"""

from __future__ import annotations

import math

_CLOSE = 1e-15
"""The continued fraction ends where a factor is 1 to the last bits of a double."""


def survival(statistic: float, freedom: int) -> float:
    """Probability that a chi-square variable of ``freedom`` degrees is at least ``statistic``.

    **Raises** ValueError for a negative statistic or fewer than one degree of freedom.
    """
    if freedom < 1 or not statistic >= 0:
        raise ValueError(f"expected a statistic of at least 0 and freedom of at least 1, got {statistic}, {freedom}")
    a, x = freedom / 2, statistic / 2
    if x == 0:
        return 1.0
    if math.isinf(x):
        return 0.0
    leading = math.exp(a * math.log(x) - x - math.lgamma(a))
    if x < a + 1:
        return 1.0 - leading * _series(a, x)
    return leading * _fraction(a, x)


def _series(a: float, x: float) -> float:
    term = total = 1.0 / a
    while term > total * 1e-16:
        a += 1
        term *= x / a
        total += term
    return total


def _fraction(a: float, x: float) -> float:
    """Lentz's evaluation of the continued fraction, valid for x at or above a + 1."""
    b = x + 1 - a
    c, d = 1e300, 1 / b
    value = d
    for n in range(1, 10_000):
        factor = -n * (n - a)
        b += 2
        d = 1 / (factor * d + b)
        c = b + factor / c
        change = c * d
        value *= change
        if abs(change - 1) < _CLOSE:
            break
    return value
