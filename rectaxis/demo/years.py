"""Eight years of the demo's fleets: visits as their seals keep them, and what happened between them. All made up, from a fixed seed.

Each visit has what its report says, without the readings behind it: to type and solve them all would take minutes.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from django.utils import timezone
from numpy.random import Generator

import alignment
from alignment.estimate.solve import Estimate
from alignment.judge.fitness import fitness
from alignment.judge.verdict import Rule, decide
from alignment.words.front import say_fitness, say_head
from rectaxis.demo.data import CAR, COACH, VAN
from rectaxis.fleets.layout import Json, Layout
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record import seal
from rectaxis.record.models import Job, Seal
from rectaxis.record.seal import Answered, Fit, Statement, Subject
from rectaxis.record.snapshot import as_json
from rectaxis.visit.actions.open_job import copy_of_specification
from rectaxis.visit.judged import judged
from rectaxis.visit.kits import rig_of
from rectaxis.visit.statement import STYLES
from rectaxis.years.models import Happening

_YEARS, _A_YEAR = 8, 28_000
_U = {"camber_deg": 0.03, "caster_deg": 0.08, "total_toe_deg": 0.02}
_SET = ("total_toe_deg", "thrust_angle_deg", "steer_ahead_deg", "bearing_deg")
"""What is set where it is found outside: the other angles need parts."""
READS_HIGH = 0.05
"""By how much the second kit reads every camber above the first, of which nobody knew."""
_TREAD_MM, _WORN_MM = 8.0, 2.4


@dataclass(frozen=True)
class Story:
    """What goes on with a vehicle: drifts by path (degrees in 10,000 km), and what happened by the year it happened in, counted from 0:
    its kind, its words, the axle, whether it renewed, whether it was noted, and by how much it moved which path.
    """

    unit: str
    fleet: int
    layout: Json
    drifts: Mapping[str, float] = field(default_factory=dict)
    happened: Mapping[int, tuple[str, str, int | None, bool, bool, Mapping[str, float]]] = field(default_factory=dict)


FRONT_RIGHT, FRONT_TOE, THRUST = "axles/1/right/camber_deg", "axles/1/total_toe_deg", "thrust_angle_deg"
STORIES = (
    Story("Van 3", 0, VAN, {}, {4: ("strike", "hit the kerb at Ferry Stance", 1, False, True, {FRONT_TOE: 0.35, FRONT_RIGHT: -0.4})}),
    Story("Van 11", 0, VAN, {FRONT_RIGHT: -0.07}, {5: ("repair", "new bushes and lower arm on the right", 1, True, True, {FRONT_RIGHT: 0.75})}),
    Story("Van 5", 0, VAN, {FRONT_TOE: 0.03}),
    Story("Van 8", 0, VAN, {}, {6: ("strike", "", 2, False, False, {THRUST: 0.3})}),
    Story("Van 15", 0, VAN),
    Story("Courtesy car 1", 4, CAR, {"axles/2/left/camber_deg": -0.04}),
    Story("Coach 4", 2, COACH, {FRONT_TOE: -0.02}, {3: ("tyres", "new front tyres", 1, False, True, {})}),
)  # fmt: skip
_CALLED = {"Van": ("Brannoch", "Pelter 27"), "Courtesy": ("Skerrow", "Dunlin"), "Coach": ("", "")}


def make_years(person: User, stories: Sequence[Story] = STORIES, seed: int = 2018) -> list[Vehicle]:
    """Vehicles with a visit or two in each of the years past. The business's numbers are not used: these reports are of before them."""
    rng = np.random.default_rng(seed)
    fleets = list(Fleet.objects.order_by("pk"))
    kits = [Kit.objects.get(code=code) for code in ("flag_lasers", "mirror_lasers", "wheel_heads")]
    return [_live(rng, person, fleets[story.fleet], kits, story) for story in stories]


def _live(rng: Generator, person: User, fleet: Fleet, kits: Sequence[Kit], story: Story) -> Vehicle:
    make, model = _CALLED[story.unit.split()[0]]
    number = int(story.unit.split()[-1])
    vehicle = Vehicle.objects.create(
        fleet=fleet,
        unit=story.unit,
        registration=f"HY {number:02d} ISL",
        layout=story.layout,
        make=make,
        model=model,
        year=2018,
    )
    spec = copy_of_specification(vehicle)
    rows = list(spec.rows)
    truth = {_path(row): _middle(row) + float(rng.normal(0, 0.25 * _half(row))) for row in rows}
    today = timezone.now().replace(hour=9, minute=0, second=0, microsecond=0)
    km, tread, waiting = 4_000.0, _TREAD_MM, dict(story.happened)
    for number in range(2 * _YEARS):
        when = today - dt.timedelta(days=int(365.25 * _YEARS - 182 * number - rng.integers(0, 60)))
        km += _A_YEAR / 2 * float(rng.uniform(0.8, 1.2))
        driven = _A_YEAR / 2 / 10_000
        for path in truth:
            truth[path] += story.drifts.get(path, 0.0) * driven + 0.012 * float(rng.normal())
        tread = _TREAD_MM if tread < _WORN_MM else tread - float(rng.uniform(1.0, 1.5))
        if (number // 2) in waiting and number % 2:
            kind, what, axle, renewed, noted, moved = waiting.pop(number // 2)
            for path, by in moved.items():
                truth[path] += by
            if renewed:
                story = Story(story.unit, story.fleet, story.layout, {}, {})
            if noted:
                Happening.objects.create(
                    vehicle=vehicle, day=(when - dt.timedelta(days=25)).date(), odometer=int(km - 1_800), kind=kind, what=what, axle=axle,
                    renewed=renewed, by=person,
                )  # fmt: skip
        _visit(
            rng, person, vehicle, kits[int(rng.integers(len(kits)))], when, km, tread, spec, truth, reads_high=kits[1]
        )
    return vehicle


def _path(row: Mapping[str, Any]) -> str:
    return _rule(row).path


def _rule(row: Mapping[str, Any]) -> Rule:
    axles = tuple(row["axles"]) if "axles" in row else None
    return Rule(
        row["quantity"], row.get("axle"), row.get("side"), axles, row.get("min"), row.get("max"), row.get("preferred")
    )


def _middle(row: Mapping[str, Any]) -> float:
    ends = [row[end] for end in ("min", "max") if row.get(end) is not None]
    return float(row.get("preferred", sum(ends) / len(ends)))


def _half(row: Mapping[str, Any]) -> float:
    return float(row["max"] - row["min"]) / 2 if "min" in row and "max" in row else 0.2


def _visit(
    rng: Generator, person: User, vehicle: Vehicle, kit: Kit, when: dt.datetime, km: float, tread: float, spec: Any,
    truth: dict[str, float], reads_high: Kit,
) -> None:  # fmt: skip
    """One visit: what it found, what it set, and its seals. ``truth`` is changed by what is set."""
    rows = [dict(row) for row in spec.rows]
    before = [_verdict(rng, row, truth, kit, reads_high) for row in rows]
    moved = set()
    for row, verdict in zip(rows, before, strict=True):
        if verdict["verdict"] in ("outside", "undecided") and row["quantity"] in _SET:
            truth[_path(row)] = _middle(row) + float(rng.normal(0, 0.015))
            moved.add(_path(row))
    after = [_verdict(rng, row, truth, kit, reads_high) for row in rows] if moved else []
    layout = Layout.from_json(vehicle.layout)
    job = Job.objects.create(
        vehicle=vehicle, kit=kit, technician=person, planned_at=when, status=Job.Status.DONE, layout=vehicle.layout, specification=as_json(spec),
        rig=as_json(rig_of([kit], layout)), added=3,
    )  # fmt: skip
    lines = judged(layout.core.vehicle, after or before, rows, before if after else (), STYLES, moved)
    statement = _statement(job, lines, km, tread, spec, before, after)
    for place, (phase, verdicts) in enumerate(
        [("before", before), *([("after", after)] if after else []), ("visit", [])], start=1
    ):
        file = layout.as_document(spec=rows, readings=[]) if verdicts else {}
        results = {"axles": [], "verdicts": verdicts} if verdicts else {}
        said = statement.as_json()
        digest = hashlib.sha256(json.dumps(file or said, sort_keys=True, default=str).encode()).hexdigest()
        Seal.objects.create(
            job=job, by=person, sequence=place, phase=phase, job_file=file, results=results, statement=said if phase == "visit" else None,
            core_version=alignment.__version__, digest=digest,
        )  # fmt: skip
    Seal.objects.filter(job=job).update(at=when)


def _verdict(
    rng: Generator, row: Mapping[str, Any], truth: Mapping[str, float], kit: Kit, reads_high: Kit
) -> dict[str, Any]:
    rule, u = _rule(row), _U.get(row["quantity"], 0.015)
    off = READS_HIGH if kit.pk == reads_high.pk and row["quantity"] == "camber_deg" else 0.0
    value = round(truth[rule.path] + off + u * float(rng.normal()), 3)
    return {
        **rule.as_subject(), "value": value, "u": u, "min": rule.minimum, "max": rule.maximum,
        "verdict": decide(Estimate(value, u), rule.minimum, rule.maximum),
    }  # fmt: skip


def _statement(
    job: Job, lines: tuple[Any, ...], km: float, tread: float, spec: Any, before: Sequence[Any], after: Sequence[Any]
) -> Statement:
    vehicle = job.vehicle
    found, left = (_fit([one["verdict"] for one in verdicts]) if verdicts else None for verdicts in (before, after))
    told = f"{round(km, -1):,.0f} km"
    wheels = [f"{side} {end}" for end in ("front", "rear") for side in ("left", "right")]
    return Statement(
        subject=Subject(
            unit=vehicle.unit, fleet=vehicle.fleet.name, make=vehicle.make, model=vehicle.model, registration=vehicle.registration,
            day=timezone.localdate(job.planned_at), technician=job.technician.shown_name, kit=job.rig["name"], certified_until=None,
            figures=spec.name, figures_source=spec.source, toe_only=False, group=vehicle.layout.get("group", "van"),
        ),
        phase="after" if after else "before", found=found, left=left, judged=lines,
        answers={"arrive/odometer": Answered("Odometer", f"{round(km, -1):.0f}", told)},
        tyres=tuple((name, ("3.1", f"{tread + 0.3:.1f}", f"{tread + 0.4:.1f}", f"{tread:.1f}", "")) for name in wheels),
        reference=seal.Chosen("all", "all wheels"), school=seal.Chosen("general", ""),
    )  # fmt: skip


def _fit(verdicts: Sequence[str]) -> Fit:
    found = fitness(verdicts)
    return Fit(found.code, say_head(found), say_fitness(found))
