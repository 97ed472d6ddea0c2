"""What the pictures of a visit tell: which shots belong together, and what they become in each phase."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from alignment.jobfile.rigs import moved_down
from rectaxis.fleets.layout import Json
from rectaxis.record.journal import Journal
from rectaxis.record.models import Move, Shot, Sighting
from rectaxis.record.slot import Phase


def shots_of(journal: Journal, phase: Phase) -> list[Shot]:
    """The shots that tell of a phase, in their order: its roll and sweep, and the last still since. While setting the before's
    roll holds, until the vehicle is rolled anew because the cameras moved.
    """
    own = [shot for shot in journal.shots if shot.phase == phase]
    rolled = [shot for shot in own if shot.move != Shot.Move.STILL]
    if phase == Phase.SET and not rolled:
        rolled = [s for s in journal.shots if s.phase == Phase.BEFORE and s.move != Shot.Move.STILL]
    last = rolled[-1].sequence if rolled else 0
    stills = [shot for shot in own if shot.move == Shot.Move.STILL and shot.sequence > last]
    return [*rolled, *stills[-1:]]


def called(journal: Journal, phase: Phase, shots: Iterable[Shot]) -> list[str]:
    """What shots are called on the pages of a phase: by their place among all of their phase."""
    places: dict[str, int] = {}
    numbers = {}
    for shot in journal.shots:
        numbers[shot.pk] = places[shot.phase] = places.get(shot.phase, 0) + 1
    return [f"{numbers[s.pk]}" if s.phase == phase else f"{numbers[s.pk]} of the {s.phase}" for s in shots]


def whole(sighting: Sighting | None, wheels: Iterable[tuple[int, str]]) -> bool:
    """Whether pictures told of all the wheels."""
    told = sighting.readings if sighting is not None else ()
    return set(wheels) <= {(one["axle"], one["side"]) for one in told if one["kind"] == "wheel_axis"}


def newest(journal: Journal, phase: Phase) -> Sighting | None:
    """What pictures told last in ``before`` or ``after``."""
    return next((one for one in reversed(journal.sightings) if one.phase == phase), None)


def holding(journal: Journal, moves: Sequence[Move], until: int | None) -> Sighting | None:
    """What pictures told that no later move has put out of date, as it was before a move (its place in the order), or is now."""
    seen = [one for one in journal.sightings if one.phase in (Phase.BEFORE, Phase.SET)]
    last = next((one for one in reversed(seen) if until is None or one.moment < until), None)
    if last is None:
        return None
    since = [m for m in moves if m.sequence > last.moment and (until is None or m.sequence < until)]
    return None if since else last


def as_readings(sighting: Sighting | None, phase: str, after: int) -> list[Json]:
    """The readings of a sighting as a job file has them in a phase, standing after so many others."""
    seen = [{"phase": phase, **reading} for reading in sighting.readings] if sighting is not None else []
    return moved_down(seen, after)
