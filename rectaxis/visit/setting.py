"""A job in the middle of being set: what was moved, what that taught, how the vehicle stands, and what to move next.

It takes readings, moves and decisions in the server's order and asks the core; it decides nothing of the trade.
"""

from __future__ import annotations

import json
from bisect import bisect_left
from collections.abc import Collection
from functools import cached_property

from alignment.adjust.advice import Advice, Step, advise
from alignment.adjust.hardware import Hardware
from alignment.adjust.hold import aim_in_the_air, carried_over
from alignment.adjust.learning import KNUCKLE, Belief, Learned, Moved
from alignment.adjust.standing import Made, Moment, Standing, aside, result_changes
from alignment.judge.results import PhaseResults
from alignment.procedure import session
from alignment.procedure.again import worth_reading_again
from alignment.procedure.station import Station
from alignment.readings import Reading
from rectaxis.common.recent import Recent
from rectaxis.fleets.layout import Json
from rectaxis.record.models import Entry, Move, Sighting
from rectaxis.record.slot import LIFT, Phase, Scale, parse
from rectaxis.record.snapshot import is_of, is_runout, scale
from rectaxis.visit.decisions import LIFTED, Decisions
from rectaxis.visit.moves import position
from rectaxis.visit.readings import Readings
from rectaxis.visit.sightings import holding, whole

Until = int | None
"""A place in the record's order: just before it, or now."""


_READ_BEFORE, _READ_WHILE_SETTING = f"{Phase.BEFORE}/", f"{Phase.SET}/"


_moments = Recent[PhaseResults](256)
"""A page of Set asks for how the vehicle stood before each move that was made, and so does the next page."""


class Setting:
    """The adjusting of one job."""

    def __init__(self, readings: Readings, decisions: Decisions, moves: list[Move]) -> None:
        self.readings, self.decisions, self.moves = readings, decisions, moves
        self.snapshot, self.journal = readings.snapshot, readings.journal
        self.by_id: dict[str, Hardware] = {one.id: one for one in readings.hardware}
        self._at: dict[Until, PhaseResults] = {}
        self._spoilers: dict[tuple[str, tuple[tuple[str, float], ...]], list[int] | None] = {}
        self._changes: dict[tuple[tuple[str, float], ...], dict[str, float]] = {}
        self._scales: dict[tuple[str, str], tuple[list[Entry], list[int]]] = {}

    @cached_property
    def _typed(self) -> dict[str, list[Entry]]:
        """All numbers typed while setting, by slot, the oldest first: earlier ones teach what a move did.

        What was emptied was mistyped: it teaches nothing.
        """
        found: dict[str, list[Entry]] = {}
        if not any(slot.startswith(_READ_WHILE_SETTING) for slot in self.journal.entries):
            return found
        for entry in self.journal.numbers(Phase.SET):
            if entry.value is None:
                found.pop(entry.slot, None)
            else:
                found.setdefault(entry.slot, []).append(entry)
        return found

    def values(self, station: Station, until: Until = None) -> dict[str, float]:
        """The newest numbers of a station that no later move has put out of date, as they were before a move, or are now."""
        found: dict[str, float] = {}
        oldest: int | None = None
        means = self.readings.means(Phase.BEFORE).get(station.slot, {})
        for field in station.fields:
            entry = self._newest(station, field, until)
            if entry is None and field in station.needed:
                return {}
            if entry is None or entry.value is None:
                continue
            mean = means.get(field) if entry.slot.startswith(_READ_BEFORE) else None
            found[field] = entry.value if mean is None else mean.value
            oldest = entry.sequence if oldest is None else min(oldest, entry.sequence)
        if oldest is None:
            return {}
        spoilt = self._spoilt(station, found)
        holds = spoilt is not None and not any(oldest < at and (until is None or at < until) for at in spoilt)
        return found if holds else {}

    def _spoilt(self, station: Station, values: dict[str, float]) -> list[int] | None:
        """The places in the order of the moves that put such numbers of a station out of date; None while the numbers are too few."""
        key = (station.slot, tuple(values.items()))
        if key not in self._spoilers:
            told = session.unknowns_told(self.snapshot.vehicle, self.snapshot.datum, station, values)
            moves = zip(self.moves, self._changed, strict=True)
            self._spoilers[key] = (
                None if told is None else [move.sequence for move, moved in moves if not told.isdisjoint(moved)]
            )
        return self._spoilers[key]

    @cached_property
    def _changed(self) -> list[frozenset[str]]:
        """The names of the unknowns that each move changed."""
        vehicle, datum = self.snapshot.vehicle, self.snapshot.datum
        return [session.unknowns_changed(vehicle, datum, move.effect) for move in self.moves]

    def _newest(self, station: Station, field: str, until: Until) -> Entry | None:
        """The newest number of one scale: read before, or while setting."""
        entries, places = self._read_at(station, field)
        last = len(places) if until is None else bisect_left(places, until)
        return entries[last - 1] if last else None

    def _read_at(self, station: Station, field: str) -> tuple[list[Entry], list[int]]:
        """Every number of one scale, the oldest first, and its places in the order."""
        key = (station.slot, field)
        if key not in self._scales:
            before = self.journal.entry(scale(Phase.BEFORE, station, field))
            read = list(self._typed.get(str(scale(Phase.SET, station, field)), ()))
            if before is not None and before.value is not None:
                read.append(before)
            read.sort(key=lambda entry: entry.sequence)
            self._scales[key] = (read, [entry.sequence for entry in read])
        return self._scales[key]

    @cached_property
    def lifted(self) -> Entry | None:
        """The entry that says that a wheel is off the ground, None while all stand."""
        entry = self.journal.entry(LIFT)
        return entry if entry is not None and entry.typed == LIFTED else None

    @cached_property
    def in_the_air(self) -> dict[str, tuple[float, float]]:
        """What was read since a wheel was lifted, by station and field: the first number and the newest."""
        if self.lifted is None:
            return {}
        found: dict[str, tuple[float, float]] = {}
        for entry in self.journal.numbers(Phase.AIR, since=self.lifted.sequence):
            slot = parse(entry.slot)
            if isinstance(slot, Scale) and entry.value is not None:
                found[slot.at] = (found[slot.at][0] if slot.at in found else entry.value, entry.value)
        return found

    @cached_property
    def frozen(self) -> dict[str, float]:
        """What held on the ground just before a wheel was lifted, by station and field."""
        if self.lifted is None:
            return {}
        return {
            f"{s.slot}/{field}": value
            for s in self._read
            for field, value in self.values(s, self.lifted.sequence).items()
        }

    def carried_over(self) -> dict[str, float]:
        """What scales count as showing once the wheel is down, by station and field: of those watched in the air."""
        return {
            place: carried_over(self.frozen[place], first, newest)
            for place, (first, newest) in self.in_the_air.items()
            if place in self.frozen and newest != first
        }

    def held(self) -> dict[str, dict[str, float]]:
        """Numbers that hold now, by station and field."""
        return {station.slot: values for station in self._read if (values := self.values(station))}

    @cached_property
    def _read(self) -> list[Station]:
        """The stations that are read anew while setting. Runout says what the clamps are, which no adjuster changes."""
        return [station for station in self.readings.stations if not is_runout(station)]

    def results(self, until: Until = None) -> PhaseResults:
        """What the readings told before a move, or tell now."""
        if until not in self._at:
            seen = holding(self.journal, self.moves, until)
            values = {station.slot: self.values(station, until) for station in self.readings.stations}
            key = (self._unmoved, tuple((slot, tuple(of.items())) for slot, of in values.items()), seen and seen.pk)
            self._at[until] = _moments.get(key, lambda: self.readings.solve(self._complete(values, seen)))
        return self._at[until]

    def _complete(self, values: dict[str, dict[str, float]], seen: Sighting | None) -> list[Json]:
        """The complete readings of a moment, from the numbers that held by station and from what pictures told.

        Runout of a wheel that was moved since says nothing of the wheel any more, only what its clamp's error is.
        """
        readings, rolled = self.readings, self._rolled
        stations = [s for s in readings.stations if not is_runout(s) or (s.slot in rolled and values[s.slot])]
        read = {station.slot: values[station.slot] for station in self._read}
        return readings.with_seen(readings.complete(Phase.BEFORE, stations, rolled | read, {}), seen, Phase.BEFORE)

    @cached_property
    def _rolled(self) -> dict[str, dict[str, float]]:
        """What was rolled before, by station: each clamp's error."""
        return {slot: of for slot, of in self.readings.values(Phase.BEFORE).items() if slot in self.readings.clamps}

    @cached_property
    def _unmoved(self) -> str:
        """All that the results of a moment depend on besides its numbers: the vehicle and its hardware, the kit as its tools were placed, the
        clamps, the ground.
        """
        readings = self.readings
        rolled = readings.complete(Phase.BEFORE, [s for s in readings.stations if is_runout(s)], self._rolled, {})
        placed = [station.as_dict() for station in readings.stations]
        return json.dumps([str(self.journal.job.pk), readings.job_file(rolled), placed, readings.held_u_deg])

    def seen_now(self, seen: Sighting) -> list[Json]:
        """The complete readings as they would be now with what pictures tell that nobody has kept."""
        return self._complete({station.slot: self.values(station) for station in self.readings.stations}, seen)

    @cached_property
    def _groups(self) -> list[list[Move]]:
        """Moves between which nothing was read, together, the oldest first."""
        typed = [entry.sequence for entries in self._typed.values() for entry in entries]
        read = sorted([*typed, *(one.moment for one in self.journal.sightings)])
        groups: list[list[Move]] = []
        for move in self.moves:
            if groups and not any(groups[-1][-1].sequence < at < move.sequence for at in read):
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
        known = {family: Belief(*belief) for family, belief in self.snapshot.layout.learned.items()}
        before = Learned.before(self.by_id.values(), known)
        if not self.moves:
            return before
        history = [
            (self.results(group[0].sequence).estimates, [self._moved(move) for move in group]) for group in self._groups
        ]
        return before.after(history, self.results().estimates)

    def changes(self, move: Move) -> dict[str, float]:
        """By how much a move changed each result that it changed, as its effect says; rods are turned back and forth by the same."""
        effect = tuple(move.effect.items())
        if effect not in self._changes:
            self._changes[effect] = result_changes(self.results().solution.layout, move.effect)
        return self._changes[effect]

    def _moved(self, move: Move) -> Moved:
        changes = self.changes(move)
        earlier = [m for m in self.moves if m.adjuster == move.adjuster and m.sequence < move.sequence]
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
        effect = self.learned.effect(move.adjuster, move.effect)
        return Made(effect, u / share, aside(move.effect, self.learned.toe_of(move.adjuster).u * share))

    @cached_property
    def standing(self) -> Standing:
        """How the vehicle stands: as read, or as carried on since."""
        moments = [Moment(self.results())]
        if self.moves:
            first = self.results(self.moves[0].sequence).estimates
            wanted = {path for path, estimate in first.items() if estimate is not None}
            made: list[Made] = []
            for group in reversed(self._groups):
                if not any(moments[0].results.estimates.get(p) is None and not _known(moments, p) for p in wanted):
                    break
                made = [*(self._made(move) for move in group), *made]
                moments.append(Moment(self.results(group[0].sequence), tuple(made)))
        return Standing(moments)

    @cached_property
    def advice(self) -> Advice:
        """What to move now."""
        decisions = self.decisions
        order = decisions.school.order(self.snapshot.vehicle)
        return advise(
            self.standing, self.readings.hardware, self.positions, self.learned, decisions.wishes, order, self.last,
            decisions.skipped,
        )  # fmt: skip

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
        return next((station for station in self.readings.stations if is_of(station, reading.data)), None)

    @cached_property
    def _spare(self) -> frozenset[str]:
        """The slots of stations that were read before and say nothing of what is judged or was moved."""
        before = self.readings.results(Phase.BEFORE)
        worth = worth_reading_again(before, [move.effect for move in self.moves])
        idle = [reading for index, reading in enumerate(before.solution.readings) if index not in worth]
        stations = (self.station_of(reading) for reading in idle)
        return frozenset(station.slot for station in stations if station is not None) if before.rules else frozenset()

    @cached_property
    def _stale(self) -> list[Station]:
        """Stations that were read, and that a move has put out of date since."""
        held = self.held()
        return [station for station in self._read if station.slot not in held and self._was_read(station)]

    @cached_property
    def was(self) -> dict[str, tuple[float, float]]:
        """What scales showed last that a move has put out of date since, and what they should show by what was moved, by
        station and field.
        """
        should = self.targets(None) if self._stale else {}
        newest = {f"{s.slot}/{field}": self._newest(s, field, None) for s in self._stale for field in s.fields}
        return {
            at: (entry.value, should[at])
            for at, entry in newest.items()
            if entry is not None and entry.value is not None and at in should
        }

    @cached_property
    def out_of_date(self) -> list[Station]:
        """Stations to be read again before anything else is moved."""
        return [station for station in self._stale if station.slot not in self._spare]

    @property
    def unseen(self) -> bool:
        """Whether something was moved since the cameras looked last."""
        last = holding(self.journal, self.moves, None)
        return bool(self.snapshot.rig.seen and self.moves) and not whole(last, self.snapshot.rig.seen)

    @cached_property
    def not_asked(self) -> frozenset[str]:
        """The slots of stations that show something else since a move, and need not be read again."""
        return frozenset(station.slot for station in self._stale if station.slot in self._spare)

    def _was_read(self, station: Station) -> bool:
        return all(self._newest(station, field, None) is not None for field in station.needed)

    def waiting(self, axle: int) -> bool:
        """Whether scales that are read at an axle are to be read again."""
        return any(station.reading["axle"] == axle for station in self.out_of_date)

    def kept(self) -> dict[str, tuple[float, float]]:
        """What the moves taught of each family of adjusters, to be kept for the model: its share and uncertainty."""
        taught = [one for one in self.by_id.values() if one.id in self.learned.taught]
        beliefs = {family: self.learned.family(family) for family in sorted({one.family for one in taught})}
        beliefs |= {f"{KNUCKLE} {one.knuckle}": self.learned.toe_of(one.id) for one in taught if one.knuckle}
        return {family: (belief.share, belief.u) for family, belief in beliefs.items()}


def _known(moments: Collection[Moment], path: str) -> bool:
    return any(snapshot.results.estimates.get(path) is not None for snapshot in moments)
