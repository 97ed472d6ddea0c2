"""What every stage's page shows: the rail, the gates, the questions with their answers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from alignment.procedure.cautions import cautions
from alignment.procedure.checklist import Question
from alignment.procedure.stages import STAGES
from alignment.procedure.station import Mean
from rectaxis.jobs.models import Job, Photo
from rectaxis.jobs.work import Work
from rectaxis.people.access import may_measure
from rectaxis.people.models import User

PHASE_OF = {"read": "before", "roll": "before", "judge": "before", "set": "set", "prove": "after", "hand-over": "after"}


@dataclass(frozen=True)
class Field:
    """A question as a template shows it, with what was last typed and the photos that belong to it."""

    slot: str
    label: str
    what: str
    unit: str
    typed: str
    choices: tuple[str, ...] = ()
    group: str = ""
    why: str = ""
    why_typed: str = ""
    explained: tuple[str, ...] = ()
    photos: tuple[Photo, ...] = ()

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


@dataclass(frozen=True)
class Page:
    """Which stage a person looks at, and how: which set-up, and whether its sweep; which move is in hand, if chosen."""

    work: Work
    person: User
    stage: str
    setup: int = 0
    sweep: bool = False
    chosen: str = ""

    @property
    def style(self) -> str:
        return self.person.angle_style

    @property
    def phase(self) -> str:
        if self.stage == "set" and self.work.setting.lifted:
            return "air"
        return PHASE_OF.get(self.stage, "before")

    @property
    def may_type(self) -> bool:
        return may_measure(self.person) and not self.work.job.closed


def field_for(work: Work, question: Question) -> Field:
    """A question with its answer."""
    return Field(
        question.slot, question.label, question.what, question.unit, work.answer(question.slot), question.choices,
        question.group, question.why if question.explained else "", work.answer(question.why), question.explained,
        tuple(work.photos.get(question.slot, ())),
    )  # fmt: skip


def fields(page: Page, groups: Iterable[str] | None = None) -> list[Field]:
    """The fields of the page's stage; of some groups only, where they are named."""
    asked = page.work.questions.get(page.stage, ())
    return [field_for(page.work, q) for q in asked if groups is None or q.group in groups]


def rail(work: Work) -> list[RailItem]:
    """The nine stages with what is open in each."""
    return [RailItem(stage.code, stage.verb, _state(work, stage.code), n) for n, stage in enumerate(STAGES, start=1)]


def _state(work: Work, stage: str) -> str:
    if stage == "judge":
        return "saved" if "before" in work.seals else "before not saved"
    if stage == "set":
        return f"{len(work.moves)} moved" if work.moves else ""
    if stage == "read" and "before" in work.seals:
        return "done"
    if stage == "hand-over":
        return {Job.Status.DONE: "done", Job.Status.ENDED: "ended early"}.get(work.job.status, "")
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
        "cautions": cautions(page.stage, light=work.light),
        "gates": work.gates(page.stage),
        "fields": fields(page),
        "may_type": page.may_type,
        "may_measure": may_measure(page.person),
        "simulated": bool(job.simulation),
        "seals": work.seals,
        "current": work.current,
        "looks": said_looks(page),
        "here": f"?{query}" if (query := _query(page)) else "",
    }


def _query(page: Page) -> str:
    sweep = "&sweep=1" if page.sweep else ""
    return f"setup={page.setup}{sweep}" if page.setup else ""


def said_looks(page: Page) -> dict[str, str]:
    """What looks repeated at one scale come to, in words, by the slot of the first look."""
    work, found = page.work, {}
    units = {station.slot: " mm" if station.unit == "mm" else "°" for station in work.stations}
    for phase in {"before", page.phase} - {"set", "air"}:
        for slot, of_station in work.means(phase).items():
            for field, mean in of_station.items():
                if mean.count > 1:
                    found[f"{phase}/{slot}/{field}"] = _say_mean(mean, units[slot])
    return found


def _say_mean(mean: Mean, unit: str) -> str:
    apart = "; they differ by more than the scale can be misread, so look at what moves" if mean.apart else ""
    return f"{mean.count} looks: mean {mean.value:.2f}{unit}, spread {mean.spread:.2f}{unit}{apart}"
