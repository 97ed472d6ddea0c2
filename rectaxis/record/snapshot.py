"""What a job copies when it is opened: layout, kit and specification as they were, so that later edits never change it.

Frozen types with one door from JSON, ``Snapshot.of``. It asks no database.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from functools import cached_property
from typing import Any

import msgspec

from alignment.adjust.hardware import Hardware
from alignment.jobfile import JobFile, parse
from alignment.judge.heights import at_heights
from alignment.model.vehicle import Datum, Vehicle, the_axle
from alignment.procedure.checklist import Question, Subject, questions
from alignment.procedure.station import Setup, Station
from rectaxis.drawing.plan import VehicleLook
from rectaxis.fleets.layout import Json, Layout
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.slot import MOST_LOOKS, Phase, Scale, Slot


class Rig(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """The kit as it was: what it is, what it carries and cannot see, and the stations where its scales are read.

    ``goes`` is ``axles`` where its heads are rolled and read at an axle before they go to the next. ``scope`` is ``all``, or ``toe`` for the quick job that reads toe in front and nothing else. ``lifted`` says that wheels are
    lifted to roll, ``light`` that nobody should look into its beams, ``grounds`` are readings of a job file that no scale shows (tilts, clamps),
    ``seen`` are the wheels whose targets cameras see, by axle and side, none where no kit takes pictures, ``clamp_u_deg`` is the doubt of a clamp on a wheel that was not rolled, ``figures`` say how well all of it is known, and why.
    """

    name: str
    setups: tuple[Setup, ...]
    stations: tuple[Station, ...]
    code: str = ""
    serial: str = ""
    scope: str = "all"
    goes: str = "stages"
    carried: str = ""
    cannot: str = ""
    certified_until: dt.date | None = None
    runout_limit_deg: float = 0.0
    clamp_u_deg: float = 0.0
    lifted: bool = True
    light: bool = True
    rims_mm: tuple[float, float] | None = None
    battery_hours: float | None = None
    self_check: tuple[str, ...] = ()
    figures: tuple[str, ...] = ()
    grounds: tuple[Json, ...] = ()
    seen: tuple[tuple[int, str], ...] = ()

    @property
    def toe_only(self) -> bool:
        """Whether this is the quick job."""
        return self.scope == "toe"


class Spec(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """The figures as they were; ``rows`` are the job file's ``spec``.

    ``key`` and ``version`` are those of the library, empty and 0 for figures that are not from it; ``general`` marks general
    practice, which is no maker's.
    """

    name: str
    source: str = ""
    rows: tuple[Json, ...] = ()
    key: str = ""
    version: int = 0
    general: bool = False


def as_json(data: Rig | Spec) -> Json:
    """Plain data, as a job keeps it."""
    found: Json = msgspec.to_builtins(data)
    return found


class SnapshotError(RecordError):
    """A job whose copies cannot be read."""


class Snapshot:
    """A job's copies, and what the core makes of them. ``rows`` are the figures that it is judged by."""

    def __init__(
        self, layout: Layout, rig: Rig, spec: Spec, rows: Sequence[Json] | None = None, untold: Sequence[str] = ()
    ) -> None:
        self.layout, self.rig, self.spec = layout, rig, spec
        self.rows: tuple[Json, ...] = tuple(at_heights(spec.rows, {})[0] if rows is None else rows)
        self.untold = tuple(untold)

    @classmethod
    def of(cls, job: Job) -> Snapshot:
        """The copies of a job. **Raises** SnapshotError that names the key."""
        try:
            rig, spec = msgspec.convert(job.rig, Rig), msgspec.convert(job.specification, Spec)
        except msgspec.ValidationError as error:
            raise SnapshotError(f"The copies of this job cannot be read: {error}") from None
        return cls(Layout.from_json(job.layout), rig, spec)

    def judged_by(self, rows: Sequence[Json], untold: Sequence[str] = ()) -> Snapshot:
        """The same with the figures' ``rows`` as they hold at the vehicle's ride heights; ``untold`` says what no row judges, and why."""
        return Snapshot(self.layout, self.rig, self.spec, rows, untold)

    @cached_property
    def core(self) -> JobFile:
        """Vehicle, datum and specification, without readings."""
        return parse(self.job_file([]))

    @property
    def vehicle(self) -> Vehicle:
        return self.core.vehicle

    @property
    def datum(self) -> Datum:
        return self.core.datum

    @property
    def hardware(self) -> tuple[Hardware, ...]:
        """What adjusts on the vehicle, as its layout lists it."""
        return self.layout.hardware

    @cached_property
    def by_slot(self) -> dict[str, Station]:
        """The stations as the kit's file has them, by their slots."""
        return {station.slot: station for station in self.rig.stations}

    @cached_property
    def subject(self) -> Subject:
        """What the questions are about."""
        rig, layout = self.rig, self.layout
        return Subject(
            vehicle=self.vehicle, duals=frozenset(layout.duals), group=layout.group, self_check=rig.self_check,
            battery=bool(rig.battery_hours), clamps=rig.rims_mm is not None, toe_only=rig.toe_only, advice=layout.advice,
        )  # fmt: skip

    @cached_property
    def questions(self) -> dict[str, tuple[Question, ...]]:
        """The questions by stage."""
        return questions(self.subject)

    @cached_property
    def question(self) -> dict[str, Question]:
        """The questions by slot."""
        return {question.slot: question for asked in self.questions.values() for question in asked}

    @property
    def look(self) -> VehicleLook:
        """The vehicle's looks, for the drawing."""
        return VehicleLook(self.layout.group, frozenset(self.layout.duals))

    def job_file(self, readings: Sequence[Json], hardware: Sequence[Hardware] | None = None) -> Json:
        """The job file of the given readings; ``hardware`` where some of it was found standing elsewhere."""
        listed = self.hardware if hardware is None else hardware
        adjusters = [one.adjuster().as_dict() for one in listed]
        return self.layout.as_document(readings=list(readings), spec=list(self.rows), adjusters=adjusters)

    def name_of(self, one: Hardware) -> str:
        """An adjuster with its axle: "left tie rod of the rear"."""
        return f"{one.title} of {the_axle(self.vehicle, one.axle)}"


def is_runout(station: Station) -> bool:
    """Whether a station is a wheel's runout, which is rolled once and belongs to the before."""
    return bool(station.reading["kind"] == "runout")


def scale(phase: Phase | str, station: Station, field: str, look: int = 1) -> Scale:
    """The slot of the first or a later look at one scale of a station."""
    return Scale(Phase(phase), station.slot, field, look)


def looks_at(phase: Phase | str, station: Station, field: str) -> list[Slot]:
    """The slots of all looks at one scale."""
    most = 1 if is_runout(station) else MOST_LOOKS
    return [scale(phase, station, field, look) for look in range(1, most + 1)]


def is_of(station: Station, reading: Any) -> bool:
    """Whether a reading was taken at a station."""
    return all(reading.get(key) == value for key, value in station.reading.items() if key != "positions")
