"""The questions of a job that are not readings: arrival, what makes a vehicle fit to measure, settling, the road test."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from alignment.judge.diagnose import COMPLAINTS, WEAR
from alignment.model.tyres import parse_size
from alignment.model.vehicle import SIDES, Axle, Vehicle, axle_name, axle_title
from alignment.quantities import parse_distance, parse_typed
from alignment.speech import side_name

NOT_DONE, UNSAFE, SOUND, WORN = "not-done", "unsafe", "sound", "worn"
MAKER_ASKS_NOTHING = "not-asked"
"""The code that the maker does not ask for a ride height, or for a load."""
_STATES = {SOUND: "sound", WORN: "worn, can be measured", UNSAFE: "unsafe: stop", NOT_DONE: "could not be done"}
_DIMENSIONS = {"mm": "length", "°": "angle", "bar": "pressure"}


@dataclass(frozen=True)
class Question:
    """One question. ``what`` is ``number``, ``choice``, ``text``, ``line`` (a short text), ``size`` or ``date``.

    A number lies within ``least`` and ``most``. ``choices`` are words by their codes: a code is what is kept and compared.
    A choice among ``explained`` asks for a reason, in the slot ``why``.
    """

    slot: str
    label: str
    what: str
    unit: str = ""
    least: float = 0.0
    most: float = 0.0
    choices: Mapping[str, str] = field(default_factory=dict)
    needed: bool = True
    group: str = ""
    explained: tuple[str, ...] = ()

    def say(self, typed: str, *, unit: bool = True) -> str:
        """An answer in words: those of a choice, a number as it was understood with its unit, a text as it is."""
        if self.what != "number":
            return self.choices.get(typed, typed)
        try:
            said = self.read(typed)[1]
        except ValueError:  # what stands in the record stays readable, whatever its limits are now
            said = f"{typed} {self.unit}".strip()
        return said if unit else said.removesuffix(f" {self.unit}")

    @property
    def why(self) -> str:
        """The slot of the reason."""
        return f"{self.slot}/why"

    def open(self, answers: Mapping[str, str]) -> bool:
        """Whether it still waits for an answer, or for the reason of one."""
        answer = answers.get(self.slot, "")
        if not answer:
            return self.needed
        return answer in self.explained and not answers.get(self.why, "")

    def read(self, typed: str) -> tuple[float | None, str]:
        """The answer's number (None for words) and how it was understood.

        **Raises** ValueError that says what was expected.
        """
        match self.what:
            case "choice":
                if typed not in self.choices:
                    raise ValueError(f"Choose one of: {', '.join(self.choices.values())}.")
                return None, self.choices[typed]
            case "size":
                return None, f"a rim of {parse_size(typed).rim_mm:.0f} mm"
            case "date":
                return None, f"{_date(typed):%-d %B %Y}"
            case "number":
                return self._number(typed)
        return None, typed

    def _number(self, typed: str) -> tuple[float, str]:
        if self.unit == "km":
            value = parse_distance(typed)
        else:
            value = parse_typed(typed, _DIMENSIONS.get(self.unit, "plain"), self.unit or None).value
        if not self.least <= value <= self.most:
            raise ValueError(f"Expected {self.least:g} to {self.most:g} {self.unit}, got {value:g}.")
        digits = {"km": ",.0f", "bar": ".3g"}.get(self.unit, ".10g")
        return value, f"{value:{digits}} {self.unit}".strip()


def _date(typed: str) -> dt.date:
    try:
        return dt.date.fromisoformat(typed)
    except ValueError:
        raise ValueError(f"Cannot read {typed!r}: expected a day, such as 2027-03-31.") from None


def tyre_slot(at: str, cell: str) -> str:
    """The slot of one number or word of a tyre; ``at`` is the tyre's part of it, from ``tyres``."""
    return f"look/tyre/{at}/{cell}"


def size_slot(axle: int) -> str:
    """The slot of an axle's tyre size."""
    return f"look/size/{axle}"


def part_slot(axle: int, code: str) -> str:
    """The slot of the state of an axle's part."""
    return f"look/part/{axle}/{code}"


def height_slot(axle: int, side: str) -> str:
    """The slot of the ride height at one corner."""
    return f"look/height/{axle}/{side}"


def bar_slot(code: str) -> str:
    """The slot of a reading of the level bar."""
    return f"rig/bar/{code}"


def advice_slot(row: int) -> str:
    """The slot of a piece of advice; the day that it is due is kept under ``due`` of it."""
    return f"hand-over/advice/{row}"


def open_advice_slot(number: int) -> str:
    """The slot of what became of a piece of advice of the last visit, by its number."""
    return f"arrive/advice/{number}"


NEXT_DAY, NEXT_ODOMETER = "hand-over/next-day", "hand-over/next-odometer"
"""By when the vehicle is to be measured again, whichever comes first."""
FOLLOWED_UP, RENEWED, DROPPED = "done", "again", "dropped"
FOLLOWED = {FOLLOWED_UP: "done since", RENEWED: "advise it again", DROPPED: "no longer wanted"}
PLATE = "look/plate"
DRIVE, ELECTRIC = "arrive/drive", "electric"
RIDE, STRAPS = "look/ride", "rig/straps"
TREADS = ("outer", "middle", "inner")
"""Where across a tyre its tread is measured."""
FELT = ("joints", "bearings")
"""Parts that are felt for play, by the last part of their slots."""
REASONS = {"routine": "routine", **COMPLAINTS, "after-repair": "after a repair"}
TRAILER_REASONS = {
    "routine": "routine", "wears-a-tyre": COMPLAINTS["wears-a-tyre"], "runs-crabwise": "runs crabwise",
    "after-repair": "after a repair",
}  # fmt: skip
YES_NO = {"yes": "yes", "no": "no"}
ADVICE_ROWS = 4
"""Pieces of advice with a day of their own that a job can leave."""


@dataclass(frozen=True)
class Subject:
    """What the questions are about: a vehicle, its twin-wheeled axles, its group, and what the kit brings with it.

    ``toe_only`` is the quick job: toe of the steered axles and nothing else. ``advice`` is what the last visit advised and is
    still open: each with the day by which to follow it (ISO, empty for none).
    """

    vehicle: Vehicle
    duals: frozenset[int] = frozenset()
    group: str = "van"
    self_check: tuple[str, ...] = ()
    battery: bool = False
    clamps: bool = True
    toe_only: bool = False
    advice: tuple[tuple[str, str], ...] = ()

    @property
    def steered(self) -> bool:
        """Whether somebody steers it: a trailer has no steering wheel."""
        return self.group != "trailer"


def _arrive(on: Subject) -> Iterator[Question]:
    reasons = REASONS if on.steered else TRAILER_REASONS
    yield Question("arrive/odometer", "Odometer", "number", "km", 0, 3_000_000, needed=on.steered)
    yield Question("arrive/reason", "Why it came", "choice", choices=reasons)
    also = {code: said for code, said in reasons.items() if code != "routine"}
    yield Question("arrive/also", "And also", "choice", choices=also, needed=False)
    if on.group in ("car", "van", "truck", "bus"):
        yield Question(
            DRIVE, "Driven by", "choice", needed=False, choices={"engine": "an engine", ELECTRIC: "electric or hybrid"}
        )
    for number, (advised, due) in enumerate(on.advice, start=1):
        by = f" (by {_date(due):%-d %B %Y})" if due else ""
        yield Question(open_advice_slot(number), f"Advised last time: {advised}{by}", "choice", needed=False,
                       choices=FOLLOWED, group="open-advice", explained=(DROPPED,))  # fmt: skip
    yield Question("arrive/asked-by", "Who asked", "line", needed=False)
    yield Question("arrive/noted", "What else is heard or felt, and is not part of the job", "text", needed=False)


def tyres(vehicle: Vehicle, duals: Iterable[int]) -> list[tuple[str, str, Axle, str]]:
    """Every tyre: its slot's part, its name, its axle and its side. Twins are named outer and inner."""
    twins, found = set(duals), []
    for axle in vehicle.axles:
        for side in SIDES:
            for place in ("outer", "inner") if axle.number in twins else ("",):
                at = f"{axle.number}/{side}" + (f"-{place}" if place else "")
                name = f"{side_name(side)} {axle_name(vehicle, axle.number)}" + (f", {place}" if place else "")
                found.append((at, name, axle, side))
    return found


def _look(on: Subject) -> Iterator[Question]:
    for at, name, _, _ in tyres(on.vehicle, on.duals):
        yield Question(tyre_slot(at, "pressure"), f"{name} pressure", "number", "bar", 0.2, 12, group="pressure")
        for place in TREADS:
            yield Question(
                tyre_slot(at, f"tread-{place}"), f"{name} tread, {place}", "number", "mm", 0, 30, group="tread"
            )
        yield Question(tyre_slot(at, "wear"), f"{name} wear", "choice", choices={"even": "even", **WEAR}, needed=False)
    for axle in on.vehicle.axles:
        name = axle_title(on.vehicle, axle.number)
        yield Question(size_slot(axle.number), f"{name} tyre size", "size", needed=False, group="size")
        for code, label in _components(on, axle):
            yield Question(part_slot(axle.number, code), f"{name}: {label}", "choice", choices=_STATES,
                           group="component", explained=(UNSAFE, NOT_DONE))  # fmt: skip
    yield from _standing(on)


def part_name(label: str) -> str:
    """A part without what is looked for on it: "Front axle: springs, bushes and dampers"."""
    return re.sub(r" \([^)]*\)$", "", label)


def _components(on: Subject, axle: Axle) -> Iterator[tuple[str, str]]:
    heavy = on.group in ("truck", "bus", "trailer")
    if axle.steers:
        yield "joints", "king pins, rod ends and drag link (play)" if heavy else "ball joints and rod ends (play)"
    yield "bearings", "wheel bearings (end float)"
    yield "springs", "springs, bushes and dampers (cracks, sag, leaks)"
    if heavy and not axle.steers:
        yield "rods", "torque rods, hangers, U-bolts and centre bolts"


def _standing(on: Subject) -> Iterator[Question]:
    asked = {
        MAKER_ASKS_NOTHING: "the maker does not ask",
        "as-asked": "as the maker asks",
        NOT_DONE: "could not be done",
    }
    yield Question(RIDE, "Ride height", "choice", choices=asked, explained=(NOT_DONE,), group="standing")
    yield Question("look/load", "Load or ballast", "choice", choices=asked, explained=(NOT_DONE,), group="standing")
    yield Question(PLATE, "Thickness of the plate under the wheels", "number", "mm", 0, 200, needed=False, group="ride")
    for axle in on.vehicle.axles:
        for side in SIDES:
            name = f"{side_name(side)} {axle_name(on.vehicle, axle.number)} height from the floor"
            yield Question(height_slot(axle.number, side), name, "number", "mm", 50, 2500, needed=False, group="ride")


def ride_height(measured_mm: float, plate_mm: float) -> float:
    """Height above what the wheel stands on, mm: measured from the floor, less the plate under the wheel."""
    return measured_mm - plate_mm


PASSED, FAILED = "passed", "failed"
CHECKED = {PASSED: "as it should", FAILED: "not as it should", "not-checked": "not checked"}
LEVEL, TILTED = "level", "tilted"
GROUND = {LEVEL: "level", TILTED: "tilt measured", "not-checked": "not checked"}


def _rig(on: Subject) -> Iterator[Question]:
    for number, step in enumerate(on.self_check, start=1):
        yield Question(f"rig/check/{number}", step, "choice", choices=CHECKED, group="self-check")
    if on.battery:
        yield Question("rig/battery", "Hours the batteries still have", "number", "h", 0, 100, needed=False)
    yield Question("rig/rolled", "Rolled in straight and let roll to a stop", "choice", choices=YES_NO)
    if on.clamps:
        yield Question(STRAPS, "Safety straps are on", "choice", choices=YES_NO)
    yield Question("rig/ground", "The ground", "choice", choices=GROUND)
    for code, label in BAR.items():
        yield Question(bar_slot(code), label, "number", "°", -10, 10, needed=False, group="bar")


BAR = {
    "across": "Across, as laid: plus where the right end is lower",
    "across-turned": "Across, bar turned end for end: as the bar shows it, plus where the left end is lower",
    "along": "Along, as laid: plus where the front end is lower",
    "along-turned": "Along, bar turned end for end: as the bar shows it, plus where the rear end is lower",
}
"""What a level bar is read for, by the last part of the slot."""


UNLOCKED = "no"


def _roll(on: Subject) -> Iterator[Question]:
    yield Question("roll/settled", "Lowered, bounced at each end and rolled", "choice", choices=YES_NO)
    if on.steered:
        yield Question("roll/locked", "Steering wheel straight and locked", "choice",
                       choices={"level": "by a level across the spokes", "eye": "by eye",
                                "detent": "by a pin or the rack's detent", UNLOCKED: "no"})  # fmt: skip


def _prove(on: Subject) -> Iterator[Question]:
    yield Question("prove/torque", "Everything loosened is tight to the maker's torque", "choice",
                   choices={"yes": "yes", "no": "no", "nothing-loosened": "nothing was loosened"}, explained=("no",))  # fmt: skip
    if not on.steered:
        return
    drives = {
        "straight": "runs straight, wheel straight", "off-centre": "runs straight, wheel off centre",
        "drifts-left": "drifts left", "drifts-right": "drifts right", "not-driven": "not driven",
    }  # fmt: skip
    yield Question("prove/road-test", "Road test", "choice", choices=drives, explained=("not-driven",))
    yield Question("prove/felt", "Still felt", "choice", needed=False,
                   choices={"nothing": "nothing", "vibration": "vibration", "pull-braking": "pull under braking",
                            "noise": "noise"})  # fmt: skip
    resets = {"nothing": "nothing to reset", "done": "reset done", "left": "left to the maker's procedure"}
    yield Question("prove/sensors", "Steering angle sensor", "choice", choices=resets)
    yield Question("prove/assistance", "Driver-assistance cameras and radars", "choice", needed=False, choices=resets)


def _hand_over(_on: Subject) -> Iterator[Question]:
    yield Question("hand-over/left", "What was left, and why", "text", needed=False)
    yield Question("hand-over/next", "What to watch", "text", needed=False)
    for row in range(1, ADVICE_ROWS + 1):
        yield Question(advice_slot(row), f"Advice {row}", "line", needed=False, group="advice")
        yield Question(f"{advice_slot(row)}/due", f"Advice {row}: by when", "date", needed=False, group="advice")
    yield Question(NEXT_DAY, "Measure it again by (day)", "date", needed=False, group="next")
    yield Question(
        NEXT_ODOMETER, "Measure it again by (odometer)", "number", "km", 0, 3_000_000, needed=False, group="next"
    )
    yield Question("hand-over/received-by", "Received by", "line", needed=False, group="sign-off")


def questions(on: Subject) -> dict[str, tuple[Question, ...]]:
    """All questions of a job, by stage."""
    makers = {"arrive": _arrive, "look": _look, "rig": _rig, "roll": _roll, "prove": _prove, "hand-over": _hand_over}
    asked = {stage: tuple(make(on)) for stage, make in makers.items()}
    if not on.toe_only:
        return asked
    wanted = frozenset(_quick(on))
    return {stage: tuple(replace(q, needed=q.needed and q.slot in wanted) for q in of) for stage, of in asked.items()}


def _quick(on: Subject) -> Iterator[str]:
    """What a toe in front needs: that the kit is right and hangs safely, equal pressures in front, and tight rods."""
    yield from ("arrive/reason", "rig/rolled", STRAPS, "roll/settled", "prove/torque")
    yield from (question.slot for question in _rig(on) if question.group == "self-check")
    yield from (tyre_slot(at, "pressure") for at, _, axle, _ in tyres(on.vehicle, on.duals) if axle.steers)


def answered(asked: Sequence[Question], answers: Mapping[str, str], answer: str) -> list[Question]:
    """The questions that were answered so: what is unsafe, what could not be done."""
    return [question for question in asked if answers.get(question.slot) == answer]
