"""Rolling and steering by live numbers: which way, how far still, stop, and what is read there.

A person who pushes a vehicle or holds its steering wheel cannot read a scale. They are told one thing at a time: an arrow, an
amount, or stop.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

from alignment.model.vehicle import Vehicle, axle_name
from alignment.procedure.station import Station
from alignment.speech import side_name

Wheel = tuple[int, str]
ROLLED_WITHIN_DEG = 2.0
"""A roll that is off by so much changes a clamp's error of a quarter degree by a hundredth; a choice."""
TURNED_WITHIN_DEG = 0.3
"""A swing of ten degrees that is off by so much changes the caster by three hundredths of itself; a choice."""
STRAIGHT_WITHIN_DEG = 0.5


@dataclass(frozen=True)
class Guide:
    """The one thing to do now. ``way`` is ``forward``, ``back``, ``left``, ``right``, ``stop`` or ``done``; ``by`` how far still,
    degrees; ``share`` how much of the way is done, 0 to 1. ``places`` are the numbers that are read once it has come to rest
    there, or once somebody presses where only their hands can tell (``press``); ``text`` says it in words.
    """

    way: str
    by: float
    share: float
    places: tuple[str, ...]
    text: str
    press: bool = False

    @property
    def there(self) -> bool:
        """Whether it stands where the numbers are read."""
        return self.way == "stop" and bool(self.places)

    def as_dict(self) -> dict[str, object]:
        """As pages are told."""
        return {"way": self.way, "by": round(self.by, 1), "share": round(self.share, 3), "places": list(self.places),
                "text": self.text, "press": self.press}  # fmt: skip


DONE = Guide("done", 0.0, 1.0, (), "Done.")


def _towards(now: float, wanted: float, begun: float, ways: tuple[str, str], within: float) -> tuple[str, float, float]:
    """Which way from ``now`` to ``wanted``, how far, and the share of the way from ``begun``."""
    left, whole = wanted - now, abs(wanted - begun)
    share = min(max(1.0 - abs(left) / whole, 0.0), 1.0) if whole > within else 0.0
    if abs(left) <= within:
        return "stop", 0.0, 1.0
    return (ways[0] if left > 0 else ways[1]), abs(left), share


def guide_roll(
    vehicle: Vehicle, stations: Sequence[Station], read: Collection[str], rolled: Mapping[Wheel, float], *, lifted: bool
) -> Guide | None:
    """How to roll on: every wheel together on the ground, or one ``lifted`` wheel after the other.

    ``stations`` are those of runout, ``read`` the places that have their number, ``rolled`` how far each wheel has rolled forward,
    degrees. None where no wheel says how far.
    """
    rounds = [[station] for station in stations] if lifted else [list(stations)]
    for group in rounds:
        marks = sorted({_roll_of(path) for station in group for path in station.fields})
        for number, mark in enumerate(marks):
            places = tuple(
                place for station in group for path in station.fields
                if _roll_of(path) == mark and (place := f"{station.slot}/{path}") not in read
            )  # fmt: skip
            if not places:
                continue
            known = [rolled[wheel] for station in group if (wheel := _wheel(station)) in rolled]
            if not known:
                return None
            now, begun = sum(known) / len(known), marks[number - 1] if number else mark
            way, by, share = _towards(now, mark, begun, ("forward", "back"), ROLLED_WITHIN_DEG)
            what = _called(vehicle, _wheel(group[0])) if lifted else "the vehicle"
            return Guide(way, by, share, places, _said_roll(what, way, by, lifted=lifted))
    return DONE if stations else None


def _roll_of(path: str) -> float:
    """The roll of a runout's number: ``roll_180`` and ``toe_180`` are read at 180."""
    return float(path.partition("_")[2])


def _wheel(station: Station) -> Wheel:
    return int(station.reading["axle"]), str(station.reading.get("side", ""))


def _called(vehicle: Vehicle, wheel: Wheel) -> str:
    return f"the {side_name(wheel[1])} {axle_name(vehicle, wheel[0])} wheel"


def _said_roll(what: str, way: str, by: float, *, lifted: bool) -> str:
    if way == "stop":
        return "Stop. Hold it still."
    return f"{'Turn' if lifted else 'Roll'} {what} {way}, {by:.0f}° more."


def guide_sweep(stations: Sequence[Station], read: Collection[str], turned: Mapping[Wheel, float]) -> Guide | None:
    """How to steer on: to the left, to the right, each as far as it goes where full lock is read, and back to straight ahead.

    ``stations`` are those of the sweep; ``turned`` by how much each wheel is steered from straight ahead, toe-out positive, degrees. Each
    wheel is read where it has itself come to its angle. None where no wheel says how far.
    """
    if not stations:
        return None
    if not any(_wheel(station) in turned for station in stations):
        return None
    for steered in ("left", "right"):
        open_ends = [end for end in _ends(stations, steered, turned) if any(place not in read for place in end.places)]
        if not open_ends:
            stops = [(place, far) for place, far in _stops(stations, steered, turned) if place not in read]
            if stops:
                there = tuple(place for place, far in stops if far > _SURELY_BEFORE_STOP_DEG)
                text = f"Slowly to the {steered} until it stops, no harder. Then press."
                return Guide(steered, 0.0, 0.0, there, text, press=True)
            continue
        # The wheel that has least to go is read first; the steering wheel is then held there for it.
        nearest = min(open_ends, key=lambda end: abs(end.wanted - end.now))
        back = "right" if steered == "left" else "left"
        way, by, share = _towards(nearest.now, nearest.wanted, 0.0, (steered, back), TURNED_WITHIN_DEG)
        places = tuple(place for place in nearest.places if place not in read)
        text = "Stop. Hold the steering wheel." if way == "stop" else f"Steer to the {way}, {by:.1f}° more."
        return Guide(way, by, share, places, text)
    leftward = [turn if side == "left" else -turn for (_, side), turn in turned.items()]
    straight = sum(leftward) / len(leftward)
    if abs(straight) > STRAIGHT_WITHIN_DEG:
        way = "right" if straight > 0 else "left"
        return Guide(way, abs(straight), 0.0, (), f"Back to straight ahead: {abs(straight):.1f}° to the {way}.")
    return DONE


@dataclass(frozen=True)
class _End:
    """One wheel's end of a swing: how far it is to be steered that way, how far it is, and what is read there."""

    wanted: float
    now: float
    places: tuple[str, ...]


def _ends(stations: Sequence[Station], steered: str, turned: Mapping[Wheel, float]) -> Iterator[_End]:
    for station in stations:
        wheel = _wheel(station)
        if wheel not in turned or station.kind.TURNED:
            continue
        # Steered to its own side a wheel toes out.
        end, sign = ("out", 1.0) if wheel[1] == steered else ("in", -1.0)
        places = tuple(f"{station.slot}/{path}" for path in station.fields if path.endswith(f"_{end}_deg"))
        yield _End(float(station.reading[f"{end}_deg"]), sign * turned[wheel], places)


_SURELY_BEFORE_STOP_DEG = 22.0
"""Where a sweep ends at the most, with a little: no wheel stands at its stop there."""


def _stops(stations: Sequence[Station], steered: str, turned: Mapping[Wheel, float]) -> Iterator[tuple[str, float]]:
    """What is read at the stop to that side, of the wheels that say how far they are steered, and how far that way they are."""
    for station in stations:
        wheel = _wheel(station)
        if wheel in turned:
            sign = 1.0 if wheel[1] == steered else -1.0
            for path, way in station.kind.TURNED.items():
                if way == sign:
                    yield f"{station.slot}/{path}", sign * turned[wheel]


STEP_DEG, ENOUGH_DEG, FEWEST_ROLLS = 10.0, 25.0, 3
"""From picture to picture, over all, and so many at least: then axes are told well."""
SWEEP_DEG = (10.0, 5.0, -5.0, -10.0)
"""Where the wheels are steered for pictures, to the left positive."""
_FARTHER_DEG = 8.0
"""A roll that went on for so much longer than was asked is as good."""
_PICTURE_WITHIN_DEG, _STEERED_WITHIN_DEG = 3.0, 1.0


def rolled_enough(rolled: Sequence[float]) -> bool:
    """Whether the vehicle was rolled through enough, degrees in each picture, that axes are told well."""
    return len(rolled) >= FEWEST_ROLLS and max(rolled) - min(rolled) >= ENOUGH_DEG


def guide_pictures(
    rolled: Sequence[float], steered: Sequence[float], now: tuple[float, float], *, steers: bool
) -> Guide:
    """How to move on where pictures tell: rolled in steps, then, where a wheel ``steers``, steered to four angles and back.

    ``rolled`` is how far it had been rolled in each picture of the roll, forward positive, ``steered`` how far the wheels were
    steered in each of the sweep, to the left positive, and ``now`` both; degrees.
    """
    ahead, turned = now
    if not rolled_enough(rolled):
        if not rolled:
            return Guide("stop", 0.0, 0.0, (), "Wheels straight. Let it stand for the first picture.")
        sign = 1.0 if max(rolled) > -min(rolled) else -1.0
        wanted = (max(rolled) if sign > 0 else min(rolled)) + sign * STEP_DEG
        if 0 <= sign * (ahead - wanted) <= _FARTHER_DEG:
            wanted = ahead
        way, by, share = _towards(ahead, wanted, rolled[-1], ("forward", "back"), _PICTURE_WITHIN_DEG)
        return Guide(way, by, share, (), _said_roll("the vehicle", way, by, lifted=False))
    if steers and len(steered) < len(SWEEP_DEG):
        wanted = SWEEP_DEG[len(steered)]
        way, by, share = _towards(
            turned, wanted, steered[-1] if steered else 0.0, ("left", "right"), _STEERED_WITHIN_DEG
        )
        text = (
            "Stop. Hold the steering wheel." if way == "stop" else f"Brakes held. Steer to the {way}, {by:.1f}° more."
        )
        return Guide(way, by, share, (), text)
    if steers and abs(turned) > STRAIGHT_WITHIN_DEG:
        way = "right" if turned > 0 else "left"
        return Guide(way, abs(turned), 0.0, (), f"Back to straight ahead: {abs(turned):.1f}° to the {way}.")
    return DONE
