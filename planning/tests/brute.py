"""The least that a small day can cost, by trying everything: every set of visits, every order, every time of leaving, on a clock of ten minutes.

It shares nothing with the planner but the file of days. All that such a day is made of must be whole tens of minutes, so that the best plan
is one of whole tens too. Known are roads as they are told, ferries, hours, one window, one break.
"""

from __future__ import annotations

import itertools
import random
from datetime import datetime, timedelta
from typing import Any

STEP = 10
_NEVER = 10**9
LEFT_OUT = {"unsafe": 200_000, "promised": 60_000, "due": 12_000, "wish": 2_500}


def small_day(seed: int, most: int) -> dict[str, Any]:
    """A made-up day as plain JSON: up to two islands, up to two technicians, up to ``most`` visits, all in tens of minutes."""
    rng = random.Random(seed)
    islands = rng.choice([1, 2, 2])
    yards = [(f"y{n}", rng.randrange(islands)) for n in range(rng.randint(2, 5))]
    ports = [(f"port{n}", n) for n in range(islands)]
    crew = rng.choice([1, 2])
    homes = [(f"h{n}", rng.randrange(islands)) for n in range(crew)]
    places = [
        {"key": key, "name": key, "north": 0, "east": 0, "island": str(island), "unpack": rng.choice([0, 10]) if key[0] == "y" else 0,
         "hours": [_hours(rng)] if key[0] == "y" else []}
        for key, island in (*yards, *ports, *homes)
    ]  # fmt: skip
    roads = [
        {"origin": one, "target": other, "minutes": rng.choice([10, 20, 30, 40, 50])}
        for (one, island), (other, its) in itertools.combinations((*yards, *ports, *homes), 2) if island == its
    ]  # fmt: skip
    ferries = _ferries(rng, islands)
    visits = [
        {"key": f"v{n}", "name": f"v{n}", "vehicle": f"v{n}", "place": rng.choice(yards)[0], "minutes": rng.choice([20, 30, 50, 80]),
         "urgency": rng.choice(["promised", "due", "due", "wish"]), "ready": _ready(rng)}
        for n in range(rng.randint(1, most))
    ]  # fmt: skip
    pause = {"minutes": 30, "earliest": "11:00", "latest": "13:00"}
    technicians = [
        {"key": f"t{n}", "name": f"t{n}", "home": home, "hours": [{"start": "07:00", "end": rng.choice(["14:00", "16:00", "18:00"])}],
         "pause": pause if rng.random() < 0.6 else None}
        for n, (home, _) in enumerate(homes)
    ]  # fmt: skip
    return {
        "zone": "UTC", "now": "2026-11-02T00:00:00", "days": ["2026-11-03"], "places": places, "roads": roads, "ferries": ferries,
        "visits": visits, "technicians": technicians,
    }  # fmt: skip


def _ferries(rng: random.Random, islands: int) -> list[dict[str, Any]]:
    ferries = []
    for one, other in itertools.permutations(range(islands), 2):
        at = 6 * 60 + rng.choice([0, 30, 60])
        while at < 20 * 60:
            ferries.append(
                {
                    "key": f"{one}{other} {at}",
                    "origin": f"port{one}",
                    "target": f"port{other}",
                    "departs": _clock(at),
                    "minutes": 30,
                    "check_in": 10,
                }
            )
            at += rng.choice([60, 90, 150])
    return ferries


def _clock(minute: int) -> str:
    return f"{minute // 60:02}:{minute % 60:02}"


def _hours(rng: random.Random) -> dict[str, str]:
    return {"start": rng.choice(["07:00", "08:00"]), "end": rng.choice(["12:00", "15:00", "17:00"])}


def _ready(rng: random.Random) -> list[dict[str, str]]:
    if rng.random() < 0.6:
        return []
    start = datetime.fromisoformat(f"2026-11-03T{rng.randint(7, 13):02}:00")
    return [{"start": start.isoformat(), "end": (start + timedelta(hours=rng.randint(2, 4))).isoformat()}]


class Brute:
    """Everything tried for one small day."""

    def __init__(self, days: dict[str, Any]) -> None:
        self.days = days
        self.visits = days["visits"]
        self.place = {one["key"]: one for one in days["places"]}
        self.road = {}
        for one in days["roads"]:
            self.road[one["origin"], one["target"]] = self.road[one["target"], one["origin"]] = one["minutes"]

    def least(self) -> int:
        """What the best plan costs: minutes away that are neither work nor break, and what is left out."""
        every = (1 << len(self.visits)) - 1
        best = [0] + [_NEVER] * every
        for man in self.days["technicians"]:
            mine = self.alone(man)
            best = [
                min(best[done ^ part] + mine[part] for part in _parts(done) if mine[part] < _NEVER)
                for done in range(every + 1)
            ]  # fmt: skip
        out = [
            sum(LEFT_OUT[v["urgency"]] for n, v in enumerate(self.visits) if not done >> n & 1)
            for done in range(every + 1)
        ]
        return min(cost + left for cost, left in zip(best, out, strict=True))

    def alone(self, man: dict[str, Any]) -> list[int]:
        """For each set of visits the least minutes away of one technician."""
        best = [0] + [_NEVER] * ((1 << len(self.visits)) - 1)
        start, end = _minute(man["hours"][0]["start"]), _minute(man["hours"][0]["end"])
        for leaving in range(start, end, STEP):
            for done, (back, rested) in self.from_start(man, leaving, end):
                work = sum(v["minutes"] for n, v in enumerate(self.visits) if done >> n & 1) + (
                    man["pause"]["minutes"] if rested else 0
                )
                best[done] = min(best[done], back - leaving - work)
        return best

    def from_start(self, man: dict[str, Any], leaving: int, end: int) -> Any:
        """Sets of visits that can be done by who leaves then, with when they are back and whether the break was had."""
        pause = man["pause"]
        front = {(0, man["home"], False): leaving}
        while front:
            new: dict[tuple[int, str, bool], int] = {}
            for (done, here, rested), now in front.items():
                for number, visit in enumerate(self.visits):
                    if not done >> number & 1:
                        for then, had in self.ways(here, visit["place"], now, rested, pause, at_home=not done):
                            begin = self.begin(visit, then)
                            key = (done | 1 << number, visit["place"], had)
                            if begin is not None and begin + visit["minutes"] < new.get(key, _NEVER):
                                new[key] = begin + visit["minutes"]
            # Where it was last matters only by its place: two visits of one yard are one place.
            for (done, here, rested), now in new.items():
                for back, had in self.ways(here, man["home"], now, rested, pause, at_home=False, arriving=False):
                    needs = pause is not None and leaving <= _minute(pause["latest"]) < back
                    if back <= end and (had or not needs):
                        yield done, (back, had)
            front = new

    def ways(self, here: str, there: str, now: int, rested, pause: Any, *, at_home: bool, arriving: bool = True) -> Any:
        """When one is ready at the next place, without the break and with it anywhere on the way."""
        plain = self.go(here, there, now)
        for then, _ in plain[:1]:
            yield then, rested
        if rested or pause is None:
            return
        minutes, first, last = pause["minutes"], _minute(pause["earliest"]), _minute(pause["latest"])
        if not at_home and max(now, first) <= last:
            for then, _ in self.go(here, there, max(now, first) + minutes)[:1]:
                yield then, True
        for then, aboard in plain:
            if aboard is not None and max(aboard[0], first) <= last and max(aboard[0], first) + minutes <= aboard[1]:
                yield then, True
            if arriving and max(then, first) <= last:
                yield max(then, first) + minutes, True

    def go(self, here: str, there: str, now: int) -> list[tuple[int, tuple[int, int] | None]]:
        """The ways there: when one is ready there, and from when to when one is in port and on board."""
        unpack = 0 if here == there else self.place[there]["unpack"]
        if here == there:
            return [(now, None)]
        if self.place[here]["island"] == self.place[there]["island"]:
            return [(now + self.road[here, there] + unpack, None)]
        found = []
        for ferry in self.days["ferries"]:
            if self.place[ferry["origin"]]["island"] == self.place[here]["island"]:
                port = now + self.road[here, ferry["origin"]]
                leaves = _minute(ferry["departs"])
                if port + ferry["check_in"] <= leaves:
                    lands = leaves + ferry["minutes"]
                    found.append((lands + self.road[ferry["target"], there] + unpack, (port, lands)))
        return sorted(found)

    def begin(self, visit: dict[str, Any], then: int) -> int | None:
        """The earliest beginning that the yard and the vehicle allow."""
        spans = [(_minute(self.place[visit["place"]]["hours"][0][name]) for name in ("start", "end"))]
        spans += [(_of_day(one["start"]), _of_day(one["end"])) for one in visit["ready"]]  # type: ignore[misc, list-item]
        first = last = None
        for start, end in spans:
            first = start if first is None else max(first, start)
            last = end if last is None else min(last, end)
        begin = max(then, first)  # type: ignore[type-var]
        return begin if begin + visit["minutes"] <= last else None  # type: ignore[operator]


def _parts(whole: int) -> Any:
    part = whole
    while True:
        yield part
        if part == 0:
            return
        part = (part - 1) & whole


def _minute(clock: str) -> int:
    return int(clock[:2]) * 60 + int(clock[3:])


def _of_day(moment: str) -> int:
    found = datetime.fromisoformat(moment)
    return found.hour * 60 + found.minute
