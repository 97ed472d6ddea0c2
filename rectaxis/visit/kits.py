"""The kits of a visit as it keeps them: one, or several beside each other."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import reduce

import msgspec

from alignment.model.vehicle import SIDES, Vehicle
from alignment.procedure.beside import Hung, beside, clamped
from alignment.procedure.kit import kit as core_kit
from alignment.procedure.kit import toe_only
from alignment.procedure.station import Setup, Station
from rectaxis.fleets.layout import Layout
from rectaxis.kits.models import Kit
from rectaxis.record.snapshot import Rig


class KitError(ValueError):
    """A kit that cannot do what is asked of it; the text says why."""


def rig_of(kits: Sequence[Kit], layout: Layout, scope: str = "all", judged: Iterable[tuple[str, int]] = ()) -> Rig:
    """The kits as a job keeps them, with their stations on this vehicle: what two of them read is read with the first.

    ``scope`` ``toe`` is the quick job: toe in front only. ``judged`` are the quantities of the specification, with their
    axles: what a tool in the van tells of them is read beside any kit. **Raises** KitError.
    """
    wanted = set(judged)
    return reduce(_beside, (_rig(kit, layout, scope, wanted) for kit in dict.fromkeys(kits)))


def _beside(rig: Rig, further: Rig) -> Rig:
    """A kit with a further one. **Raises** KitError."""
    if clamped(rig.stations) & clamped(further.stations):
        raise KitError(
            f"{rig.name} and {further.name} both hang on the wheels by clamps of their own, and a wheel carries one: "
            "leave one of them out."
        )
    if further.seen or rig.seen:
        raise KitError("Cameras see all wheels together, and nothing hangs beside their targets: take them alone.")
    added = beside(Hung(rig.setups, rig.stations), Hung(further.setups, further.stations))
    if not added.stations:
        raise KitError(f"{further.name} reads nothing here that {rig.name} does not read: leave it out.")
    dates, hours = ((rig.certified_until, further.certified_until), (rig.battery_hours, further.battery_hours))
    on_clamps = further if clamped(further.stations) else rig
    return msgspec.structs.replace(
        rig, name=f"{rig.name}, {further.name}", serial=", ".join(one for one in (rig.serial, further.serial) if one), carried=f"{rig.carried}; {further.carried}",
        cannot=f"{rig.name}: {rig.cannot} {further.name}: {further.cannot}",
        certified_until=None if None in dates else min(date for date in dates if date is not None),
        runout_limit_deg=on_clamps.runout_limit_deg, clamp_u_deg=on_clamps.clamp_u_deg, lifted=on_clamps.lifted,
        rims_mm=on_clamps.rims_mm or rig.rims_mm or further.rims_mm, light=rig.light or further.light,
        battery_hours=min((one for one in hours if one is not None), default=None),
        self_check=(*rig.self_check, *(f"{further.name}: {step}" for step in further.self_check)),
        figures=(*rig.figures, *further.figures), setups=(*rig.setups, *added.setups),
        stations=(*rig.stations, *added.stations),
    )  # fmt: skip


def _rig(kit: Kit, layout: Layout, scope: str, judged: Iterable[tuple[str, int]]) -> Rig:
    """One kit with its stations on this vehicle. **Raises** KitError."""
    core, on, judged = core_kit(kit.code), layout.core.vehicle, set(judged)
    stations = core.stations(on, judged)
    if "pictures" in core.data:
        return _of_pictures(kit, on, scope)
    if scope == "toe":
        stations = toe_only(on, stations)
        if not stations:
            raise KitError(
                f"{core.name} reads no toe by itself on a steered axle: take another kit, or do the whole job."
            )
    if not stations:
        raise KitError(f"{core.name} has nothing to read on this vehicle: take another kit.")
    kept, data = {station.setup for station in stations}, core.data
    rims = data.get("rims_mm")
    return Rig(
        name=kit.name, code=kit.code, serial=kit.serial, scope=scope, goes=kit.goes, carried=data["carried"], cannot=data["cannot"],
        certified_until=kit.certified_until, runout_limit_deg=core.runout_limit_deg,
        clamp_u_deg=core.clamp_u_deg,
        lifted=bool(data.get("runout", {}).get("lifted", False)), light=bool(data.get("light", True)),
        rims_mm=None if rims is None else (rims[0], rims[1]), battery_hours=data.get("battery_hours"),
        self_check=tuple(data.get("self_check", ())), figures=core.figures,
        setups=tuple(setup for setup in core.setups(on, judged) if setup.number in kept),
        stations=tuple(_as_printed(kit, station) for station in stations),
    )  # fmt: skip


def _of_pictures(kit: Kit, on: Vehicle, scope: str) -> Rig:
    """A kit whose cameras see all wheels at once: it has no scales, and one hanging. **Raises** KitError."""
    data, core = core_kit(kit.code).data, core_kit(kit.code)
    if scope == "toe":
        raise KitError(f"{core.name} sees all wheels or nothing: do the whole job.")
    wheels = tuple((axle.number, side) for axle in on.axles for side in SIDES)
    last = on.axles[-1].number if len(on.axles) > 1 else None
    setup = Setup(
        1,
        data["pictures"]["title"],
        heads=1,
        flags=last,
        hang=tuple(data["pictures"]["hang"]),
        piece="target",
        other="target",
    )
    return Rig(
        name=kit.name, code=kit.code, serial=kit.serial, carried=data["carried"], cannot=data["cannot"], certified_until=kit.certified_until,
        lifted=False, light=False, rims_mm=(data["rims_mm"][0], data["rims_mm"][1]), battery_hours=data["battery_hours"],
        self_check=tuple(data.get("self_check", ())), figures=core.figures, setups=(setup,), stations=(), seen=wheels,
    )  # fmt: skip


def _as_printed(kit: Kit, station: Station) -> Station:
    """The station with the marks of this kit's own print beside the words for its two sides of zero."""
    if (station.plus, station.minus) != ("toe-in", "toe-out"):
        return station
    sides = ((station.plus, kit.toe_in_zone), (station.minus, kit.toe_out_zone))
    plus, minus = (f"{word}, {zone}" if zone else word for word, zone in sides)
    return replace(station, plus=plus, minus=minus)
