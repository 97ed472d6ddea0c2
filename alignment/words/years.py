"""What an angle did over the years, in sentences."""

from __future__ import annotations

from alignment.history.ahead import FURTHEST_KM, Limits, leaves, next_visit, outside
from alignment.history.drift import DRIFTS, JUMPED, STILL, Drift
from alignment.quantities import say, say_size

_NOW = 0.9
"""From this chance on an angle is said to be outside now."""
_ROUND_KM = 1_000.0
SHORT = {STILL: "still", DRIFTS: "drifts", JUMPED: "jumped"}
"""What an angle does, in a word; of any other it cannot be told."""


def say_does(quantity: str, drift: Drift, matters: float, days: tuple[str, ...], style: str = "deg") -> str:
    """Whether it stands still, drifts or jumped. ``days`` are those of the visits, as the reader writes them."""
    does, each = drift.does(matters), "in 10,000 km"
    if does == JUMPED:
        jump = drift.jumps[-1]
        size = say(quantity, jump.size, style)
        return f"Jumped {size} between {days[jump.visit - 1]} and {days[jump.visit]}: look for a blow, a repair or a part that gave way."
    if does == STILL:
        most = max(-drift.low, drift.high)
        return f"Stands still: it drifts by less than {say_size(quantity, most, style)} {each}."
    if does == DRIFTS:
        ends = sorted((abs(drift.low), abs(drift.high)))
        between = " to ".join(say_size(quantity, end, style) for end in ends)
        return f"Drifts {say(quantity, drift.rate, style)} {each} ({between})."
    if len(drift.life.looks) == 1:
        return "Read once: what it does cannot be told yet."
    return f"Cannot be told yet: the readings allow a drift from {say(quantity, drift.low, style)} to {say(quantity, drift.high, style)} {each}."


def say_before(quantity: str, drift: Drift, days: tuple[str, ...], style: str = "deg") -> list[str]:
    """Jumps of the past, but for one before the last visit, which ``say_does`` says."""
    last = len(drift.life.looks) - 1
    return [
        f"It jumped {say(quantity, jump.size, style)} between {days[jump.visit - 1]} and {days[jump.visit]}."
        for jump in drift.jumps if jump.visit != last
    ]  # fmt: skip


def say_ahead(drift: Drift, limits: Limits, driven_km: float) -> str:
    """When it leaves its limits, ``driven_km`` after the last visit; empty of what has no limits."""
    if limits.low is None and limits.high is None:
        return ""
    chance = outside(drift, limits, driven_km)
    if chance >= _NOW:
        return "It is outside its limits now, in nine cases of ten or more."
    early, late = leaves(drift, limits)
    if early is None:
        return f"It stays within its limits for {FURTHEST_KM:,.0f} km."
    until = f" and {_round(late)}" if late is not None else ""
    after = f"between {_round(early)}{until}" if until else f"after {_round(early)} at the earliest"
    again = next_visit(drift, limits)
    when = (
        f" Measured again within {_round(again)}, it is still inside in nine cases of ten."
        if again >= _ROUND_KM
        else ""
    )
    return f"It leaves its limits {after} from the last visit on.{when}"


def _round(km: float) -> str:
    return f"{_ROUND_KM * max(1, round(km / _ROUND_KM)):,.0f} km"
