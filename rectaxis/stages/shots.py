"""The pictures of a visit as a page shows them: what was taken, what was seen in it, and what to do next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from alignment.model.vehicle import axle_name
from alignment.speech import of_sides, side_name
from rectaxis.devices.models import Device
from rectaxis.record.models import Shot, Sighting
from rectaxis.record.slot import Phase
from rectaxis.stages.page import Page
from rectaxis.visit.sightings import FROM_ROLL, holding, newest, shots_of

WITH_PICTURES = ("roll", "read", "set", "prove")
_WANTED_DEG = 25.0
"""A roll by so much tells axes well; less costs certainty (devices.md)."""
_ROLLS, _SWEEPS = 3, 4
_PLACES = {
    Shot.Move.ROLL: "Rolled: take it",
    Shot.Move.SWEEP: "Steered: take it",
    Shot.Move.STILL: "Take it as it stands",
}


@dataclass(frozen=True)
class ShotShown:
    """One shot: which it is, and what was seen of the targets, camera by camera."""

    shot: Shot
    number: int
    said: str
    seen: str
    missed: tuple[str, ...]

    @property
    def pictures(self) -> tuple[str, ...]:
        """The cameras whose pictures are there."""
        return tuple(sorted(self.shot.pictures))


@dataclass(frozen=True)
class WheelShown:
    """What the pictures told of one wheel: its name, how far it was rolled, and its rolling radius."""

    name: str
    rolled: float
    radius: float
    u: float


@dataclass(frozen=True)
class Panel:
    """All of it for one page. ``next`` says what to do, ``buttons`` are the moves that may be taken, the wanted one first."""

    phase: str
    device: Device | None
    next: str
    buttons: Sequence[tuple[str, str]]
    shots: Sequence[ShotShown]
    wheels: Sequence[WheelShown]
    warnings: Sequence[str]
    waiting: bool
    sealed: bool
    offered: bool


def panel(page: Page) -> Panel | None:
    """None where no kit of the visit takes pictures, or where this page is not about them."""
    visit, phase = page.visit, page.phase
    if not visit.snapshot.rig.seen or page.stage not in WITH_PICTURES or phase == Phase.AIR:
        return None
    journal = visit.journal
    shots, seals = shots_of(journal, phase), journal.seals
    told = holding(journal, journal.moves, None) if phase == Phase.SET else newest(journal, phase)
    device = next((one for one in Device.objects.filter(kit__in=visit.job.kits, unpaired=False)
                   if one.identity.get("kind") == "cameras"), None)  # fmt: skip
    sealed = phase in seals or (phase == Phase.SET and Phase.AFTER in seals)
    own = [shot for shot in shots if shot.phase == phase or FROM_ROLL[phase] == phase]
    return Panel(
        phase=phase, device=device, next=_next(phase, shots, told, stale=visit.setting.unseen), buttons=_buttons(phase, shots),
        shots=[_shot(number, shot) for number, shot in enumerate(own, start=1)],
        wheels=_wheels(page, told), warnings=[of_sides(one["message"]) for one in (told.warnings if told else ())],
        waiting=any(shot.wanted for shot in shots), sealed=sealed,
        offered=phase == Phase.AFTER and not sealed and told is None and holding(journal, journal.moves, None) is not None,
    )  # fmt: skip


def _buttons(phase: Phase, shots: Sequence[Shot]) -> list[tuple[str, str]]:
    if phase == Phase.SET:
        return [(Shot.Move.STILL, _PLACES[Shot.Move.STILL])]
    if not any(shot.move == Shot.Move.ROLL for shot in shots):
        return [(Shot.Move.ROLL, "Take the first, at rest")]
    return [(move, _PLACES[move]) for move in (Shot.Move.ROLL, Shot.Move.SWEEP)]


def _next(phase: Phase, shots: Sequence[Shot], told: Sighting | None, *, stale: bool) -> str:
    """What to do next, in one sentence or two."""
    if phase == Phase.SET:
        return (
            "Something was moved: settle the vehicle, and take it as it stands."
            if stale
            else "The numbers are of the last picture."
        )
    rolls = sum(shot.move == Shot.Move.ROLL for shot in shots)
    sweeps = sum(shot.move == Shot.Move.SWEEP for shot in shots)
    if not rolls:
        return "Wheels straight, steering held. Take the first pictures as the vehicle stands."
    if rolls < _ROLLS:
        return "Push the vehicle back by a hand's breadth, smoothly, let it stand, and take the next."
    rolled = min((wheel["rolled_deg"] for wheel in told.wheels), default=0.0) if told else 0.0
    if rolled < _WANTED_DEG and not sweeps:
        return f"Rolled by {rolled:.0f}° so far; {_WANTED_DEG:.0f}° and more tell the axes well. Push on, and take another."
    if sweeps < _SWEEPS:
        return "Hold the brakes. Steer to 10° and 5° to the left, then 5° and 10° to the right: let it stand and take each."
    return "That is enough. More pictures make it surer."


def _shot(number: int, shot: Shot) -> ShotShown:
    count = len(shot.rig["targets"])
    seen = {target for found in shot.found.values() for target, dots in found.items() if "missed" not in dots}
    wheels = {one["id"]: f"{side_name(one['side'])} of axle {one['axle']}" for one in shot.rig["targets"]}
    missed = [f"not seen: {words}" for target, words in wheels.items() if target not in seen]
    missed = [] if shot.wanted else missed
    missed += [f"the picture of camera {camera} {why}" for camera, why in shot.faults.items()]
    said = "its pictures are on their way" if shot.wanted else f"{len(seen)} of {count} targets seen"
    return ShotShown(shot, number, shot.get_move_display(), said, tuple(missed))


def _wheels(page: Page, told: Sighting | None) -> list[WheelShown]:
    vehicle = page.visit.snapshot.vehicle
    return [
        WheelShown(
            f"{side_name(one['side'])} {axle_name(vehicle, one['axle'])}", one["rolled_deg"],
            one["rolling_radius_mm"]["value"], one["rolling_radius_mm"]["u"],
        )
        for one in (told.wheels if told is not None else ())
    ]  # fmt: skip
