"""A job in the middle of being set: what was moved, what that taught, how the vehicle stands, and what to move next.

Nothing here decides anything of the trade; it brings what was typed and moved into the order of time, and asks the core.
"""

from __future__ import annotations

from collections.abc import Collection
from functools import cached_property
from typing import TYPE_CHECKING, Any

from alignment.adjust.advice import Advice, Step, advise
from alignment.adjust.hardware import Hardware
from alignment.adjust.hold import aim_in_the_air, carried_over
from alignment.adjust.learning import Belief, Learned, Moved
from alignment.adjust.standing import Made, Snapshot, Standing, result_changes
from alignment.adjust.wishes import AIMS, Wishes
from alignment.procedure import session
from alignment.procedure.station import Station
from alignment.readings import Reading
from alignment.results import PhaseResults
from rectaxis.jobs.models import Entry, Move
from rectaxis.jobs.sheet import is_runout, skip_slot

if TYPE_CHECKING:
    from rectaxis.jobs.work import Work

Until = Move | Entry | None
"""A time in the record: just before a move or an entry, or now."""
LIFT, LIFTED, DOWN = "lift/now", "lifted", "down"
"""The slot that says whether a wheel is off the ground, and its two words."""


class Setting:
    """The adjusting of one job."""

    def __init__(self, work: Work) -> None:
        self.work = work
        self.moves = work.moves
        self.by_id: dict[str, Hardware] = {one.id: one for one in work.hardware}
        self._at: dict[object, PhaseResults] = {}

    @cached_property
    def _typed(self) -> dict[str, list[Entry]]:
        """All numbers typed while setting, by slot, the oldest first: earlier ones teach what a move did."""
        found: dict[str, list[Entry]] = {}
        wanted = Entry.objects.filter(job=self.work.job, slot__startswith="set/", value__isnull=False)
        for entry in wanted.order_by("id"):
            found.setdefault(entry.slot, []).append(entry)
        return found

    def values(self, station: Station, until: Until = None) -> dict[str, float]:
        """The newest numbers of a station that no later move has put out of date, as they were before a move, or are now."""
        found: dict[str, float] = {}
        oldest = None
        for field in station.fields:
            before = self.work.entries.get(f"before/{station.slot}/{field}")
            typed = self._typed.get(f"set/{station.slot}/{field}", [])
            if before is not None and before.value is not None:
                typed = [before, *typed]
            typed = [entry for entry in typed if until is None or entry.id < until.id]
            if not typed and field in station.needed:
                return {}
            if not typed:
                continue
            entry = max(typed, key=lambda entry: entry.id)
            mean = self.work.mean("before", station, field) if entry is before else None
            found[field] = mean.value if mean is not None else entry.value
            oldest = entry.id if oldest is None else min(oldest, entry.id)
        since = [
            m.effect for m in self.moves if oldest is not None and m.id > oldest and (not until or m.id < until.id)
        ]
        return found if session.still_valid(self.work.core.vehicle, self.work.core.datum, station, found, since) else {}

    @cached_property
    def lifted(self) -> Entry | None:
        """The entry that says that a wheel is off the ground, None while all stand."""
        entry = self.work.entries.get(LIFT)
        return entry if entry is not None and entry.typed == LIFTED else None

    @cached_property
    def in_the_air(self) -> dict[str, tuple[float, float]]:
        """What was read since a wheel was lifted, by station and field: the first number and the newest."""
        if self.lifted is None:
            return {}
        found: dict[str, tuple[float, float]] = {}
        wanted = Entry.objects.filter(job=self.work.job, slot__startswith="air/", value__isnull=False)
        for entry in wanted.filter(id__gt=self.lifted.id).order_by("id"):
            place = entry.slot.removeprefix("air/")
            found[place] = (found[place][0] if place in found else entry.value, entry.value)
        return found

    @cached_property
    def frozen(self) -> dict[str, float]:
        """What held on the ground just before a wheel was lifted, by station and field."""
        if self.lifted is None:
            return {}
        stations = [station for station in self.work.stations if not is_runout(station)]
        return {f"{s.slot}/{field}": value for s in stations for field, value in self.values(s, self.lifted).items()}

    def carried_over(self) -> dict[str, float]:
        """What scales count as showing once the wheel is down, by station and field: of those watched in the air."""
        return {
            place: carried_over(self.frozen[place], first, newest)
            for place, (first, newest) in self.in_the_air.items()
            if place in self.frozen and newest != first
        }

    def held(self) -> dict[str, dict[str, float]]:
        """Numbers that hold now, by station and field."""
        stations = [station for station in self.work.stations if not is_runout(station)]
        return {station.slot: values for station in stations if (values := self.values(station))}

    def results(self, until: Until = None) -> PhaseResults:
        """What the readings told before a move, or tell now."""
        key = until.id if until else None
        if key not in self._at:
            self._at[key] = self.work.solve_readings(self._readings(until))
        return self._at[key]

    def _readings(self, until: Until) -> list[dict[str, Any]]:
        # Runout says what the clamps are, which no adjuster changes.
        work = self.work
        rolled = {slot: fields for slot, fields in work.values("before").items() if slot in work.clamps}
        read = {s.slot: self.values(s, until) for s in work.stations if not is_runout(s)}
        return work.grounds("before") + session.readings(work.stations, rolled | read, "before", work.accepted)

    @cached_property
    def _groups(self) -> list[list[Move]]:
        """Moves between which nothing was read, together, the oldest first."""
        read = sorted(entry.id for entries in self._typed.values() for entry in entries)
        groups: list[list[Move]] = []
        for move in self.moves:
            if groups and not any(groups[-1][-1].id < key < move.id for key in read):
                groups[-1].append(move)
            else:
                groups.append([move])
        return groups

    @cached_property
    def positions(self) -> dict[str, float | str]:
        """Where each adjuster that was moved stands."""
        return {move.adjuster: position(self.by_id[move.adjuster], move.end) for move in self.moves if self._here(move)}

    def _here(self, move: Move) -> bool:
        return move.adjuster in self.by_id

    @cached_property
    def last(self) -> dict[str, float]:
        """Which way each adjuster was moved last, as a sign, where its positions are numbers."""
        found = {}
        for move in self.moves:
            if self._here(move) and self.by_id[move.adjuster].adjuster().choices is None:
                found[move.adjuster] = 1.0 if float(move.end) > float(move.start) else -1.0
        return found

    @cached_property
    def learned(self) -> Learned:
        """What the moves so far taught, from what earlier visits to the model did."""
        kept = self.work.job.layout.get("learned", {})
        known = {family: Belief(*belief) for family, belief in kept.items()}
        before = Learned.before(self.by_id.values(), known)
        if not self.moves:
            return before
        history = [(self.results(group[0]).estimates, [self._moved(move) for move in group]) for group in self._groups]
        return before.after(history, self.results().estimates)

    def _moved(self, move: Move) -> Moved:
        changes = result_changes(self.results().solution.layout, move.effect)
        earlier = [m for m in self.moves if m.adjuster == move.adjuster and m.id < move.id]
        one = self.by_id.get(move.adjuster)
        if one is None or not one.PLAY or not earlier:
            return Moved(move.adjuster, changes)
        by, was = (float(m.end) - float(m.start) for m in (move, earlier[-1]))
        return Moved(move.adjuster, changes, one.PLAY / abs(by) if by * was < 0 else 0.0)

    def _made(self, move: Move) -> Made:
        """What a move is believed to have changed."""
        if not self._here(move):
            return Made(move.effect)
        share, u = self.learned.of(move.adjuster)
        return Made({path: size * share for path, size in move.effect.items()}, u / share)

    @cached_property
    def standing(self) -> Standing:
        """How the vehicle stands: as read, or as carried on since."""
        snapshots = [Snapshot(self.results())]
        if self.moves:
            first = self.results(self.moves[0]).estimates
            wanted = {path for path, estimate in first.items() if estimate is not None}
            made: list[Made] = []
            for group in reversed(self._groups):
                if not any(snapshots[0].results.estimates[p] is None and not _known(snapshots, p) for p in wanted):
                    break
                made = [*(self._made(move) for move in group), *made]
                snapshots.append(Snapshot(self.results(group[0]), tuple(made)))
        return Standing(snapshots)

    @property
    def wishes(self) -> Wishes:
        """What the technician goes for."""
        aim = self.work.answer("aim/for")
        return Wishes(
            self.work.reference, aim if aim in AIMS else next(iter(AIMS)), self.work.answer("aim/lean") == "yes"
        )

    @property
    def skipped(self) -> dict[str, str]:
        """Adjusters that are left alone, with the reason."""
        return {one: reason for one in self.by_id if (reason := self.work.answer(skip_slot(one)))}

    @cached_property
    def advice(self) -> Advice:
        """What to move now."""
        order = self.work.school.order(self.work.core.vehicle)
        return advise(
            self.standing, self.work.hardware, self.positions, self.learned, self.wishes, order, self.last, self.skipped
        )

    def in_hand(self, chosen: str = "") -> Step | None:
        """The move in hand: the one chosen, else the first."""
        steps = self.advice.steps
        return next((step for step in steps if step.hardware.id == chosen), steps[0] if steps else None)

    def targets(self, step: Step | None) -> dict[str, float]:
        """What each scale must show once the move in hand is made, by station and field."""
        found: dict[str, float] = {}
        for reading, numbers in self.standing.scales([step.effect] if step else []):
            station = self.station_of(reading)
            if station is not None:
                found |= {f"{station.slot}/{field}": value for field, value in numbers.items()}
        if self.lifted is None:
            return found
        air, ground = self.in_the_air, self.frozen
        return {
            place: aim_in_the_air(found[place], ground[place], air[place][0])
            for place in found
            if place in air and place in ground
        }

    def station_of(self, reading: Reading) -> Station | None:
        """The station at which a reading was taken."""
        return next((station for station in self.work.stations if self.work.is_of(station, reading.data)), None)

    @cached_property
    def out_of_date(self) -> list[Station]:
        """Stations that were read, and that a move has put out of date since."""
        held = self.held()
        return [
            station for station in self.work.stations
            if not is_runout(station) and station.slot not in held and self._was_read(station)
        ]  # fmt: skip

    def _was_read(self, station: Station) -> bool:
        typed = self.work.entries
        slots = ([f"{phase}/{station.slot}/{field}" for phase in ("before", "set")] for field in station.needed)
        return all(any(slot in typed and typed[slot].value is not None for slot in both) for both in slots)

    def waiting(self, axle: int) -> bool:
        """Whether scales that are read at an axle are to be read again."""
        return any(station.reading["axle"] == axle for station in self.out_of_date)

    def kept(self) -> dict[str, tuple[float, float]]:
        """What the moves taught of each family of adjusters, to be kept for the model: its share and uncertainty."""
        taught = {one.family for one in self.by_id.values() if one.id in self.learned.taught}
        return {family: tuple(self.learned.family(family)) for family in sorted(taught)}


def _known(snapshots: Collection[Snapshot], path: str) -> bool:
    return any(snapshot.results.estimates.get(path) is not None for snapshot in snapshots)


def position(one: Hardware, text: str) -> float | str:
    """A position as the core has it."""
    return text if one.adjuster().choices is not None else float(text)
