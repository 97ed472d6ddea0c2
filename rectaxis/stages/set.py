"""The Set page: one move at a time, where its scales must then stand, and what is still to come."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import quote

from alignment.adjust.advice import Step
from alignment.adjust.hardware.base import How
from alignment.adjust.reach import say_cannot
from alignment.adjust.wishes import AIMS
from alignment.judge.results import quantity_of, say_path
from alignment.model.vehicle import the_axle
from alignment.procedure.cautions import move_cautions
from alignment.procedure.schools import REFERENCES, say_order
from alignment.procedure.station import Station
from alignment.procedure.steps import cautions
from alignment.quantities import say
from alignment.speech import side_name
from rectaxis.drawing.rulers import scale_name, short
from rectaxis.record.models import Move
from rectaxis.record.slot import AIM, LEAN, STRAIGHT, UNREAD, OfAdjuster, Phase
from rectaxis.record.snapshot import scale
from rectaxis.stages.aimed import aimed
from rectaxis.stages.page import Page
from rectaxis.stages.read import read_page
from rectaxis.stages.tabs import Tab, tabs
from rectaxis.visit.moves import say_move
from rectaxis.visit.readings import BLANK, Typed
from rectaxis.visit.setting import Setting
from rectaxis.visit.visit import Visit

_NEARLY_ALL = 0.02
"""A share that differs by less from 1 is not worth a sentence."""
_MOST_OTHERS = 4
STRAIGHTS = {"yes": "Straight on the road", "no": "As it comes: leave it crooked"}
LEANS = {"no": "Where the figures prefer it", "yes": "Lean to toe-in, within the limits"}


@dataclass(frozen=True)
class Way:
    """One way an adjuster can be moved: "up" or "down" its positions, in the words of the work, and whether it is advised."""

    code: str
    word: str
    advised: bool


@dataclass(frozen=True)
class StepShown:
    """A move still to make, as the page shows it."""

    id: str
    title: str
    how: How
    why: str
    notes: tuple[str, ...]
    cautions: tuple[str, ...]
    unit: str
    units: str
    amount: str
    ways: tuple[Way, ...]
    to: str
    choices: tuple[str, ...]
    reads: tuple[str, ...]
    others: tuple[str, ...]
    skip_slot: str
    found_slot: str
    stands: str
    since: dt.date | None


@dataclass(frozen=True)
class MoveShown:
    """A move that was made; the last of its adjuster can be struck, and turned back if it is not that itself."""

    move: Move
    said: str
    last: bool
    back: bool


def set_page(page: Page) -> dict[str, Any]:
    """The plan drawing with the targets of the move in hand, and the moves."""
    visit, setting = page.visit, page.visit.setting
    reads_first = _reads_first(visit, setting)
    step = None if reads_first else setting.in_hand(page.chosen)
    best = _beside(page, None if _turned_in_the_air(visit) else step)
    if best is not None and best.setup is not None and not page.setup:
        page, best = replace(page, setup=best.setup.number, sweep=best.sweep), None
    return {
        **read_page(page, setting.targets(step), _in_the_air(visit) if setting.lifted else _only_valid(visit)),
        "was": {f"{page.phase}/{at}": both for at, both in setting.was.items()} if page.phase == Phase.SET else {},
        "changes": visit.snapshot.layout.changes,
        "lifted": setting.lifted,
        "may_lift": setting.lifted is not None or (step is not None and step.hardware.WORK == "arm"),
        "cautions": cautions("set", visit.about),
        "in_hand": _shown(page, step) if step else None,
        "aimed": list(aimed(page, step)) if visit.snapshot.rig.seen else [],
        "elsewhere": best if best is not None and not best.current and not setting.out_of_date else None,
        "coming": [
            _shown(page, one, short_form=True) for one in setting.advice.steps if one is not step and not reads_first
        ],
        "waiting": _waiting(visit, setting),
        "reads_first": reads_first,
        "rereads": [said for _, said in _scales(page, None)] if reads_first else [],
        "unread_slot": str(UNREAD),
        "unread": _unread(visit),
        "nothing": _why_nothing(visit, setting),
        "settled": bool(visit.hardware) and not setting.out_of_date and not setting.unseen and _known(setting),
        "cannot": _cannot(page, setting),
        "made": _made(visit),
        "struck": _struck_last(visit),
        "skipped": [
            (str(OfAdjuster("skip", one)), visit.snapshot.name_of(setting.by_id[one]), why)
            for one, why in visit.decisions.skipped.items()
        ],
        "fastened": visit.fastened,
        **_goals(visit),
        "here": _here(page),
        "adjusts": bool(visit.hardware),
        "set_page": True,
    }


def _goals(visit: Visit) -> dict[str, Any]:
    """What the person goes for while setting, and what they can choose."""
    return {
        "aims": {code: f"{title}. {text}" for code, (title, text) in AIMS.items()},
        "aim_title": AIMS[visit.decisions.wishes.aim][0],
        "aim_slot": str(AIM),
        "lean_slot": str(LEAN),
        "lean": "yes" if visit.decisions.wishes.lean_in else "no",
        "leans": LEANS,
        "straight_slot": str(STRAIGHT),
        "straight": "yes" if visit.decisions.wishes.straight else "no",
        "straights": STRAIGHTS,
        "wishes": visit.decisions.wishes,
        "reference_title": REFERENCES[visit.decisions.reference][0],
        "order": say_order(visit.snapshot.vehicle, visit.decisions.school),
    }


def _reads_first(visit: Visit, setting: Setting) -> bool:
    """Whether what the last move put out of date is to be read before the next thing is moved."""
    return bool(setting.out_of_date or setting.unseen) and setting.lifted is None and not _unread(visit)


def _turned_in_the_air(visit: Visit) -> bool:
    """Whether something was moved since a wheel was lifted: its own scales are looked at, whatever comes next."""
    lifted, moves = visit.setting.lifted, visit.journal.moves
    return lifted is not None and bool(moves) and moves[-1].sequence > lifted.sequence


def _unread(visit: Visit) -> str:
    """Why the person goes on without reading what the last move put out of date; empty where nobody said."""
    entry, moves = visit.journal.entry(UNREAD), visit.journal.moves
    since = moves[-1].sequence if moves else 0
    return entry.typed if entry is not None and entry.sequence > since else ""


def _here(page: Page) -> str:
    query = f"?setup={page.setup}" + ("&sweep=1" if page.sweep else "")
    query += f"&why={quote(page.why)}" if page.why else ""
    return f"{query}&move={page.chosen}" if page.chosen else query


def _beside(page: Page, step: Step | None) -> Tab | None:
    """The hanging of the tools on which most of the scales are read that answer to a move, or to those made."""
    setting, moves = page.visit.setting, page.visit.journal.moves
    if step is None and moves:
        stations, axle = [*setting.out_of_date], moves[-1].axle
    else:
        effects, axle = ([step.effect], step.hardware.axle) if step else ([], 0)
        answer = (setting.station_of(reading) for reading, _ in setting.standing.scales(effects))
        stations = [station for station in answer if station is not None]
    answering = [(station.setup, station.stage == "roll") for station in stations]

    def worth(tab: Tab) -> tuple[int, bool]:
        number = tab.setup.number if tab.setup else 0
        return answering.count((number, tab.sweep)), tab.setup is not None and tab.setup.heads == axle

    return max(tabs(page), key=worth, default=None) if answering else None


def _shown(page: Page, step: Step, *, short_form: bool = False) -> StepShown:
    visit, one = page.visit, step.hardware
    adjuster = one.adjuster()
    gradual = adjuster.choices is None
    scales = () if short_form else tuple(_scales(page, step))
    own = tuple(said for axle, said in scales if axle == one.axle)
    return StepShown(
        id=one.id,
        title=visit.snapshot.name_of(one),
        how=step.how,
        why=_from_to(page, step),
        notes=() if short_form else tuple(_notes(page, step)),
        cautions=move_cautions(one.WORK, visit.about),
        unit=adjuster.unit,
        units=adjuster.units,
        amount=f"{abs(float(step.to) - float(step.start)):g}" if gradual else "",
        ways=_ways(step) if gradual else (),
        to="" if gradual else str(step.to),
        choices=() if gradual else tuple(str(key) for key in adjuster.positions),
        reads=own,
        others=tuple(said for axle, said in scales if axle != one.axle)[:_MOST_OTHERS],
        skip_slot=str(OfAdjuster("skip", one.id)),
        found_slot=str(OfAdjuster("found", one.id)) if one.in_place is not None and one not in visit.moved else "",
        stands=one.in_place or "",
        since=_since(visit, one.id),
    )


def _ways(step: Step) -> tuple[Way, ...]:
    """Both ways that the adjuster can be moved from where it stands, the advised one first."""
    one, start, up = step.hardware, float(step.start), float(step.to) > float(step.start)
    adjuster, found = one.adjuster(), []
    for code, by, advised in (("up", 1.0, up), ("down", -1.0, not up)):
        end = start + by * adjuster.step
        if advised or not one.HARD_ENDS or adjuster.minimum <= end <= adjuster.maximum:
            word = step.how.way if advised else one.how(step.start, end).way
            found.append(Way(code, word, advised))
    return tuple(sorted(found, key=lambda way: not way.advised))


def as_typed(step: StepShown, typed: Mapping[str, str]) -> StepShown:
    """The move in hand with what was typed of it when it was refused."""
    ways = tuple(replace(way, advised=way.code == typed["way"]) for way in step.ways)
    return replace(step, amount=typed["amount"] or step.amount, ways=ways, to=typed["to"] or step.to)


def _since(visit: Visit, adjuster: str) -> dt.date | None:
    """Since when an earlier visit left in place what stands there."""
    day = visit.snapshot.layout.since.get(adjuster)
    return None if day is None else dt.date.fromisoformat(day)


def _from_to(page: Page, step: Step) -> str:
    """What the move sets, from where to where: the first quantities that its effect names."""
    estimates, said = page.visit.setting.standing.results.estimates, []
    for path in step.effect:
        estimate, change = estimates.get(path), step.changes.get(path)
        if estimate is not None and change is not None:
            quantity = quantity_of(path)
            name = say_path(page.visit.snapshot.vehicle, path)
            was, will = (say(quantity, value, page.style) for value in (estimate.value, estimate.value + change))
            said.append(f"{name[0].upper()}{name[1:]} from {was} to {will}.")
    return " ".join(said)


def _notes(page: Page, step: Step) -> Iterator[str]:
    unit, belief = step.hardware.adjuster().unit, step.belief
    if step.cautious:
        whole = step.hardware.how(step.start, step.end)
        yield (
            f"The plan goes {whole.amount}. What a {unit} does here is known to about {100 * belief.u / belief.share:.0f} %: "
            f"go {step.how.amount} first and read; the rest follows from what it did."
        )
    if abs(belief.share - 1) > _NEARLY_ALL:
        setting = page.visit.setting
        here = step.hardware.family in {setting.by_id[name].family for name in setting.learned.taught}
        source = "on this vehicle" if here else "on others of its model"
        much = f"{belief.share:.2f} times what its dimensions say, give or take {2 * belief.u:.2f}"
        yield f"Learned {source}: a {unit} does {much}."
    if step.reversing:
        yield "This goes back: take up the play first, and count from where it bites."


def _scales(page: Page, step: Step | None) -> Iterator[tuple[int, str]]:
    """Scales that answer to the move, with what they must then show: the axle they are read at, and the words.

    Without a move, those that are out of date, with what they should show now.
    """
    visit = page.visit
    for reading, numbers in visit.setting.standing.scales([step.effect] if step else []):
        station = visit.setting.station_of(reading)
        if station is None or (step is None and station not in visit.setting.out_of_date):
            continue
        side = f"{side_name(reading.side)} " if reading.side else ""
        shown = ", ".join(f"{_part(field)}{_said(station, field, value)}" for field, value in numbers.items())
        yield reading.axle, f"{side}{scale_name(station)} of {the_axle(visit.snapshot.vehicle, reading.axle)}: {shown}"


def _said(station: Station, field: str, value: float) -> str:
    """A scale's number in words: with the side of zero where it has two."""
    unit = " mm" if station.unit == "mm" else "°"
    plus, minus = station.sides(field)
    if not minus:
        return f"{short(value, coarse=unit == ' mm')}{unit}"
    size = short(abs(value), coarse=unit == " mm")
    return f"{size}{unit} {plus if value > 0 else minus}" if float(size) else f"{size}{unit}"


def _part(field: str) -> str:
    """Which of a station's numbers a field is, before its value."""
    name = field.rsplit("_", 1)[0]
    return {
        "left": f"{side_name('left')} ",
        "right": f"{side_name('right')} ",
        "ahead": "in front ",
        "behind": "behind ",
    }.get(name, "")


def _waiting(visit: Visit, setting: Setting) -> list[str]:
    """The axles whose scales are to be read again."""
    vehicle = visit.snapshot.vehicle
    return [the_axle(vehicle, axle.number) for axle in vehicle.axles if setting.waiting(axle.number)]


def _why_nothing(visit: Visit, setting: Setting) -> str:
    if setting.advice.steps:
        return ""
    if not visit.hardware:
        return "Nothing adjusts on this vehicle: its layout lists no adjuster."
    if not _known(setting):
        return "Nothing that the figures judge is read yet, so there is nothing to set it by."
    axles = setting.advice.enough
    if axles:
        names = " and ".join(the_axle(visit.snapshot.vehicle, axle) for axle in axles)
        return f"Nothing to turn. What is left on {names} is less than this kit can see: turning further would chase the readings' own errors."
    return "Nothing to turn: what is left is less than the smallest step, or all is where it is wanted."


def _known(setting: Setting) -> bool:
    """Whether anything that the figures judge is known."""
    results = setting.standing.results
    return any(results.value(rule.path) is not None for rule in results.rules)


def _cannot(page: Page, setting: Setting) -> list[str]:
    estimates = setting.advice.plan.estimates
    vehicle = page.visit.snapshot.vehicle
    return [
        say_cannot(vehicle, rule, estimate, page.visit.hardware, page.style)
        for rule in setting.advice.cannot
        if (estimate := estimates.get(rule.path)) is not None
    ]


def _made(visit: Visit) -> list[MoveShown]:
    """The moves that were made, the newest first."""
    newest = {move.adjuster: move for move in visit.journal.moves}
    return [
        MoveShown(move, said, newest[move.adjuster] is move, newest[move.adjuster] is move and not move.undoes_id)
        for said, move in reversed(visit.moves_said())
    ]


def _struck_last(visit: Visit) -> str:
    """The move that was struck, in words, where nothing was moved since."""
    newest = visit.journal.all_moves[-1] if visit.journal.all_moves else None
    return say_move(visit.snapshot, visit.hardware, newest.strikes) if newest is not None and newest.strikes else ""


def _in_the_air(visit: Visit) -> Mapping[str, Typed]:
    """While a wheel is lifted: what was read since, and nothing from before."""
    shown = dict(visit.readings.current)
    for station in visit.readings.stations:
        for field in station.fields:
            slot = scale(Phase.AIR, station, field)
            if slot.at not in visit.setting.in_the_air:
                shown[str(slot)] = BLANK
    return shown


def _only_valid(visit: Visit) -> Mapping[str, Typed]:
    """While setting: the set's own slots, with the numbers that still hold; what a move put out of date is blank."""
    shown, journal = dict(visit.readings.current), visit.journal
    held = visit.setting.held()
    last = journal.moves[-1].sequence if journal.moves else 0
    for station in visit.readings.stations:
        for field in station.fields:
            mine = str(scale(Phase.SET, station, field))
            typed = [entry for slot in (mine, scale(Phase.BEFORE, station, field)) if (entry := journal.entry(slot))]
            newest = max(typed, key=lambda entry: entry.sequence, default=None)
            stale = newest is None or (field not in held.get(station.slot, {}) and newest.sequence < last)
            shown[mine] = BLANK if newest is None or stale else Typed(newest.typed, newest.value)
    return shown
