"""What a reference does on the road, drawn: the body as it runs along its way, and the steering wheel as it sits."""

from __future__ import annotations

from dataclasses import dataclass

from alignment.procedure.references import Consequence

WIDTH, HEIGHT = 240, 96
TIMES = 20.0
"""By how much the body's angle is enlarged; the steering wheel is drawn as it sits."""
_MOST = 25.0


@dataclass(frozen=True)
class RoadDrawn:
    """A body turned against its way, degrees clockwise on the screen (the way runs to the left), and the steering wheel's
    turn, None where the ratio is not known. Its wheels roll along the way, so on the body they are turned back.
    """

    body_turn: float
    wheel_turn: float | None
    wheels: tuple[tuple[int, int], ...] = ((57, 26), (57, 66), (119, 26), (119, 66))
    width: int = WIDTH
    height: int = HEIGHT

    @property
    def wheels_turn(self) -> float:
        return -self.body_turn


def road(one: Consequence) -> RoadDrawn:
    """The drawing of a consequence. Pushing to the right the nose hangs to the left of the way: down on the screen."""
    turn = max(-_MOST, min(_MOST, -one.rear_deg * TIMES))
    return RoadDrawn(round(turn, 2), None if one.wheel_deg is None else round(one.wheel_deg, 1))
