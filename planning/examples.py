"""Made-up days: islands with yards, ferries between them, technicians and visits, from a seed."""

from __future__ import annotations

import datetime as dt
import random
from itertools import pairwise

from planning.model import Days, Ferry, Hours, Kit, Pause, Place, Technician, Urgency, Visit

_DAY = dt.date(2026, 11, 2)
_ISLANDS = ("Ana", "Bru", "Cor", "Dun", "Esk", "Fal", "Gry")


def random_days(
    seed: int, *, visits: int = 40, technicians: int = 2, islands: int = 5, days: int = 1, yards: int = 3, short: bool = True,
) -> Days:  # fmt: skip
    """Some days of visits on a chain of islands. ``short``: quick checks of 8 to 20 minutes, else whole visits of 35 to 90."""
    rng = random.Random(seed)  # noqa: S311 - made-up days
    places, ferries = [], []
    for number, island in enumerate(_ISLANDS[:islands]):
        north, east = 57.0 + 0.22 * number + rng.uniform(-0.03, 0.03), -6.0 + rng.uniform(-0.15, 0.15)
        places.append(Place(f"{island} port", f"{island} port", north, east, island))
        for yard in range(yards):
            opens = Hours(f"{rng.choice([6, 7, 7, 8]):02}:00", f"{rng.choice([16, 17, 18, 19]):02}:00")
            places.append(
                Place(f"{island} {yard + 1}", f"{island} yard {yard + 1}", north + rng.uniform(-0.08, 0.08), east + rng.uniform(-0.12, 0.12),
                      island, (opens,), unpack=rng.choice([5, 10]))
            )  # fmt: skip
    for one, other in pairwise(_ISLANDS[:islands]):
        sails = rng.randint(20, 40)
        for origin, target in ((one, other), (other, one)):
            at = 6 * 60 + rng.randint(0, 90)
            while at < 20 * 60:
                ferries.append(
                    Ferry(f"{origin}-{target} {at // 60:02}:{at % 60:02}", f"{origin} port", f"{target} port",
                          f"{at // 60:02}:{at % 60:02}", sails, check_in=10, capacity=rng.choice([1, 2, 2, 3]))
                )  # fmt: skip
                at += rng.randint(60, 120)
    homes = rng.sample(_ISLANDS[:islands], 2 if islands > 1 else 1)
    for island in homes:
        places.append(Place(f"home {island}", f"home on {island}", 57.0 + 0.22 * _ISLANDS.index(island), -6.0, island))
    crew = tuple(
        Technician(f"t{number}", f"Technician {number}", f"home {homes[number % len(homes)]}", (Hours("06:00", "19:00"),),
                   Pause(30, "11:00", "14:00"), kits=("heads",))
        for number in range(technicians)
    )  # fmt: skip
    yards_of = [place.key for place in places if place.hours]
    wanted = []
    for number in range(visits):
        takes = rng.randint(8, 20) if short else rng.randint(35, 90)
        urgency = rng.choices(list(Urgency), (1, 1, 8, 3))[0]
        name, where = f"Unit {number}", rng.choice(yards_of)
        wanted.append(Visit(f"v{number}", name, name, where, takes, urgency=urgency, kits=("heads",)))
    return Days(
        zone="Europe/Lisbon", now=dt.datetime.combine(_DAY - dt.timedelta(days=1), dt.time(12)),
        days=tuple(_DAY + dt.timedelta(days=day) for day in range(days)), places=tuple(places), technicians=crew, visits=tuple(wanted),
        kits=(Kit("heads", "Wheel heads"),), ferries=tuple(ferries),
    )  # fmt: skip
