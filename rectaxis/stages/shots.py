"""The pictures of a visit as a page shows them: what was taken, what was seen in it, and what to do next."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from alignment.live.guide import ENOUGH_DEG, FEWEST_ROLLS, SWEEP_DEG
from alignment.model.vehicle import axle_name
from alignment.speech import of_sides, side_name
from rectaxis.devices.models import Device
from rectaxis.record.models import Shot, Sighting
from rectaxis.record.slot import Phase
from rectaxis.stages.page import Page
from rectaxis.visit.sightings import holding, newest, shots_of

WITH_PICTURES = ("roll", "read", "set", "prove")
_GOOD_DEG = 30.0
"""Where the bar of the roll is full."""
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
class Box:
    """Where a target's dots were found in a picture, pixels, and whose it is."""

    x: float
    y: float
    wide: float
    high: float
    said: str


@dataclass(frozen=True)
class Looked:
    """One picture of the newest shot, with its size in pixels, and what was found in it."""

    shot: Shot
    number: int
    camera: str
    wide: int
    high: int
    boxes: tuple[Box, ...]


@dataclass(frozen=True)
class WheelShown:
    """What the pictures told of one wheel: its name, how far it was rolled, and its rolling radius."""

    name: str
    rolled: float
    radius: float
    u: float


class Button(NamedTuple):
    """A move that may be taken now, and whether it is the one that is wanted next."""

    move: str
    words: str
    wanted: bool


@dataclass(frozen=True)
class Panel:
    """All of it for one page. ``next`` says what to do, ``buttons`` are the moves that may be taken."""

    phase: str
    device: Device | None
    next: str
    buttons: Sequence[Button]
    shots: Sequence[ShotShown]
    wheels: Sequence[WheelShown]
    warnings: Sequence[str]
    waiting: bool
    sealed: bool
    offered: bool
    looked: Sequence[Looked]
    rolled: float

    @property
    def filled(self) -> float:
        """How much of the wanted roll is done, percent."""
        return min(100.0, 100.0 * self.rolled / _GOOD_DEG)


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
    rolled = min((wheel["rolled_deg"] for wheel in told.wheels), default=0.0) if told else 0.0
    own = [shot for shot in journal.shots if shot.phase == phase]
    return Panel(
        phase=phase, device=device, buttons=_buttons(phase, shots, rolled), rolled=rolled,
        next=_next(phase, shots, rolled=rolled, stale=visit.setting.unseen, missing=_missing(page, told)),
        shots=[_shot(page, number, shot) for number, shot in enumerate(own, start=1)],
        wheels=_wheels(page, told), warnings=[of_sides(one["message"]) for one in (told.warnings if told else ())],
        looked=_looked(page, own),
        waiting=any(shot.wanted for shot in shots), sealed=sealed,
        offered=phase == Phase.AFTER and not sealed and told is None and holding(journal, journal.moves, None) is not None,
    )  # fmt: skip


def _buttons(phase: Phase, shots: Sequence[Shot], rolled: float) -> list[Button]:
    """Always in the same order: a page that refreshes itself must not put another one under a finger."""
    if phase == Phase.SET:
        anew = any(shot.phase == phase and shot.move == Shot.Move.ROLL for shot in shots)
        again = _PLACES[Shot.Move.ROLL] if anew else "Roll anew: take the first"
        return [Button(Shot.Move.STILL, _PLACES[Shot.Move.STILL], True), Button(Shot.Move.ROLL, again, False)]
    if not any(shot.move == Shot.Move.ROLL for shot in shots):
        return [Button(Shot.Move.ROLL, "Take the first, at rest", True)]
    steer = any(shot.move == Shot.Move.SWEEP for shot in shots) or rolled >= ENOUGH_DEG
    return [
        Button(Shot.Move.ROLL, _PLACES[Shot.Move.ROLL], not steer),
        Button(Shot.Move.SWEEP, _PLACES[Shot.Move.SWEEP], steer),
    ]


def _next(phase: Phase, shots: Sequence[Shot], *, rolled: float, stale: bool, missing: Sequence[str]) -> str:
    """What to do next, in one sentence or two."""
    if phase == Phase.SET and missing:
        return f"Not seen: {' and '.join(missing)}. Clear the view, and take it again."
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
    if rolls < FEWEST_ROLLS:
        return "Push the vehicle back by a hand's breadth, smoothly, let it stand, and take the next."
    if rolled < ENOUGH_DEG and not sweeps:
        return (
            f"Rolled by {rolled:.0f}° so far; {ENOUGH_DEG:.0f}° and more tell the axes well. Push on, and take another."
        )
    if sweeps < len(SWEEP_DEG):
        return "Hold the brakes. Steer to 10° and 5° to the left, then 5° and 10° to the right: let it stand and take each."
    return "That is enough. More pictures make it surer."


def _names(page: Page, shot: Shot) -> dict[str, str]:
    """The wheels of a shot's targets, in words, by the target."""
    vehicle = page.visit.snapshot.vehicle
    return {one["id"]: f"{side_name(one['side'])} {axle_name(vehicle, one['axle'])}" for one in shot.rig["targets"]}


def _shot(page: Page, number: int, shot: Shot) -> ShotShown:
    count = len(shot.rig["targets"])
    seen = {target for found in shot.found.values() for target, dots in found.items() if "missed" not in dots}
    wheels = _names(page, shot)
    missed = [f"not seen: {words}" for target, words in wheels.items() if target not in seen]
    missed = [] if shot.wanted else missed
    missed += [f"the picture of camera {camera} {why}" for camera, why in shot.faults.items()]
    said = "its pictures are on their way" if shot.wanted else f"{len(seen)} of {count} targets seen"
    return ShotShown(shot, number, shot.get_move_display(), said, tuple(missed))


def _looked(page: Page, shots: Sequence[Shot]) -> list[Looked]:
    """The pictures of the newest shot of which any has come."""
    number, shot = next(((n, one) for n, one in reversed(list(enumerate(shots, start=1))) if one.pictures), (0, None))
    if shot is None:
        return []
    sizes = {one["id"]: one["size"] for one in shot.rig["cameras"]}
    return [
        Looked(
            shot, number, camera, sizes[camera][0], sizes[camera][1], tuple(_boxes(shot, camera, _names(page, shot)))
        )
        for camera in sorted(shot.pictures)
    ]


def _boxes(shot: Shot, camera: str, wheels: Mapping[str, str]) -> Iterator[Box]:
    for target, dots in shot.found[camera].items():
        if "missed" not in dots:
            x, y = zip(*dots["pixels"], strict=True)
            edge = _EDGE * (max(y) - min(y))
            said = f"{wheels[target]}: {len(dots['numbers'])} dots"
            yield Box(min(x) - edge, min(y) - edge, max(x) - min(x) + 2 * edge, max(y) - min(y) + 2 * edge, said)


_EDGE = 0.08
"""Of a target's height: how far its box stands off its outer dots."""


def _missing(page: Page, told: Sighting | None) -> list[str]:
    """The wheels that were not seen, in words; none where nothing was told yet."""
    vehicle, rig = page.visit.snapshot.vehicle, page.visit.snapshot.rig
    seen = {(one["axle"], one["side"]) for one in told.readings if one["kind"] == "wheel_axis"} if told else rig.seen
    return [f"{side_name(side)} {axle_name(vehicle, axle)}" for axle, side in rig.seen if (axle, side) not in seen]


def _wheels(page: Page, told: Sighting | None) -> list[WheelShown]:
    vehicle = page.visit.snapshot.vehicle
    return [
        WheelShown(
            f"{side_name(one['side'])} {axle_name(vehicle, one['axle'])}", one["rolled_deg"],
            one["rolling_radius_mm"]["value"], one["rolling_radius_mm"]["u"],
        )
        for one in (told.wheels if told is not None else ())
    ]  # fmt: skip
