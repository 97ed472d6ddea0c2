"""Where the columns of rulers stand along the sheet: each as near as can be to where it is read, none over another."""

from __future__ import annotations

from collections.abc import Sequence


def spread_out(wanted: Sequence[float], gap: float, low: float, high: float) -> list[float]:
    """Places for ``wanted`` (ascending), at least ``gap`` apart, between ``low`` and ``high``.

    The places of least squares: what is too near its neighbour joins it in a pool that stands about the mean of what its
    members want (pool adjacent violators, Barlow and others 1972, from memory). Where the room is too short for the gap
    they stand evenly over all of it.
    """
    if not wanted:
        return []
    if len(wanted) > 1:
        gap = min(gap, (high - low) / (len(wanted) - 1))
    pools: list[tuple[float, int]] = []
    for index, place in enumerate(wanted):
        mean, count = place - index * gap, 1
        while pools and pools[-1][0] >= mean:
            other, others = pools.pop()
            mean, count = (mean * count + other * others) / (count + others), count + others
        pools.append((mean, count))
    last = high - (len(wanted) - 1) * gap
    shifted = [min(max(mean, low), last) for mean, count in pools for _ in range(count)]
    return [place + index * gap for index, place in enumerate(shifted)]
