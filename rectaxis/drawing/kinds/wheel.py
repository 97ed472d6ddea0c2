"""Readings taken at one wheel: camber, the wheel's own angles, runout, the sweep."""

from __future__ import annotations

from rectaxis.drawing.kinds.base import MIDDLE, WHEEL_OUT, At, Drawn, Shape


def _turntables(at: At) -> tuple[Shape, ...]:
    return tuple(Shape("ring", at.axle_x, MIDDLE + sign * WHEEL_OUT, 40, 0, "turntable") for sign in (-1, 1))


DRAWN = {
    "camber": Drawn("Read the gauge on the wheel."),
    "rim_angle": Drawn("Stand the protractor between the ground and the rim's face. 90 is upright."),
    "caster": Drawn("Read the tool's caster."),
    "sai": Drawn("Lay the protractor along the ends of the king pin or the joints."),
    "toe": Drawn("Read the head's own toe."),
    "sight": Drawn("Read what the head sees of its neighbour."),
    "runout": Drawn("Read the gauge, roll the wheel forward as said, read again."),
    "swing": Drawn(
        "Pins out, brakes held. Turn the wheel as far as the name of the scale says, and read the gauge.",
        tools=_turntables,
    ),
    "turn": Drawn(
        "Turn until the inner wheel stands at its mark, 20° for example; read both turntables, once for each way.",
        tools=_turntables,
    ),
    "lock": Drawn(
        "Turn the steering wheel slowly until it stops, and no harder; read the turntable. Then the other way.",
        tools=_turntables,
    ),
}
