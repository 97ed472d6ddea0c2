"""Which kits can judge the figures of a vehicle, asked of the core once for each vehicle, kit and set of figures."""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b
from typing import Any

from alignment.errors import JobFileError
from alignment.jobfile import parse
from alignment.judge.heights import one_each
from rectaxis.common.recent import Recent
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.visit.ability import of_kit
from rectaxis.visit.actions.open_job import copy_of_specification

_settled: Recent[int] = Recent(4000)


def able_kits(vehicle: Vehicle, kits: Sequence[Kit]) -> list[Kit]:
    """The kits that settle as many of the vehicle's figures as any of them does; all of them where there are no figures."""
    figures = copy_of_specification(vehicle)
    if not figures.rows:
        return list(kits)
    settled = {kit.pk: _settles(vehicle, kit, figures.rows) for kit in kits}
    most = max(settled.values(), default=0)
    return [kit for kit in kits if settled[kit.pk] == most] if most else []


def _settles(vehicle: Vehicle, kit: Kit, rows: Sequence[Any]) -> int:
    key = blake2b(repr((vehicle.layout, kit.code, rows)).encode(), digest_size=16).digest()
    return _settled.get(key, lambda: _ask(vehicle, kit, rows))


def _ask(vehicle: Vehicle, kit: Kit, rows: Sequence[Any]) -> int:
    layout = Layout.from_json(vehicle.layout)
    try:
        return of_kit(kit, parse(layout.as_document(spec=one_each(rows))), "deg", layout.steering_ratio).settled
    except JobFileError:
        return 0
