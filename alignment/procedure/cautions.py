"""What can hurt someone, said at the step where it can. General care; the maker's figures and local rules come first."""

from __future__ import annotations

_INTO_A_BEAM = "Do not look into a beam, and mind mirrors and chrome that throw it back."
_ALONG_A_BEAM = "Do not look along a beam. Mind the chrome."

CAUTIONS: dict[str, tuple[str, ...]] = {
    "arrive": ("The person who moves the vehicle must see you on the ground.",),
    "look": ("Chock the wheels before you release a brake or reach underneath. Never trust a jack: use stands.",),
    "rig": (
        _INTO_A_BEAM,
        "Strap each clamp to the wheel: a head that falls can break a foot.",
    ),
    "roll": ("Keep hands clear of a lifted wheel while it turns, and lower on to stands, not on to the jack.",),
    "read": (_ALONG_A_BEAM,),
    "sweep": ("Brakes held by a depressor, nobody leans on the vehicle, hands clear of the turning wheel.",),
    "judge": (),
    "set": ("Engine off, wheels chocked, hands clear of the tyre while someone else touches the steering.",),
    "prove": ("Road tests within the law, on a flat road, hands light on the wheel.",),
    "hand-over": (),
}
"""Sentences by stage; the sweep has its own."""


def cautions(stage: str, *, light: bool = True) -> tuple[str, ...]:
    """What can hurt at a stage; a kit without ``light`` has no beam to mind."""
    return tuple(line for line in CAUTIONS[stage] if light or line not in (_INTO_A_BEAM, _ALONG_A_BEAM))


MOVES: dict[str, tuple[str, ...]] = {
    "rod": (
        "Hold the rod's end while the lock nut is loosened. Set the gaiter's clip straight again, so that it does not twist.",
        "Lock nuts and thread lock as the maker says: this program does not know the torque, and asks you for it.",
    ),
    "arm": (
        "The wheel hangs free: on a stand, never on the jack alone. An air spring can drop.",
        "Do not take the bolt out of its hole. Tighten to the maker's figure, the vehicle standing on its wheels where the maker asks.",
    ),
    "beam": (
        "Chocks first: the axle cannot move until its brakes are released, and then nothing holds the vehicle.",
        "Frame on stands. Hands clear while the axle is pushed; a ram holds its force until it is let off.",
        "If the pump suddenly needs force, something is bound: stop and look. U-bolts and rods to the maker's figure.",
    ),
}
"""Sentences at the move itself, by the sort of work that it is."""
