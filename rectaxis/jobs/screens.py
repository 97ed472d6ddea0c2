"""What each stage's page shows: plain data for its template, from a job's ``Work``."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from alignment.adjust.advice import AxleAdvice
from alignment.procedure.cautions import CAUTIONS
from alignment.procedure.checklist import Question
from alignment.procedure.stages import STAGES
from alignment.procedure.station import Setup, Station
from alignment.procedure.walk import Stop, say_stop, stops
from alignment.quantities import QUANTITIES, say, say_size
from alignment.results import PhaseResults, suspicion
from alignment.runout import ClampError
from alignment.sayback import longer_or_shorter, rod_name, say_back, say_flats
from alignment.vehicle import SIDES, axle_name
from alignment.verdict import COVERAGE
from rectaxis.drawing.clock import Clock, clock
from rectaxis.drawing.plan import PlanMaker
from rectaxis.drawing.strips import strip_groups
from rectaxis.jobs.models import Entry, Job
from rectaxis.jobs.work import Typed, Work, trued_slot
from rectaxis.people.access import may_measure
from rectaxis.people.models import User

PAD_KEYS = (
    *(("7", "", "7"), ("8", "", "8"), ("9", "", "9"), ("/", "fraction", "a/b")),
    *(("4", "", "4"), ("5", "", "5"), ("6", "", "6"), ("°", "degrees", "°")),
    *(("1", "", "1"), ("2", "", "2"), ("3", "", "3"), ("'", "minutes", "′")),
    *(("sign", "other sign", "+/−"), ("0", "", "0"), (".", "point", "."), ("back", "delete the last", "⌫")),
    *(
        (" ", "space", "space"),
        (" cm", "centimetres", "cm"),
        (" in", "inches", "in"),
        ("enter", "save and go on", "next"),
    ),
)
"""The number pad: what a key types, its name where its face does not say it, its face."""

PHASE_OF = {"read": "before", "judge": "before", "set": "set", "prove": "after", "hand-over": "after"}


@dataclass(frozen=True)
class Field:
    """A field as a template shows it: the question or the ruler, and what was last typed."""

    slot: str
    label: str
    what: str
    unit: str
    typed: str
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class RailItem:
    """A stage in the rail: what is still open in it, in words."""

    code: str
    verb: str
    state: str
    number: int


@dataclass(frozen=True)
class Page:
    """Which stage a person looks at, and how."""

    work: Work
    person: User
    stage: str
    setup: int

    @property
    def style(self) -> str:
        return self.person.angle_style

    @property
    def phase(self) -> str:
        return PHASE_OF.get(self.stage, "before")


def field_for(work: Work, question: Question) -> Field:
    """A question with its answer."""
    entry = work.entries.get(question.slot)
    typed = entry.typed if entry else ""
    return Field(question.slot, question.label, question.what, question.unit, typed, question.choices)


def rail(work: Work) -> list[RailItem]:
    """The nine stages with what is open in each."""
    return [RailItem(stage.code, stage.verb, _state(work, stage.code), n) for n, stage in enumerate(STAGES, start=1)]


def _state(work: Work, stage: str) -> str:
    if stage == "judge":
        return "saved" if "before" in work.seals else "before not saved"
    if stage == "set":
        return f"{len(work.moves)} turned" if work.moves else ""
    if stage == "read" and "before" in work.seals:
        return "done"
    if stage == "hand-over":
        return "done" if work.job.status == Job.Status.DONE else ""
    left = work.open_count(stage)
    if left == 0 and not (stage == "prove" and "after" not in work.seals):
        return "done"
    return f"{left} open" if left else "after not saved"


def base(page: Page) -> dict[str, Any]:
    """What every stage's page shows."""
    work, job = page.work, page.work.job
    stage = next(stage for stage in STAGES if stage.code == page.stage)
    number = STAGES.index(stage)
    return {
        "job": job,
        "stage": stage,
        "rail": rail(work),
        "next_stage": STAGES[number + 1] if number + 1 < len(STAGES) else None,
        "cautions": CAUTIONS[page.stage],
        "gates": work.gates(page.stage),
        "fields": [field_for(work, question) for question in work.questions.get(page.stage, ())],
        "may_type": may_measure(page.person) and job.status != Job.Status.DONE,
        "simulated": bool(job.simulation),
        "seals": work.seals,
        "current": work.current,
    }


def _setup(page: Page) -> Setup | None:
    setups = page.work.setups
    return next((s for s in setups if s.number == page.setup), setups[0] if setups else None)


def _stops(page: Page, setup: Setup | None) -> list[tuple[Stop, str]]:
    if setup is None:
        return []
    vehicle = page.work.core.vehicle
    return [(stop, say_stop(vehicle, stop)) for stop in stops(vehicle, page.work.stations, setup.number, "read")]


def _suspect_stations(work: Work, results: PhaseResults) -> Iterable[str]:
    guilty = [results.solution.readings[suspect.reading].data for suspect in results.suspects]
    return [s.slot for s in work.stations if any(work.is_of(s, data) for data in guilty)]


def readings_page(page: Page) -> dict[str, Any]:
    """The plan drawing as a form, with strips and say-back: for reading, setting and proving."""
    work, phase = page.work, page.phase
    setup = _setup(page)
    results = work.results(phase)
    advice = work.advice(setup.heads) if page.stage == "set" and setup else None
    values = _only_valid(work) if page.stage == "set" else work.current
    maker = PlanMaker(work.core.vehicle, setup, _stops(page, setup), phase)
    drawn = maker.draw(
        results, values, work.targets(advice) if advice else None, _suspect_stations(work, results), style=page.style
    )
    rows = work.job.specification["rows"]
    earlier = work.seals["before"].results["verdicts"] if phase != "before" and "before" in work.seals else ()
    return {
        "current": values,
        "pad_keys": PAD_KEYS,
        "plan": drawn,
        "setups": work.setups,
        "setup": setup,
        "phase": phase,
        "strips": strip_groups(work.core.vehicle, results.verdicts, rows, earlier, page.style),
        "sentences": say_back(results, page.style, work.steering_ratio),
        "sealed": phase in work.seals,
        "suspects": [suspicion(results.solution, suspect) for suspect in results.suspects],
        "redundancy": results.solution.redundancy,
        "axle_plan": _moves(page, advice) if advice else None,
        "no_plan": _why_no_plan(page, setup) if page.stage == "set" and advice is None else "",
        "results": results,
        "table": results_table(page, results),
    }


def _only_valid(work: Work) -> dict[str, Typed]:
    """While adjusting: the set's own slots, with the numbers that still hold; what a turn put out of date is blank."""
    shown = dict(work.current)
    held = work.working_values()
    for station in work.stations:
        for field in station.fields:
            sources = [f"{phase}/{station.slot}/{field}" for phase in ("set", "before")]
            typed = [work.entries[slot] for slot in sources if slot in work.entries]
            newest = max(typed, key=lambda entry: entry.id, default=None)
            stale = newest is None or (field not in held.get(station.slot, {}) and _older(newest, work))
            shown[sources[0]] = Typed("", None) if stale else Typed(newest.typed, newest.value)
    return shown


def _older(entry: Entry, work: Work) -> bool:
    """Whether something was turned since the entry was typed."""
    return bool(work.moves) and entry.id < work.moves[-1].id


def _why_no_plan(page: Page, setup: Setup | None) -> str:
    if setup is None or not any(rod.axle == setup.heads for rod in page.work.rods):
        return "Nothing adjusts on this axle: no rod is in the vehicle's layout."
    if not page.work.core.rules:
        return "No specification: nothing says where this axle should be."
    return "Read this axle's flags and toe scales: how each wheel points is not known yet."


@dataclass(frozen=True)
class MoveShown:
    """A turn as the page shows it."""

    axle: int
    side: str
    title: str
    flats: int
    count: str
    hand: str
    effect: str
    thread: str
    from_text: str
    to_text: str


def _moves(page: Page, advice: AxleAdvice) -> dict[str, Any]:
    name = axle_name(page.work.core.vehicle, advice.axle)
    shown = [
        MoveShown(
            axle=advice.axle,
            side=move.rod.side,
            title=rod_name(page.work.core.vehicle, advice.axle, move.rod.side),
            flats=move.flats,
            count=say_flats(move.flats),
            hand=move.rod.hand(move.flats),
            effect=longer_or_shorter(move.flats),
            thread=move.rod.say_thread(),
            from_text=say("toe_deg", move.from_deg, page.style),
            to_text=say("toe_deg", move.to_deg, page.style),
        )
        for move in advice.moves
    ]
    order = page.work.set_order()
    at = order.index(advice.axle) if advice.axle in order else 0
    return {
        "name": name,
        "moves": shown,
        "waiting": advice.waiting,
        "settled": advice.settled,
        "reason": advice.target.reason,
        "wanted": say("total_toe_deg", advice.target.total_toe_deg, page.style),
        "earlier": [axle_name(page.work.core.vehicle, a) for a in order[:at] if not _settled(page.work, a)],
    }


def _settled(work: Work, axle: int) -> bool:
    advice = work.advice(axle)
    return advice is not None and advice.settled


@dataclass(frozen=True)
class TableRow:
    """One result in words: the text equivalent of the drawing."""

    name: str
    text: str
    doubt: str


def results_table(page: Page, results: PhaseResults) -> list[TableRow]:
    """Every determined result in words."""
    vehicle, rows = page.work.core.vehicle, []
    for path, estimate in results.estimates.items():
        parts = path.split("/")
        quantity = parts[-1] if parts[0] == "axles" else parts[0]
        if estimate is None or estimate.u == 0:
            continue
        name = QUANTITIES[quantity].label
        if parts[0] == "axles":
            side = f"{parts[2]} " if parts[2] in SIDES else ""
            name = f"{axle_name(vehicle, int(parts[1]))} {side}{name}"
        rows.append(
            TableRow(
                name, say(quantity, estimate.value, page.style), say_size(quantity, COVERAGE * estimate.u, page.style)
            )
        )
    return rows


def rig_page(page: Page) -> dict[str, Any]:
    """Where each head and flag goes, one drawing for each hanging of the tools."""
    vehicle = page.work.core.vehicle
    hangings = [(setup, PlanMaker(vehicle, setup).draw(None, {})) for setup in page.work.setups]
    return {"hangings": hangings, "rig": page.work.job.rig, "facts": page.work.facts()}


@dataclass(frozen=True)
class ClampShown:
    """One wheel's runout as the page shows it."""

    title: str
    slot: str
    fields: tuple[Field, ...]
    clamp: ClampError | None
    clock: Clock
    side: str


def roll_page(page: Page) -> dict[str, Any]:
    """Runout, wheel by wheel: fields, clock hand, knob advice."""
    work = page.work
    limit = work.job.rig["runout_limit_deg"]
    stations = [station for station in work.stations if station.stage == "roll"]
    return {"clamps": [_clamp(work, station, limit) for station in stations], "limit": limit, "phase": "before",
            "sealed": "before" in work.seals}  # fmt: skip


def _clamp(work: Work, station: Station, limit: float) -> ClampShown:
    name = axle_name(work.core.vehicle, station.reading["axle"])
    fields = []
    for path, position in zip(station.fields, station.reading["positions"], strict=True):
        slot = f"before/{station.slot}/{path}"
        typed = work.current[slot].text if slot in work.current else ""
        fields.append(Field(slot, f"rolled {position['roll_deg']:g}°", "reading", "°", typed))
    clamp = work.clamps.get(station.slot)
    side = station.reading["side"]
    return ClampShown(f"{side} {name}", trued_slot(station), tuple(fields), clamp, clock(clamp, limit), side)


def look_page(page: Page) -> dict[str, Any]:
    """The tyres as a table, one row for each wheel; the components below."""
    work = page.work
    by_slot = {question.slot: field_for(work, question) for question in work.questions["look"]}
    wheels = []
    for axle in work.core.vehicle.axles:
        for side in SIDES:
            at = f"look/tyre/{axle.number}/{side}"
            columns = ("pressure", "tread-outer", "tread-middle", "tread-inner")
            wheels.append(
                (f"{side} {axle_name(work.core.vehicle, axle.number)}", [by_slot[f"{at}/{c}"] for c in columns])
            )
    components = [f for slot, f in by_slot.items() if "/tyre/" not in slot]
    return {"wheels": wheels, "fields": components}


def hand_over_page(page: Page) -> dict[str, Any]:
    """What is on the record, and the ways to take it away."""
    return {"reasons": page.work.reasons(), "turns": page.work.turns()}


SCREENS: dict[str, Callable[[Page], dict[str, Any]]] = {
    "arrive": lambda _page: {},
    "look": look_page,
    "rig": rig_page,
    "roll": roll_page,
    "read": readings_page,
    "judge": readings_page,
    "set": readings_page,
    "prove": readings_page,
    "hand-over": hand_over_page,
}


def screen(page: Page) -> dict[str, Any]:
    """Everything a stage's template needs."""
    return base(page) | SCREENS[page.stage](page)
