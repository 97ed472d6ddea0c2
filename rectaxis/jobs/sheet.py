"""What a job holds of its own: vehicle, figures, kit and questions as they were copied. Asks no database."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

from alignment.adjust.hardware import Hardware, hardware_of
from alignment.adjust.hardware.packings import SpringPackings
from alignment.jobfile import FORMAT, VERSION, parse
from alignment.jobfile import Job as CoreJob
from alignment.procedure.checklist import Question, Subject, questions
from alignment.procedure.station import Setup, Station
from rectaxis.drawing.plan import VehicleLook
from rectaxis.jobs.models import Job

MOST_LOOKS = 9
"""A scale looked at more often than this is not the scale's fault."""


def trued_slot(station: Station) -> str:
    """The slot that says that a clamp's knobs were turned, so that its runout is to be read again."""
    return f"before/{station.slot}/trued"


def look_slot(phase: str, station: Station, field: str, number: int = 1) -> str:
    """The slot of the first or a later look at one scale of a station."""
    first = f"{phase}/{station.slot}/{field}"
    return first if number == 1 else f"{first}/again-{number}"


def skip_slot(adjuster: str) -> str:
    """The slot of the reason why an adjuster is left alone."""
    return f"skip/{adjuster}"


def found_slot(adjuster: str) -> str:
    """The slot of where an adjuster was found to stand, where its layout says otherwise."""
    return f"found/{adjuster}"


def torque_slot(adjuster: str) -> str:
    """The slot of what an adjuster was tightened to."""
    return f"torque/{adjuster}"


def is_runout(station: Station) -> bool:
    """Whether a station is a wheel's runout, which is rolled once and belongs to the before."""
    return bool(station.reading["kind"] == "runout")


class Sheet:
    """A job's own data, made into what the core works with."""

    def __init__(self, job: Job) -> None:
        self.job = job

    @cached_property
    def core(self) -> CoreJob:
        """Vehicle, datum and specification, without readings."""
        return parse(self.job_file([]))

    @cached_property
    def hung(self) -> tuple[Station, ...]:
        """The stations as the kit's file has them."""
        return tuple(Station.from_dict(station) for station in self.job.rig["stations"])

    @cached_property
    def setups(self) -> tuple[Setup, ...]:
        return tuple(Setup.from_dict(setup) for setup in self.job.rig["setups"])

    @cached_property
    def listed(self) -> tuple[Hardware, ...]:
        """What adjusts on the vehicle, as its layout lists it."""
        return hardware_of(self.job.layout.get("adjusters", []))

    @property
    def hardware(self) -> tuple[Hardware, ...]:
        """What adjusts on the vehicle."""
        return self.listed

    @cached_property
    def packings(self) -> dict[int, SpringPackings]:
        """The packings on the springs, by axle."""
        found = [SpringPackings.from_dict(entry) for entry in self.job.layout.get("packings", [])]
        return {springs.axle: springs for springs in found}

    @cached_property
    def subject(self) -> Subject:
        """What the questions are about."""
        rig, layout = self.job.rig, self.job.layout
        return Subject(
            vehicle=self.core.vehicle,
            duals=frozenset(layout.get("duals", ())),
            group=layout.get("group", "van"),
            self_check=tuple(rig.get("self_check", ())),
            battery=bool(rig.get("battery_hours")),
            clamps=bool(rig.get("rims_mm")),
        )

    @cached_property
    def questions(self) -> dict[str, tuple[Question, ...]]:
        return questions(self.subject)

    @property
    def look(self) -> VehicleLook:
        """The vehicle's looks, for the drawing."""
        return VehicleLook(self.subject.group, self.subject.duals)

    @property
    def toe_only(self) -> bool:
        """Whether this is the quick job that reads toe in front and nothing else."""
        return self.job.rig.get("scope") == "toe"

    @property
    def light(self) -> bool:
        """Whether the kit has beams that nobody should look into."""
        return bool(self.job.rig.get("light", True))

    @property
    def steering_ratio(self) -> float | None:
        return self.job.layout.get("steering_ratio")

    def job_file(self, readings: Sequence[dict[str, Any]]) -> dict[str, Any]:
        """The job file of the given readings."""
        document = {"format": FORMAT, "version": VERSION, "vehicle": self.job.layout["vehicle"]}
        if "datum" in self.job.layout:
            document["datum"] = self.job.layout["datum"]
        return document | {
            "readings": list(readings),
            "spec": self.job.specification["rows"],
            "adjusters": [one.adjuster().as_dict() for one in self.hardware],
        }
