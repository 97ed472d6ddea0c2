"""A plan as a page shows it: for each technician and day what comes after what, in words and times."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from typing import Any

import msgspec

from planning.model import Days

Json = Mapping[str, Any]


def shown_plan(plan: Json, days: Days | Json) -> dict[str, Any]:
    """Plain data for the templates."""
    names = _Names(msgspec.to_builtins(days) if isinstance(days, Days) else days)
    return {
        "outs": [names.out(out) for out in plan["turns"]],
        "left_out": [{"name": names.visit[one["visit"]]["name"], "why": one["why"], "code": one["code"]} for one in plan["left_out"]],
        "notes": plan["notes"], "away": _hours(plan["away"]), "visits": sum(len(out["stops"]) for out in plan["turns"]),
        "work": _hours(sum(names.visit[stop["visit"]]["minutes"] for out in plan["turns"] for stop in out["stops"])),
    }  # fmt: skip


class _Names:
    def __init__(self, days: Json) -> None:
        self.place = {one["key"]: one["name"] for one in days["places"]}
        self.man = {one["key"]: one for one in days["technicians"]}
        self.visit = {one["key"]: one for one in days["visits"]}
        self.kit = {one["key"]: one["name"] for one in days["kits"]}

    def out(self, out: Json) -> dict[str, Any]:
        steps = [step for stop in out["stops"] for step in (*self.legs(stop["legs"]), self.stop(stop))]
        steps += self.legs(out["home"])
        man = self.man[out["technician"]]
        pause = out.get("pause")
        if pause:
            steps.append(
                {"kind": "break", "at": _clock(pause), "until": _later(pause, man["pause"]["minutes"]), "said": "Break"}
            )
        steps.sort(key=lambda step: step["at"])
        return {
            "who": man["name"], "day": dt.date.fromisoformat(out["day"]), "leaves": _clock(out["leaves"]), "back": _clock(out["back"]),
            "away": _hours(out["away"]), "steps": steps, "visits": len(out["stops"]),
        }  # fmt: skip

    def legs(self, legs: list[Json]) -> Iterator[dict[str, Any]]:
        for leg in legs:
            ferry = bool(leg.get("ferry"))
            said = (
                f"Ferry from {self.place[leg['from']]} to {self.place[leg['to']]}"
                if ferry
                else f"Drive to {self.place[leg['to']]}"
            )
            yield {
                "kind": "ferry" if ferry else "road",
                "at": _clock(leg["leaves"]),
                "until": _clock(leg["arrives"]),
                "said": said,
            }

    def stop(self, stop: Json) -> dict[str, Any]:
        asked = self.visit[stop["visit"]]
        kind, _, key = stop["visit"].partition("/")
        low, high = asked.get("low", 0), asked.get("high", 0)
        return {
            "kind": "visit", "at": _clock(stop["begins"]), "until": _clock(stop["ends"]), "said": asked["name"], "where": self.place[asked["place"]],
            "why": stop.get("why", ""), "kit": self.kit.get(stop.get("kit", ""), ""), "job": key if kind == "job" else "",
            "takes": f"{asked['minutes']} min" + (f", {low} to {high} likely" if low < high else ""),
        }  # fmt: skip


def _clock(moment: str) -> str:
    return f"{dt.datetime.fromisoformat(moment):%H:%M}"


def _later(moment: str, minutes: int) -> str:
    return f"{dt.datetime.fromisoformat(moment) + dt.timedelta(minutes=minutes):%H:%M}"


def _hours(minutes: int) -> str:
    hours, rest = divmod(minutes, 60)
    return f"{hours} h {rest:02} min" if hours else f"{rest} min"
