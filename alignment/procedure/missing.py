"""What the readings cannot tell, and which one further reading would settle it best.

A candidate is tried out: it is added as its scale would stand in the estimated state, and everything is solved again.
What it says does not matter for how well things are then known, only that it is read.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from alignment.adjust.see import showing
from alignment.estimate.solve import UNDETERMINED_DEG, UNDETERMINED_MM, solve
from alignment.judge.results import PhaseResults, quantity_of, say_path
from alignment.judge.verdict import COVERAGE
from alignment.model.state import Layout, State
from alignment.procedure.session import CLAMP_AS_IT_COMES_DEG, carried_clamps
from alignment.procedure.station import LookedAt, Station
from alignment.quantities import QUANTITIES, say_size
from alignment.readings import KINDS, Reading

_WORTH_READING = 0.9
"""A reading that leaves more than this share of the uncertainty settles nothing."""


@dataclass(frozen=True)
class Settling:
    """One further reading: the result at ``path`` is then known to ``u_after`` instead of ``u_before`` (None: not at all).

    ``again`` where the same reading was already taken once.
    """

    path: str
    station: Station
    title: str
    u_before: float | None
    u_after: float
    again: bool

    def as_dict(self) -> dict[str, Any]:
        """Plain data."""
        return {"path": self.path, "slot": self.station.slot, "reading": dict(self.station.reading), "title": self.title,
                "u_before": self.u_before, "u_after": self.u_after, "again": self.again}  # fmt: skip

    def say(self, results: PhaseResults, style: str = "deg") -> str:
        """The advice as a sentence."""
        vehicle = results.solution.layout.vehicle
        verb = "read again" if self.again else "read"
        size = say_size(quantity_of(self.path), COVERAGE * self.u_after, style)
        start = (
            f"To narrow the {say_path(vehicle, self.path)}"
            if self.u_before
            else f"To know the {say_path(vehicle, self.path)}"
        )
        return f"{start}, {verb} the {self.title}: it is then known within {size}."


def what_settles(results: PhaseResults, stations: Iterable[Station], path: str) -> Settling | None:
    """The one reading among ``stations`` that leaves the result at ``path`` the least uncertain, or None.

    None where no single one makes it known, or better known by more than a little. **Raises** KeyError for a path that
    is no result of this phase.
    """
    before = results.estimates[path]
    limit = UNDETERMINED_MM if QUANTITIES[quantity_of(path)].unit == "mm" else UNDETERMINED_DEG
    taken = {reading.key for reading in results.solution.readings}
    best: Settling | None = None
    for station in stations:
        blank = station.blank()
        known = _known_with(results, station, path)
        least = best.u_after if best is not None else _WORTH_READING * (before.u if before is not None else limit)
        if known is not None and known < least:
            again = blank.key in taken
            best = Settling(path, station, blank.title(), before.u if before else None, known, again)
    return best


def worth_settling(results: PhaseResults) -> list[str]:
    """Paths of what is asked for by the specification and not decided, then of what is not determined."""
    wanted = [path for path, verdict in results.judged.items() if verdict in ("undecided", "undetermined")]
    return list(dict.fromkeys([*wanted, *(path for path, e in results.estimates.items() if e is None)]))


def _known_with(results: PhaseResults, station: Station, path: str) -> float | None:
    """Standard uncertainty of a result with one more reading, None where it is still undetermined."""
    estimate = _with(results, station).estimates.get(path)
    return None if estimate is None else estimate.u


def _with(results: PhaseResults, station: Station) -> PhaseResults:
    """The results with one more reading as it would stand, or with a second look at one that was taken: that betters what the
    reading itself adds to the doubt, not how the tool hangs. Clamps that it brings, and that nobody rolled, are as they come.
    """
    layout, blank = results.solution.layout, station.blank()
    taken = next((index for index, reading in enumerate(results.solution.readings) if reading.key == blank.key), None)
    if taken is not None:
        looked = list(results.solution.readings)
        looked[taken] = type(blank)({**looked[taken].data, **station.u_of(LookedAt(2))})
        return PhaseResults.from_solution(solve(layout.vehicle, layout.datum, looked))
    known = {
        (axle, side) for axle, side in blank.clamps if layout.find(f"axles/{axle}/{side}/clamp/sine_deg") is not None
    }
    carried = [KINDS["clamp"](data) for data in carried_clamps([blank.data], known, {}, CLAMP_AS_IT_COMES_DEG)]
    readings: Sequence[Reading] = [*results.solution.readings, _as_it_would_stand(results, blank), *carried]
    return PhaseResults.from_solution(solve(layout.vehicle, layout.datum, readings))


def _as_it_would_stand(results: PhaseResults, blank: Reading) -> Reading:
    """The reading as its scales stand in the estimated state; what that state does not know is at rest."""
    solution = results.solution
    layout = Layout(solution.layout.vehicle, solution.layout.datum)
    blank.declare(layout)
    known = {name: value for name, value in solution.state.as_values().items() if layout.find(name) is not None}
    state = State.from_values(layout, known.items(), solution.ground)
    return type(blank)({**blank.data, **showing(state, blank)})


@dataclass(frozen=True)
class Next:
    """The reading to take next: ``again`` where it was already taken, ``reason`` in a sentence."""

    station: Station
    again: bool
    reason: str


def read_next(results: PhaseResults, unread: Sequence[Station], stations: Sequence[Station]) -> Next | None:
    """What to read next, or None where nothing is left that would tell more.

    First a reading that does not agree with the others; then, of what is ``unread``, in the order of the walk, the one
    that makes the most results known, those asked for by the specification first; then, of all ``stations``, what makes a
    result that is too close to a limit known best.
    """
    solution, vehicle = results.solution, results.solution.layout.vehicle
    if results.suspects:
        reading = solution.readings[results.suspects[0].reading]
        guilty = next((s for s in stations if s.blank().key == reading.key), None)
        if guilty is not None:
            return Next(guilty, True, f"Read the {reading.title()} again: it does not agree with the rest.")
    gains = [(_gain(results, station), station) for station in unread]
    if gains:
        (asked, all_told), best = max(gains, key=lambda gain: gain[0])
        return Next(best, False, _say_gain(best, asked, all_told))
    for path in (path for path, verdict in results.judged.items() if verdict == "undecided"):
        found = what_settles(results, stations, path)
        if found is not None:
            name = say_path(vehicle, path)
            return Next(
                found.station,
                found.again,
                f"Read the {found.title} again: it says most of the {name}, which is too close to a limit.",
            )
    return None


def _gain(results: PhaseResults, station: Station) -> tuple[int, int]:
    """How many results one more reading makes known: of those that the specification asks for, and of all."""
    more = _with(results, station)
    told = [path for path, e in results.estimates.items() if e is None and more.estimates.get(path) is not None]
    return sum(1 for path in told if path in results.judged), len(told)


def _say_gain(station: Station, asked: int, told: int) -> str:
    title = station.blank().title()
    if told == 0:
        return f"Read the {title}: by itself it tells nothing new, but it checks the others and the rest builds on it."
    what = "one result more" if told == 1 else f"{told} results more"
    judged = "" if asked == 0 else f", {asked} of them judged by the specification"
    return f"Read the {title}: it makes {what} known{judged}."
