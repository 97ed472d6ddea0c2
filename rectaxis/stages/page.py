"""What every stage's page shows: the rail, the gates, the questions with their answers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote

from alignment.procedure.checklist import Question
from alignment.procedure.stages import STAGES, Named
from alignment.procedure.station import Mean
from alignment.procedure.steps import cautions, stage_steps
from alignment.words.terms import TERMS
from rectaxis.people.access import may_measure
from rectaxis.people.models import User
from rectaxis.record.models import Photo
from rectaxis.record.pictures import MOST_BYTES
from rectaxis.record.slot import Phase, Reason, Scale, Why
from rectaxis.stages.devices import WITH_ACCESSORIES, accessories_of
from rectaxis.visit.readings import Typed
from rectaxis.visit.visit import Visit

PHASE_OF = {"set": Phase.SET, "prove": Phase.AFTER, "hand-over": Phase.AFTER}
"""The phase that a stage shows, where it is not the before."""


@dataclass(frozen=True)
class Field:
    """A question as a template shows it, with what was last typed and the photos that belong to it."""

    slot: str
    label: str
    what: str
    unit: str
    typed: str
    choices: Mapping[str, str] = field(default_factory=dict)
    group: str = ""
    why: str = ""
    why_typed: str = ""
    explained: tuple[str, ...] = ()
    photos: tuple[Photo, ...] = ()

    @property
    def full_label(self) -> str:
        """The label with the unit."""
        return f"{self.label}, {self.unit}" if self.unit else self.label

    @property
    def asks_why(self) -> bool:
        """Whether the answer given asks for a reason."""
        return self.typed in self.explained

    @property
    def explained_words(self) -> str:
        """The answers that ask for a reason, one to a line."""
        return "\n".join(self.explained)


@dataclass(frozen=True)
class RailItem:
    """A stage in the rail: what is still open in it, in words."""

    code: str
    verb: str
    state: str
    number: int

    @property
    def open(self) -> bool:
        """Whether something is still to be answered or read in it."""
        return self.state.endswith(" open")


@dataclass(frozen=True)
class Page:
    """Which stage a person looks at, and how: which set-up, and whether its sweep; which move is in hand, if chosen; and of
    which result, by its path, it is asked why it is so.
    """

    visit: Visit
    person: User
    stage: str
    setup: int = 0
    sweep: bool = False
    chosen: str = ""
    why: str = ""

    @property
    def style(self) -> str:
        return self.person.angle_style

    @property
    def phase(self) -> Phase:
        if self.stage == "set" and self.visit.setting.lifted:
            return Phase.AIR
        return PHASE_OF.get(self.stage, Phase.BEFORE)

    @property
    def may_type(self) -> bool:
        return may_measure(self.person) and not self.visit.job.closed


def field_for(visit: Visit, question: Question) -> Field:
    """A question with its answer."""
    return Field(
        question.slot, question.label, question.what, question.unit, visit.journal.answer(question.slot), question.choices,
        question.group, question.why if question.explained else "", visit.journal.answer(question.why), question.explained,
        tuple(visit.journal.photos.get(question.slot, ())),
    )  # fmt: skip


def fields(page: Page, groups: Iterable[str] | None = None) -> list[Field]:
    """The fields of the page's stage; of some groups only, where they are named."""
    asked = page.visit.snapshot.questions.get(page.stage, ())
    return [field_for(page.visit, q) for q in asked if groups is None or q.group in groups]


def rail(visit: Visit) -> list[RailItem]:
    """The nine stages with what is open in each."""
    return [RailItem(stage.code, stage.verb, _state(visit, stage.code), n) for n, stage in enumerate(STAGES, start=1)]


def _state(visit: Visit, stage: str) -> str:
    if stage == "judge":
        return "saved" if Phase.BEFORE in visit.journal.seals else "before not saved"
    if stage == "set":
        return f"{len(visit.journal.moves)} moved" if visit.journal.moves else ""
    if stage == "read" and Phase.BEFORE in visit.journal.seals:
        return "done"
    if stage == "hand-over":
        return {"done": "done", "ended": "ended early"}.get(visit.job.status, "")
    left = visit.progress.open_count(stage)
    if left == 0 and not (stage == "prove" and Phase.AFTER not in visit.journal.seals):
        return "done"
    return f"{left} open" if left else "after not saved"


def base(page: Page) -> dict[str, Any]:
    """What every stage's page shows."""
    visit, job = page.visit, page.visit.job
    stage = next(stage for stage in STAGES if stage.code == page.stage)
    number = STAGES.index(stage)
    unsafe = () if job.closed else visit.progress.facts.unsafe
    return {
        "job": job,
        "stage": stage,
        "rail": rail(visit),
        "next_stage": STAGES[number + 1] if number + 1 < len(STAGES) else None,
        "cautions": cautions(page.stage, visit.about),
        "gates": [(gate, str(Reason(gate.code))) for gate in visit.progress.gates(page.stage) if not gate.firm],
        "unsafe": [(part.name, visit.journal.answer(Why(part.code))) for part in unsafe],
        "stop_reason": _stop_reason(visit, unsafe),
        "fields": fields(page),
        "may_type": page.may_type,
        "shows": str(page.phase),
        "accessories": accessories_of(job) if page.stage in WITH_ACCESSORIES else (),
        "may_measure": may_measure(page.person),
        "simulated": bool(job.simulation),
        "open_slots": [q.slot for q in visit.snapshot.questions.get(page.stage, ()) if q.open(visit.journal.answers)],
        "pressure_unit": page.person.pressure_unit,
        "steps": stage_steps(page.stage, visit.about),
        "terms": TERMS,
        "themes": User.Theme.choices,
        "styles": User.AngleStyle.choices,
        "photo_most": MOST_BYTES,
        "seals": visit.journal.seals,
        "current": current_rows(visit, visit.readings.current),
        "was": {},
        "looks": said_looks(page),
        "here": f"?{query}" if (query := _query(page)) else "",
    }


def _stop_reason(visit: Visit, unsafe: Sequence[Named]) -> str:
    """With what a job ends that is not safe to go on with: what was said of each part, else its name."""
    return "; ".join(visit.journal.answer(Why(part.code)) or part.name for part in unsafe)


@dataclass(frozen=True)
class Current:
    """What stands in a slot, for the script to take over: its text, its number, the entry that counts and its place in the
    record; and a question where the number looks odd.
    """

    slot: str
    typed: str
    value: float | None
    entry: str
    sequence: int
    ask: str = ""


def current_rows(visit: Visit, values: Mapping[str, Typed]) -> list[Current]:
    """What stands in every slot that ``values`` shows."""
    entries = visit.journal.entries
    stands = {slot: (str(entry.pk), entry.sequence) for slot, entry in entries.items()}
    asked = visit.readings.asked
    return [
        Current(slot, typed.text, typed.value, *stands.get(slot, ("", 0)), asked.get(slot, ""))
        for slot, typed in values.items()
    ]


def _query(page: Page) -> str:
    parts = [f"setup={page.setup}"] if page.setup else []
    parts += ["sweep=1"] if page.setup and page.sweep else []
    return "&".join([*parts, *([f"why={quote(page.why)}"] if page.why else [])])


def said_looks(page: Page) -> dict[str, str]:
    """What looks repeated at one scale come to, in words, by the slot of the first look."""
    visit, found = page.visit, {}
    units = {station.slot: " mm" if station.unit == "mm" else "°" for station in visit.readings.stations}
    for phase in {Phase.BEFORE, page.phase} - {Phase.SET, Phase.AIR}:
        for slot, of_station in visit.readings.means(phase).items():
            for name, mean in of_station.items():
                if mean.count > 1 or mean.left_out is not None:
                    found[str(Scale(phase, slot, name))] = _say_mean(mean, units[slot])
    return found


def _say_mean(mean: Mean, unit: str) -> str:
    apart = (
        "; they differ by more than the scale can be misread: look a third time, at what moves" if mean.apart else ""
    )
    out = f"; {mean.left_out:g}{unit} does not agree and is left out" if mean.left_out is not None else ""
    return f"{mean.count} looks: mean {mean.value:.2f}{unit}, spread {mean.spread:.2f}{unit}{apart}{out}"
