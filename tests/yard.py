"""A yard of rigid bodies for vehicles of one's own: scales are traced by rays, and what is moved moves the bodies."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence

from alignment.adjust.hardware import Hardware
from alignment.model.vehicle import SIDES
from alignment.procedure.station import Station
from alignment.simulate.moving import Body
from alignment.simulate.world import TracedWorld
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase, Scale, parse
from rectaxis.visit.moves import position
from rectaxis.visit.visit import Visit
from tests.browser import Far
from tests.technician import Technician

_USUAL_STEP = 0.1
_DROOP = 3
"""By how many of its steps a scale reads otherwise while a wheel is lifted."""


class Yard:
    """The vehicle of a job as a body. ``truth`` is by names of unknowns; ``share`` is what adjusters really do of what they say."""

    def __init__(self, job: Job, truth: Mapping[str, float], share: float = 1.0) -> None:
        self.job, self.share = job, share
        core = Visit(job).snapshot.core
        self.datum, self.body = core.datum, Body(core.vehicle, truth)
        self.made: list[tuple[Hardware, float | str]] = []
        self._taken = 0

    def visit(self) -> Visit:
        """The job as it stands, every move since made on the body."""
        self.job.refresh_from_db()
        visit = Visit(self.job)
        by_id = {one.id: one for one in visit.hardware}
        for move in visit.journal.moves[self._taken :]:
            one = by_id[move.adjuster]
            self.body.move(one, position(one, move.start), position(one, move.end), self.share)
            self.made.append((one, position(one, move.end)))
        self._taken = len(visit.journal.moves)
        return visit

    def true_value(self, path: str) -> float | None:
        """How the bodies stand in a result, None where they do not say."""
        truth, vehicle = self.body.truth, self.body.vehicle
        bearing = {axle.number: truth.get(f"axles/{axle.number}/bearing_deg", 0.0) for axle in vehicle.axles}
        match path.split("/"):
            case ["thrust_angle_deg"]:
                return bearing[vehicle.thrust_axle] if vehicle.thrust_axle else None
            case ["steer_ahead_deg"]:
                return bearing[1] - bearing[vehicle.thrust_axle] if vehicle.thrust_axle else None
            case ["scrub_deg", pair]:
                first, second = map(int, pair.split("-"))
                return bearing[second] - bearing[first]
            case ["axles", axle, "cross_camber_deg"]:
                left, right = (truth.get(f"axles/{axle}/{side}/camber_deg", 0.0) for side in SIDES)
                return left - right
        return truth.get(path)

    def shown(self, slots: Sequence[str]) -> dict[str, str]:
        """What a person reads at scales, each look with its own error."""
        visit = self.visit()
        world = TracedWorld(self.body.vehicle, self.datum, self.body.truth)
        stations = {station.slot: station for station in visit.readings.stations}
        found = {}
        for text in slots:
            slot = parse(text)
            if not isinstance(slot, Scale):
                continue
            station = stations[slot.place]
            chance = random.Random(f"{slot.phase}/{slot.place}/{self._taken}/{slot.look}")
            step = station.step or _USUAL_STEP
            droop = _DROOP * step if slot.phase == Phase.AIR else 0.0
            value = (
                droop
                + round((world.read(station, chance)[slot.field] - self._hung_off(station, slot.field)) / step) * step
            )
            found[text] = f"{value + 0.0:.3f}".rstrip("0").rstrip(".")
        return found

    def _hung_off(self, station: Station, field: str) -> float:
        """By how much a gauge is hung another way than the bodies have it: so that beams strike it about its middle."""
        straight = TracedWorld(self.body.vehicle, self.datum, {}).read(station)[field]
        return 0.0 if station.least <= straight <= station.most else straight - (station.least + station.most) / 2


class OwnTechnician(Technician):
    """A technician whose vehicle stands in a yard of bodies: nothing reads the scales but eyes."""

    def __init__(self, page, yard: Yard, name: str) -> None:
        super().__init__(page, yard.job, name)
        self.yard = yard

    def shown(self, _phase: str, slots: Sequence[str]) -> dict[str, str]:
        return self.yard.shown(slots)

    def read_all_in_view(self) -> None:
        blank = "fields => fields.filter(f => !f.value).map(f => f.dataset.slot)"
        shown = self.yard.shown(self.page.locator("[data-walkable]").evaluate_all(blank))
        for slot, text in shown.items():
            self.type_at(slot, text)
        self.saved()


class Fingers(OwnTechnician):
    """The same by touch: the first numbers come from the pad, the rest at once, everything else from taps."""

    FROM_THE_PAD = 24

    def __init__(self, page, yard: Yard, name: str) -> None:
        super().__init__(page, yard, name)
        self.padded = 0

    def go(self, stage: str) -> None:
        self.page.wait_for_selector("[data-saved][data-ready]")
        self.page.locator(f".rail [data-stage='{stage}']").tap()
        self.page.wait_for_selector(f".rail a[aria-current][data-stage='{stage}']")
        self.page.wait_for_selector("[data-saved][data-ready]")

    def press(self, found: Far) -> None:
        found.tap()

    def choose(self, slot: str, words: str) -> None:
        self.page.locator(f"label:has([data-slot='{slot}'][value='{words}'])").tap()

    def type_at(self, slot: str, text: str) -> None:
        field = self.page.locator(f"main [data-slot='{slot}']").first
        if self.padded < self.FROM_THE_PAD and field.get_attribute("data-walkable") is not None:
            field.tap()
            self._on_the_pad(text)
            return
        field.fill(text)
        field.blur()

    def _on_the_pad(self, text: str) -> None:
        self.padded += 1
        for char in text:
            self.page.locator(f".pad [data-char='{'sign' if char == '-' else char}']").tap()
        self.page.locator(".pad [data-char='enter']").tap()

    def walk(self) -> list[str]:
        """The scales in the order in which the pad's "next" leads to them."""
        slots = self.page.locator("[data-walkable]").evaluate_all("fields => fields.map(f => f.dataset.slot)")
        if self.padded >= self.FROM_THE_PAD:
            self.read_all_in_view()
            return slots
        shown = self.yard.shown(slots)
        self.page.locator("[data-walkable]").first.tap()
        for _ in slots:
            self._on_the_pad(shown[self.page.locator("[data-hand-input]").get_attribute("data-slot")])
        self.saved()
        return slots
