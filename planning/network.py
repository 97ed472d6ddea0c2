"""How to get from one place to another, leaving at a given minute: by road on an island, by ferries between islands."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections import defaultdict
from dataclasses import dataclass
from typing import NamedTuple

from planning.clock import Wall
from planning.model import Days, Ferry, Place

_EARTH_KM = 6371.0
FAR = 50_000
"""Minutes to where nothing goes."""
_DAY_OF_SAILING = 12 * 60
_MOST_SAILINGS = 3
"""So many ferries at most, one after the other, on one way."""
_CATCHABLE = 3
"""So many of the next departures on a line are thought of for going on: more than one, since one may be full."""


class Sailing(NamedTuple):
    """One departure on one day. ``ready`` is when a van must be at the port; minutes as the clock has them; ``room`` how many vans it takes."""

    number: int
    ferry: str
    origin: int
    target: int
    ready: int
    leaves: int
    lands: int
    room: int


class Way(NamedTuple):
    """One way over the water between two places: leave by ``leave``, be there at ``arrive``. ``port`` is the minutes to the first port."""

    leave: int
    arrive: int
    port: int
    sailings: tuple[Sailing, ...]


@dataclass(frozen=True)
class Dropped:
    """A departure that cannot be taken, and why: ``cancelled``, ``closed`` (its booking) or ``full``."""

    ferry: Ferry
    leaves: int
    why: str


def distance_km(one: Place, other: Place) -> float:
    """The great-circle distance of two places, by the haversine formula on a sphere of 6371 km."""
    north, other_north = math.radians(one.north), math.radians(other.north)
    half_east = math.radians(other.east - one.east) / 2
    square = (
        math.sin((other_north - north) / 2) ** 2 + math.cos(north) * math.cos(other_north) * math.sin(half_east) ** 2
    )
    return 2 * _EARTH_KM * math.asin(math.sqrt(min(1.0, square)))


class Network:
    """Places by number, minutes by road, and what sails."""

    def __init__(self, days: Days, wall: Wall) -> None:
        self.places = days.places
        self.number = {place.key: index for index, place in enumerate(days.places)}
        self.island = [place.island for place in days.places]
        self.unpack = [place.unpack for place in days.places]
        self.road = self._roads(days)
        self.sailings: list[Sailing] = []
        self.dropped: list[Dropped] = []
        self._sail(days, wall)
        self._chains = self._all_chains()
        self._typical: dict[tuple[int, int, float], int] = {}
        self._ways: dict[tuple[int, int, frozenset[int]], tuple[list[int], list[Way]]] = {}

    def _roads(self, days: Days) -> list[list[int]]:
        """Minutes by road, -1 between islands. What is imported counts in its own direction, and in the other where that is not told."""
        told: dict[tuple[str, str], int] = {}
        for road in days.roads:
            told[road.target, road.origin] = told.get((road.target, road.origin), road.minutes)
        told |= {(road.origin, road.target): road.minutes for road in days.roads}
        pace = days.road_factor * 60 / days.speed_kmh

        def minutes(one: Place, other: Place) -> int:
            if one.island != other.island:
                return -1
            if one is other:
                return 0
            return told.get((one.key, other.key), math.ceil(distance_km(one, other) * pace))

        return [[minutes(one, other) for other in days.places] for one in days.places]

    def _sail(self, days: Days, wall: Wall) -> None:
        now = wall.minute(days.now)
        for ferry in days.ferries:
            for day in days.days:
                if day.weekday() not in ferry.days:
                    continue
                leaves = wall.on(day, ferry.departs)
                booked = ferry.booked.get(day, 0)
                closed = ferry.books_until is not None and leaves - ferry.books_until < now
                room = booked if closed else ferry.capacity
                if day in ferry.cancelled:
                    self.dropped.append(Dropped(ferry, leaves, "cancelled"))
                elif room == 0:
                    self.dropped.append(Dropped(ferry, leaves, "closed" if closed else "full"))
                else:
                    self.sailings.append(
                        Sailing(
                            len(self.sailings), ferry.key, self.number[ferry.origin], self.number[ferry.target],
                            leaves - ferry.check_in, leaves, leaves + ferry.minutes, room,
                        )
                    )  # fmt: skip

    def _all_chains(self) -> dict[tuple[str, str], list[tuple[Sailing, ...]]]:
        """By the islands at both ends: every departure, and those that go on from where it lands."""
        lines: dict[tuple[int, int], list[Sailing]] = defaultdict(list)
        for sailing in sorted(self.sailings, key=lambda one: one.ready):
            lines[sailing.origin, sailing.target].append(sailing)
        starts = {line: [one.ready for one in ones] for line, ones in lines.items()}
        found: dict[tuple[str, str], list[tuple[Sailing, ...]]] = defaultdict(list)

        def go_on(chain: tuple[Sailing, ...], seen: frozenset[str]) -> None:
            here = chain[-1].target
            found[self.island[chain[0].origin], self.island[here]].append(chain)
            if len(chain) == _MOST_SAILINGS:
                return
            for (origin, target), ones in lines.items():
                drive = self.road[here][origin]
                if drive >= 0 and self.island[target] not in seen:
                    first = bisect_left(starts[origin, target], chain[-1].lands + drive)
                    for sailing in ones[first : first + _CATCHABLE]:
                        go_on((*chain, sailing), seen | {self.island[target]})

        for sailing in self.sailings:
            go_on((sailing,), frozenset({self.island[sailing.origin], self.island[sailing.target]}))
        return found

    def ways(self, origin: int, target: int, banned: frozenset[int]) -> tuple[list[int], list[Way]]:
        """The ways over the water that are worth taking, by when to leave, and those minutes; none that uses a ``banned`` sailing."""
        key = (origin, target, banned)
        if key not in self._ways:
            self._ways[key] = self._find_ways(*key)
        return self._ways[key]

    def _find_ways(self, origin: int, target: int, banned: frozenset[int]) -> tuple[list[int], list[Way]]:
        all_ways = []
        for chain in self._chains.get((self.island[origin], self.island[target]), ()):
            if banned and not banned.isdisjoint(one.number for one in chain):
                continue
            to_port, from_port = self.road[origin][chain[0].origin], self.road[chain[-1].target][target]
            all_ways.append(Way(chain[0].ready - to_port, chain[-1].lands + from_port, to_port, chain))
        # Who leaves later and is there no later has the better way; of alike ones that with fewer ferries.
        all_ways.sort(key=lambda way: (-way.leave, way.arrive, len(way.sailings)))
        best: list[Way] = []
        for way in all_ways:
            if not best or way.arrive < best[-1].arrive:
                best.append(way)
        best.reverse()
        return [way.leave for way in best], best

    def typical(self, origin: int, target: int, wait_share: float = 0.5) -> int:
        """Minutes from a place to another, set up there, at no given time: over the water with a share of the time between departures.

        FAR where nothing goes.
        """
        key = (origin, target, wait_share)
        if key not in self._typical:
            self._typical[key] = self._find_typical(*key)
        return self._typical[key]

    def _find_typical(self, origin: int, target: int, wait_share: float) -> int:
        if origin == target:
            return 0
        if self.road[origin][target] >= 0:
            return self.road[origin][target] + self.unpack[target]
        leaves, ways = self.ways(origin, target, frozenset())
        if not ways:
            return FAR
        shortest = min(way.arrive - way.leave for way in ways)
        days = len({leave // (24 * 60) for leave in leaves})
        return round(shortest + wait_share * _DAY_OF_SAILING * days / (len(leaves) + days)) + self.unpack[target]
