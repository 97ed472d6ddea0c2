"""Looks whether a plan can be carried out: by the file of days and the file of the plan alone.

It shares no code with the planner: it reads both as plain JSON, has its own distances, its own clock and its own idea of every rule, so that
a fault of the planner is not repeated here.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

Json = dict[str, Any]


def check(days: Json, plan: Json) -> list[str]:
    """Everything in a plan that cannot be, in sentences; empty for one that can be carried out."""
    return [*_Checker(days, plan).faults()]


class _Checker:
    def __init__(self, days: Json, plan: Json) -> None:
        self.days, self.plan = days, plan
        self.zone = ZoneInfo(days["zone"])
        for name in ("places", "technicians", "kits", "visits", "ferries"):
            setattr(self, name, {one["key"]: one for one in days.get(name, [])})
        self.places: dict[str, Json]
        self.technicians: dict[str, Json]
        self.kits: dict[str, Json]
        self.visits: dict[str, Json]
        self.ferries: dict[str, Json]

    def local(self, text: str) -> float:
        """A wall-clock time of the days as minutes since 1970."""
        return datetime.fromisoformat(text).replace(tzinfo=self.zone).astimezone(UTC).timestamp() / 60

    def at(self, text: str) -> float:
        """A time of the plan, which has its offset, as minutes since 1970."""
        return datetime.fromisoformat(text).timestamp() / 60

    def faults(self) -> Iterator[str]:
        yield from self._each_once()
        for turn in self.plan["turns"]:
            who = f"{turn['technician']} on {turn['day']}"
            yield from (f"{who}: {fault}" for fault in self._turn(turn))
        yield from self._ferries_have_room()
        yield from self._no_vehicle_twice_at_a_time()

    def _each_once(self) -> Iterator[str]:
        named = [stop["visit"] for turn in self.plan["turns"] for stop in turn["stops"]]
        named += [one["visit"] for one in self.plan["left_out"]]
        for key in self.visits:
            if named.count(key) != 1:
                yield f"visit {key} stands there {named.count(key)} times"
        yield from (f"visit {key} is not known" for key in set(named) - set(self.visits))

    def _turn(self, turn: Json) -> Iterator[str]:
        man, day = self.technicians[turn["technician"]], date.fromisoformat(turn["day"])
        standing = next((one for one in man.get("standing", []) if one["day"] == turn["day"]), None)
        leaves, back = self.at(turn["leaves"]), self.at(turn["back"])
        if not any(start <= leaves and back <= end for start, end in self._hours(man, day)):
            yield f"out from {turn['leaves']} to {turn['back']}, which is not within the hours"
        if leaves < self.local(self.days["now"]):
            yield "leaves before now"
        place, now, busy = man["home"], leaves, []
        if standing is not None and turn.get("begun"):
            place, now = standing["place"], self.local(standing["free"])
            if leaves != now:
                yield "a day that has begun does not begin when they are free"
        for stop in turn["stops"]:
            visit = self.visits[stop["visit"]]
            place, now, doing = yield from self._legs(stop["legs"], place, now, visit["place"])
            busy += doing
            begins, ends = self.at(stop["begins"]), self.at(stop["ends"])
            if begins < now:
                yield f"{visit['key']} begins before they are there and set up"
            yield from self._visit(visit, man, day, stop, begins, ends)
            busy.append((begins, ends))
            now = ends
        place, now, doing = yield from self._legs(turn["home"], place, now, man["home"])
        busy += doing
        if now > back:
            yield "is home later than it says"
        yield from self._batteries(turn, standing)
        yield from self._break(turn, man, day, leaves, back, busy, standing)

    def _hours(self, man: Json, day: date) -> list[tuple[float, float]]:
        spans = [self._clocks(day, one) for one in man["hours"] if day.weekday() in one.get("days", range(7))]
        for absence in man.get("absences", []):
            start, end = self.local(absence["start"]), self.local(absence["end"])
            spans = [part for a, b in spans for part in ((a, min(b, start)), (max(a, end), b)) if part[0] < part[1]]
        return spans

    def _clocks(self, day: date, hours: Json) -> tuple[float, float]:
        next_day = day + timedelta(days=1) if hours["end"] <= hours["start"] else day
        return self.local(f"{day}T{hours['start']}"), self.local(f"{next_day}T{hours['end']}")

    def _legs(self, legs: list[Json], place: str, now: float, target: str) -> Any:
        """Goes along some legs. Yields faults; returns where one is, when one is ready there, and when one was driving."""
        driving, came = [], place
        for leg in legs:
            leaves, arrives = self.at(leg["leaves"]), self.at(leg["arrives"])
            if leg["from"] != place:
                yield f"a leg begins at {leg['from']}, they are at {place}"
            if leaves < now:
                yield f"a leg from {place} begins before they are free"
            if leg.get("ferry"):
                yield from self._ferry(leg, leaves, arrives, now)
            else:
                if arrives - leaves < self._road(leg["from"], leg["to"]) - 1e-6:
                    yield f"from {leg['from']} to {leg['to']} in {arrives - leaves} minutes"
                driving.append((leaves, arrives))
            place, now = leg["to"], arrives
        if place != target:
            yield f"the legs end at {place}, not at {target}"
        unpack = self.places[target].get("unpack", 0)
        if came != target and unpack:
            driving.append((now, now + unpack))
            now += unpack
        return place, now, driving

    def _ferry(self, leg: Json, leaves: float, arrives: float, now: float) -> Iterator[str]:
        ferry = self.ferries[leg["ferry"]]
        day = datetime.fromisoformat(leg["leaves"]).astimezone(self.zone).date()
        if (ferry["origin"], ferry["target"]) != (leg["from"], leg["to"]):
            yield f"ferry {ferry['key']} does not go from {leg['from']} to {leg['to']}"
        if day.weekday() not in ferry.get("days", range(7)) or str(day) in ferry.get("cancelled", []):
            yield f"ferry {ferry['key']} does not go on {day}"
        if leaves != self.local(f"{day}T{ferry['departs']}") or arrives < leaves + ferry["minutes"]:
            yield f"ferry {ferry['key']} leaves at {ferry['departs']} and takes {ferry['minutes']} minutes"
        if now > leaves - ferry.get("check_in", 15):
            yield f"they are at the port too late for ferry {ferry['key']}"
        until = ferry.get("books_until")
        if (
            until is not None
            and self.local(self.days["now"]) > leaves - until
            and not ferry.get("booked", {}).get(str(day))
        ):
            yield f"booking for ferry {ferry['key']} on {day} is closed"

    def _road(self, one: str, other: str) -> float:
        if one == other:
            return 0
        told = {(road["origin"], road["target"]): road["minutes"] for road in self.days.get("roads", [])}
        for pair in ((one, other), (other, one)):
            if pair in told:
                return float(told[pair])
        a, b = self.places[one], self.places[other]
        if a.get("island", "") != b.get("island", ""):
            return math.inf
        ends = [[math.radians(x) for x in (p["north"], p["east"])] for p in (a, b)]
        # The angle between two unit vectors, not the haversine.
        vectors = [(math.cos(n) * math.cos(e), math.cos(n) * math.sin(e), math.sin(n)) for n, e in ends]
        cross = math.dist((0, 0, 0), _cross(*vectors))
        angle = math.atan2(cross, sum(x * y for x, y in zip(*vectors, strict=True)))
        km = 6371.0 * angle
        return float(km * self.days.get("road_factor", 1.35) / self.days.get("speed_kmh", 45.0) * 60 - 1e-6)

    def _visit(self, visit: Json, man: Json, day: date, stop: Json, begins: float, ends: float) -> Iterator[str]:
        key = visit["key"]
        if ends - begins != visit["minutes"]:
            yield f"{key} takes {ends - begins} minutes instead of {visit['minutes']}"
        place = self.places[visit["place"]]
        yard = [
            self._clocks(that, one) for that in (day - timedelta(days=1), day) if str(that) not in place.get("closed", [])
            for one in place.get("hours", []) if that.weekday() in one.get("days", range(7))
        ]  # fmt: skip
        if place.get("hours") and not any(a <= begins and ends <= b for a, b in yard):
            yield f"{key}: the yard is closed"
        if not place.get("hours") and str(day) in place.get("closed", []):
            yield f"{key}: the yard is closed that day"
        ready = [(self.local(one["start"]), self.local(one["end"])) for one in visit.get("ready", [])]
        if ready and not any(a <= begins and ends <= b for a, b in ready):
            yield f"{key}: the vehicle is not there"
        promised = visit.get("promised")
        if promised and not self.local(promised["start"]) <= begins <= self.local(promised["end"]):
            yield f"{key}: not when it was promised"
        yield from self._wishes(visit, man, day, begins)
        yield from self._kit(visit, man, stop, ends)

    def _wishes(self, visit: Json, man: Json, day: date, begins: float) -> Iterator[str]:
        key = visit["key"]
        if visit.get("at") and self.local(visit["at"]) != begins:
            yield f"{key}: not at the time that is wished"
        if visit.get("on") not in (None, str(day)) or visit.get("only") not in (None, man["key"]):
            yield f"{key}: not on the day or by whom it is wished"
        if not set(visit.get("skills", [])) <= set(man.get("skills", [])):
            yield f"{key}: {man['key']} has not learned {visit['skills']}"

    def _kit(self, visit: Json, man: Json, stop: Json, ends: float) -> Iterator[str]:
        key = visit["key"]
        if visit.get("kits") is not None:
            kit = str(stop.get("kit"))
            if kit not in visit["kits"] or kit not in man.get("kits", []):
                yield f"{key}: with {kit}"
            elif self.kits[kit].get("certified_until") and ends > self.local(self.kits[kit]["certified_until"]):
                yield f"{key}: the certificate of {kit} has run out"

    def _batteries(self, turn: Json, standing: Json | None) -> Iterator[str]:
        used: dict[str, float] = defaultdict(float, (standing or {}).get("used", {}))
        for stop in turn["stops"]:
            if stop.get("kit"):
                used[stop["kit"]] += self.visits[stop["visit"]]["minutes"]
        for kit, minutes in used.items():
            most = self.kits[kit].get("battery")
            if most is not None and minutes > most:
                yield f"kit {kit} works {minutes} minutes, its battery lasts {most}"

    def _break(
        self,
        turn: Json,
        man: Json,
        day: date,
        leaves: float,
        back: float,
        busy: list[tuple[float, float]],
        standing: Json | None,
    ) -> Iterator[str]:
        pause, taken = man.get("pause"), turn.get("pause")
        if pause is None or (standing or {}).get("rested"):
            return
        earliest, latest = (self.local(f"{day}T{pause[name]}") for name in ("earliest", "latest"))
        if taken is None:
            if turn["stops"] and leaves <= latest < back:
                yield "has no break"
            return
        start = self.at(taken)
        if not earliest <= start <= latest:
            yield f"the break is at {taken}"
        if any(a < start + pause["minutes"] and start < b for a, b in busy):
            yield "the break is while they drive or work"

    def _ferries_have_room(self) -> Iterator[str]:
        vans: dict[tuple[str, str], int] = defaultdict(int)
        for turn in self.plan["turns"]:
            for leg in [leg for stop in turn["stops"] for leg in stop["legs"]] + turn["home"]:
                if leg.get("ferry"):
                    vans[leg["ferry"], leg["leaves"]] += 1
        for (key, leaves), many in vans.items():
            if many > self.ferries[key].get("capacity", 99):
                yield f"ferry {key} at {leaves} takes {many} of our vans"

    def _no_vehicle_twice_at_a_time(self) -> Iterator[str]:
        stops = [stop for turn in self.plan["turns"] for stop in turn["stops"]]
        for index, one in enumerate(stops):
            for other in stops[:index]:
                same = self.visits[one["visit"]]["vehicle"] == self.visits[other["visit"]]["vehicle"]
                if (
                    same
                    and self.at(one["begins"]) < self.at(other["ends"])
                    and self.at(other["begins"]) < self.at(one["ends"])
                ):
                    yield f"{one['visit']} and {other['visit']} are at one vehicle at the same time"


def _cross(a: tuple[float, ...], b: tuple[float, ...]) -> tuple[float, float, float]:
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
