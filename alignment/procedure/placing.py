"""A kit's data placed on a vehicle: which axle carries the heads, which the flags, and what is read there.

A set-up of a kit's file names axles by words (``first``, ``last``, ``each``, ``each but first``, ``each fixed``,
``each steered``, ``thrust``); here they become numbers, one set-up for each. A template of a reading becomes one
station, or one for each side, or for each place of a scale along the frame.
"""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from alignment.model.vehicle import SIDES, Axle, Vehicle, the_axle
from alignment.procedure.station import NEAR_FAR, PATHS, Setup, Station, spread
from alignment.readings import KINDS, Reading
from alignment.readings.base import CLAMP, GAUGE, ZERO

_SELECTIONS: dict[str, Callable[[Vehicle], list[Axle]]] = {
    "first": lambda vehicle: [vehicle.axles[0]],
    "last": lambda vehicle: [vehicle.axles[-1]],
    "each": lambda vehicle: list(vehicle.axles),
    "each but first": lambda vehicle: list(vehicle.axles[1:]),
    "each fixed": lambda vehicle: [axle for axle in vehicle.axles if not axle.steers],
    "each steered": lambda vehicle: [axle for axle in vehicle.axles if axle.steers],
    "thrust": lambda vehicle: [vehicle.axle(vehicle.thrust_axle or len(vehicle.axles))],
}
_CARRIED = Path(__file__).with_name("carried.toml")
_OWN_WORDS = ("kind", "sees", "where", "stage", "at", "along_mm", "optional", "mount", "asked")
"""Keys of a template that say how it is placed; the others are fields of the reading."""


class Placing:
    """A kit's data on one vehicle. ``setups`` are the hangings in working order.

    ``judged`` are the quantities of a specification with their axles; those that a tool which lies in every van tells are read
    with it: in the sweep of their axle, or at the end.
    """

    def __init__(self, data: Mapping[str, Any], vehicle: Vehicle, judged: Iterable[tuple[str, int]] = ()) -> None:
        carried = tomllib.loads(_CARRIED.read_text(encoding="utf-8"))
        self.data = {**data, "u": carried["u"] | data["u"], "scales": carried["scales"] | data["scales"]}
        self.vehicle = vehicle
        self._placed = list(self._hangings())
        self._in_sweeps: dict[int, list[str]] = {}
        alone = list(self._asked_for(carried["tools"], set(judged)))
        self.setups = tuple(
            Setup(number, self._say(entry["title"], heads, flags), heads.number, flags.number if flags else None,
                  tuple(self._say(line, heads, flags) for line in entry["hang"]), data.get("piece", ""),
                  data.get("other", ""))
            for number, (entry, heads, flags) in enumerate(self._placed, start=1)
        )  # fmt: skip
        self._alone = []
        for tool, kinds in alone:
            title, first = tool["title"], vehicle.axles[0].number
            self.setups += (
                Setup(len(self.setups) + 1, title, first, None, tuple(tool["hang"]), piece="", other="", short=title),
            )
            self._alone += [(len(self.setups), kind, axle) for kind, axle in kinds]

    def _asked_for(
        self, tools: Sequence[Mapping[str, Any]], judged: Collection[tuple[str, int]]
    ) -> Iterator[tuple[Mapping[str, Any], list[tuple[str, int]]]]:
        """The tools that are wanted at a set-up of their own, each with its kinds of reading and their axles; what is read in the
        sweep of its axle is kept by axle.
        """
        for tool in tools:
            told = [(kind, axle.number) for axle in self.vehicle.axles for quantity, kind in tool["tells"].items()
                    if (quantity, axle.number) in judged]  # fmt: skip
            alone = []
            for kind, axle in dict.fromkeys(told):
                if KINDS[kind].STEERS and not self.vehicle.axle(axle).steers:
                    continue
                if self._sweeps(axle, tool.get("beside", ())):
                    self._in_sweeps.setdefault(axle, []).append(kind)
                else:
                    alone.append((kind, axle))
            if alone:
                yield tool, alone

    def _sweeps(self, axle: int, kinds: Collection[str]) -> bool:
        """Whether a reading of those kinds is taken at a steered axle."""
        return any(
            heads.number == axle and template["kind"] in kinds
            for entry, heads, _ in self._placed
            for template in entry["readings"]
        )

    def _hangings(self) -> Iterator[tuple[Mapping[str, Any], Axle, Axle | None]]:
        """Each set-up of the file with each pair of axles that it can stand on; never flags on the heads' own axle."""
        kind = "vehicle" if self.vehicle.kingpin_mm is None else "trailer"
        for entry in self.data["setups"]:
            if entry.get("for", kind) != kind:
                continue
            for heads in _SELECTIONS[entry["heads"]](self.vehicle):
                if "flags" not in entry:
                    yield entry, heads, None
                    continue
                for flags in _SELECTIONS[entry["flags"]](self.vehicle):
                    if flags.number != heads.number:
                        yield entry, heads, flags

    def _say(self, text: str, heads: Axle, flags: Axle | None) -> str:
        words: dict[str, str] = {}
        for role, axle in (("heads", heads), ("flags", flags or heads)):
            name = the_axle(self.vehicle, axle.number)
            # In a title short, "the rear"; in a sentence whole, "the rear axle".
            words |= {role: name, f"{role}_axle": name if name.startswith("axle") else f"{name} axle"}
        # What the sides are called is for whoever reads it.
        return text.format(**words, left="{left}", right="{right}")

    def stations(self) -> Iterator[Station]:
        """Every reading on this vehicle, in the order of the work. A slot that two set-ups share is read once."""
        seen: set[str] = set()
        for station in (*self._runout(), *self._read(), *self._of_tools()):
            if station.slot not in seen:
                seen.add(station.slot)
                yield station

    def _runout(self) -> Iterator[Station]:
        method = self.data.get("runout")
        if method is None:
            return
        numbers = ("camber_deg", "toe_deg") if method.get("toe") else ("camber_deg",)
        paths = tuple(f"{PATHS[name]}_{roll:g}" for roll in method["rolls_deg"] for name in numbers)
        for _, heads, _ in self._placed:
            for side in SIDES:
                positions = [{"roll_deg": roll} for roll in method["rolls_deg"]]
                reading = {"kind": "runout", "axle": heads.number, "side": side, "positions": positions}
                yield self._station(0, "roll", reading, paths, 0.0)

    def _read(self) -> Iterator[Station]:
        for setup, (entry, heads, flags) in zip(self.setups, self._placed, strict=False):
            for template in entry["readings"]:
                for reading, tag, reach in self._readings(template, heads, flags):
                    station = self._station(
                        setup.number, template.get("stage", "read"), reading, _measured(template), reach, tag
                    )
                    yield replace(station, asked=tuple(template.get("asked", ())))

    def _of_tools(self) -> Iterator[Station]:
        """What is read with tools that lie in the van, each at a set-up of its own, and in sweeps."""
        for number, kind, axle in self._alone:
            yield from self._sided(number, "read", kind, axle)
        for setup, (_, heads, _) in zip(self.setups, self._placed, strict=False):
            for kind in self._in_sweeps.get(heads.number, ()):
                yield from self._sided(setup.number, "roll", kind, heads.number)

    def _sided(self, setup: int, stage: str, kind: str, axle: int) -> Iterator[Station]:
        """The stations of a kind at an axle: one, or one for each side."""
        sides = SIDES if KINDS[kind].field("side") is not None else ("",)
        for side in sides:
            reading = {"kind": kind, "axle": axle, **({"side": side} if side else {})}
            yield self._station(setup, stage, reading, _measured(reading), 0.0)

    def _readings(
        self, template: Mapping[str, Any], heads: Axle, flags: Axle | None
    ) -> Iterator[tuple[dict[str, Any], str, float]]:
        """The readings of one template, each with its tag and the length of its beam in mm."""
        axle = flags if template.get("at") == "flags" and flags is not None else heads
        where = template.get("where", "any")
        if where != "any" and axle.steers != (where == "steered"):
            return
        fields = {key: value for key, value in template.items() if key not in _OWN_WORDS}
        reading: dict[str, Any] = {"kind": template["kind"], "axle": axle.number, **fields}
        if "clamp" in self.data and KINDS[template["kind"]].on_clamp():
            reading.setdefault(CLAMP.name, "raw")
        if "mount" in template:
            reading["mount"] = template["mount"].format(heads=heads.number)
        match template["kind"]:
            case "outboard_pair":
                yield from self._pairs(reading, template, heads, flags)
            case "mirror_pair":
                distance = axle.position_mm - heads.position_mm
                yield {**reading, "from_axle": heads.number, "distance_mm": distance}, "", 2 * abs(distance)
            case "sight":
                yield from self._sights(reading, template, axle)
            case kind if any(field.what == "side" for field in KINDS[kind].FIELDS):
                for side in SIDES:
                    yield {**reading, "side": side}, "", 0.0
            case _:
                yield reading, "", axle.track_mm

    def _sights(
        self, reading: dict[str, Any], template: Mapping[str, Any], axle: Axle
    ) -> Iterator[tuple[dict[str, Any], str, float]]:
        """What each head sees: the opposite one of its axle, or those on the axles next to its own."""
        order = [one.number for one in self.vehicle.axles]
        at = order.index(axle.number)
        beside = [order[place] for place in (at - 1, at + 1) if 0 <= place < len(order)]
        for to in [axle.number] if template["sees"] == "across" else beside:
            arms = {
                "arm_mm": self._arm(reading, axle.number),
                "to_arm_mm": self._arm(reading, to),
                "to_out_mm": reading["out_mm"],
            }
            reach = axle.track_mm if to == axle.number else abs(self.vehicle.axle(to).position_mm - axle.position_mm)
            for side in SIDES:
                yield {**reading, **arms, "to_axle": to, "side": side}, f"to-{to}", reach

    def _arm(self, reading: Mapping[str, Any], axle: int) -> float:
        """A head's arm: ahead of the first axle and behind the others, so that the beams across clear the wheels."""
        arm = float(reading["arm_mm"])
        return arm if axle == self.vehicle.axles[0].number else -arm

    def _pairs(
        self, reading: dict[str, Any], template: Mapping[str, Any], heads: Axle, flags: Axle | None
    ) -> Iterator[tuple[dict[str, Any], str, float]]:
        """Pairs of scales on another axle, about the king pin, or at places along the frame."""
        if flags is not None and "on" not in template:
            ahead = heads.position_mm - flags.position_mm
            # On two axles there is one place for the flags; on more, each has its name and its own length.
            several = len(self.vehicle.axles) > 2 and heads.number == 1  # noqa: PLR2004
            place = f"on-{flags.number}" if several else ""
            if "mount" in reading and several:
                reading["mount"] += f", on axle {flags.number}"
            yield {**reading, "ahead_mm": ahead, "on": flags.number}, place, abs(ahead)
            return
        if template["on"] == "kingpin":
            if self.vehicle.kingpin_mm is not None:
                ahead = heads.position_mm - self.vehicle.kingpin_mm
                yield {**reading, "ahead_mm": ahead}, "kingpin", abs(ahead)
            return
        # The frame lies behind the first axle and ahead of the others, save on a trailer, where it lies ahead of all.
        forward = heads.number > 1 or self.vehicle.kingpin_mm is not None
        for place, along in zip(NEAR_FAR, template["along_mm"], strict=False):
            yield {**reading, "ahead_mm": along if forward else -along}, place, along

    def _station(
        self, setup: int, stage: str, reading: dict[str, Any], fields: Sequence[str], reach_mm: float, tag: str = ""
    ) -> Station:
        kind = KINDS[reading["kind"]]
        reading = reading | self._gauge(kind, reading)
        uncertainty, scale = self.data["u"][kind.KIND], self.data["scales"][kind.KIND]
        keys = kind.u_keys({**reading, **dict.fromkeys(fields)})
        # Of several uncertainties a kit gives those that it knows apart.
        parts = (
            {k: uncertainty[k] for k in keys if k in uncertainty} if len(keys) > 1 else dict.fromkeys(keys, uncertainty)
        )
        where = "/".join(str(part) for part in (reading["axle"], reading.get("side", ""), tag) if part != "")
        return Station(
            slot=f"{kind.KIND}/{where}", setup=setup, stage=stage, scale=scale["title"], least=scale["least"],
            most=scale["most"], reading=reading | {key: spread(entry, reach_mm) for key, entry in parts.items()},
            fields=tuple(fields), plus=scale["grows"], minus=scale.get("falls", ""), step=scale["step"], spreads=parts,
            reach_mm=reach_mm, rest=kind.resting(self.vehicle, reading["axle"], reading.get("side", "")),
        )  # fmt: skip

    def _gauge(self, kind: type[Reading], reading: Mapping[str, Any]) -> dict[str, Any]:
        """The gauge that a reading against gravity is taken with: one a kit, one a side, or one a wheel."""
        gauge = self.data.get("gauge")
        if gauge is None or kind.field(GAUGE.name) is None:
            return {}
        whose = {"kit": (), "side": (reading["side"],), "wheel": (reading["side"], f"of axle {reading['axle']}")}
        return {GAUGE.name: ", ".join((gauge["name"], *whose[gauge["each"]])), ZERO.name: gauge["zero_u_deg"]}


def _measured(template: Mapping[str, Any]) -> tuple[str, ...]:
    """Names of the numbers to read: the required ones, and those optional ones that the kit reads."""
    wanted = template.get("optional", ())
    fields = KINDS[template["kind"]].FIELDS
    return tuple(field.name for field in fields if field.measured and (field.required or field.name in wanted))
