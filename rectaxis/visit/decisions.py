"""What the technician decided on a job, or the usual where nothing was decided."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from alignment.adjust.hardware import Hardware
from alignment.adjust.hardware.rods import DragLink
from alignment.adjust.reach import adjustable_axles, reach_of
from alignment.adjust.wishes import AIMS, Wishes
from alignment.judge.diagnose import COMPLAINTS, WEAR, Evidence
from alignment.judge.results import PhaseResults
from alignment.procedure.checklist import FELT, UNSAFE, WORN, part_slot, tyre_slot, tyres
from alignment.procedure.schools import REFERENCES, SCHOOLS, School, default_reference, default_school
from rectaxis.record.journal import Journal
from rectaxis.record.slot import AIM, ALSO, COMPLAINT, LEAN, REFERENCE, SCHOOL, STRAIGHT, OfAdjuster
from rectaxis.record.snapshot import Snapshot

YES, NO = "yes", "no"
AGREED = "agreed"
OPINIONS = {AGREED: "I agree", "disagreed": "I do not", "look": "to be looked at"}
"""What a technician can say to a proposed cause, in words by its code."""
KNOBS_TURNED = "turned"
LIFTED, DOWN = "lifted", "down"


class Decisions:
    """The choices on one job."""

    def __init__(self, snapshot: Snapshot, journal: Journal, hardware: Sequence[Hardware]) -> None:
        self.snapshot, self.journal, self.hardware = snapshot, journal, hardware

    @property
    def reference(self) -> str:
        """What the front is set to: the technician's choice, else the usual one."""
        chosen = self.journal.answer(REFERENCE)
        return chosen if chosen in REFERENCES else default_reference(self.snapshot.vehicle, self.adjustable)

    @property
    def adjustable(self) -> frozenset[int]:
        """The axles on which something adjusts."""
        return frozenset(adjustable_axles(self.hardware))

    @property
    def school(self) -> School:
        """The order in which axles are set: the technician's choice, else the usual one."""
        chosen = SCHOOLS.get(self.journal.answer(SCHOOL))
        return chosen or default_school(self.snapshot.vehicle, self.snapshot.datum)

    @property
    def wishes(self) -> Wishes:
        """What the technician goes for."""
        aim = self.journal.answer(AIM)
        lean, straight = self.journal.answer(LEAN) == YES, self.journal.answer(STRAIGHT) != NO
        return Wishes(self.reference, aim if aim in AIMS else next(iter(AIMS)), lean, straight)

    @property
    def skipped(self) -> dict[str, str]:
        """Adjusters that are left alone, with the reason."""
        typed = {one.id: self.journal.answer(OfAdjuster("skip", one.id)) for one in self.hardware}
        return {one: reason for one, reason in typed.items() if reason}

    def evidence(self, results: PhaseResults) -> Evidence:
        """What is known of the vehicle besides its angles: the complaint and how its tyres wear."""
        wear: dict[tuple[int, str], str] = {}
        for at, _, axle, side in tyres(self.snapshot.vehicle, self.snapshot.subject.duals):
            pattern = self.journal.answer(tyre_slot(at, "wear"))
            if pattern in WEAR:
                wear.setdefault((axle.number, side), pattern)
        complaints = frozenset({self.journal.answer(COMPLAINT), self.journal.answer(ALSO)} & set(COMPLAINTS))
        reached = reach_of(self.snapshot.vehicle, self.hardware)
        linked = frozenset(one.axle for one in self.hardware if one.KIND == DragLink.KIND)
        return Evidence(results, complaints, wear, reached, self._worn(), frozenset(self._looked_at()), linked)

    def _worn(self) -> dict[int, str]:
        """The parts in which play or wear was found, in words, by axle."""
        found: dict[int, list[str]] = {}
        for axle in self.snapshot.vehicle.axles:
            for code in (*FELT, "springs", "rods"):
                slot = part_slot(axle.number, code)
                if slot in self.snapshot.question and self.journal.answer(slot) in (WORN, UNSAFE):
                    found.setdefault(axle.number, []).append(self.snapshot.question[slot].label)
        return {axle: "; ".join(parts) for axle, parts in found.items()}

    def _looked_at(self) -> Iterator[str]:
        """What was looked at already, as codes of the diagnosis."""
        questions, answer = self.snapshot.questions["look"], self.journal.answer
        if all(answer(q.slot) for q in questions if q.group == "pressure"):
            yield "pressures"
        felt = [q.slot for q in questions if q.slot.rsplit("/", 1)[-1] in FELT]
        if felt and all(answer(slot) for slot in felt):
            yield "joints"
