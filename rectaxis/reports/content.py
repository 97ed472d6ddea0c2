"""What a report says: from the seals and the record, never from what was typed since."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from alignment.adjust.reach import say_left
from alignment.diagnose import diagnose
from alignment.parsing import PHASES
from alignment.procedure.checklist import ADVICE_ROWS, NOT_DONE, UNSAFE, findings, tyres
from alignment.procedure.schools import REFERENCES
from rectaxis.drawing.strips import StripGroup, strip_groups
from rectaxis.jobs.models import Event, Job, Photo, Seal
from rectaxis.jobs.paper import TYRE_CELLS
from rectaxis.jobs.screens.setting import Fastened, fastened
from rectaxis.jobs.screens.stages import AGREED, finding_slot
from rectaxis.jobs.sheet import skip_slot
from rectaxis.jobs.work import Work
from rectaxis.people.models import User


@dataclass(frozen=True)
class Report:
    """A report's content as plain data."""

    work: Work
    groups: list[StripGroup]
    ended: str
    before: list[str]
    after: list[str]
    reasons: list[Any]
    turns: list[Any]
    tightened: list[Fastened]
    left_alone: list[tuple[str, str]]
    still_outside: list[str]
    answers: dict[str, str]
    advice: list[tuple[str, str]]
    left_out: list[tuple[str, str]]
    tyres: list[tuple[str, list[str]]]
    agreed: list[str]
    set_to: str
    corrections: list[Seal]

    @property
    def job(self) -> Job:
        return self.work.job

    @property
    def phase(self) -> str:
        """The last sealed phase: what the strips' dots stand for."""
        return "after" if "after" in self.work.seals else "before"

    @property
    def photos(self) -> list[Photo]:
        """Every photo in sight, in the order in which they were taken."""
        return sorted((photo for photos in self.work.photos.values() for photo in photos), key=lambda photo: photo.pk)

    def job_file(self) -> dict[str, Any]:
        """One job file with the readings of both phases."""
        sealed = [self.work.seals[phase] for phase in PHASES if phase in self.work.seals]
        readings = [reading for seal in sealed for reading in seal.job_file["readings"]]
        return self.work.job_file(readings)


_SHOWN = ("arrive/odometer", "arrive/reason", "arrive/asked-by", "arrive/noted", "roll/locked", "prove/road-test",
          "prove/felt", "prove/torque", "prove/sensors", "prove/assistance", "hand-over/left", "hand-over/next",
          "hand-over/received-by")  # fmt: skip


def _left_out(work: Work) -> list[tuple[str, str]]:
    """What could not be done or is unsafe, each with its reason."""
    asked = [question for questions in work.questions.values() for question in questions]
    return [
        (f"{question.label}: {answer}", work.answer(question.why))
        for answer in (UNSAFE, NOT_DONE)
        for question in findings(asked, work.answers, answer)
    ]


def _tyres(work: Work) -> list[tuple[str, list[str]]]:
    """What was found on each tyre, for those on which anything was."""
    rows = [
        (name, [work.answer(f"look/tyre/{at}/{cell}") for cell in TYRE_CELLS])
        for at, name, _, _ in tyres(work.core.vehicle, work.subject.duals)
    ]
    return [(name, cells) for name, cells in rows if any(cells)]


def _agreed(work: Work) -> list[str]:
    """Causes that the program proposed from the before and the technician agreed with."""
    found = diagnose(work.evidence(work.results("before"))) if "before" in work.seals else []
    return [finding.say() for finding in found if work.answer(finding_slot(finding)) == AGREED]


def _groups(work: Work, style: str) -> list[StripGroup]:
    """The strips of the last sealed phase, with the before's values beside the after's."""
    before, after = work.seals.get("before"), work.seals.get("after")
    newest = after or before
    if newest is None:
        return []
    earlier = before.results["verdicts"] if after and before else ()
    return strip_groups(work.core.vehicle, newest.results["verdicts"], newest.job_file["spec"], earlier, style)


def _still_outside(work: Work, style: str) -> list[str]:
    """What is outside in the after, with what would set it."""
    if "after" not in work.seals:
        return []
    results = work.results("after")
    outside = [rule for rule in results.rules if results.judged[rule.path] == "outside"]
    return [
        say_left(work.core.vehicle, rule, estimate, work.hardware, style)
        for rule in outside
        if (estimate := results.estimates[rule.path]) is not None
    ]


def _why_ended(job: Job) -> str:
    """Why a job was ended early, empty where it was not."""
    if job.status != Job.Status.ENDED:
        return ""
    return Event.objects.filter(job=job, what="ended early").values_list("text", flat=True).last() or ""


def report_of(job: Job, person: User) -> Report | None:
    """The report of a job, in the person's angle style; None while nothing is sealed and it was not ended early."""
    work, ended = Work(job), _why_ended(job)
    if not work.seals and not ended:
        return None
    before, after = work.seals.get("before"), work.seals.get("after")
    at = "hand-over/advice"
    advice = [(work.answer(f"{at}/{row}"), work.answer(f"{at}/{row}/due")) for row in range(1, ADVICE_ROWS + 1)]
    return Report(
        work=work,
        groups=_groups(work, person.angle_style),
        ended=ended,
        before=before.sentences if before else [],
        after=after.sentences if after else [],
        reasons=work.reasons(),
        turns=work.turns(),
        tightened=[one for one in fastened(work) if one.typed],
        still_outside=_still_outside(work, person.angle_style),
        left_alone=[(work.name_of(one), why) for one in work.hardware if (why := work.answer(skip_slot(one.id)))],
        answers={slot.split("/")[1].replace("-", "_"): work.answer(slot) for slot in _SHOWN},
        advice=[(text, due) for text, due in advice if text],
        left_out=_left_out(work),
        tyres=_tyres(work),
        agreed=_agreed(work),
        set_to=REFERENCES[work.reference][0].lower() if work.moves else "",
        corrections=[seal for seal in work.seals.values() if seal.revision > 1],
    )
