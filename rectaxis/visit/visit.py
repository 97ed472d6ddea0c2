"""One visit to a vehicle, opened for reading: its copies, its record, and what follows from both."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from alignment.adjust.hardware import Hardware
from alignment.judge.results import PhaseResults
from alignment.procedure import session
from alignment.procedure.cautions import Circumstances
from alignment.procedure.checklist import DRIVE, ELECTRIC
from rectaxis.record.journal import Journal
from rectaxis.record.models import Job, Move
from rectaxis.record.slot import OfAdjuster, Phase
from rectaxis.record.snapshot import Snapshot
from rectaxis.visit.confirmed import Confirming
from rectaxis.visit.decisions import Decisions
from rectaxis.visit.heights import at_ride_heights
from rectaxis.visit.last_visit import LastVisit
from rectaxis.visit.moves import moved, say_move
from rectaxis.visit.progress import Progress
from rectaxis.visit.readings import Readings
from rectaxis.visit.setting import Setting


@dataclass(frozen=True)
class Fastened:
    """An adjuster that was moved, and what it was tightened to."""

    slot: str
    adjuster: str
    label: str
    typed: str

    @property
    def asked(self) -> str:
        """The question, as its field asks it."""
        return f"{self.label}: what the maker says, and done"


class Visit:
    """A job with its parts: ``snapshot`` and ``journal`` are the record; the others are worked out from them.

    ``setting`` is the adjusting: what was moved, and what to move next.
    """

    def __init__(self, job: Job, journal: Journal | None = None) -> None:
        self.job = job
        self.journal = journal or Journal(job)
        self.snapshot = at_ride_heights(Snapshot.of(job), self.journal)
        self.readings = Readings(self.snapshot, self.journal)
        self.decisions = Decisions(self.snapshot, self.journal, self.hardware)
        self.setting = Setting(self.readings, self.decisions, self.journal.moves)
        self.progress = Progress(job, self.readings, self.setting)

    @property
    def hardware(self) -> tuple[Hardware, ...]:
        """What adjusts on the vehicle, each standing where it was found."""
        return self.readings.hardware

    @cached_property
    def confirming(self) -> Confirming:
        """What the after takes over from what was read while setting."""
        return Confirming(self.setting)

    @cached_property
    def last(self) -> LastVisit:
        """The visit before this one."""
        return LastVisit(self.job)

    def results(self, phase: Phase) -> PhaseResults:
        """Solved results of a phase; while setting those of what still holds."""
        return self.setting.results() if phase in (Phase.SET, Phase.AIR) else self.readings.results(phase)

    @cached_property
    def fastened(self) -> list[Fastened]:
        """What was moved and has to be tightened, with what the person says it was tightened to."""
        found = []
        for one in self.moved:
            slot = OfAdjuster("torque", one.id)
            label = f"{one.FASTENER[0].upper()}{one.FASTENER[1:]} of the {self.snapshot.name_of(one)}"
            found.append(Fastened(str(slot), one.id, label, self.journal.answer(slot)))
        return found

    @property
    def moved(self) -> list[Hardware]:
        """The adjusters that were moved, in the order of their first moves."""
        return moved(self.journal.moves, self.hardware)

    def changed_paths(self) -> frozenset[str]:
        """The results' paths that a move has changed."""
        changes = [self.setting.changes(move) for move in self.journal.moves]
        return frozenset(path for change in changes for path, by in change.items() if by)

    def moves_said(self) -> list[tuple[str, Move]]:
        """What was moved, in words, with who and when."""
        return [(say_move(self.snapshot, self.hardware, move), move) for move in self.journal.moves]

    @cached_property
    def about(self) -> Circumstances:
        """What vehicle, kit and method are, for the cautions."""
        rig, drive = self.snapshot.rig, self.journal.answer(DRIVE)
        kinds = frozenset(station.reading["kind"] for station in rig.stations)
        return Circumstances(
            group=self.snapshot.layout.group, light=rig.light, clamps=rig.rims_mm is not None,
            lifted="runout" in kinds and rig.lifted, rolled="runout" in kinds and not rig.lifted,
            steered=self.snapshot.subject.steered, electric=drive == ELECTRIC if drive else None, kinds=kinds,
        )  # fmt: skip

    @property
    def sets_caster(self) -> bool:
        """Whether an adjuster changes an angle that only a sweep tells."""
        return session.sweep_reached(path for one in self.hardware for path in one.adjuster().names)
