"""Which kit can judge which figures of a vehicle: for planning, and for Rig."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from alignment.jobfile import JobFile
from alignment.judge.derived import held_u_deg
from alignment.procedure.kit import kit as core_kit
from alignment.procedure.station import Station
from alignment.simulate.able import HARDLY, NEVER, SETTLES, UNSEEN, Able, able
from rectaxis.kits.models import Kit

MOST_KITS = 20
WORDS = {
    SETTLES: "can be settled",
    HARDLY: "can be settled only near the middle of their limits",
    NEVER: "can never be called inside: the kit's doubt fills the limits",
    UNSEEN: "are not read by it",
}


@dataclass(frozen=True)
class Ability:
    """What a kit can judge: its name, how many of the figures' rows, and the rows in words by how well."""

    name: str
    settled: int
    rows: int
    said: tuple[tuple[str, str], ...]
    able: tuple[Able, ...] = ()


def ability(
    name: str, core: JobFile, stations: Sequence[Station], clamp_u_deg: float, style: str, ratio: float | None
) -> Ability:
    """What a kit's stations can judge of a vehicle's figures, the ground measured and the steering wheel held by a level."""
    found = able(
        core.vehicle, core.datum, stations, core.rules, clamp_u_deg=clamp_u_deg, held_u_deg=held_u_deg("level", ratio)
    )
    by = {how: [one for one in found if one.how == how] for how in WORDS}
    said = tuple(
        (WORDS[how], "; ".join(one.say(core.vehicle, style) for one in rows))
        for how, rows in by.items()
        if rows and how != SETTLES
    )
    return Ability(name, len(by[SETTLES]), len(found), said, tuple(found))


def of_kit(kit: Kit, core: JobFile, style: str, ratio: float | None) -> Ability:
    """What a kit of the business can judge of a vehicle's figures."""
    tools, judged = core_kit(kit.code), {(rule.quantity, rule.axle) for rule in core.rules if rule.axle is not None}
    return ability(kit.name, core, tools.stations(core.vehicle, judged), tools.clamp_u_deg, style, ratio)


def of_all(core: JobFile, style: str, ratio: float | None) -> list[Ability]:
    """What each kit of the business can judge, the best first; empty without figures."""
    if not core.rules:
        return []
    found = [of_kit(kit, core, style, ratio) for kit in Kit.objects.all()[:MOST_KITS]]
    return sorted(found, key=lambda one: -one.settled)


def others_could(mine: Ability, others: Sequence[Ability]) -> list[str]:
    """For the rows that a kit cannot settle: which other kit could, as sentences."""
    lacking = {one.rule.path for one in mine.able if one.how != SETTLES}
    said = []
    for other in others:
        could = {one.rule.path for one in other.able if one.how == SETTLES} & lacking
        if could and other.name != mine.name:
            said.append(f"{other.name} could settle {len(could)} of the {len(lacking)}.")
    return said
