"""The open format: a job file is checked and becomes a ``JobFile``; a job is solved and becomes a results file.

Every fault that can be found is found in one pass, each with the JSON pointer of the wrong value.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from alignment.adjust.adjusters import Adjuster, parse_adjusters
from alignment.adjust.plan import Plan, make_plan
from alignment.checker import Checker
from alignment.errors import Fault, JobFileError
from alignment.estimate.solve import solve
from alignment.jobfile.parsing import parse_datum, parse_readings, parse_rules, parse_vehicle
from alignment.judge.results import FORMAT as RESULTS_FORMAT
from alignment.judge.results import VERSION as RESULTS_VERSION
from alignment.judge.results import PhaseResults, nameable
from alignment.judge.verdict import Rule
from alignment.model.vehicle import Datum, Vehicle
from alignment.readings import Reading

FORMAT = "rectaxis-job"
VERSION = 1
PHASES = ("before", "after")
MOST_BYTES = 10_000_000
DEEPEST = 64
_MANY_DIGITS = 20


@dataclass(frozen=True)
class JobFile:
    """One vehicle, the readings taken on it, what to judge by and what can be adjusted."""

    vehicle: Vehicle
    datum: Datum
    readings: tuple[Reading, ...] = ()
    rules: tuple[Rule, ...] = ()
    adjusters: tuple[Adjuster, ...] = ()

    @property
    def phases(self) -> tuple[str, ...]:
        """The phases that have readings, in the order of the work."""
        return tuple(phase for phase in PHASES if any(r.phase == phase for r in self.readings))


def _refuse(message: str) -> JobFileError:
    return JobFileError([Fault("", message)])


def _unique(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        keys = [key for key, _ in pairs]
        twice = next(key for key in keys if keys.count(key) > 1)
        raise _refuse(f"has the key {json.dumps(twice)[:60]} twice in one object; keep one of them")
    return found


def _whole(text: str) -> float:
    # A number of thousands of digits is refused later for its size, and must not stop the reader here.
    return int(text) if len(text) < _MANY_DIGITS else float(text)


def _too_deep(document: object) -> bool:
    """Whether lists and objects lie within each other more than ``DEEPEST`` deep, the outermost counted."""
    level = [document]
    for _ in range(DEEPEST + 1):
        inner = [item for value in level if isinstance(value, dict) for item in value.values()]
        inner += [item for value in level if isinstance(value, list) for item in value]
        level = [value for value in inner if isinstance(value, dict | list)]
        if not level:
            return False
    return True


def read_document(raw: bytes) -> dict[str, Any]:
    """The JSON object in ``raw``, with duplicate keys, deep nesting and large files refused.

    **Raises** JobFileError.
    """
    if len(raw) > MOST_BYTES:
        raise _refuse(f"is {len(raw) / 1e6:.1f} MB; a job file has at most {MOST_BYTES / 1e6:.0f} MB")
    try:
        document = json.loads(raw.decode("utf-8"), object_pairs_hook=_unique, parse_int=_whole)
    except RecursionError:
        raise _refuse(f"is nested deeper than {DEEPEST} levels") from None
    except JobFileError:
        raise
    except (UnicodeDecodeError, ValueError) as error:
        where = f" (line {error.lineno}, column {error.colno})" if isinstance(error, json.JSONDecodeError) else ""
        raise _refuse(f"is not JSON{where}") from None
    if raw.count(b"{") + raw.count(b"[") > DEEPEST and _too_deep(document):
        raise _refuse(f"is nested deeper than {DEEPEST} levels")
    if not isinstance(document, dict):
        raise _refuse("expected an object with the keys format, version and vehicle")
    return document


def parse(document: dict[str, Any]) -> JobFile:
    """A checked job from a JSON object. **Raises** JobFileError with every fault found."""
    check = Checker()
    check.keys(
        "", document, required=("format", "version", "vehicle"), optional=("datum", "readings", "spec", "adjusters")
    )
    if "format" in document and document["format"] != FORMAT:
        check.fault("/format", f'expected "{FORMAT}", got {check.shown(document["format"])}')
    if "version" in document and (document["version"] != VERSION or isinstance(document["version"], bool)):
        check.fault("/version", f"expected {VERSION}, got {check.shown(document['version'])}")
    vehicle = parse_vehicle(check, document.get("vehicle")) if "vehicle" in document else None
    if vehicle is None:
        raise JobFileError(check.faults)
    datum = parse_datum(check, document, vehicle)
    names = nameable(vehicle)
    readings = parse_readings(check, document.get("readings", []), vehicle)
    rules = parse_rules(check, document.get("spec", []), vehicle, names)
    adjusters = parse_adjusters(check, document.get("adjusters", []), names)
    if check.faults or datum is None:
        raise JobFileError(check.faults)
    return JobFile(vehicle, datum, tuple(readings), tuple(rules), tuple(adjusters))


def load(path: str | Path) -> JobFile:
    """The job in a file. **Raises** JobFileError, also where the file cannot be read."""
    try:
        with Path(path).open("rb") as file:
            raw = file.read(MOST_BYTES + 1)
            if len(raw) > MOST_BYTES:
                raise _refuse(f"is larger than {MOST_BYTES / 1e6:.0f} MB, which a job file may not be")
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise error if isinstance(error, JobFileError) else _refuse(f"cannot be read: {reason}") from None
    return parse(read_document(raw))


def solve_phase(job: JobFile, phase: str, held_u_deg: float = 0.0) -> PhaseResults:
    """Results of one phase of a job; ``held_u_deg`` as ``judge.derived`` gives it for how the steering wheel was held."""
    readings = [reading for reading in job.readings if reading.phase == phase]
    return PhaseResults.from_solution(solve(job.vehicle, job.datum, readings), job.rules, held_u_deg)


def solve_job(job: JobFile) -> dict[str, Any]:
    """The results file of a job: one entry for each phase that has readings."""
    phases = {}
    for phase in job.phases:
        answer = solve_phase(job, phase).as_dict()
        indices = [index for index, reading in enumerate(job.readings) if reading.phase == phase]
        for suspect in answer["suspect"]:
            suspect["reading"] = indices[suspect["reading"]]
        phases[phase] = answer
    return {"format": RESULTS_FORMAT, "version": RESULTS_VERSION, "phases": phases}


def plan_of(job: JobFile) -> Plan:
    """The plan of a job, from its latest phase that has readings."""
    phase = job.phases[-1] if job.phases else None
    return make_plan(solve_phase(job, phase or PHASES[0]), job.rules, job.adjusters, phase)


def plan_job(job: JobFile) -> dict[str, Any]:
    """The plan's file of a job."""
    plan = plan_of(job)
    return plan.as_dict([index for index, reading in enumerate(job.readings) if reading.phase == plan.phase])
