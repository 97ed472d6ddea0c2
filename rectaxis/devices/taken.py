"""What a page says of a number that it took from a device: which device, and what its samples came to."""

from __future__ import annotations

import math
from uuid import UUID

_MOST_SAMPLES = 100_000


def read_taken(value: object) -> dict[str, object] | None:
    """The parts that are kept; None for a number that was typed, or where what is said of it cannot be."""
    if not isinstance(value, dict):
        return None
    try:
        device = str(UUID(str(value.get("device"))))
    except ValueError:
        return None
    u, spread, samples = (value.get(name) for name in ("u", "spread", "samples"))
    numbers = [float(one) for one in (u, spread) if isinstance(one, int | float) and not isinstance(one, bool)]
    if len(numbers) != 2 or not all(math.isfinite(one) and 0 <= one < _LARGEST for one in numbers):  # noqa: PLR2004 - the two
        return None
    if not isinstance(samples, int) or isinstance(samples, bool) or not 0 < samples <= _MOST_SAMPLES:
        return None
    return {"device": device, "u": numbers[0], "spread": numbers[1], "samples": samples}


_LARGEST = 1e4
