"""Mutated job files for Hypothesis: good files with something wrong anywhere."""

from __future__ import annotations

import copy
import functools
import json
from typing import Any

from hypothesis import strategies as st

from alignment.patterns import pattern
from alignment.procedure.kit import kit, kit_codes
from alignment.simulate.jobs import simulate

RULES = [{"quantity": "total_toe_deg", "axle": 1, "min": -0.1, "max": 0.3, "preferred": 0.1},
         {"quantity": "camber_deg", "axle": 1, "side": "left", "max": 1}]  # fmt: skip
ADJUSTERS = [{"id": "rod", "min": -24, "max": 24, "effect": {"axles/1/left/toe_deg": 0.06}},
             {"id": "plate", "installed": 1, "choices": {"1": {}, "2": {"axles/1/left/camber_deg": 0.2}}}]  # fmt: skip


FACTORS = (1.0, 1.01, -1.0, 0.0, 0.5, 2.0, 10.0, 1e-6, 1e-300, 1e3)


@functools.cache
def good_files() -> tuple[str, ...]:
    """One good file of each kit, on vehicles of different patterns, as text."""
    on = ("van", "truck_8x4", "trailer_3_steered", "car_rear_steer")
    made = [simulate(pattern(on[n % len(on)]), kit(code), 1).document for n, code in enumerate(kit_codes())]
    full = [{**document, "spec": RULES, "adjusters": ADJUSTERS} for document in made if document["readings"]]
    return tuple(json.dumps(document) for document in full)


json_values = st.recursive(
    st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=6)
    | st.sampled_from([0, 5e-324, 1e-300, 1e6, -1e6, 360, -360, 1e300, "left", "frame", 1, 2, 99]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)  # fmt: skip


def places(value: Any) -> list[tuple[Any, Any]]:
    """Every place in a document, as the container and the key within it."""
    found, waiting = [], [value]
    while waiting:
        container = waiting.pop()
        keys = list(container) if isinstance(container, dict) else range(len(container))
        for key in keys:
            found.append((container, key))
            if isinstance(container[key], dict | list):
                waiting.append(container[key])
    return found


@st.composite
def mutated_files(draw: st.DrawFn) -> bytes:
    """A good file with up to three things changed, taken away or added, and now and then a broken byte."""
    document = copy.deepcopy(json.loads(draw(st.sampled_from(good_files()))))
    for _ in range(draw(st.integers(1, 3))):
        there = places(document)
        container, key = there[draw(st.integers(0, len(there) - 1))]
        change = draw(st.sampled_from(("nudge", "nudge", "nudge", "change", "change", "remove", "add", "double")))
        if change == "nudge":
            numbers = [(c, k) for c, k in there if isinstance(c[k], int | float) and not isinstance(c[k], bool)]
            container, key = numbers[draw(st.integers(0, len(numbers) - 1))] if numbers else (container, key)
        match change:
            case "nudge" if isinstance(container[key], int | float):
                container[key] = draw(st.sampled_from(FACTORS)) * container[key] + draw(st.sampled_from((0, 0, 0.1)))
            case "change":
                container[key] = draw(json_values)
            case "remove":
                del container[key]
            case "add" if isinstance(container, dict):
                container[draw(st.text(max_size=6))] = draw(json_values)
            case _ if isinstance(container, list):
                container.append(copy.deepcopy(container[key]))
        if not document:
            break
    raw = json.dumps(document).encode()
    if draw(st.integers(0, 9)) == 0:
        spot = draw(st.integers(0, len(raw) - 1))
        raw = raw[:spot] + draw(st.binary(max_size=3)) + raw[spot + draw(st.integers(0, 2)) :]
    return raw
