"""How tyres wear."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import ClassVar

from alignment.judge.diagnose.base import LIKELY, POSSIBLE, DiagnosticRule, Evidence, Finding
from alignment.judge.results import say_path
from alignment.model.vehicle import axle_name
from alignment.speech import side_name


class OneSidedWear(DiagnosticRule):
    """Inner tread worn: camber too negative, or toe-out; outer tread: camber too positive, or toe-in."""

    CODE = "one-sided-wear"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for (axle, side), pattern in seen.wear.items():
            if pattern not in ("inner", "outer"):
                continue
            way = -1 if pattern == "inner" else 1
            blames = (
                ("camber too negative", "too much toe-out") if way < 0 else ("camber too positive", "too much toe-in")
            )
            name = f"{side_name(side)} {axle_name(seen.vehicle, axle)} tyre"
            worn = f"the {name} is worn on its {pattern} edge"
            camber, toe = f"axles/{axle}/{side}/camber_deg", f"axles/{axle}/total_toe_deg"
            sure = {path: seen.off(path, way) for path in (camber, toe)}
            for about, path, text in zip(("camber", "toe"), (camber, toe), blames, strict=True):
                if sure[path] is not None:
                    yield self.finding(f"{about}/{axle}/{side}", f"{text} wears the {name}", [sure[path] or POSSIBLE], [worn, seen.reason(path)],
                                       "set it, and look at the tyre again at the next visit",
                                       f"the {pattern} edge of the {name} goes on wearing")  # fmt: skip
            unknown = [path for path in (camber, toe) if seen.results.estimates.get(path) is None]
            if unknown and not any(sure.values()):
                missing = " and ".join(say_path(seen.vehicle, path) for path in unknown)
                yield self.finding(f"either/{axle}/{side}", " or ".join(blames), [POSSIBLE], [worn, f"{missing} was not measured"],
                                   "measure both before blaming one")  # fmt: skip


class FeatheredWear(DiagnosticRule):
    """Feathered edges: toe; the side of the feather tells in or out."""

    CODE = "feathered-wear"

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for (axle, side), pattern in seen.wear.items():
            if pattern != "feathered":
                continue
            path = f"axles/{axle}/total_toe_deg"
            found = seen.side_of_limits(path)
            worn = f"the {side_name(side)} {axle_name(seen.vehicle, axle)} tyre is feathered"
            feel = "feel which way the feather stands: sharp towards the middle is toe-in, towards the outside toe-out"
            if found is None:
                yield self.finding(f"{axle}/{side}", "toe", [POSSIBLE], [worn], f"measure toe; {feel}")
            elif found[0] != 0:
                yield self.finding(f"{axle}/{side}", "toe", [found[1]], [worn, seen.reason(path)], feel)


class WearOfOtherCauses(DiagnosticRule):
    """Both shoulders or the centre: pressure. Cups and patches: balance or damper. None of it is alignment."""

    CODE = "wear-that-is-not-alignment"
    CAUSES: ClassVar[Mapping[str, tuple[str, str, str]]] = {
        "both-shoulders": ("on both shoulders", "pressure too low", "check the pressure against the plate, cold"),
        "centre": ("in the centre", "pressure too high", "check the pressure against the plate, cold"),
        "cups": ("in cups", "balance or a damper", "spin the wheel on a balancer and press the corner down"),
    }
    """Where the tread is worn, what wears it so, and what would confirm it, by the pattern."""

    def find(self, seen: Evidence) -> Iterator[Finding]:
        for (axle, side), pattern in seen.wear.items():
            if pattern in self.CAUSES:
                place, cause, confirm = self.CAUSES[pattern]
                worn = f"the {side_name(side)} {axle_name(seen.vehicle, axle)} tyre is worn {place}"
                looked = pattern != "cups" and "pressures" in seen.done
                yield self.finding(
                    f"{axle}/{side}", f"{cause}, not alignment", [LIKELY], [worn], "" if looked else confirm
                )
