"""Jack and hold: a lifted wheel shows other numbers than a loaded one, and its changes are what counts.

When a wheel is lifted its readings are frozen as they were on the ground. What a scale shows in the air is read once at
the start; from then on only its change is taken, and added to the frozen number when the wheel is down again.
"""

from __future__ import annotations


def aim_in_the_air(target: float, frozen: float, lifted: float) -> float:
    """What a scale must show in the air, so that it shows ``target`` on the ground.

    ``frozen`` is what it showed on the ground before the wheel was lifted, ``lifted`` what it showed just after.
    """
    return target + (lifted - frozen)


def carried_over(frozen: float, lifted: float, now: float) -> float:
    """What a scale counts as showing once the wheel is down: the frozen number with the change seen in the air."""
    return frozen + (now - lifted)
