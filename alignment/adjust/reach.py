"""What the adjusters of a vehicle reach, and what a person can do about what they do not."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from alignment.adjust.hardware import Hardware
from alignment.adjust.standing import result_changes
from alignment.estimate.solve import Estimate
from alignment.judge.results import PhaseResults, quantity_of, say_path
from alignment.judge.verdict import Rule, decide
from alignment.model.state import Layout
from alignment.model.vehicle import Vehicle, default_datum, the_axle
from alignment.quantities import say, say_size


def reached_by(vehicle: Vehicle, hardware: Iterable[Hardware]) -> dict[str, list[Hardware]]:
    """The adjusters that change each result, by the result's path."""
    layout = Layout(vehicle, default_datum(vehicle))
    found: dict[str, list[Hardware]] = {}
    for one in hardware:
        for path in result_changes(layout, dict.fromkeys(one.adjuster().names, 1.0)):
            found.setdefault(path, []).append(one)
    return found


def reach_of(vehicle: Vehicle, hardware: Iterable[Hardware]) -> frozenset[str]:
    """Paths of the results that the adjusters change."""
    return frozenset(reached_by(vehicle, hardware))


def say_what_adjusts(results: PhaseResults, hardware: Sequence[Hardware]) -> list[str]:
    """For each result that is outside or too close to say: what sets it, or that nothing on this vehicle does."""
    vehicle = results.solution.layout.vehicle
    reached, said = reached_by(vehicle, hardware), []
    for path, verdict in results.judged.items():
        if verdict not in ("outside", "undecided"):
            continue
        name = say_path(vehicle, path)
        by = _named(vehicle, reached.get(path, [])) or _BY_WHAT_ELSE.get(quantity_of(path), "")
        if verdict == "undecided":
            how = "too close to say: read it better before anything is moved for it" + (
                f"; it is set by {by}" if by else ""
            )
        else:
            how = f"set by {by}" if by else "nothing in its layout adjusts it: repair, or tell the owner"
        said.append(f"{name[0].upper()}{name[1:]}: {how}.")
    return said


def _named(vehicle: Vehicle, hardware: Iterable[Hardware]) -> str:
    """Adjusters in words, those of one name together: "the tie rods of the rear and the shims of axle 3"."""
    groups: dict[tuple[str, int], int] = {}
    for one in hardware:
        groups[one.NAME, one.axle] = groups.get((one.NAME, one.axle), 0) + 1
    words = []
    for (name, axle), count in groups.items():
        plural = f"{name}s" if count > 1 and not name.endswith("s") else name
        words.append(f"the {plural} of {the_axle(vehicle, axle)}")
    return ", ".join(words[:-1]) + (" and " if len(words) > 1 else "") + words[-1] if words else ""


def say_cannot(
    vehicle: Vehicle, rule: Rule, estimate: Estimate, hardware: Sequence[Hardware], style: str = "deg"
) -> str:
    """What ends outside whatever is moved, why, and what a person can do about it, as sentences."""
    by = reached_by(vehicle, hardware).get(rule.path, [])
    ends = _ends(vehicle, rule, estimate, style)
    if not by and decide(estimate, rule.minimum, rule.maximum) != "undecided":
        return f"{ends} {_otherwise(rule)}"
    if decide(estimate, rule.minimum, rule.maximum) == "undecided":
        return f"{ends} That is too close to say: read it better before looking for what is bent."
    what, be = _named(vehicle, by), "are at their limits" if len(by) > 1 else "is at its limit"
    return (
        f"{ends} {what[0].upper()}{what[1:]} {be}, or another angle would go out. Look for what is bent or worn before "
        "forcing it; ask the maker for a kit with more reach; else tell the owner."
    )


def say_left(vehicle: Vehicle, rule: Rule, estimate: Estimate, hardware: Sequence[Hardware], style: str = "deg") -> str:
    """What was left outside, and what would set it, as sentences."""
    by = reached_by(vehicle, hardware).get(rule.path, [])
    rest = f"It is set by {_named(vehicle, by)}." if by else _otherwise(rule)
    return f"{_ends(vehicle, rule, estimate, style)} {rest}"


_NOTHING_ADJUSTS = (
    "Nothing in its layout adjusts it: look for what is bent, worn or shifted, and repair it; ask the maker whether a shim or "
    "plate kit exists."
)
_BY_WHAT_ELSE = {
    "tread_mm": "wheels of another inset, or spacers where the maker allows them",
    "lock_out_deg": "the stop screws or the steering gear's own stops, as its maker says",
    "lock_in_deg": "the stop screws or the steering gear's own stops, as its maker says",
    "stagger_mm": "another tyre of the pair, or its pressure within the maker's figures",
}
"""What sets that which no adjuster does. Common practice, no source."""


def _otherwise(rule: Rule) -> str:
    by = _BY_WHAT_ELSE.get(rule.quantity)
    return f"It is set by {by}." if by else _NOTHING_ADJUSTS


def _ends(vehicle: Vehicle, rule: Rule, estimate: Estimate, style: str) -> str:
    name = say_path(vehicle, rule.path)
    beyond = {}
    if rule.minimum is not None:
        beyond["under", "the least"] = rule.minimum - estimate.value
    if rule.maximum is not None:
        beyond["over", "the most"] = estimate.value - rule.maximum
    way, bound = max(beyond, key=lambda each: beyond[each])
    size = say_size(rule.quantity, beyond[way, bound], style)
    where = f"{size} {way} {bound} allowed" if beyond[way, bound] > 0 else f"within {size} of {bound} allowed"
    return f"{name[0].upper()}{name[1:]} ends at {say(rule.quantity, estimate.value, style)}, {where}."


def adjustable_axles(hardware: Iterable[Hardware]) -> set[int]:
    """The axles on which toe or heading can be set."""
    turning = ("toe_deg", "bearing_deg")
    return {one.axle for one in hardware if any(path.endswith(turning) for path in one.adjuster().names)}
