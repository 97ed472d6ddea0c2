"""A vehicle as it was when a phase was sealed, drawn for a report: on a page, in print and in grey alike."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from alignment.jobfile import parse
from alignment.judge.fitness import worst
from alignment.quantities import say_size
from rectaxis.drawing.plan import Body, PlanMaker, VehicleLook, Wheel

TIMES = 20.0
"""By how much wheels and lines are turned further than they are; the drawing says so."""
_MOST = 24.0


@dataclass(frozen=True)
class WheelSeen:
    """``known`` is whether its heading was measured: it is drawn hollow otherwise."""

    wheel: Wheel
    turn: float
    known: bool


@dataclass(frozen=True)
class AxleSeen:
    """An axle with its wheels turned by ``TIMES``, and the worst verdict on it (empty where none is judged)."""

    x: float
    number: int
    track: tuple[float, float]
    wheels: tuple[WheelSeen, ...]
    verdict: str


@dataclass(frozen=True)
class Scrub:
    """How far two neighbouring axles that do not steer point apart: from where to where they stand, what is written above, and its verdict."""

    front: float
    rear: float
    said: str
    verdict: str

    @property
    def middle(self) -> float:
        return (self.front + self.rear) / 2

    @property
    def ink(self) -> str:
        """Its colour in print; on a page a style sheet says it, by ``mark``."""
        return "#86215f" if self.verdict == "outside" else "#16213a"

    @property
    def mark(self) -> str:
        return " sp-out" if self.verdict == "outside" else ""


@dataclass(frozen=True)
class SealedPlan:
    """``thrust`` is the place and the turn of the line along which the vehicle pushes itself, None where it is not known."""

    title: str
    body: Body
    axles: tuple[AxleSeen, ...]
    thrust: tuple[float, float] | None
    said: str
    scrubs: tuple[Scrub, ...] = ()
    times: float = TIMES

    @property
    def top(self) -> int:
        """Where the drawing begins: higher where something is written above the wheels."""
        return 90 if self.scrubs else 120

    @property
    def high(self) -> int:
        return 420 - self.top


def sealed_plan(
    title: str,
    job_file: dict[str, Any],
    look: VehicleLook,
    results: Mapping[str, Any],
    verdicts: Iterable[tuple[int, str]],
    style: str = "deg",
) -> SealedPlan:
    """The drawing of one sealed phase. ``job_file`` and ``results`` are those of the seal, ``verdicts`` each with its axle, ``style`` the reader's."""
    found = list(verdicts)
    plan = PlanMaker(parse(job_file).vehicle, None, look=look).turned(lambda path: value_in(results, path))
    axles = tuple(
        AxleSeen(
            axle.x, axle.number, axle.track,
            tuple(WheelSeen(wheel, _turned(wheel.turn or 0.0), wheel.turn is not None) for wheel in axle.wheels),
            worst(verdict for of, verdict in found if of == axle.number),
        )
        for axle in plan.axles
    )  # fmt: skip
    thrust = next(((line.x, _turned(line.turn)) for line in plan.lines if line.kind == "thrust"), None)
    outside = sorted({axle.number for axle in axles if axle.verdict == "outside"})
    said = f"outside on axle {' and '.join(map(str, outside))}" if outside else "nothing outside"
    scrubs = tuple(_scrubs(results, {axle.number: axle.x for axle in axles}, style))
    said += "".join(f"; {one.said} of scrub between axles" for one in scrubs)
    return SealedPlan(title, plan.body, axles, thrust, said, scrubs)


def _scrubs(results: Mapping[str, Any], places: Mapping[int, float], style: str) -> Iterator[Scrub]:
    judged = {
        tuple(row["axles"]): row["verdict"] for row in results.get("verdicts", ()) if row["quantity"] == "scrub_deg"
    }
    for one in results.get("scrub_deg", ()):
        front, rear = one["axles"]
        size = say_size("scrub_deg", one["value"], style)
        yield Scrub(places[front], places[rear], size, judged.get((front, rear), ""))


def value_in(results: Mapping[str, Any], path: str) -> float | None:
    """A result's value by its path, from results as a seal keeps them; None where it was not determined."""
    match path.split("/"):
        case ["axles", number, *rest]:
            at: Any = next((axle for axle in results.get("axles", ()) if axle["axle"] == int(number)), {})
            for key in rest:
                at = at.get(key, {})
        case _:
            at = results.get(path, {})
    return at.get("value") if isinstance(at, dict) else None


def _turned(degrees: float) -> float:
    return round(max(-_MOST, min(_MOST, degrees * TIMES)), 2)
