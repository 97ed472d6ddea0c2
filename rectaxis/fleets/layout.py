"""A vehicle's layout as a frozen type, and the one door to it from JSON."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import msgspec

from alignment.adjust.hardware import Hardware, hardware_of
from alignment.adjust.hardware.packings import SpringPackings
from alignment.jobfile import FORMAT, VERSION, JobFile, parse

Json = dict[str, Any]
"""A JSON object of an open format, checked by the core where it is used."""


CHANGED = {
    "beam-steer": "Its steered axles were listed with two tie rods each. A beam that steers has one track rod and a drag link: "
    "they are listed so now. Look at the vehicle, and put in what was measured."
}
"""What an update of the program changed in a layout, for a person to look at, by code."""


class LayoutError(ValueError):
    """A layout with a key or a value that is not one; the text names it."""


class Layout(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, dict=True):
    """How a vehicle stands. ``vehicle`` and ``datum`` are the job file's own; ``adjusters`` what can be turned or shimmed,
    ``packings`` those on its springs, ``learned`` what moves taught of each family of adjusters: its share and uncertainty.

    The rest is for the drawing and the questions: its ``group``, the ``pattern`` that it was entered from, and the numbers
    of its axles with ``duals``; ``competes`` is whether its reports begin with a set-up sheet. ``changed`` are codes of CHANGED: what an update of the program changed in it. ``since`` says by
    adjuster on which day (ISO) what is in place was left there, ``last`` what the last visit left of each angle, by path.

    The rest is what the last visit wrote down, of the day ``visited`` (ISO): ``odometer`` in km, by axle the tyre ``sizes``, by tyre
    its ``treads`` (mm, outer to inner), by kind of kit where its tools were ``placed`` (what was typed, by slot), and the ``advice``
    that is open: each with the day by which to follow it (ISO, empty for none).
    """

    vehicle: Json
    datum: Json | None = None
    adjusters: tuple[Json, ...] = ()
    packings: tuple[Json, ...] = ()
    learned: dict[str, tuple[float, float]] = {}
    duals: tuple[int, ...] = ()
    group: str = "van"
    pattern: str = ""
    changed: tuple[str, ...] = ()
    since: dict[str, str] = {}
    last: dict[str, float] = {}
    steering_ratio: float | None = None
    competes: bool = False
    visited: str = ""
    odometer: float | None = None
    sizes: dict[str, str] = {}
    treads: dict[str, tuple[float | None, ...]] = {}
    placed: dict[str, dict[str, str]] = {}
    advice: tuple[tuple[str, str], ...] = ()

    @classmethod
    def from_json(cls, data: object) -> Layout:
        """The layout that JSON describes. **Raises** LayoutError with the core's or msgspec's words."""
        try:
            return msgspec.convert(data, cls)
        except msgspec.ValidationError as error:
            raise LayoutError(f"Expected a layout: {error}") from None

    def as_json(self) -> Json:
        """Plain data, without what is at its default."""
        found: Json = {"vehicle": self.vehicle}
        for name in self.__struct_fields__:
            value = getattr(self, name)
            if name != "vehicle" and value != getattr(_EMPTY, name):
                found[name] = msgspec.to_builtins(value)
        return found

    def as_document(self, **parts: Any) -> Json:
        """The job file of this vehicle with other parts of it, such as ``readings``."""
        datum = {} if self.datum is None else {"datum": self.datum}
        return {"format": FORMAT, "version": VERSION, "vehicle": self.vehicle, **datum, **parts}

    @cached_property
    def core(self) -> JobFile:
        """Vehicle and datum as the core has them. **Raises** JobFileError."""
        return parse(self.as_document())

    @cached_property
    def hardware(self) -> tuple[Hardware, ...]:
        """What adjusts on the vehicle, as it is listed."""
        return hardware_of(self.adjusters)

    @property
    def changes(self) -> list[str]:
        """What an update of the program changed in it, as sentences."""
        return [CHANGED[code] for code in self.changed if code in CHANGED]

    @cached_property
    def springs(self) -> dict[int, SpringPackings]:
        """The packings on the springs, by axle."""
        found = [SpringPackings.from_dict(entry) for entry in self.packings]
        return {springs.axle: springs for springs in found}


_EMPTY = Layout(vehicle={})
