"""The kinds of lists: one file for each."""

from __future__ import annotations

from rectaxis.exchange.kinds.base import Kind
from rectaxis.exchange.kinds.contacts import Contacts
from rectaxis.exchange.kinds.figures import Figures
from rectaxis.exchange.kinds.fleets import Fleets
from rectaxis.exchange.kinds.vehicles import Vehicles

KINDS: dict[str, Kind] = {kind.CODE: kind for kind in (Fleets(), Vehicles(), Contacts(), Figures())}
