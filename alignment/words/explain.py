"""A solved phase explained in plain sentences: what it means, what is missing, what to read next, what may be the cause."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from alignment.judge.diagnose import Evidence, diagnose
from alignment.judge.results import PhaseResults, quantity_of, say_path, suspicions
from alignment.judge.verdict import COVERAGE
from alignment.judge.wear import slips
from alignment.judge.why import Carrier, why
from alignment.model.vehicle import axle_title
from alignment.procedure.kit import Kit
from alignment.procedure.missing import what_settles, worth_settling
from alignment.quantities import QUANTITIES, say, say_size
from alignment.speech import side_name
from alignment.words.sayback import say_back

_MOST_MISSING = 3
"""More advice than this on what to read next is not read."""


@dataclass(frozen=True)
class Explanation:
    """Headings and sentences, in the order in which they matter."""

    parts: tuple[tuple[str, tuple[str, ...]], ...]

    def as_text(self) -> str:
        """The whole as text with a heading over each part; parts that say nothing are left out."""
        blocks = ["\n".join((f"{title}:", *(f"  {line}" for line in lines))) for title, lines in self.parts if lines]
        return "\n\n".join(blocks)


def explain(
    results: PhaseResults, kit: Kit | None = None, ratio: float | None = None, style: str = "deg"
) -> Explanation:
    """What one phase says. With a ``kit`` also which of its readings would settle most; ``ratio`` is the steering's."""
    return Explanation((
        ("What it means", tuple(say_back(results, style, ratio))),
        ("What disagrees", tuple(suspicions(results.solution, results.suspects))),
        ("Verdicts", tuple(_verdicts(results))),
        ("Likely causes", tuple(finding.say() for finding in diagnose(Evidence(results)))),
        ("Side slip", tuple(_slip(results))),
        ("Not checked by any other reading", tuple(_unchecked(results))),
        ("Not measured", tuple(_undetermined(results))),
        ("What to read next", tuple(_next(results, kit, style)) if kit is not None else ()),
    ))  # fmt: skip


def explain_why(results: PhaseResults, path: str, style: str = "deg") -> str:
    """Where one result comes from, as text. **Raises** UnknownQuantityError for no such path."""
    vehicle = results.solution.layout.vehicle
    found, name = why(results, path), say_path(vehicle, path)
    title = f"{name[0].upper()}{name[1:]}"
    if found is None:
        return f"{title} is not determined by these readings."
    quantity = quantity_of(path)
    margin = say_size(quantity, COVERAGE * found.u, style)
    lines = [f"{title} is {say(quantity, found.value, style)}, give or take {margin}. Its doubt comes from:"]
    lines += [f"  {say_carrier(carrier, quantity)}" for carrier in found.carriers]
    return "\n".join(lines)


def say_carrier(carrier: Carrier, quantity: str) -> str:
    """A carrier in words: its share, and what a step at its largest scale does."""
    unit = " mm" if QUANTITIES[quantity].unit == "mm" else "°"
    said = f"{carrier.share:.0%}: {carrier.title}"
    if not carrier.steps:
        return said
    largest = max(carrier.steps, key=lambda step: abs(step.change))
    own, which = _number(largest.number)
    sign = "+" if largest.change > 0 else "\u2212"
    return f"{said}; 1{own} more{which} is {sign}{abs(largest.change):.3f}{unit}"


def _number(name: str) -> tuple[str, str]:
    """The unit of a number that was read, and which of its reading's numbers it is: " on the left", " camber, rolled 90°"."""
    field, _, rolled = name.partition(" at ")
    own = " mm" if field.endswith("mm") or "_mm " in field else "°"
    words = field.replace("_mm", "").replace("_deg", "").replace("_", " ")
    which = {"left": f" on the {side_name('left')}", "right": f" on the {side_name('right')}", "mm": "", "deg": ""}.get(
        words, f" {words}"
    )
    return own, which + (f", rolled {rolled}," if rolled else "")


def _verdicts(results: PhaseResults) -> Iterable[str]:
    words = {"inside": "inside", "outside": "outside", "undecided": "too close to say", "undetermined": "not measured"}
    vehicle = results.solution.layout.vehicle
    for path, verdict in results.judged.items():
        yield f"{say_path(vehicle, path).capitalize()}: {words[verdict]}."


def _slip(results: PhaseResults) -> Iterable[str]:
    """How far each axle's tyres are dragged sideways, where that is more than the readings can be wrong."""
    vehicle = results.solution.layout.vehicle
    for slip in slips(results):
        toe, fight = slip.wheels["left"], slip.axle_slip
        name = axle_title(vehicle, slip.axle)
        if toe is not None and abs(toe.value) > COVERAGE * toe.u:
            yield f"{name}: by its toe each tyre slips {abs(toe.value):.1f} m sideways in a km."
        if fight is not None and abs(fight.value) > COVERAGE * fight.u:
            yield f"{name}: against its neighbours it is dragged {abs(fight.value):.1f} m sideways in a km."


def _unchecked(results: PhaseResults) -> Iterable[str]:
    readings = results.solution.readings
    alone = [readings[index].title() for index in results.solution.unchecked()]
    if alone and len(alone) < len(readings):
        yield ", ".join(alone) + "."


def _undetermined(results: PhaseResults) -> Iterable[str]:
    vehicle = results.solution.layout.vehicle
    names = [say_path(vehicle, path) for path, estimate in results.estimates.items() if estimate is None]
    if names:
        yield ", ".join(names) + "."


def _next(results: PhaseResults, kit: Kit, style: str) -> Sequence[str]:
    """Advice on the next readings: each sentence once, the first few of what is asked for."""
    stations = kit.stations(results.solution.layout.vehicle)
    said: dict[str, None] = {}
    for path in worth_settling(results):
        found = what_settles(results, stations, path)
        if found is not None:
            said[found.say(results, style)] = None
        if len(said) == _MOST_MISSING:
            break
    return list(said)
