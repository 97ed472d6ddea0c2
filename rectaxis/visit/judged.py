"""Results against the figures, as rows that carry their words."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

from alignment.judge.verdict import COVERAGE, Rule
from alignment.model.vehicle import Vehicle, axle_title
from alignment.quantities import QUANTITIES, say, say_size
from alignment.speech import side_name
from rectaxis.drawing.strips import WORDS, Judged, Words


def judged(
    vehicle: Vehicle,
    verdicts: Sequence[Mapping[str, Any]],
    spec: Sequence[Mapping[str, Any]],
    earlier: Sequence[Mapping[str, Any]],
    styles: Iterable[str],
    moved: Collection[str] = (),
) -> tuple[Judged, ...]:
    """A row for each verdict; ``spec`` are the specification's rows in the same order, ``earlier`` the verdicts before.

    ``moved`` are the paths of results that a move has changed since.
    """
    before = list(earlier) or [{"value": None}] * len(verdicts)
    rows = zip(verdicts, spec, before, strict=True)
    return tuple(
        _judged(vehicle, verdict, row.get("preferred"), was, tuple(styles), moved=path_of(verdict) in moved)
        for verdict, row, was in rows
    )


def _unread(verdict: Mapping[str, Any], was: Mapping[str, Any], *, moved: bool) -> str:
    """What is known of a result that was measured before and not again: it is not simply "not measured"."""
    if verdict["verdict"] != "undetermined" or was.get("verdict", "undetermined") == "undetermined":
        return ""
    return f"{WORDS[was['verdict']]} before, {'not read again' if moved else 'not adjusted'}"


def _judged(
    vehicle: Vehicle,
    verdict: Mapping[str, Any],
    preferred: float | None,
    was: Mapping[str, Any],
    styles: tuple[str, ...],
    *,
    moved: bool,
) -> Judged:
    quantity, value = verdict["quantity"], verdict["value"]
    label, axle = QUANTITIES[quantity].label, _belongs_to(vehicle, verdict)

    def said(size: float | None) -> Words:
        return {} if size is None else {style: say(quantity, size, style) for style in styles}

    def sized(size: float | None) -> Words:
        return {} if size is None else {style: say_size(quantity, size, style) for style in styles}

    expanded, earlier = _expanded(verdict), was["value"]
    return Judged(
        axle=axle, title=axle_title(vehicle, axle), label=f"{side_name(verdict['side'])} {label}" if verdict["side"] else label,
        quantity=quantity, path=path_of(verdict), verdict=verdict["verdict"], value=value, expanded=expanded, low=verdict["min"], high=verdict["max"],
        preferred=preferred, earlier=earlier, text=said(value), doubt=sized(expanded), beyond=sized(_beyond(verdict)),
        earlier_text=said(earlier), earlier_verdict=was.get("verdict", ""),
        earlier_expanded=_expanded(was), earlier_doubt=sized(_expanded(was)),
        unread=_unread(verdict, was, moved=moved), moved=moved,
        limits={style: _limits(quantity, verdict["min"], verdict["max"], style) for style in styles},
    )  # fmt: skip


def _limits(quantity: str, low: float | None, high: float | None, style: str) -> str:
    """The limits in words, as a reader without the drawing needs them."""
    if low is None or high is None:
        bound, word = (high, "at most") if low is None else (low, "at least")
        return "" if bound is None else f"{word} {say(quantity, bound, style)}"
    return f"{say(quantity, low, style)} to {say(quantity, high, style)}"


def _expanded(verdict: Mapping[str, Any]) -> float | None:
    """The expanded uncertainty; None where there is no value, or its uncertainty is not known, as of last time's."""
    return None if verdict["value"] is None or "u" not in verdict else float(COVERAGE * verdict["u"])


def path_of(verdict: Mapping[str, Any]) -> str:
    """The results' path of what a verdict judges."""
    axles = tuple(verdict["axles"]) if "axles" in verdict else None
    return Rule(verdict["quantity"], verdict["axle"], verdict["side"], axles).path


def _beyond(verdict: Mapping[str, Any]) -> float | None:
    """By how much a value exceeds its bound; None where it does not for sure."""
    if verdict["verdict"] != "outside":
        return None
    value, low, high = verdict["value"], verdict["min"], verdict["max"]
    return float(low - value) if low is not None and value < low else float(value - high)


def _belongs_to(vehicle: Vehicle, verdict: Mapping[str, Any]) -> int:
    """The axle whose group a verdict stands in: steering goes with the steered axle, thrust with the thrust axle."""
    if verdict["axle"]:
        return int(verdict["axle"])
    if verdict["quantity"] == "steer_ahead_deg" and vehicle.first_steered is not None:
        return vehicle.first_steered.number
    return int(verdict["axles"][1]) if "axles" in verdict else vehicle.thrust_axle or 1
